//! What the built-in engine costs in space, beside what the machine can do.
//!
//! `cargo bench -p ironspin-engine --bench space` prints our figures. With `IRONSPIN_LIMITS=DIR`, a folder of the C programs `contact3.c`, `broad3.c`,
//! `step3.c` and `narrow3.c`, each figure is measured in turns with its program, five pairs, and given as a ratio of medians. `IRONSPIN_QUICK=WHAT`
//! prints one of ours alone: contact, pairs, step, pyramid, heap, shots.

#![allow(clippy::print_stdout)]

mod beside;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/space/yard.rs"]
mod space_yard;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use beside::{Limits, median, row};
use ironspin_engine::Builtin;
use ironspin_model::{Body, DQuat, DVec3, Effect, Engine, Pose, SpaceShape, World};
use space_yard::{cube, fixed, floor, solid, world};
use std::time::Instant;
use yard::{Bench, conditions, settings};

/// Portions of a measurement of which the median counts.
const PORTIONS: usize = 21;
const DT: f64 = 1.0 / 60.0;

fn main() {
    if let Ok(what) = std::env::var("IRONSPIN_QUICK") {
        for _ in 0..3 {
            match what.as_str() {
                "contact" => println!("contact {:.1} {:.1} ns", contact_point(12, 1), contact_point(20, 1)),
                "pairs" => println!("pairs {:.1} {:.1} ns", pairs(1000), pairs(10_000)),
                "step" => println!("step {:.1} {:.1} ns", free_step(1000), free_step(10_000)),
                "pyramid" => println!("pyramid {:?} {:?}", pyramid_step(20, 1), pyramid_step(20, 2)),
                "heap" => println!("heap {:?} {:?}", heap_step(500, 1), heap_step(5000, 1)),
                _ => println!("shots {:.1} {:.1} us", shots(100), shots(1000)),
            }
        }
        return;
    }
    let limits = Limits::build(&["contact3", "broad3", "step3", "narrow3"]);
    println!("| what | ours | limit | ratio |\n|---|---|---|---|");
    for base in [8, 12, 20] {
        let name = format!("contact point a pass, pyramid of base {base}, ns");
        let argument = base.to_string();
        for limit in ["natG", "simd4G2", "simd8G2"] {
            row(&name, &limits, "contact3", &argument, &format!("{limit}@{base}"), || contact_point(base, 1));
        }
    }
    for count in [1000, 10_000] {
        let argument = count.to_string();
        let name = format!("pairs of {count} bodies, ns a body");
        row(&name, &limits, "broad3", &argument, &format!("broad3_scalar64_ordered@{count}"), || pairs(count));
        let name = format!("whole step of {count} free bodies that turn, ns a body");
        row(&name, &limits, "step3", &argument, &format!("step3_scalar2@{count}"), || free_step(count));
    }
    whole_steps(&limits);
    println!("\n| shots apart from each other | us a shot |\n|---|---|");
    for count in [100, 1000, 10_000] {
        println!("| {count} | {:.1} |", shots(count));
    }
    println!("\n| threads | ms a step, pyramid of base 20 |\n|---|---|");
    for threads in [1, 2] {
        println!("| {threads} | {:.2} |", pyramid_step(20, threads).ms);
    }
}

/// Boxes on a square base, each row one shorter, as the limit has them.
fn pyramid(base: usize) -> World {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    for layer in 0..base {
        for (i, k) in (0..base - layer).flat_map(|i| (0..base - layer).map(move |k| (i, k))) {
            let at = |index: usize| 1.1 * (index as f64 + 0.5 * layer as f64);
            world.bodies.push(solid(cube(1.0), DVec3::new(at(i), 0.5 + layer as f64, at(k))));
        }
    }
    world
}

/// Time a pass takes for each contact point: the difference of two runs that differ in passes only.
fn contact_point(base: usize, threads: usize) -> f64 {
    let run = |iterations: u32| {
        let options = format!("substeps=1,warm-start=off,threads={threads},iterations={iterations}");
        let mut bench = Bench::new(pyramid(base), &options, DT);
        bench.engine.advance_blind(DT, 2).expect("a step");
        let before = bench.engine.work().1;
        let began = Instant::now();
        bench.engine.advance_blind(DT, 4).expect("a step");
        let seconds = began.elapsed().as_secs_f64();
        let (points, passes) = bench.engine.work();
        (seconds, (passes - before) as f64, points as f64)
    };
    let once = || {
        // Both with so many that no impact is left over, whose time would be taken off.
        let ((short, few, points), (long, many, _)) = (run(40), run(100));
        (long - short) / (many - few) / points * 1e9
    };
    median((0..5).map(|_| once()).collect())
}

/// Numbers from 0 to 1, as the limits have them.
struct Dice(u64);

impl Dice {
    fn roll(&mut self) -> f64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// Spheres in a cube, 30 % filled, each with a way it goes between two searches, numbered along the cells at first; ns a body.
fn pairs(count: usize) -> f64 {
    let mut dice = Dice(88_172_645_463_325_252);
    let side = (count as f64 * 4.188_790_204_786_39 * 0.738 / 0.3).cbrt();
    let mut balls: Vec<(DVec3, DVec3, f64)> = (0..count)
        .map(|_| {
            let mut vector = || DVec3::new(dice.roll(), dice.roll(), dice.roll());
            (side * vector(), 0.2 * (vector() - DVec3::splat(0.5)), 0.8 + 0.2 * dice.roll())
        })
        .collect();
    let cell = |p: DVec3| [p.z, p.y, p.x].map(|x| (x / 2.0) as i64);
    balls.sort_by_key(|(place, ..)| cell(*place));
    let mut world = world(0.0, 0.5, 0.0);
    world.bodies = balls.iter().map(|&(place, _, radius)| solid(SpaceShape::Sphere(radius), place)).collect();
    let mut engine = Builtin::new(settings(""));
    engine.build(&world, &conditions()).expect("a world");
    let mut portion = || {
        let mut seconds = 0.0;
        let rounds = 50_000 / count;
        for _ in 0..rounds {
            for (body, (place, way, _)) in balls.iter_mut().enumerate() {
                *place += *way;
                for axis in 0..3 {
                    if !(0.0..side).contains(&place[axis]) {
                        way[axis] = -way[axis];
                        place[axis] += 2.0 * way[axis];
                    }
                }
                engine.act(body, &Effect::Place(Pose::at(*place))).expect("a place");
            }
            let began = Instant::now();
            std::hint::black_box(engine.find_pairs());
            seconds += began.elapsed().as_secs_f64();
        }
        seconds * 1e9 / (rounds * count) as f64
    };
    median((0..PORTIONS).map(|_| portion()).collect())
}

/// Boxes of three different edges that fall and turn and meet nothing, ns a body and step.
fn free_step(count: usize) -> f64 {
    let dt = 1.0 / 240.0;
    let mut world = world(1e-4, 0.5, 0.0);
    let columns = (count as f64).cbrt().ceil() as usize;
    for i in 0..count {
        let at = DVec3::new((i % columns) as f64, (i / columns % columns) as f64, (i / (columns * columns)) as f64);
        let mut body = solid(SpaceShape::Box(DVec3::new(0.5, 1.0, 1.5)), 4.0 * at);
        body.spin = DVec3::new(1.0 + 0.01 * (i % 7) as f64, 0.5, -0.3 - 0.01 * (i % 11) as f64);
        world.bodies.push(body);
    }
    let mut bench = Bench::new(world, "substeps=1", dt);
    let steps = (200_000 / count).max(2);
    bench.engine.advance_blind(dt, 10).expect("a step");
    let measured = (0..PORTIONS).map(|_| {
        let began = Instant::now();
        bench.engine.advance_blind(dt, steps as u64).expect("a step");
        began.elapsed().as_secs_f64() * 1e9 / (steps * count) as f64
    });
    median(measured.collect())
}

/// What a whole step cost, and what was in it.
#[derive(Clone, Copy, Debug)]
struct Whole {
    ms: f64,
    bodies: f64,
    pairs: f64,
    points: f64,
    passes: f64,
}

/// A settled world of boxes with ten passes a step.
fn measured(world: &World, threads: usize, settle: u64) -> Whole {
    const STEPS: u64 = 5;
    let options = format!("substeps=1,warm-start=on,iterations=10,threads={threads}");
    let mut engine = Builtin::new(settings(&options));
    engine.build(world, &conditions()).expect("a world");
    engine.advance_blind(DT, settle).expect("a step");
    let before = engine.work().1;
    let times = (0..PORTIONS).map(|_| {
        let began = Instant::now();
        engine.advance_blind(DT, STEPS).expect("a step");
        began.elapsed().as_secs_f64() * 1e3 / STEPS as f64
    });
    let ms = median(times.collect());
    let (points, passes) = engine.work();
    Whole {
        ms,
        bodies: world.bodies.len() as f64,
        pairs: engine.find_pairs() as f64,
        points: points as f64,
        passes: (passes - before) as f64 / (PORTIONS as u64 * STEPS) as f64,
    }
}

fn pyramid_step(base: usize, threads: usize) -> Whole {
    measured(&pyramid(base), threads, 3)
}

/// Boxes thrown into a pit, ten layers high whatever their number.
fn heap_step(count: usize, threads: usize) -> Whole {
    let mut dice = Dice(88_172_645_463_325_252);
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    let columns = (count as f64 / 10.0).sqrt().ceil() as usize;
    let half = 0.5 * 1.2 * columns as f64 + 0.6;
    for (normal, at) in [(DVec3::X, -half), (-DVec3::X, half), (DVec3::Z, -half), (-DVec3::Z, half)] {
        world.bodies.push(fixed(SpaceShape::HalfSpace(normal), normal.abs() * at));
    }
    for i in 0..count {
        let (column, row, layer) = (i % columns, i / columns % columns, i / (columns * columns));
        let place = |index: usize| 1.2 * (index as f64 + 0.5) - half + 0.6;
        let mut nudge = || 0.1 * (dice.roll() - 0.5);
        let at = DVec3::new(place(column) + nudge(), 0.7 + 1.2 * layer as f64, place(row) + nudge());
        let turn = DQuat::from_scaled_axis(DVec3::new(nudge(), nudge(), nudge()));
        let body: Body = solid(cube(0.9), at);
        world.bodies.push(Body { pose: Pose { rotation: turn, ..body.pose }, ..body });
    }
    measured(&world, threads, 120)
}

/// Whole steps beside the sum of their parts by the limits, and how they grow.
fn whole_steps(limits: &Limits) {
    println!(
        "\n| whole step, ten passes | ms | sum of the limits, ms | ratio | bodies | points | passes |\n|---|---|---|---|---|---|---|"
    );
    let mut growth = Vec::new();
    let cases = [("pyramid of base 20", 0), ("heap of 500", 500), ("heap of 5,000", 5000), ("heap of 20,000", 20_000)];
    for (name, count) in cases {
        let (mut ours, mut sums) = (Vec::new(), Vec::new());
        let mut last = None;
        for _ in 0..3 {
            let whole = if count == 0 { pyramid_step(20, 1) } else { heap_step(count, 1) };
            let size = if whole.bodies > 5000.0 { "10000" } else { "1000" };
            let base = if whole.points > 15_000.0 { "20" } else { "12" };
            let figure = |program: &str, argument: &str, name: &str| {
                limits.figure(program, argument, &format!("{name}@{argument}"))
            };
            let parts = (
                figure("broad3", size, "broad3_scalar64_ordered"),
                figure("step3", size, "step3_scalar2"),
                limits.figure("narrow3", "24", "narrow3_touch1@24"),
                figure("contact3", base, "natG"),
            );
            if let (Some(broad), Some(step), Some(narrow), Some(contact)) = parts {
                let touching = whole.points / 4.0;
                let ns = whole.bodies * (broad + step)
                    + touching * narrow
                    + (whole.pairs - touching).max(0.0) * 24.0
                    + whole.points * (whole.passes + 1.0) * contact;
                sums.push(ns * 1e-6);
            }
            ours.push(whole.ms);
            last = Some(whole);
        }
        let Some(whole) = last else { continue };
        let ms = median(ours);
        let beside = if sums.is_empty() {
            "| |".to_owned()
        } else {
            let sum = median(sums);
            format!("{sum:.2} | {:.2} |", ms / sum)
        };
        println!("| {name} | {ms:.2} | {beside} {} | {} | {:.1} |", whole.bodies, whole.points, whole.passes);
        if count > 0 {
            growth.push(((count as f64).ln(), ms.ln()));
        }
    }
    let (first, last) = (growth[0], growth[growth.len() - 1]);
    println!("\nGrowth exponent of a heap from 500 to 20,000 bodies: {:.3}", (last.1 - first.1) / (last.0 - first.0));
}

/// Swept shots, each at a plate of its own far from the others, us a shot and step.
fn shots(count: usize) -> f64 {
    let mut world = world(0.0, 0.5, 0.5);
    let columns = (count as f64).sqrt().ceil() as usize;
    for i in 0..count {
        let at = DVec3::new(20.0 * (i % columns) as f64, 0.0, 20.0 * (i / columns) as f64);
        world.bodies.push(fixed(SpaceShape::Box(DVec3::new(4.0, 0.01, 4.0)), at));
        let mut ball = solid(SpaceShape::Sphere(0.1), at + DVec3::new(0.0, 1.0, 0.0));
        ball.velocity = DVec3::new(1.0, -400.0, 0.5);
        world.bodies.push(ball);
    }
    let once = || {
        let mut engine = Builtin::new(settings("swept=all"));
        engine.build(&world, &conditions()).expect("a world");
        let began = Instant::now();
        engine.advance_blind(DT, 1).expect("a step");
        began.elapsed().as_secs_f64() * 1e6 / count as f64
    };
    median((0..5).map(|_| once()).collect())
}
