//! Piles in space with the default settings at 1/60: how fast they come to rest, how still they stand, and how many passes that takes.
//!
//! `cargo bench -p ironspin-engine --bench piles` prints the table; `IRONSPIN_QUICK=NAME` prints the piles whose name has that in it.

#![allow(clippy::print_stdout)]

#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/space/yard.rs"]
mod space_yard;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use ironspin_model::{BodyKind, DQuat, DVec3, Frame, Hull, Pose, SpaceShape, World};
use space_yard::{cube, fixed, floor, solid, tower, turned, wall, world};
use std::sync::Arc;
use std::time::Instant;
use yard::Bench;

const DT: f64 = 1.0 / 60.0;
const G: f64 = 9.81;

fn main() {
    let wanted = std::env::var("IRONSPIN_QUICK").unwrap_or_default();
    let piles: [(&str, World, f64); 6] = [
        ("tower of 20", tower(20), 60.0),
        ("wall of 8 x 12", wall(8, 12), 60.0),
        ("pyramid on a base of 12", pyramid(12), 60.0),
        ("ring tower of 8 x 10", ring_tower(8, 10), 60.0),
        ("40 dominoes", dominoes(40), 20.0),
        ("heap of 500 mixed", heap(500), 20.0),
    ];
    println!(
        "| pile | bodies | rms speed after 10 s, of g dt | at the end | largest way from 10 s on, m | passes a step | ms a step |"
    );
    println!("|---|---|---|---|---|---|---|");
    for (name, world, seconds) in piles.into_iter().filter(|(name, ..)| name.contains(&wanted)) {
        row(name, &world, seconds);
    }
}

fn rms(world: &World, frame: &Frame) -> f64 {
    let moving = world.bodies.iter().zip(&frame.bodies).filter(|(body, _)| body.kind == BodyKind::Dynamic);
    let (sum, count) =
        moving.fold((0.0, 0.0), |(sum, count), (_, state)| (sum + state.velocity.length_squared(), count + 1.0));
    (sum / count).sqrt() / (G * DT)
}

fn row(name: &str, world: &World, seconds: f64) {
    let mut bench = Bench::new(world.clone(), "", DT);
    let mut settled: Option<Frame> = None;
    let mut worst: f64 = 0.0;
    let began = Instant::now();
    let steps = (seconds / DT) as u64;
    let mut step = 0;
    bench.run(steps, |frame| {
        step += 1;
        if f64::from(step) * DT >= 10.0 {
            worst = worst.max(rms(world, frame));
            settled.get_or_insert_with(|| frame.clone());
        }
    });
    let ms = began.elapsed().as_secs_f64() * 1e3 / steps as f64;
    let passes = bench.engine.work().1 as f64 / steps as f64;
    let frame = &bench.frame;
    let settled = settled.unwrap_or_default();
    let way = frame
        .bodies
        .iter()
        .zip(&settled.bodies)
        .map(|(a, b)| a.pose.position.distance(b.pose.position))
        .fold(0.0, f64::max);
    println!(
        "| {name} | {} | {worst:.1e} | {:.1e} | {way:.1e} | {passes:.1} | {ms:.2} |",
        world.bodies.len(),
        rms(world, frame)
    );
}

fn pyramid(base: usize) -> World {
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
fn ring_tower(bricks: usize, rings: usize) -> World {
    let mut world = world(G, 0.6, 0.0);
    world.bodies.push(floor());
    let radius = 1.05 * bricks as f64 / std::f64::consts::TAU;
    for ring in 0..rings {
        for brick in 0..bricks {
            let angle = std::f64::consts::TAU * (brick as f64 + 0.5 * (ring % 2) as f64) / bricks as f64;
            let at = DVec3::new(radius * angle.cos(), 0.25 + 0.5 * ring as f64, radius * angle.sin());
            let body = solid(SpaceShape::Box(DVec3::new(0.5, 0.5, 0.9)), at);
            world.bodies.push(turned(body, DQuat::from_rotation_y(-angle)));
        }
    }
    world
}

/// A row, the first of which is pushed.
fn dominoes(count: usize) -> World {
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
fn heap(count: usize) -> World {
    let mut seed = 88_172_645_463_325_252_u64;
    let mut roll = move || {
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        (seed >> 11) as f64 / (1_u64 << 53) as f64
    };
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
        world.bodies.push(ironspin_model::Body { pose: Pose { rotation: turn, ..body.pose }, ..body });
    }
    world
}
