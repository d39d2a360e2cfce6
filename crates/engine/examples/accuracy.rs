//! Prints docs/accuracy.md: how far the built-in engine meets known answers.
//!
//! `cargo run --release -p ironspin-engine --example accuracy > docs/accuracy.md`; takes about two minutes.

#![allow(clippy::print_stdout)]

#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/worlds.rs"]
mod worlds;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use ironspin_model::{DVec2, Engine, PlaneShape, World};
use std::time::Instant;
use worlds::{
    Dice, G, bar_pendulum, blocks, gas, heap, integration_error, passed, period, pyramid, range, rest, slid,
    spaced_range, stack, swarm,
};
use yard::{Bench, energy, momentum};

fn main() {
    println!("# Accuracy of the built-in engine\n");
    println!(
        "Made by `cargo run --release -p ironspin-engine --example accuracy` and, from \"Against values computed independently\" on,\n`cargo run --release -p ironspin-lab --example oracles`, one after the other into this file. The worlds are those of the"
    );
    println!("engine's tests, which hold the bounds.\n");
    piles();
    counts();
    elastic();
    shots();
    friction_and_joints();
    orders();
    broad_phases();
    single_precision();
    settings();
}

/// What single precision keeps of the above.
fn single_precision() {
    println!("## Single precision\n");
    println!(
        "`precision=f32` carries 7 digits where the default carries 16: its limits are its own, and what it is held to by tests.\n"
    );
    println!("A coordinate of 500 m is known to 0.03 mm: a plate of a millimetre may be missed there.\n");
    println!("| what | found | limit |\n|---|---|---|");
    let (rms, creep) = rest(stack(10), "precision=f32", 30.0, 10.0);
    println!("| stack of 10 boxes, 1/60: rms / (g dt) after 10 s | {rms:.1e} | 2e-3 |");
    println!("| the same, creep, edges/s | {creep:.1e} | 1e-5 |");
    let mut bench = Bench::new(gas(100, 10.0), "precision=f32", 1.0 / 60.0);
    let (before, world) = (bench.energy(), bench.world.clone());
    let mut worst = 0.0_f64;
    bench.seconds(60.0, |frame| worst = worst.max((energy(&world, frame) / before - 1.0).abs()));
    println!("| 100 elastic discs, 60 s: relative change of energy | {worst:.1e} | 1e-3 |");
    let [linear, angular] = momenta("precision=f32");
    println!("| 40 bodies in free space, 5 s: linear momentum | {linear:.1e} | 1e-5 |");
    println!("| the same, angular momentum | {angular:.1e} | 1e-4 |");
    let mut dice = Dice(2026);
    let through: usize = (0..100).map(|_| passed(spaced_range(&mut dice, 12, 100.0), "swept=all,precision=f32")).sum();
    println!("| 1,200 random shots within 1.5 km of the origin, `swept=all`: passed | {through} | 12 |");
    for ratio in [1e2, 1e4] {
        println!(
            "| two blocks and a wall, ratio {ratio:.0e}, 1/240: collisions | {} | as exact |",
            count(ratio, "precision=f32", 1.0 / 240.0)
        );
    }
    println!();
}

fn piles() {
    println!("## Piles at dt 1/60, without sleeping\n");
    println!("Largest rms speed after 10 s, as a share of one step of gravity, and largest creep in edges a second.\n");
    println!("| world | seconds | rms / (g dt) | bound | creep, edges/s | bound |\n|---|---|---|---|---|---|");
    let mut heavy = stack(2);
    heavy.bodies[2].mass *= 1000.0;
    heavy.bodies[2].inertia.0 *= 1000.0;
    for (name, world, seconds) in [
        ("stack of 20 boxes", stack(20), 60.0),
        ("pyramid of base 20", pyramid(20), 60.0),
        ("1000 : 1, the heavy one on top", heavy, 60.0),
    ] {
        let (rms, creep) = rest(world, "", seconds, 10.0);
        println!("| {name} | {seconds} | {rms:.1e} | 1e-3 | {creep:.1e} | 1e-6 |");
    }
    println!();
}

fn count(ratio: f64, options: &str, dt: f64) -> u64 {
    let mut bench = Bench::new(blocks(ratio), options, dt);
    let mut found = 0;
    bench.seconds(20.0, |frame| {
        let mut last = None;
        for contact in frame.contacts.iter().filter(|contact| contact.impulse > 0.0) {
            // Two points of one face are one impact.
            if contact.times.is_some_and(|times| times > 1) || last != Some(contact.bodies) {
                found += contact.times.unwrap_or(1);
            }
            last = Some(contact.bodies);
        }
    });
    found
}

fn counts() {
    println!("## Two blocks and a wall\n");
    println!("Collisions for a mass ratio; the exact number is ceil(pi / atan(sqrt(1 / ratio))) - 1.\n");
    println!("| ratio | exact | solver=event, dt 1/60 | default, dt 1/240 |\n|---|---|---|---|");
    for (ratio, exact) in [(1e2, 31), (1e4, 314), (1e6, 3141), (1e10, 314_159), (1e14, 31_415_926_u64)] {
        let swept = if ratio <= 1e6 { count(ratio, "", 1.0 / 240.0).to_string() } else { "-".to_owned() };
        println!("| {ratio:.0e} | {exact} | {} | {swept} |", count(ratio, "solver=event", 1.0 / 60.0));
    }
    println!();
}

fn elastic() {
    println!("## Elastic impacts\n");
    println!(
        "A hundred elastic discs in a box without gravity for 60 s at dt 1/60: largest relative change of energy. Forty bodies of all"
    );
    println!(
        "shapes that meet in free space, with friction and restitution 0.7, for 5 s: largest relative change of momenta.\n"
    );
    println!("| options | energy | linear momentum | angular momentum |\n|---|---|---|---|");
    for options in ["", "solver=event", "swept=all", "solver=compliant", "solver=position"] {
        let mut bench = Bench::new(gas(100, 10.0), options, 1.0 / 60.0);
        let (before, world) = (bench.energy(), bench.world.clone());
        let mut worst = 0.0_f64;
        bench.seconds(60.0, |frame| worst = worst.max((energy(&world, frame) / before - 1.0).abs()));
        let reported = if options == "solver=event" {
            ["-".to_owned(), "-".to_owned()]
        } else {
            momenta(options).map(|v| format!("{v:.1e}"))
        };
        println!("| {} | {worst:.1e} | {} | {} |", named(options), reported[0], reported[1]);
    }
    println!("\nBounds: energy 1e-3 with the default and 1e-10 with `event`; momenta 1e-12 with the default.\n");
}

fn named(options: &str) -> String {
    if options.is_empty() { "default".to_owned() } else { format!("`{options}`") }
}

fn momenta(options: &str) -> [f64; 2] {
    let mut bench = Bench::new(swarm(), options, 1.0 / 60.0);
    let (linear, angular, _) = momentum(&bench.world, &bench.frame);
    let world = bench.world.clone();
    let mut worst = [0.0_f64; 2];
    bench.seconds(5.0, |frame| {
        let (l, a, size) = momentum(&world, frame);
        worst = [worst[0].max((l - linear).length() / size[0]), worst[1].max((a - angular).abs() / size[1])];
    });
    worst
}

fn shots() {
    println!("## Random shots at dt 1/30\n");
    println!(
        "Discs, boxes, capsules and triangles at 3 m/s to 10 km/s against plates of 1 mm to 0.3 m that rest, move or turn.\n"
    );
    println!("| swept | shots | passed |\n|---|---|---|");
    for (options, batches) in [("swept=all", 1000), ("swept=off", 20)] {
        let mut dice = Dice(2026);
        let through: usize = (0..batches).map(|_| passed(range(&mut dice, 100), options)).sum();
        println!("| `{options}` | {} | {through} |", 100 * batches);
    }
    println!();
}

/// The steepest slope on which a block still holds, found by halving.
fn threshold(friction: f64) -> f64 {
    let block = || PlaneShape::Box(DVec2::new(1.0, 0.5));
    let (mut holds, mut slips) = (0.0, 1.4);
    for _ in 0..16 {
        let middle = 0.5 * (holds + slips);
        if slid(middle, friction, block(), 0.25, "", 3.0) < 1e-3 { holds = middle } else { slips = middle }
    }
    f64::tan(holds)
}

fn friction_and_joints() {
    println!("## Friction and joints at dt 1/240\n");
    println!("| what | found | exact | off by | bound |\n|---|---|---|---|---|");
    let row = |what: &str, found: f64, exact: f64, bound: &str| {
        println!("| {what} | {found:.6} | {exact:.6} | {:.4} % | {bound} |", 100.0 * (found / exact - 1.0).abs());
    };
    for friction in [0.2, 0.5, 0.9] {
        row(&format!("slope at which a block slips, friction {friction}"), threshold(friction), friction, "0.5 %");
    }
    let angle = 0.3_f64;
    let way = slid(angle, 0.8, PlaneShape::Disc(0.5), 0.5, "", 2.0);
    row("acceleration of a rolling disc, m/s2", way / 2.0, 2.0 / 3.0 * G * angle.sin(), "0.5 %");
    let (amplitude, mass, inertia) = (0.1_f64, 0.1, 0.1 * 1.01 / 12.0);
    let small = std::f64::consts::TAU * ((inertia + mass * 0.25) / (mass * G * 0.5)).sqrt();
    let mut bench = Bench::new(bar_pendulum(amplitude), "", 1.0 / 240.0);
    row(
        "period of a compound pendulum, s",
        period(&mut bench, 1, 20.0),
        small * (1.0 + amplitude * amplitude / 16.0),
        "0.1 %",
    );
    println!();
}

fn orders() {
    println!("## Order of the integrators\n");
    println!("Error of an undamped spring after 1 s; order from the two finest steps.\n");
    println!("| integrator | dt 1/128 | dt 1/256 | dt 1/512 | order | theory |\n|---|---|---|---|---|---|");
    for (name, theory) in [("explicit-euler", 1), ("symplectic-euler", 1), ("verlet", 2), ("rk4", 4)] {
        let errors = [128.0, 256.0, 512.0].map(|rate| integration_error(name, 1.0 / rate));
        let [a, b, c] = errors;
        println!("| `{name}` | {a:.2e} | {b:.2e} | {c:.2e} | {:.3} | {theory} |", (b / c).log2());
    }
    println!();
}

fn broad_phases() {
    let frames = |options: &str| {
        let mut bench = Bench::new(heap(), options, 1.0 / 64.0);
        bench.seconds(5.0, |_| {});
        bench.frame
    };
    let expected = frames("broad=all-pairs");
    let same = ["broad=sort", "broad=grid", "broad=tree"].iter().all(|options| frames(options) == expected);
    println!(
        "## Broad phases\n\nA heap of forty bodies after 5 s: all four ways give the same bits: {}.\n",
        if same { "yes" } else { "NO" }
    );
}

/// Steps, passes and rest of a pyramid, for the choice of the default.
fn settings() {
    println!("## Why the default is what it is\n");
    println!(
        "A pyramid of base 20 over its first 10 s at dt 1/60: rms speed at the end over g dt, deepest overlap in edges, passes of the"
    );
    println!("contact solver a step, and time a step on one thread of the machine that made this page.\n");
    println!("| options | rms / (g dt) | deepest overlap | passes a step | ms a step |\n|---|---|---|---|---|");
    for options in [
        "",
        "substeps=1,iterations=60",
        "substeps=1,iterations=200",
        "substeps=2,iterations=30",
        "substeps=4,iterations=15",
        "substeps=4,iterations=60",
        "solver=compliant",
        "solver=position",
    ] {
        let (rms, deepest, passes, time) = tried(pyramid(20), options);
        println!("| {} | {rms:.1e} | {deepest:.1e} | {passes:.1} | {time:.2} |", named(options));
    }
    println!(
        "\nTwo substeps of up to a hundred passes hold a thousand times the weight of the body below, and cost two passes a step once the"
    );
    println!(
        "pile rests: passes end when nothing changes any more. More substeps cost more at rest, where contacts are found anew in each;"
    );
    println!("fewer passes let heavy loads sink.");
}

fn tried(world: World, options: &str) -> (f64, f64, f64, f64) {
    let mut bench = Bench::new(world, options, 1.0 / 60.0);
    let (mut deepest, mut fastest) = (0.0_f64, 0.0_f64);
    bench.run(600, |frame| {
        deepest = frame.contacts.iter().map(|contact| contact.depth).fold(deepest, f64::max);
        fastest = frame.bodies.iter().map(|body| body.velocity.length()).fold(0.0, f64::max);
    });
    let passes = bench.engine.work().1 as f64 / 600.0;
    let fresh = bench.world.clone();
    bench.engine.build(&fresh, &yard::conditions()).expect("a world that was built before");
    let began = Instant::now();
    bench.engine.advance_blind(1.0 / 60.0, 600).expect("steps that were done before");
    (fastest / (G / 60.0), deepest, passes, began.elapsed().as_secs_f64() * 1e3 / 600.0)
}
