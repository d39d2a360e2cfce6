//! What the built-in engine costs, beside what the machine can do.
//!
//! `cargo bench -p ironspin-engine` prints our figures. With `IRONSPIN_LIMITS=DIR`, a folder of the C programs `contact.c`,
//! `broad.c`, `step.c`, `events.c` and `springs.c`, each figure is measured in turns with its program, five pairs, and given as a ratio of medians.

#![allow(clippy::print_stdout)]

mod beside;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/worlds.rs"]
mod worlds;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use beside::{Limits, median, row};
use ironspin_engine::Builtin;
use ironspin_model::{
    DVec2, DVec3, Effect, Engine, NodeSpring, NodeTraits, PlaneShape, Pose, SoftBody, World, about_z,
};
use std::time::Instant;
use worlds::{blocks, pyramid};
use yard::{Bench, conditions, floor, solid, square, world};

/// Portions of a measurement of which the median counts.
const PORTIONS: usize = 41;

fn main() {
    if let Ok(what) = std::env::var("IRONSPIN_QUICK") {
        for _ in 0..3 {
            match what.as_str() {
                "pairs" => println!("pairs {:.1} {:.1}", pairs(1000), pairs(10_000)),
                "step" => println!("step {:.2} {:.2}", free_step(1000), free_step(10_000)),
                "pile" => println!("pile {:.1} {:.1} ms", pile_step(10_000, 1), pile_step(10_000, 2)),
                "spring" => println!("spring {:.2}", spring(100)),
                "threads" => println!("pyramid {:.1} {:.1} ms", pyramid_step(1), pyramid_step(2)),
                _ => println!("event {:.1} ns", collision() * 1e3),
            }
        }
        return;
    }
    let limits = Limits::build(&["contact", "broad", "step", "events", "springs"]);
    println!("| what | ours | limit | ratio |\n|---|---|---|---|");
    for base in [50, 100] {
        let name = format!("contact point a pass, pyramid of base {base}, ns");
        let argument = base.to_string();
        row(&name, &limits, "contact", &argument, &format!("nat64@{base}"), || contact_point(base));
        row(&name, &limits, "contact", &argument, &format!("simd64@{base}"), || contact_point(base));
    }
    for count in [1000, 10_000] {
        let argument = count.to_string();
        row(
            &format!("pairs of {count} bodies, ns a body"),
            &limits,
            "broad",
            &argument,
            &format!("broad_scalar64@{count}"),
            || pairs(count),
        );
        row(
            &format!("whole step of {count} free bodies, ns a body"),
            &limits,
            "step",
            &argument,
            &format!("step64@{count}"),
            || free_step(count),
        );
    }
    for name in ["scalar", "simd4"] {
        let what = "damped spring a sub-step, cloth of 100 x 100, ns";
        row(what, &limits, "springs", "100", &format!("cloth_{name}@100"), || spring(100));
    }
    // The limit is given in millions a second.
    row("collisions of two blocks and a wall, us", &limits, "events", "14", "events_timed@1e14", collision);
    pile_growth();
}

/// Time a pass takes for each contact point: the difference of two runs that differ in passes only.
fn contact_point(base: usize) -> f64 {
    let run = |iterations: u32| {
        let options = format!("substeps=1,warm-start=off,threads=1,iterations={iterations}");
        let mut bench = Bench::new(pyramid(base), &options, 1.0 / 60.0);
        bench.engine.advance_blind(1.0 / 60.0, 2).expect("a step");
        let before = bench.engine.work().1;
        let began = Instant::now();
        bench.engine.advance_blind(1.0 / 60.0, 4).expect("a step");
        let seconds = began.elapsed().as_secs_f64();
        let (points, passes) = bench.engine.work();
        (seconds, (passes - before) as f64, points as f64)
    };
    let ((short, few, points), (long, many, _)) = (run(4), run(44));
    (long - short) / (many - few) / points * 1e9
}

/// Boxes that fall (slowly, so that they stay where they are) and turn freely, none of which meet, 40 % cover.
fn free(count: usize) -> World {
    let mut world = world(1e-4, 0.5, 0.0);
    let columns = (count as f64).sqrt().ceil() as usize;
    for i in 0..count {
        let mut body = solid(square(1.0), (i % columns) as f64 * 1.58, (i / columns) as f64 * 1.58);
        body.velocity = DVec3::new(1e-4 * (i % 7) as f64, 0.01, 0.0);
        body.spin = about_z(1e-5 * (i % 11) as f64);
        world.bodies.push(body);
    }
    world
}

/// Discs thrown at random into a square, 40 % cover, each with a way it goes between two searches, as the limit has them: 0.8
/// overlapping pairs a body.
struct Crowd {
    side: f64,
    places: Vec<DVec2>,
    ways: Vec<DVec2>,
}

impl Crowd {
    fn new(count: usize) -> Self {
        let mut seed = 88_172_645_463_325_252_u64;
        let mut roll = move || {
            seed ^= seed << 13;
            seed ^= seed >> 7;
            seed ^= seed << 17;
            (seed >> 11) as f64 / (1_u64 << 53) as f64
        };
        let side = (count as f64 * std::f64::consts::PI * 0.25 / 0.4).sqrt();
        let mut crowd = Crowd { side, places: Vec::new(), ways: Vec::new() };
        for _ in 0..count {
            crowd.places.push(DVec2::new(roll() * side, roll() * side));
            crowd.ways.push(0.1 * DVec2::new(roll() - 0.5, roll() - 0.5));
        }
        crowd
    }

    fn world(&self) -> World {
        let mut world = world(0.0, 0.5, 0.0);
        world.bodies = self.places.iter().map(|place| solid(PlaneShape::Disc(0.5), place.x, place.y)).collect();
        world
    }

    /// Moves every disc on, back from the walls of the square.
    fn walk(&mut self, engine: &mut Builtin) {
        for (body, (place, way)) in self.places.iter_mut().zip(&mut self.ways).enumerate() {
            *place += *way;
            for axis in 0..2 {
                if !(0.0..self.side).contains(&place[axis]) {
                    way[axis] = -way[axis];
                    place[axis] += 2.0 * way[axis];
                }
            }
            engine.act(body, &Effect::Place(Pose::flat(*place, 0.0))).expect("a place");
        }
    }
}

/// The median of many short measurements, ns a unit of work, since a neighbour on the machine comes in bursts of a tenth of a second.
fn in_portions(units: usize, mut portion: impl FnMut()) -> f64 {
    let measured = (0..PORTIONS).map(|_| {
        let began = Instant::now();
        portion();
        began.elapsed().as_secs_f64() * 1e9 / units as f64
    });
    median(measured.collect())
}

/// Finding all pairs anew after every disc has moved, ns a body.
fn pairs(count: usize) -> f64 {
    let mut crowd = Crowd::new(count);
    let mut bench = Bench::new(crowd.world(), "", 1.0 / 60.0);
    let mut portion = || {
        let mut seconds = 0.0;
        let rounds = 250_000 / count;
        for _ in 0..rounds {
            crowd.walk(&mut bench.engine);
            let began = Instant::now();
            std::hint::black_box(bench.engine.find_pairs());
            seconds += began.elapsed().as_secs_f64();
        }
        seconds * 1e9 / (rounds * count) as f64
    };
    median((0..PORTIONS).map(|_| portion()).collect())
}

fn free_step(count: usize) -> f64 {
    let mut bench = Bench::new(free(count), "substeps=1", 1.0 / 600.0);
    let steps = 4_000_000 / count;
    bench.engine.advance_blind(1.0 / 600.0, 10).expect("a step");
    in_portions(steps * count, || bench.engine.advance_blind(1.0 / 600.0, steps as u64).expect("a step"))
}

/// A sub-step of symplectic Euler of a cloth with springs along both sides and both diagonals, ns a spring. It touches nothing.
fn spring(side: usize) -> f64 {
    const DT: f64 = 8e-3;
    let mut world = world(0.0, 0.5, 0.0);
    let traits = NodeTraits::plain("cloth");
    for node in 0..side * side {
        let at = DVec3::new((node % side) as f64, (node / side) as f64, 0.0);
        let velocity = DVec3::new(0.01 * (node % 7) as f64, 0.01 * (node % 11) as f64, 0.0);
        world.bodies.push(traits.node(&format!("[{node}]"), at, velocity, 1.0 + 0.02 * (node % 5) as f64));
    }
    let mut springs = Vec::new();
    let mut tie = |a: usize, b: usize, length: f64, stiffness: f64| {
        springs.push(NodeSpring { ends: [a, b], length, stiffness, damping: 1e-3 * stiffness });
    };
    for node in 0..side * side {
        let (right, down) = (node % side + 1 < side, node / side + 1 < side);
        if right {
            tie(node, node + 1, 1.0, 1e4);
        }
        if down {
            tie(node, node + side, 1.0, 1e4);
        }
        if right && down {
            tie(node, node + side + 1, std::f64::consts::SQRT_2, 5e3);
            tie(node + 1, node + side, std::f64::consts::SQRT_2, 5e3);
        }
    }
    let count = springs.len();
    world.softs.push(SoftBody {
        name: traits.name.clone(),
        nodes: 0..side * side,
        material: 0,
        radius: 0.0,
        self_contact: false,
        springs,
        skin: Vec::new(),
        cells: Vec::new(),
        pressure: None,
        ..SoftBody::default()
    });
    let mut bench = Bench::new(world, "integrator=symplectic-euler,soft-substeps=8", DT);
    bench.engine.advance_blind(DT, 10).expect("a step");
    in_portions(8 * 8 * count, || bench.engine.advance_blind(DT, 8).expect("a step"))
}

/// All collisions of the blocks, in portions of about a million. Drawn over both gaps, each times the root of its block's mass, the way is
/// a straight line that passes the corner at a distance of 1, and the collisions are spread evenly over its angle.
fn collision() -> f64 {
    const MASS: f64 = 1e14;
    let mut bench = Bench::new(blocks(MASS), "solver=event", 1.0);
    let time = |portion: usize| {
        let angle = std::f64::consts::PI * portion as f64 / 32.0;
        2.5 - angle.cos() / angle.sin() / MASS.sqrt()
    };
    let mut now = 0.0;
    let mut measured = Vec::new();
    for portion in 1..32 {
        let before = bench.engine.work().1;
        let began = Instant::now();
        bench.engine.advance_blind(time(portion) - now, 1).expect("a step");
        let seconds = began.elapsed().as_secs_f64();
        measured.push(seconds * 1e6 / (bench.engine.work().1 - before) as f64);
        now = time(portion);
    }
    bench.engine.advance_blind(1.0, 8).expect("a step");
    assert_eq!(bench.engine.work().1, 31_415_926);
    median(measured)
}

/// A heap of discs and boxes falling into a pit, from a thousand to fifty thousand.
fn pile_growth() {
    println!("\nWhole step of a pile, on one thread:\n\n| bodies | ms a step | us a body |\n|---|---|---|");
    let mut points = Vec::new();
    for count in [1000_usize, 5000, 10_000, 50_000] {
        let ms = pile_step(count, 1);
        println!("| {count} | {ms:.2} | {:.2} |", ms * 1e3 / count as f64);
        points.push(((count as f64).ln(), ms.ln()));
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    println!("\nGrowth exponent from 1,000 to 50,000 bodies: {:.3}", (last.1 - first.1) / (last.0 - first.0));
}

/// Milliseconds a step of a heap of discs and boxes takes while it settles.
fn pile_step(count: usize, threads: usize) -> f64 {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    let columns = (count as f64).sqrt() as usize * 2;
    for i in 0..count {
        let shape = if i % 2 == 0 { square(0.9) } else { PlaneShape::Disc(0.45) };
        let shift = 0.05 * ((i / columns) % 3) as f64;
        world.bodies.push(solid(shape, (i % columns) as f64 + shift, 0.5 + (i / columns) as f64));
    }
    let mut engine = ironspin_engine::Builtin::new(yard::settings(&format!("threads={threads}")));
    engine.build(&world, &conditions()).expect("a world");
    engine.advance_blind(1.0 / 60.0, 60).expect("a step");
    let began = Instant::now();
    engine.advance_blind(1.0 / 60.0, 10).expect("a step");
    began.elapsed().as_secs_f64() * 100.0
}

/// Milliseconds a step of a pyramid of some 10,000 boxes takes.
fn pyramid_step(threads: usize) -> f64 {
    let mut bench = Bench::new(pyramid(140), &format!("threads={threads}"), 1.0 / 60.0);
    bench.engine.advance_blind(1.0 / 60.0, 3).expect("a step");
    let began = Instant::now();
    bench.engine.advance_blind(1.0 / 60.0, 10).expect("a step");
    began.elapsed().as_secs_f64() * 100.0
}
