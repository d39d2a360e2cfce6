//! The same world mirrored, turned, moved or carried along must do the same, to rounding, for as long as nothing chaotic
//! multiplies it.

use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{BodyState, DVec2, DVec3, Frame, PlaneShape, Pose, World, about_z};

/// A few bodies that land, bounce, slide and tip on a floor and a wall: rich enough to show a sign that is wrong, short enough
/// not to be chaotic.
fn scene() -> World {
    let mut world = world(10.0, 0.4, 0.3);
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0));
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::X), -6.0, 0.0));
    for (i, shape) in [
        square(0.8),
        PlaneShape::Disc(0.4),
        PlaneShape::Capsule { length: 0.6, radius: 0.25 },
        PlaneShape::Polygon(vec![DVec2::new(-0.5, -0.3), DVec2::new(0.5, -0.3), DVec2::new(0.0, 0.6)]),
    ]
    .into_iter()
    .enumerate()
    {
        let mut body = solid(shape, 2.5 * i as f64 - 4.0, 1.5);
        (body.velocity, body.spin) = (DVec3::new(-1.5, 0.5, 0.0), about_z(1.0 - i as f64));
        body.pose = Pose::planar(body.pose.position, 0.3);
        world.bodies.push(body);
    }
    world
}

fn flip(v: DVec2) -> DVec2 {
    DVec2::new(-v.x, v.y)
}

fn quarter(v: DVec2) -> DVec2 {
    DVec2::new(-v.y, v.x)
}

/// Applies a change of directions to everything of a world but its shapes, which are changed by `shape`.
fn changed(direction: fn(DVec2) -> DVec2, angle: impl Fn(f64) -> f64, spin: f64, points: fn(DVec2) -> DVec2) -> World {
    let mut world = scene();
    let flat = |v: DVec3| direction(v.truncate()).extend(0.0);
    world.gravity = flat(world.gravity);
    for body in &mut world.bodies {
        body.pose.position = flat(body.pose.position);
        body.velocity = flat(body.velocity);
        body.spin *= spin;
        if body.mass > 0.0 {
            body.pose.turn_to(angle(body.pose.angle));
        }
        for part in &mut body.parts {
            match part.shape.planar_mut().unwrap() {
                PlaneShape::HalfPlane(normal) => *normal = direction(*normal),
                PlaneShape::Polygon(corners) => corners.iter_mut().for_each(|corner| *corner = points(*corner)),
                _ => {}
            }
        }
    }
    world
}

/// Frames of a second and a half, before small differences have grown.
fn frames(world: World, options: &str) -> Vec<Frame> {
    let mut bench = Bench::new(world, options, 1.0 / 120.0);
    let mut frames = Vec::new();
    bench.run(180, |frame| frames.push(frame.clone()));
    frames
}

fn compare(name: &str, world: &World, back: impl Fn(&BodyState, f64) -> (DVec2, DVec2, f64), bound: f64) {
    // The soft and position solvers press the points of a contact one after the other, so they know left from right.
    for options in ["", "swept=all"] {
        let (plain, reported) = (frames(scene(), options), frames(world.clone(), options));
        let mut touched = 0;
        for (a, b) in plain.iter().zip(&reported) {
            touched += a.contacts.len();
            for (body, (a_state, b_state)) in a.bodies.iter().zip(&b.bodies).enumerate().skip(2) {
                let (position, velocity, spin) = back(b_state, b.time);
                let off = position.distance(a_state.pose.position.truncate())
                    + velocity.distance(a_state.velocity.truncate())
                    + (spin - a_state.spin.z).abs();
                assert!(off < bound, "{name} {options}: body {body} is off by {off} at step {}", a.step);
            }
        }
        assert!(touched > 100, "{name} {options}: nothing touched");
    }
}

#[test]
fn mirrored_left_to_right() {
    let world = changed(flip, |angle| -angle, -1.0, flip);
    let back = |state: &BodyState, _: f64| {
        (flip(state.pose.position.truncate()), flip(state.velocity.truncate()), -state.spin.z)
    };
    compare("mirror", &world, back, 1e-6);
}

#[test]
fn turned_by_a_quarter_with_gravity() {
    let world = changed(quarter, |angle| angle + std::f64::consts::FRAC_PI_2, 1.0, |corner| corner);
    let unturn = |v: DVec2| DVec2::new(v.y, -v.x);
    let back = |state: &BodyState, _: f64| {
        (unturn(state.pose.position.truncate()), unturn(state.velocity.truncate()), state.spin.z)
    };
    compare("turn", &world, back, 1e-6);
}

#[test]
fn moved_far_out() {
    let away = DVec2::new(4096.0, -1024.0);
    let mut world = scene();
    world.bodies.iter_mut().for_each(|body| body.pose.position += away.extend(0.0));
    let back =
        |state: &BodyState, _: f64| (state.pose.position.truncate() - away, state.velocity.truncate(), state.spin.z);
    compare("shift", &world, back, 1e-5);
}

#[test]
fn handed_over_in_another_order() {
    let mut world = scene();
    world.bodies[2..].reverse();
    let plain = frames(scene(), "");
    for (a, b) in plain.iter().zip(&frames(world, "")) {
        for body in 2..6 {
            let off = a.bodies[body].pose.position.distance(b.bodies[7 - body].pose.position);
            assert!(off < 1e-9, "body {body} is off by {off} at step {}", a.step);
        }
    }
}
