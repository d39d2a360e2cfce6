//! Every shape of space at rest, rolling, tipping, and in free space.

use super::yard::{balance, fixed, solid, turned, world};
use crate::yard::Bench;
use ironspin_model::{Body, DQuat, DVec3, Hull, SpaceShape, TriangleMesh, World};
use std::f64::consts::FRAC_PI_2;
use std::sync::Arc;

fn hull(corners: &[DVec3]) -> SpaceShape {
    SpaceShape::Hull(Arc::new(Hull::new(corners).unwrap()))
}

fn corners_of_a_box(size: DVec3) -> Vec<DVec3> {
    let side = |k: usize, bit: usize| if k >> bit & 1 == 1 { 0.5 } else { -0.5 };
    (0..8).map(|k| size * DVec3::new(side(k, 0), side(k, 1), side(k, 2))).collect()
}

/// A hull of 256 corners, as round as that gives.
fn round_hull(radius: f64) -> SpaceShape {
    let corner = |k: u32| {
        let (turn, height) = (f64::from(k) * 2.399_963_229_728_653, 1.0 - (2.0 * f64::from(k) + 1.0) / 256.0);
        let ring = (1.0 - height * height).sqrt();
        radius * DVec3::new(ring * turn.cos(), height, ring * turn.sin())
    };
    hull(&(0..256).map(corner).collect::<Vec<_>>())
}

/// A level surface of squares, each of two triangles whose diagonals run to and fro.
fn deck(squares: i32, side: f64) -> SpaceShape {
    let count = 2 * squares + 1;
    let point = |i: i32, j: i32| DVec3::new(f64::from(i - squares) * side, 0.0, f64::from(j - squares) * side);
    let points = (0..count).flat_map(|i| (0..count).map(move |j| point(i, j))).collect();
    let number = |i: i32, j: i32| (i * count + j) as u32;
    let mut faces = Vec::new();
    for i in 0..count - 1 {
        for j in 0..count - 1 {
            let [a, b, c, d] = [number(i, j), number(i, j + 1), number(i + 1, j + 1), number(i + 1, j)];
            faces.extend(if (i + j) % 2 == 0 { [[a, b, c], [a, c, d]] } else { [[a, b, d], [b, c, d]] });
        }
    }
    SpaceShape::Mesh(Arc::new(TriangleMesh::new(points, faces).unwrap()))
}

/// Floors whose surface lies at height 0.
fn floors() -> Vec<(&'static str, Body)> {
    let plate = DVec3::new(20.0, 1.0, 20.0);
    let low = DVec3::new(0.0, -0.5, 0.0);
    vec![
        ("half space", fixed(SpaceShape::HalfSpace(DVec3::Y), DVec3::ZERO)),
        ("box", fixed(SpaceShape::Box(plate), low)),
        ("hull", fixed(hull(&corners_of_a_box(plate)), low)),
        ("mesh", fixed(deck(20, 0.37), DVec3::ZERO)),
    ]
}

/// Shapes with the turn in which they rest, and the height of their middle then.
fn resting() -> Vec<(&'static str, SpaceShape, DQuat, f64)> {
    let upright = DQuat::from_rotation_z(FRAC_PI_2);
    vec![
        ("sphere", SpaceShape::Sphere(0.5), DQuat::IDENTITY, 0.5),
        ("box", SpaceShape::Box(DVec3::new(1.0, 0.6, 0.8)), DQuat::from_rotation_y(0.3), 0.3),
        ("capsule", SpaceShape::Capsule { length: 1.0, radius: 0.25 }, DQuat::from_rotation_y(0.7), 0.25),
        ("lying cylinder", SpaceShape::Cylinder { length: 1.0, radius: 0.3 }, DQuat::from_rotation_y(0.7), 0.3),
        ("standing cylinder", SpaceShape::Cylinder { length: 1.0, radius: 0.3 }, upright, 0.5),
        ("hull", hull(&corners_of_a_box(DVec3::new(1.0, 0.6, 0.8))), DQuat::from_rotation_y(0.3), 0.3),
    ]
}

#[test]
fn every_shape_comes_to_rest_on_every_floor_where_it_belongs() {
    for (on, floor) in floors() {
        for (name, shape, rotation, height) in resting() {
            let mut world = world(9.81, 0.6, 0.0);
            world.bodies.push(floor.clone());
            world.bodies.push(turned(solid(shape, DVec3::new(0.11, height + 0.05, 0.07)), rotation));
            let mut bench = Bench::new(world, "", 1.0 / 60.0);
            bench.seconds(4.0, |_| {});
            let state = &bench.frame.bodies[1];
            let off = (state.pose.position - DVec3::new(0.11, height, 0.07)).length();
            assert!(off < 2e-3, "{name} on {on}: {off} from where it belongs");
            assert!(state.velocity.length() < 1e-4 && state.spin.length() < 1e-3, "{name} on {on}: {state:?}");
        }
    }
}

#[test]
fn a_hull_of_256_corners_rolls_to_rest_and_is_no_burden() {
    let mut world = world(9.81, 0.6, 0.0);
    world.bodies.push(floors().remove(0).1);
    world.bodies.push(Body { velocity: DVec3::X, ..solid(round_hull(0.5), DVec3::new(0.0, 0.55, 0.0)) });
    world.bodies.push(solid(round_hull(0.5), DVec3::new(1.5, 0.5, 0.1)));
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    let mut lowest = 1.0_f64;
    bench.seconds(10.0, |frame| lowest = frame.bodies[1..].iter().map(|b| b.pose.position.y).fold(lowest, f64::min));
    assert!(lowest > 0.47, "{lowest}");
    assert!(bench.frame.bodies[1].velocity.length() < 0.2, "{:?}", bench.frame.bodies[1]);
}

/// A floor with gravity tilted by an angle, along x.
fn slope(floor: Body, angle: f64, friction: f64) -> World {
    let mut world = world(9.81, friction, 0.0);
    world.gravity = 9.81 * DVec3::new(angle.sin(), -angle.cos(), 0.0);
    world.bodies.push(floor);
    world
}

#[test]
fn what_is_round_rolls_down_a_slope_as_the_cone_lets_it() {
    let across = DQuat::from_rotation_y(FRAC_PI_2);
    for (on, floor) in floors() {
        for (name, shape, share) in [
            ("sphere", SpaceShape::Sphere(0.25), 5.0 / 7.0),
            ("cylinder", SpaceShape::Cylinder { length: 0.8, radius: 0.25 }, 2.0 / 3.0),
        ] {
            let angle = 0.2_f64;
            let mut world = slope(floor.clone(), angle, 0.5);
            world.bodies.push(turned(solid(shape, DVec3::new(-4.0, 0.25, 0.05)), across));
            let mut bench = Bench::new(world, "", 1.0 / 240.0);
            bench.seconds(2.0, |_| {});
            let state = &bench.frame.bodies[1];
            let expected = share * 9.81 * angle.sin() * 2.0;
            let off = (state.velocity.x / expected - 1.0).abs();
            assert!(off < 1e-3, "{name} on {on}: {} and not {expected}", state.velocity.x);
            assert!(state.velocity.z.abs() < 1e-3 && state.velocity.y.abs() < 1e-3, "{name} on {on}: {state:?}");
        }
    }
}

/// A cylinder on its end falls over when the weight leaves its rim: tan a = 2 r / l, whatever the direction.
#[test]
fn a_standing_cylinder_tips_at_its_angle_in_every_direction() {
    let upright = DQuat::from_rotation_z(FRAC_PI_2);
    let (length, radius) = (1.0, 0.3);
    let limit = (2.0_f64 * radius / length).atan();
    for direction in [0.0, 0.3, FRAC_PI_2 / 2.0, 1.2, 2.9] {
        let tips = |angle: f64| {
            let mut world = slope(floors().remove(0).1, angle, 2.0);
            let down = DVec3::new(f64::cos(direction), 0.0, f64::sin(direction));
            world.gravity = 9.81 * (down * angle.sin() - DVec3::Y * angle.cos());
            let shape = SpaceShape::Cylinder { length, radius };
            world.bodies.push(turned(solid(shape, DVec3::new(0.0, 0.5, 0.0)), upright));
            let mut bench = Bench::new(world, "", 1.0 / 60.0);
            bench.seconds(6.0, |_| {});
            bench.frame.bodies[1].pose.position.y < 0.45
        };
        assert!(!tips(limit - 0.01) && tips(limit + 0.01), "{direction}");
    }
}

#[test]
fn edges_between_level_faces_trip_nothing_that_slides_or_rolls_over_them() {
    for (name, shape, height) in [
        ("sphere", SpaceShape::Sphere(0.2), 0.2),
        ("box", SpaceShape::Box(DVec3::new(0.5, 0.2, 0.3)), 0.1),
        ("hull", hull(&corners_of_a_box(DVec3::new(0.5, 0.2, 0.3))), 0.1),
        ("capsule", SpaceShape::Capsule { length: 0.5, radius: 0.1 }, 0.1),
        ("cylinder", SpaceShape::Cylinder { length: 0.5, radius: 0.1 }, 0.1),
    ] {
        let mut world = world(9.81, 0.0, 0.0);
        world.bodies.push(fixed(deck(20, 0.37), DVec3::ZERO));
        let velocity = DVec3::new(3.0, 0.0, 0.7);
        let body = Body { velocity, ..solid(shape, DVec3::new(-4.0, height, -1.0)) };
        world.bodies.push(turned(body, DQuat::from_rotation_y(0.4)));
        let mut bench = Bench::new(world, "", 1.0 / 60.0);
        bench.seconds(2.5, |frame| {
            let state = &frame.bodies[1];
            assert!((state.velocity - velocity).length() < 1e-6, "{name}: {state:?}");
            assert!((state.pose.position.y - height).abs() < 1e-3, "{name}: {state:?}");
        });
    }
}

#[test]
fn forty_bodies_of_all_shapes_keep_their_momenta_through_their_impacts() {
    let mut world = world(0.0, 0.5, 0.7);
    let mut seed = 5_u64;
    let mut random = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 11) as f64 / (1_u64 << 53) as f64 * 2.0 - 1.0
    };
    for k in 0..40 {
        let at = 1.4 * DVec3::new(f64::from(k % 4), f64::from(k / 4 % 4), f64::from(k / 16)) - DVec3::splat(2.0);
        let shapes = resting();
        let (_, shape, rotation, _) = shapes[k as usize % shapes.len()].clone();
        let body = turned(solid(shape, at), rotation);
        let velocity = DVec3::new(random(), random(), random()) - 0.6 * at;
        world.bodies.push(Body { velocity, spin: 2.0 * DVec3::new(random(), random(), random()), ..body });
    }
    let mut bench = Bench::new(world.clone(), "", 1.0 / 240.0);
    let (linear, angular, energy) = balance(&world, &bench.frame);
    let scale: f64 = world.bodies.iter().map(|body| body.mass * body.velocity.length()).sum();
    let mut touched = false;
    bench.seconds(5.0, |frame| touched |= !frame.contacts.is_empty());
    let after = balance(&world, &bench.frame);
    assert!(touched && after.2 < 0.9 * energy, "{} {energy}", after.2);
    assert!((after.0 - linear).length() < 1e-12 * scale, "{:e}", (after.0 - linear).length() / scale);
    assert!((after.1 - angular).length() < 1e-12 * scale, "{:e}", (after.1 - angular).length() / scale);
}
