//! Sensors, rays, sleep, and bodies that come, go and split, in space.

use super::yard::{cube, fixed, floor, solid, tower, world};
use crate::worlds::rest;
use crate::yard::Bench;
use ironspin_model::{Body, BodyKind, DVec3, Engine, Hull, Part, SensorEventKind, SpaceShape, TriangleMesh};
use std::sync::Arc;

fn eye(shape: SpaceShape) -> Body {
    let mut eye = fixed(shape, DVec3::ZERO);
    eye.parts[0].sensor = true;
    eye
}

#[test]
fn a_sensor_notices_what_comes_goes_and_flies_through_within_a_step() {
    for shape in [cube(0.2), SpaceShape::Sphere(0.1), SpaceShape::Cylinder { length: 0.2, radius: 0.1 }] {
        for speed in [1.0, 1000.0] {
            let mut world = world(0.0, 0.0, 0.0);
            world.bodies.push(eye(shape.clone()));
            let start = DVec3::new(-0.4, 0.02, 0.01);
            world.bodies.push(Body { velocity: speed * DVec3::X, ..solid(SpaceShape::Sphere(0.05), start) });
            world.bodies.push(Body { velocity: speed * DVec3::X, ..solid(SpaceShape::Sphere(0.05), start + DVec3::Y) });
            let mut bench = Bench::new(world, "", 1.0 / 60.0);
            let mut noticed = Vec::new();
            bench.seconds(1.0, |frame| noticed.extend(frame.events.iter().map(|e| (e.kind, e.sensor, e.other))));
            let expected = [SensorEventKind::Enter, SensorEventKind::Leave].map(|kind| (kind, [0, 0], [1, 0]));
            assert_eq!(noticed, expected, "{shape:?} at {speed}");
        }
    }
}

#[test]
fn a_ray_meets_every_shape_where_its_surface_is() {
    let corners: Vec<DVec3> = (0..8)
        .map(|k| DVec3::new(f64::from(k & 1) - 0.5, f64::from(k >> 1 & 1) - 0.5, f64::from(k >> 2) - 0.5))
        .collect();
    let square = TriangleMesh::new(corners.clone(), vec![[0, 2, 6], [0, 6, 4]]).unwrap();
    let shapes = [
        (SpaceShape::Sphere(0.5), -0.5),
        (cube(1.0), -0.5),
        (SpaceShape::Capsule { length: 1.0, radius: 0.25 }, -0.75),
        (SpaceShape::Cylinder { length: 1.0, radius: 0.25 }, -0.5),
        (SpaceShape::Hull(Arc::new(Hull::new(&corners).unwrap())), -0.5),
        (SpaceShape::Mesh(Arc::new(square)), -0.5),
        (SpaceShape::HalfSpace(-DVec3::X), 0.0),
    ];
    for (shape, along) in shapes {
        let mut world = world(0.0, 0.0, 0.0);
        world.bodies.push(fixed(shape.clone(), DVec3::new(3.0, 1.0, 2.0)));
        let mut bench = Bench::new(world, "", 1.0 / 60.0);
        let from = DVec3::new(-1.0, 1.0, 2.0);
        let hit = bench.engine.ray(from, from + 10.0 * DVec3::X).unwrap().expect("a hit");
        assert!((hit.distance - (4.0 + along)).abs() < 1e-12, "{shape:?} {hit:?}");
        assert!((hit.normal + DVec3::X).length() < 1e-12, "{shape:?} {hit:?}");
        let from_within = bench.engine.ray(DVec3::new(3.1, 1.0, 2.0), DVec3::new(3.2, 1.0, 2.0)).unwrap();
        // A surface has no inside.
        assert_eq!(from_within.is_none(), matches!(shape, SpaceShape::Mesh(_)), "{shape:?}");
        assert!(from_within.is_none_or(|hit| hit.distance == 0.0), "{shape:?}");
        assert_eq!(bench.engine.ray(from, from + 2.0 * DVec3::X).unwrap(), None, "{shape:?}");
    }
}

#[test]
fn a_tower_sleeps_and_wakes_when_it_is_hit() {
    let (rms, creep) = rest(tower(5), "sleep=on", 10.0, 5.0);
    assert_eq!((rms, creep), (0.0, 0.0));
    let mut world = tower(3);
    let ball = SpaceShape::Sphere(0.4);
    world.bodies.push(Body { velocity: -6.0 * DVec3::X, ..solid(ball, DVec3::new(14.0, 2.5, 0.0)) });
    world.bodies[4].gravity_factor = 0.0;
    let mut bench = Bench::new(world, "sleep=on", 1.0 / 60.0);
    let mut was_still = false;
    bench
        .seconds(6.0, |frame| was_still |= frame.bodies[3].velocity == DVec3::ZERO && frame.bodies[4].velocity.x < 0.0);
    assert!(was_still && bench.frame.bodies[3].pose.position.x < -0.1, "{:?}", bench.frame.bodies[3]);
}

#[test]
fn a_turning_table_carries_what_stands_on_it() {
    let mut world = world(9.81, 0.8, 0.0);
    let table = fixed(SpaceShape::Cylinder { length: 0.2, radius: 2.0 }, DVec3::new(0.0, -0.1, 0.0));
    let upright = ironspin_model::DQuat::from_rotation_z(std::f64::consts::FRAC_PI_2);
    let mut table = super::yard::turned(table, upright);
    (table.kind, table.spin) = (BodyKind::Kinematic, 0.5 * DVec3::Y);
    world.bodies.push(table);
    let spin = 0.5 * DVec3::Y;
    let at = DVec3::new(1.0, 0.2, 0.0);
    world.bodies.push(Body { velocity: spin.cross(at), spin, ..solid(cube(0.4), at) });
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    bench.seconds(4.0, |_| {});
    let due = ironspin_model::DQuat::from_rotation_y(2.0) * at;
    let off = (bench.frame.bodies[1].pose.position - due).length();
    assert!(off < 0.01, "{off}");
}

#[test]
fn parts_of_one_body_that_are_sensors_push_nothing() {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    let mut body = solid(cube(0.5), DVec3::new(0.0, 0.25, 0.0));
    body.parts.push(Part { sensor: true, ..Part::solid(SpaceShape::Sphere(2.0), 0) });
    world.bodies.push(body);
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    bench.seconds(1.0, |_| {});
    assert!((bench.frame.bodies[1].pose.position.y - 0.25).abs() < 1e-3);
}
