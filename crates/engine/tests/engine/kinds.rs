//! Kinds of body, filters, scripted actions, compounds, save and restore, rays.

use crate::yard::{Bench, energy, fixed, floor, momentum, solid, square, world};
use ironspin_model::{
    Action, BodyKind, DVec2, DVec3, Effect, Engine, Inertia, Part, PlaneShape, Pose, World, about_z, body_mass,
};

const G: f64 = 9.81;
const DT: f64 = 1.0 / 60.0;

#[test]
fn a_moving_platform_carries_and_a_static_body_never_moves() {
    let mut world = world(G, 0.8, 0.0);
    let mut platform = fixed(PlaneShape::Box(DVec2::new(4.0, 0.5)), 0.0, 0.0);
    platform.kind = BodyKind::Kinematic;
    platform.velocity = DVec3::new(1.0, 0.5, 0.0);
    world.bodies.push(platform);
    world.bodies.push(solid(square(0.5), 0.0, 0.5));
    world.bodies.push(fixed(square(1.0), 20.0, 0.0));
    for options in ["", "solver=compliant", "solver=position", "swept=all"] {
        let mut bench = Bench::new(world.clone(), options, DT);
        bench.seconds(4.0, |_| {});
        assert!((bench.position(0) - DVec2::new(4.0, 2.0)).length() < 1e-9, "{options}: {}", bench.position(0));
        let ride = bench.position(1) - bench.position(0);
        assert!((ride - DVec2::new(0.0, 0.5)).length() < 0.15, "{options}: left behind by {ride}");
        assert!((bench.velocity(1) - DVec2::new(1.0, 0.5)).length() < 1e-3, "{options}: {}", bench.velocity(1));
        assert_eq!(bench.position(2), DVec2::new(20.0, 0.0));
    }
}

#[test]
fn layers_and_pairs_decide_who_meets_in_either_order() {
    for flip in [false, true] {
        let mut world = world(G, 0.5, 0.0);
        world.bodies.push(floor());
        let mut ghost = solid(PlaneShape::Disc(0.5), 0.0, 2.0);
        (ghost.layers, ghost.collision_mask) = (2, 1);
        let mut other = solid(PlaneShape::Disc(0.5), 0.0, 4.0);
        (other.layers, other.collision_mask) = (1, if flip { u32::MAX } else { 1 });
        world.bodies.extend([ghost, other]);
        if flip {
            world.excluded_pairs.push([2, 1]);
            world.bodies[1].layers = 1;
            world.bodies[1].collision_mask = u32::MAX;
        }
        let mut bench = Bench::new(world, "", DT);
        bench.seconds(4.0, |_| {});
        // Both lie on the floor, in each other.
        for body in [1, 2] {
            assert!((bench.position(body) - DVec2::new(0.0, 0.5)).length() < 0.01, "{flip}: {}", bench.position(body));
        }
    }
}

fn action(at_time: f64, body: usize, effect: Effect) -> Action {
    Action { at_time, body, effect }
}

#[test]
fn actions_do_what_they_say() {
    let mut world = world(0.0, 0.0, 0.0);
    for i in 0..6 {
        world.bodies.push(solid(square(1.0), 3.0 * f64::from(i), 0.0));
    }
    world.bodies[5].absent = true;
    let up = DVec3::new(0.0, 1.0, 0.0);
    let edge = Some(DVec3::new(3.5, 0.0, 0.0));
    world.actions = vec![
        action(0.0, 0, Effect::Impulse { impulse: up, point: None }),
        action(0.0, 1, Effect::Impulse { impulse: up, point: edge }),
        action(0.0, 2, Effect::Force { force: up, point: None }),
        action(0.0, 3, Effect::Torque(about_z(1.0))),
        action(1.0, 4, Effect::Remove),
        action(1.0, 5, Effect::Add),
        action(1.0, 0, Effect::Place(Pose::planar(DVec3::new(0.0, -7.0, 0.0), 0.5))),
        action(2.0, 0, Effect::Gravity(DVec3::new(0.0, -1.0, 0.0))),
    ];
    let mut bench = Bench::new(world, "", 0.25);
    assert!(bench.frame.bodies[5].pose.position.x.is_nan());
    bench.run(1, |_| {});
    assert_eq!(bench.velocity(0), DVec2::Y);
    assert_eq!(bench.velocity(1), DVec2::Y);
    // Moment 0.5 N m s over 1/6 kg m2.
    assert!((bench.frame.bodies[1].spin.z - 3.0).abs() < 1e-14);
    assert_eq!(bench.velocity(2), DVec2::new(0.0, 0.25), "a force acts for one step");
    assert!((bench.frame.bodies[3].spin.z - 1.5).abs() < 1e-14);
    bench.run(3, |_| {});
    assert_eq!(bench.velocity(2), DVec2::new(0.0, 0.25));
    assert!(bench.position(4).is_finite());
    bench.run(1, |_| {});
    assert!(bench.position(4).is_nan(), "removed before the step that starts at 1 s");
    assert_eq!(bench.position(5), DVec2::new(15.0, 0.0));
    assert_eq!(bench.position(0).y, -7.0 + 0.25);
    bench.run(4, |_| {});
    assert_eq!(bench.velocity(0).y, 1.0 - 0.25, "gravity acts from 2 s on");
}

/// Two squares side by side as one body, and absent as two.
fn casting() -> World {
    let mut world = world(0.0, 0.0, 0.0);
    let part = |x: f64| Part { pose: Pose::flat(DVec2::new(x, 0.0), 0.0), ..Part::solid(square(1.0), 0) };
    let parts = vec![part(-0.5), part(0.5)];
    let mass = body_mass(&parts, |_| 1.0).unwrap();
    let mut whole = solid(square(1.0), 3.0, 1.0);
    (whole.parts, whole.mass, whole.inertia) = (parts, mass.mass, Inertia::planar(mass.inertia));
    (whole.velocity, whole.spin) = (DVec3::new(1.0, 2.0, 0.0), about_z(3.0));
    whole.pose = Pose::planar(whole.pose.position, 0.4);
    world.bodies.push(whole);
    for x in [-0.5, 0.5] {
        let mut half = solid(square(1.0), x, 0.0);
        half.absent = true;
        world.bodies.push(half);
    }
    world.actions.push(action(0.5, 0, Effect::Split(vec![1, 2])));
    world
}

#[test]
fn a_split_keeps_momentum_angular_momentum_and_energy() {
    let world = casting();
    let mut bench = Bench::new(world.clone(), "", 1.0 / 64.0);
    let there = |frame: &ironspin_model::Frame| {
        let mut frame = frame.clone();
        let mut world = world.clone();
        for (body, state) in world.bodies.iter_mut().zip(&mut frame.bodies) {
            if state.pose.position.x.is_nan() {
                (body.mass, body.inertia) = (0.0, Inertia::ZERO);
                *state = ironspin_model::BodyState::planar(DVec3::ZERO, 0.0, DVec3::ZERO, 0.0);
            }
        }
        let (linear, angular, _) = momentum(&world, &frame);
        (linear, angular, energy(&world, &frame))
    };
    let before = there(&bench.frame);
    bench.seconds(1.0, |_| {});
    let after = there(&bench.frame);
    assert!(bench.position(0).is_nan() && bench.position(1).is_finite());
    assert!((before.0 - after.0).length() < 1e-12);
    assert!((before.1 - after.1).abs() < 1e-12 && (before.2 - after.2).abs() < 1e-12);
}

#[test]
fn a_restored_world_goes_on_to_the_bit() {
    let mut world = world(G, 0.5, 0.4);
    world.bodies.push(floor());
    for i in 0..12 {
        world.bodies.push(solid(square(0.7), 0.3 * f64::from(i % 3), 1.0 + f64::from(i)));
    }
    for options in ["", "solver=compliant", "sleep=on", "precision=f32"] {
        let mut bench = Bench::new(world.clone(), options, DT);
        bench.seconds(1.0, |_| {});
        let token = bench.engine.save().unwrap();
        bench.seconds(2.0, |_| {});
        let first = bench.frame.clone();
        bench.engine.restore(token).unwrap();
        bench.seconds(2.0, |_| {});
        assert!(bench.frame == first, "{options}: the restored world went another way");
        assert!(bench.engine.restore(ironspin_model::Token(9)).is_err());
    }
}

#[test]
fn rays_hit_the_nearest_solid_and_start_inside_at_distance_zero() {
    let mut world = world(0.0, 0.0, 0.0);
    let capsule = PlaneShape::Capsule { length: 1.0, radius: 0.25 };
    let triangle = PlaneShape::Polygon(vec![DVec2::new(-0.5, -0.5), DVec2::new(0.5, -0.5), DVec2::new(0.0, 0.5)]);
    world.bodies.push(fixed(PlaneShape::Disc(0.5), 3.0, 0.0));
    world.bodies.push(fixed(square(1.0), 6.0, 0.0));
    world.bodies.push(fixed(capsule, 9.0, 0.0));
    world.bodies.push(fixed(triangle, 12.0, 0.0));
    world.bodies.push(fixed(PlaneShape::Polyline(vec![DVec2::new(0.0, -1.0), DVec2::new(0.0, 1.0)]), 14.0, 0.0));
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::NEG_X), 16.0, 0.0));
    let mut sensor = fixed(square(1.0), 1.0, 0.0);
    sensor.parts[0].sensor = true;
    world.bodies.push(sensor);
    let mut bench = Bench::new(world, "", DT);
    let (from, to) = (DVec3::ZERO, DVec3::new(20.0, 0.0, 0.0));
    let hits = bench.engine.rays(from, to).unwrap();
    let reported: Vec<(usize, f64)> = hits.iter().map(|hit| (hit.body, hit.distance)).collect();
    for ((body, distance), (expected, at)) in
        reported.iter().zip([(0, 2.5), (1, 5.5), (2, 8.25), (3, 11.75), (4, 14.0), (5, 16.0)])
    {
        assert_eq!(*body, expected);
        assert!((distance - at).abs() < 1e-12, "{body}: {distance}");
    }
    assert_eq!(reported.len(), 6);
    assert_eq!(hits[0].normal, DVec3::NEG_X);
    let inside = bench.engine.ray(DVec3::new(6.1, 0.0, 0.0), to).unwrap().unwrap();
    assert_eq!((inside.body, inside.distance, inside.normal), (1, 0.0, DVec3::NEG_X));
    let missed = bench.engine.ray(DVec3::new(0.0, 5.0, 0.0), DVec3::new(10.0, 5.0, 0.0)).unwrap();
    assert_eq!(missed, None);
}
