//! What the gauges cost beside the engine: `cargo bench -p ironspin-lab --bench gauges`.
//!
//! A pile of 1,000 bodies that has come to rest, and the same while it collapses: the time of the default gauges, and of all that need nothing but bodies, over the time of
//! the built-in engine's steps, step by step in one run.

#![allow(clippy::print_stdout, clippy::print_stderr)]

#[allow(dead_code, unreachable_pub)]
#[path = "../../engine/tests/engine/space/yard.rs"]
mod space_yard;
#[allow(dead_code, unreachable_pub)]
#[path = "../../engine/tests/engine/worlds.rs"]
mod worlds;
#[allow(dead_code, unreachable_pub)]
#[path = "../../engine/tests/engine/yard.rs"]
mod yard;

use ironspin_gauge::{Derived, FrameCache, GAUGES, GaugeEntry, Need, Scope, Step, View};
use ironspin_model::{Bounds, DVec2, DVec3, Dimension, Engine, Frame, PlaneShape, Token, World};
use std::time::Instant;
use yard::Bench;

/// Steps measured, and how often.
const STEPS: usize = 120;
const TURNS: usize = 5;

fn main() {
    println!(
        "| pile of 1,000 bodies | engine, ms a step | default gauges, ms a step | share | all gauges that need nothing but bodies, ms a step | share |\n|---|---|---|---|---|---|"
    );
    let piles = [
        ("at rest", worlds::pyramid(44)),
        ("mixed, poured", pile(1000)),
        ("in space, at rest", square_pyramid(14)),
        ("in space, a layer of piles of two", pairs(500)),
    ];
    for (name, world) in piles {
        if std::env::var("IRONSPIN_QUICK").is_ok_and(|only| only != "1" && !name.contains(&only)) {
            continue;
        }
        let world = World { bounds: Some(Bounds { min: DVec3::splat(-1e3), max: DVec3::splat(1e3) }), ..world };
        let dimension = world.dimension;
        let mut pile = Pile::new(world, 2.0);
        // Of one kind alone, for a look at what is dear; `IRONSPIN_QUICK` leaves them out, and all piles whose name it is not part of.
        let mut one_by_one = Vec::new();
        if std::env::var_os("IRONSPIN_QUICK").is_none() {
            one_by_one.extend(everyday(dimension).map(|entry| (pile.turns(1, &[entry]), entry.name)));
        }
        let sets = [defaults(dimension).collect::<Vec<_>>(), everyday(dimension).collect()];
        let [few, all] = sets.each_ref().map(|set| pile.turns(TURNS, set));
        println!(
            "| {name} ({} bodies) | {:.2} | {} in {:.2} | {:.0} % | {} in {:.2} | {:.0} % |",
            pile.world.bodies.len(),
            few.engine,
            sets[0].len(),
            few.gauges,
            100.0 * few.share,
            sets[1].len(),
            all.gauges,
            100.0 * all.share
        );
        one_by_one.sort_by(|a, b| b.0.share.total_cmp(&a.0.share));
        for (cost, gauge) in &one_by_one {
            eprintln!("  {gauge}: {:.3} ms alone, {:.1} %", cost.gauges, 100.0 * cost.share);
        }
    }
}

/// Boxes in layers that get smaller by one a side.
fn square_pyramid(base: usize) -> World {
    let mut world = space_yard::world(9.81, 0.5, 0.0);
    world.bodies.push(space_yard::floor());
    for layer in 0..base {
        for (i, k) in (0..base - layer).flat_map(|i| (0..base - layer).map(move |k| (i, k))) {
            let at = |index: usize| 1.1 * (index as f64 + 0.5 * layer as f64);
            let place = DVec3::new(at(i), 0.5 + layer as f64, at(k));
            world.bodies.push(space_yard::solid(space_yard::cube(1.0), place));
        }
    }
    world
}

/// Boxes two by two on each other, far from the rest: the engine has the least to do for each.
fn pairs(count: usize) -> World {
    let mut world = space_yard::world(9.81, 0.5, 0.0);
    world.bodies.push(space_yard::floor());
    for number in 0..2 * count {
        let at = |index: usize| 2.0 * index as f64;
        let place = DVec3::new(at(number / 2 % 25), 0.5 + (number % 2) as f64, at(number / 50));
        world.bodies.push(space_yard::solid(space_yard::cube(1.0), place));
    }
    world
}

/// Medians of turns: ms a step of the engine and of gauges, and of the second over the first.
#[derive(Clone, Copy)]
struct Cost {
    engine: f64,
    gauges: f64,
    share: f64,
}

/// Boxes, discs and capsules poured into a trough.
fn pile(count: usize) -> World {
    let mut world = yard::world(9.81, 0.5, 0.1);
    world.bodies.push(yard::floor());
    for side in [-1.0, 1.0] {
        world.bodies.push(yard::fixed(PlaneShape::Box(DVec2::new(1.0, 80.0)), side * 14.5, 39.0));
    }
    for i in 0..count {
        let (column, row) = (i % 25, i / 25);
        let shape = match i % 3 {
            0 => PlaneShape::Box(DVec2::new(0.9, 0.7)),
            1 => PlaneShape::Disc(0.45),
            _ => PlaneShape::Capsule { length: 0.4, radius: 0.25 },
        };
        world.bodies.push(yard::solid(
            shape,
            1.06 * column as f64 - 12.7 + 0.05 * (row % 3) as f64,
            0.6 + 1.05 * row as f64,
        ));
    }
    world
}

/// Gauges that a claim can name without saying more than bodies.
fn everyday(dimension: Dimension) -> impl Iterator<Item = &'static GaugeEntry> {
    let asks = |entry: &&GaugeEntry| entry.needs.iter().all(|need| *need == Need::Bounds);
    let of_one = |name: &str| name.starts_with("value.") || name.starts_with("fall.") || name.starts_with("period.");
    GAUGES.iter().filter(asks).filter(move |entry| entry.dimensions.contains(&dimension) && !of_one(entry.name))
}

/// Those by which a scene that claims nothing is measured.
fn defaults(dimension: Dimension) -> impl Iterator<Item = &'static GaugeEntry> {
    let asks = move |entry: &&GaugeEntry| entry.by_default && entry.dimensions.contains(&dimension);
    GAUGES.iter().filter(move |entry| asks(entry)).filter(|entry| !entry.needs.contains(&Need::Soft))
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// A world that has settled for a while, from where it can be run again and again.
struct Pile {
    world: World,
    bench: Bench,
    settled: Token,
}

const DT: f64 = 1.0 / 60.0;

impl Pile {
    fn new(world: World, settle: f64) -> Self {
        let mut bench = Bench::new(world.clone(), "", DT);
        bench.seconds(settle, |_| {});
        let settled = bench.engine.save().expect("a state");
        Pile { world, bench, settled }
    }

    fn turns(&mut self, turns: usize, entries: &[&GaugeEntry]) -> Cost {
        let costs: Vec<[f64; 2]> = (0..turns).map(|_| self.turn(entries)).collect();
        let of = |what: fn(&[f64; 2]) -> f64| median(costs.iter().map(what).collect());
        Cost { engine: of(|cost| cost[0]), gauges: of(|cost| cost[1]), share: of(|cost| cost[1] / cost[0]) }
    }

    /// Time of the engine and of some gauges, ms a step, one after the other in every step, so that what else the machine does slows both.
    fn turn(&mut self, entries: &[&GaugeEntry]) -> [f64; 2] {
        let world = &self.world;
        let scope = Scope { of: world.dynamic_bodies().collect(), ..Scope::default() };
        let mut gauges: Vec<_> = entries.iter().map(|entry| entry.begin(world, &scope)).collect();
        let mut cache = FrameCache::new(world);
        let derived = Derived::default();
        let mut before: Option<Frame> = None;
        let mut seconds = [0.0; 2];
        let engine = &mut self.bench.engine;
        engine.restore(self.settled).expect("the state");
        for _ in 0..STEPS {
            let began = Instant::now();
            engine.advance_blind(DT, 1).expect("a step");
            seconds[0] += began.elapsed().as_secs_f64();
            let mut look = |now: &Frame| {
                let began = Instant::now();
                cache.update(now);
                let view = View {
                    step: Step {
                        world,
                        before: before.as_ref(),
                        now,
                        gravity: world.gravity,
                        effects: &[],
                        cache: &cache,
                    },
                    derived: &derived,
                };
                gauges.iter_mut().for_each(|gauge| gauge.observe(&view));
                before.get_or_insert_default().take_motion_of(now);
                seconds[1] += began.elapsed().as_secs_f64();
            };
            engine.advance(&[], &mut look).expect("the frame");
        }
        seconds.map(|seconds| 1e3 * seconds / STEPS as f64)
    }
}
