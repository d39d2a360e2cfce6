//! Prints the part of docs/accuracy.md about rigid bodies in space: how far the built-in engine meets known answers there.
//!
//! `cargo run --release -p ironspin-engine --example accuracy_space`; takes some twenty minutes, most of it for the shots. With
//! `IRONSPIN_QUICK=WORD` only the sections whose name has that word in it.

#![allow(clippy::print_stdout)]

#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/space"]
mod space {
    pub(crate) mod worlds;
    pub(crate) mod yard;
}
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/worlds.rs"]
mod worlds;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use ironspin_model::{BodyKind, DQuat, DVec3, Frame, SpaceShape, World};
use space::worlds::{dominoes, gas_of, heap, incline, passed, pyramid, ring_tower};
use space::yard::{balance, solid, tower, turned, wall};
use std::f64::consts::TAU;
use std::time::Instant;
use worlds::G;
use yard::Bench;

const DT: f64 = 1.0 / 60.0;

fn main() {
    let wanted = std::env::var("IRONSPIN_QUICK").unwrap_or_default();
    let sections: [(&str, fn()); 5] =
        [("piles", piles), ("friction", friction), ("rolling", rolling), ("gas", gas), ("shots", shots)];
    println!("## Rigid bodies in space\n");
    println!(
        "Made by `cargo run --release -p ironspin-engine --example accuracy_space`, with the default settings unless said otherwise.\n"
    );
    for (_, section) in sections.into_iter().filter(|(name, _)| name.contains(&wanted)) {
        section();
        println!();
    }
}

fn piles() {
    let piles: [(&str, World, f64); 6] = [
        ("tower of 20", tower(20), 60.0),
        ("wall of 8 x 12", wall(8, 12), 60.0),
        ("pyramid on a base of 12 x 12", pyramid(12), 60.0),
        ("ring tower of 8 x 10", ring_tower(8, 10), 60.0),
        ("40 dominoes, the first pushed", dominoes(40), 20.0),
        ("heap of 500 mixed shapes in a pit", heap(500), 20.0),
    ];
    println!(
        "Piles at dt 1/60, without sleeping. Bound: rms speed below 1e-2 of g dt from 10 s on (heap: at the end).\n"
    );
    println!(
        "| pile | bodies | rms speed from 10 s on, of g dt | at the end | largest way from 10 s on, m | passes a step | ms a step |"
    );
    println!("|---|---|---|---|---|---|---|");
    for (name, world, seconds) in piles {
        row(name, &world, seconds);
    }
}

/// Slopes at which a box slips, and the way on which one that slides comes to rest, in 64 directions.
fn friction() {
    const DIRECTIONS: u32 = 64;
    println!("A box on a leaning floor at dt 1/240, in 64 directions. Bound: 0.1 %.\n");
    println!(
        "| friction | slope at which it slips, least | largest | way of a slide from 3 m/s, least, m | largest | mu^-1 v^2 / 2 g |"
    );
    println!("|---|---|---|---|---|---|");
    for mu in [0.2_f64, 0.5, 0.9] {
        let (mut slopes, mut ways) = (Vec::new(), Vec::new());
        for direction in (0..DIRECTIONS).map(|k| f64::from(k) * TAU / f64::from(DIRECTIONS)) {
            let slips = |slope: f64| {
                let mut bench = Bench::new(incline(mu, slope.atan(), direction), "", 1.0 / 240.0);
                bench.seconds(2.0, |_| {});
                bench.frame.bodies[1].velocity.length() > 1e-4
            };
            let (mut low, mut high) = (0.9 * mu, 1.1 * mu);
            for _ in 0..12 {
                let middle = 0.5 * (low + high);
                if slips(middle) { high = middle } else { low = middle }
            }
            slopes.push(0.5 * (low + high));
            let mut flat = incline(mu, 0.0, direction);
            flat.bodies[1].velocity = 3.0 * DVec3::new(direction.cos(), 0.0, direction.sin());
            let start = flat.bodies[1].pose.position;
            let mut bench = Bench::new(flat, "", 1.0 / 240.0);
            bench.seconds(3.0 / (mu * G) + 0.5, |_| {});
            ways.push((bench.frame.bodies[1].pose.position - start).length());
        }
        let ends = |list: &[f64]| {
            list.iter().fold((f64::INFINITY, 0.0), |(low, high): (f64, f64), &x| (low.min(x), high.max(x)))
        };
        let (slope, way) = (ends(&slopes), ends(&ways));
        println!("| {mu} | {:.6} | {:.6} | {:.6} | {:.6} | {:.6} |", slope.0, slope.1, way.0, way.1, 4.5 / (mu * G));
    }
}

/// Balls and cylinders that roll down a slope.
fn rolling() {
    println!("What rolls down a slope of 20 degrees with friction 0.5 for 2 s at dt 1/240. Bound: 0.1 %.\n");
    println!("| body | way, m | by the law, m | off by |\n|---|---|---|---|");
    let slope = 20_f64.to_radians();
    let radius = 0.3;
    let across = DQuat::from_rotation_y(0.25 * TAU);
    for (name, shape, rotation, inertia) in [
        ("ball", SpaceShape::Sphere(radius), DQuat::IDENTITY, 0.4),
        ("cylinder", SpaceShape::Cylinder { length: 0.5, radius }, across, 0.5),
    ] {
        let mut world = incline(0.5, slope, 0.0);
        world.bodies[1] = turned(solid(shape, DVec3::new(0.0, radius, 0.0)), rotation);
        let mut bench = Bench::new(world, "", 1.0 / 240.0);
        bench.seconds(2.0, |_| {});
        let (way, due) = (bench.frame.bodies[1].pose.position.x, 2.0 * G * slope.sin() / (1.0 + inertia));
        println!("| {name} | {way:.6} | {due:.6} | {:.4} % |", 100.0 * (way / due - 1.0).abs());
    }
}

/// Elastic balls in a closed box.
fn gas() {
    println!("200 elastic balls in a closed box without gravity for 60 s at dt 1/60. Bound: 1e-6 of the energy.\n");
    println!("| options | largest change of energy | impacts seen |\n|---|---|---|");
    for options in ["", "swept=all"] {
        let world = gas_of(200);
        let mut bench = Bench::new(world.clone(), options, DT);
        let before = balance(&world, &bench.frame).2;
        let (mut worst, mut impacts) = (0.0_f64, 0);
        bench.seconds(60.0, |frame| {
            worst = worst.max((balance(&world, frame).2 / before - 1.0).abs());
            impacts += frame.contacts.len();
        });
        let name = if options.is_empty() { "default".to_owned() } else { format!("`{options}`") };
        println!("| {name} | {worst:.1e} | {impacts} |");
    }
}

fn shots() {
    println!(
        "Spheres, boxes, capsules, cylinders and hulls at 3 m/s to 10 km/s, turning at up to 170 rad/s, against plates of 1 mm to 0.3 m that rest, move or turn, and meshes, at dt 1/30.\n"
    );
    println!("| swept | shots | passed |\n|---|---|---|");
    for (options, shots) in [("swept=all", 100_000), ("swept=off", 2000)] {
        let through = passed(shots, options);
        println!("| `{options}` | {shots} | {} |", through.len());
        if options == "swept=all" && !through.is_empty() {
            println!("\nWhich passed, by number: {through:?}\n");
        }
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
