//! Worlds of space that tests and the table of accuracy share.

use super::yard::{cube, fixed, floor, solid, turned, world};
use crate::worlds::G;
use crate::yard::Bench;
use ironspin_model::{Body, BodyKind, DQuat, DVec3, Hull, Pose, SpaceShape, TriangleMesh, World, solid_mass};
use std::f64::consts::TAU;
use std::sync::Arc;

/// A box on a floor under gravity that leans by an angle towards a direction.
pub(crate) fn incline(friction: f64, slope: f64, direction: f64) -> World {
    let mut world = world(G, friction, 0.0);
    let lean = DVec3::new(direction.cos(), 0.0, direction.sin());
    world.gravity = (lean * slope.sin() - DVec3::Y * slope.cos()) * G;
    world.bodies.push(floor());
    world.bodies.push(solid(SpaceShape::Box(DVec3::new(1.0, 0.3, 0.7)), DVec3::new(0.0, 0.15, 0.0)));
    world
}

/// Elastic balls in a closed box without gravity.
pub(crate) fn gas_of(count: usize) -> World {
    let mut world = world(0.0, 0.0, 1.0);
    for (normal, at) in [DVec3::X, DVec3::Y, DVec3::Z].into_iter().flat_map(|axis| [(axis, -3.0), (-axis, 3.0)]) {
        world.bodies.push(fixed(SpaceShape::HalfSpace(normal), normal.abs() * at));
    }
    let mut roll = dice();
    for i in 0..count {
        let place = |index: usize| -2.4 + 0.8 * index as f64;
        let at = DVec3::new(place(i % 7), place(i / 7 % 7), place(i / 49));
        let ball = solid(SpaceShape::Sphere(0.2), at);
        let velocity = 4.0 * (DVec3::new(roll(), roll(), roll()) - DVec3::splat(0.5));
        world.bodies.push(Body { velocity, ..ball });
    }
    world
}

/// Numbers from 0 to 1 that look like chance and are the same everywhere.
pub(crate) fn dice() -> impl FnMut() -> f64 {
    let mut seed = 88_172_645_463_325_252_u64;
    move || {
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        (seed >> 11) as f64 / (1_u64 << 53) as f64
    }
}

pub(crate) fn pyramid(base: usize) -> World {
    let mut world = world(G, 0.6, 0.0);
    world.bodies.push(floor());
    for layer in 0..base {
        for (i, k) in (0..base - layer).flat_map(|i| (0..base - layer).map(move |k| (i, k))) {
            let at = |index: usize| 1.02 * (index as f64 + 0.5 * layer as f64);
            world.bodies.push(solid(cube(1.0), DVec3::new(at(i), 0.5 + layer as f64, at(k))));
        }
    }
    world
}

/// Bricks in rings, every other ring turned by half a brick.
pub(crate) fn ring_tower(bricks: usize, rings: usize) -> World {
    let mut world = world(G, 0.6, 0.0);
    world.bodies.push(floor());
    let radius = 1.05 * bricks as f64 / TAU;
    for ring in 0..rings {
        for brick in 0..bricks {
            let angle = TAU * (brick as f64 + 0.5 * (ring % 2) as f64) / bricks as f64;
            let at = DVec3::new(radius * angle.cos(), 0.25 + 0.5 * ring as f64, radius * angle.sin());
            let body = solid(SpaceShape::Box(DVec3::new(0.5, 0.5, 0.9)), at);
            world.bodies.push(turned(body, DQuat::from_rotation_y(-angle)));
        }
    }
    world
}

/// A row, the first of which is pushed.
pub(crate) fn dominoes(count: usize) -> World {
    let mut world = world(G, 0.4, 0.0);
    world.bodies.push(floor());
    for i in 0..count {
        world.bodies.push(solid(SpaceShape::Box(DVec3::new(0.1, 1.0, 0.5)), DVec3::new(0.45 * i as f64, 0.5, 0.0)));
    }
    world.bodies[1].spin = DVec3::new(0.0, 0.0, -2.5);
    world.bodies[1].velocity = DVec3::new(1.25, 0.0, 0.0);
    world
}

/// Boxes, balls, capsules, cylinders and hulls thrown into a pit.
pub(crate) fn heap(count: usize) -> World {
    let mut roll = dice();
    let wedge: Vec<DVec3> = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [0, 1, 1]]
        .iter()
        .map(|&[x, y, z]| DVec3::new(f64::from(x) * 0.8 - 0.27, f64::from(y) * 0.7 - 0.23, f64::from(z) * 0.6 - 0.3))
        .collect();
    let wedge = Arc::new(Hull::new(&wedge).expect("a hull"));
    let mut world = world(G, 0.5, 0.0);
    world.bodies.push(floor());
    let columns = 7;
    let half = 0.55 * columns as f64;
    for (normal, at) in [(DVec3::X, -half), (-DVec3::X, half), (DVec3::Z, -half), (-DVec3::Z, half)] {
        world.bodies.push(fixed(SpaceShape::HalfSpace(normal), normal.abs() * at));
    }
    for i in 0..count {
        let shape = match i % 5 {
            0 => cube(0.6),
            1 => SpaceShape::Sphere(0.35),
            2 => SpaceShape::Capsule { length: 0.4, radius: 0.2 },
            3 => SpaceShape::Cylinder { length: 0.5, radius: 0.3 },
            _ => SpaceShape::Hull(Arc::clone(&wedge)),
        };
        let (column, row, layer) = (i % columns, i / columns % columns, i / (columns * columns));
        let place = |index: usize| 1.1 * (index as f64 + 0.5) - half;
        let at = DVec3::new(place(column), 0.7 + 1.1 * layer as f64, place(row));
        let turn = DQuat::from_scaled_axis(DVec3::new(roll(), roll(), roll()) * 2.0);
        let body = solid(shape, at);
        world.bodies.push(Body { pose: Pose { rotation: turn, ..body.pose }, ..body });
    }
    world
}

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
            let hull = Hull::new(&corners).unwrap();
            // About its centre of mass: a body is where that is, and it lies within it.
            let centre = solid_mass(&SpaceShape::Hull(Arc::new(hull.clone())), 1.0).unwrap().centre;
            SpaceShape::Hull(Arc::new(hull.carried(&|corner| corner - centre)))
        }
    }
}

/// A wall 40 m wide across x: a plate, one that goes or turns, or a mesh of four faces.
fn barrier(chance: &mut Chance, kind: u32) -> Body {
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

/// Which of some random shots come out on the far side.
pub(crate) fn passed(shots: u32, options: &str) -> Vec<u32> {
    let mut chance = Chance(27);
    let mut passed = Vec::new();
    for shot in 0..shots {
        let mut world = world(9.81, 0.3, chance.number(0.0, 1.0));
        let shape = projectile(&mut chance, shot);
        world.bodies.push(barrier(&mut chance, shot / 5));
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
        if !(beyond.x < 0.0) {
            passed.push(shot);
        }
    }
    passed
}
