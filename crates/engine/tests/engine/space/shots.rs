//! Fast bodies against thin ones: none may pass that is swept.

use super::yard::{balance, cube, fixed, floor, solid, turned, world};
use crate::yard::Bench;
use ironspin_model::{Body, BodyKind, DQuat, DVec3, Hull, SpaceShape, TriangleMesh};
use std::sync::Arc;

/// Numbers that look like chance and are the same everywhere.
struct Chance(u64);

impl Chance {
    fn number(&mut self, from: f64, to: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        from + (to - from) * (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }

    fn vector(&mut self) -> DVec3 {
        DVec3::new(self.number(-1.0, 1.0), self.number(-1.0, 1.0), self.number(-1.0, 1.0))
    }
}

fn projectile(chance: &mut Chance, kind: u32) -> SpaceShape {
    match kind % 5 {
        0 => SpaceShape::Sphere(chance.number(0.005, 0.2)),
        1 => SpaceShape::Box(DVec3::new(chance.number(0.01, 0.3), chance.number(0.01, 0.3), chance.number(0.01, 0.3))),
        2 => SpaceShape::Capsule { length: chance.number(0.01, 0.4), radius: chance.number(0.005, 0.1) },
        3 => SpaceShape::Cylinder { length: chance.number(0.01, 0.4), radius: chance.number(0.005, 0.1) },
        _ => {
            let corners: Vec<DVec3> = (0..12).map(|_| 0.1 * chance.vector()).collect();
            SpaceShape::Hull(Arc::new(Hull::new(&corners).unwrap()))
        }
    }
}

/// A wall 40 m wide across x: a plate, one that goes or turns, or a mesh of four faces.
fn wall(chance: &mut Chance, kind: u32) -> Body {
    let thickness = 10.0_f64.powf(chance.number(-3.0, -0.5));
    let plate = |kind, velocity, spin| Body {
        kind,
        velocity,
        spin,
        ..fixed(SpaceShape::Box(DVec3::new(thickness, 40.0, 40.0)), DVec3::ZERO)
    };
    match kind % 4 {
        0 => plate(BodyKind::Static, DVec3::ZERO, DVec3::ZERO),
        1 => plate(BodyKind::Kinematic, DVec3::new(chance.number(-20.0, 20.0), 1.0, 0.0), DVec3::ZERO),
        2 => plate(BodyKind::Kinematic, DVec3::ZERO, DVec3::new(chance.number(-3.0, 3.0), 0.0, 0.0)),
        _ => {
            let point = |k: u32| DVec3::new(0.0, 20.0 * f64::from(k & 1) * 2.0 - 20.0, 40.0 * f64::from(k >> 1) - 20.0);
            let mut points: Vec<DVec3> = (0..4).map(point).collect();
            points.push(0.3 * DVec3::Y);
            let faces = vec![[0, 1, 4], [1, 3, 4], [3, 2, 4], [2, 0, 4]];
            fixed(SpaceShape::Mesh(Arc::new(TriangleMesh::new(points, faces).unwrap())), DVec3::ZERO)
        }
    }
}

/// How many of some random shots come out on the far side.
pub(crate) fn passed(shots: u32, options: &str) -> u32 {
    let mut chance = Chance(27);
    let mut passed = 0;
    for shot in 0..shots {
        let mut world = world(9.81, 0.3, chance.number(0.0, 1.0));
        let shape = projectile(&mut chance, shot);
        world.bodies.push(wall(&mut chance, shot / 5));
        let speed = 10.0_f64.powf(chance.number(0.5, 4.0));
        let (a, b) = (chance.number(-3.0, 3.0), chance.number(-3.0, 3.0));
        let dt = 1.0 / 30.0;
        // It starts at least its own size and the wall's way before the wall, and comes to it within a few steps.
        let away = 1.5 + chance.number(0.0, 1.0) * speed * dt;
        let direction = (DVec3::X + 0.3 * chance.vector()).normalize();
        let start = DVec3::new(0.0, a, b) - direction * (away / direction.x);
        let rotation = DQuat::from_scaled_axis(3.0 * chance.vector());
        let body = turned(solid(shape, start), rotation);
        world.bodies.push(Body { velocity: direction * speed, spin: 100.0 * chance.vector(), ..body });
        let mut bench = Bench::new(world, options, dt);
        bench.run(4, |_| {});
        let (wall, body) = (&bench.frame.bodies[0].pose, &bench.frame.bodies[1].pose);
        let beyond = wall.rotation.conjugate() * (body.position - wall.position);
        passed += u32::from(!(beyond.x < 0.0));
    }
    passed
}

#[test]
fn no_swept_shot_passes_and_without_sweeping_most_do() {
    assert_eq!(passed(1000, "swept=all"), 0);
    assert!(passed(300, "swept=off") > 100);
}

#[test]
fn a_ball_thrown_to_and_fro_between_plates_keeps_its_energy() {
    let mut world = world(0.0, 0.0, 1.0);
    for side in [-1.0, 1.0] {
        world.bodies.push(fixed(SpaceShape::Box(DVec3::new(0.002, 4.0, 4.0)), DVec3::new(side, 0.0, 0.0)));
    }
    let ball = solid(SpaceShape::Sphere(0.05), DVec3::new(0.3, 0.0, 0.0));
    world.bodies.push(Body { velocity: DVec3::new(700.0, 0.0, 0.0), ccd: true, ..ball });
    let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
    let before = balance(&world, &bench.frame).2;
    let mut impacts = 0;
    bench.seconds(2.0, |frame| {
        impacts += frame.contacts.len();
        assert!(frame.bodies[2].pose.position.x.abs() < 0.951);
        assert!((balance(&world, frame).2 / before - 1.0).abs() < 1e-12);
    });
    assert!((impacts as f64 - 1400.0 / 1.9).abs() < 4.0, "{impacts}");
}

#[test]
fn a_swept_tower_stands_and_a_swept_ball_bounces_to_its_height() {
    let mut world = super::yard::tower(4);
    world.bodies.push(solid(cube(0.3), DVec3::new(3.0, 0.15, 0.0)));
    let (rms, creep) = crate::worlds::rest(world, "swept=all", 20.0, 10.0);
    assert!(rms < 1e-3 && creep < 1e-6, "{rms} {creep}");
    for dt in [1.0 / 30.0, 1.0 / 60.0] {
        let mut world = super::yard::world(9.81, 0.0, 1.0);
        world.bodies.extend([floor(), solid(SpaceShape::Sphere(0.25), DVec3::new(0.0, 2.25, 0.0))]);
        let mut bench = Bench::new(world.clone(), "swept=all", dt);
        let before = balance(&world, &bench.frame).2;
        let mut worst = 0.0_f64;
        bench.seconds(20.0, |frame| worst = worst.max((balance(&world, frame).2 / before - 1.0).abs()));
        assert!(worst < 1e-5, "dt {dt}: {worst:e}");
    }
}
