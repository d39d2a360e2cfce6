//! What the ways of joining an engine cost: `cargo bench -p ironspin --bench link`.
//!
//! The built-in engine in this process, as a shared library and over the protocol, on a pile of 990 bodies and on 1,000 bodies in free flight, in
//! turns; medians of a step, every frame recorded.

#![allow(clippy::print_stdout)]

use ironspin_lab::{GridOrder, TrialPlan, plan_grid};
use ironspin_link::{EngineSpec, ProcessLimits};
use ironspin_model::{BodyKind, DVec3, Engine, about_z};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use std::time::Instant;

/// Turns of each, calls of a turn, steps of a call.
const TURNS: usize = 9;
const CALLS: usize = 3;
const STEPS: usize = 64;

fn main() {
    let program = Path::new(env!("CARGO_BIN_EXE_ironspin"));
    let library = library(program);
    let names =
        ["builtin".to_owned(), format!("lib:{}", library.display()), format!("cmd:{} serve-engine", program.display())];
    let process_limits = ProcessLimits { program: Some(program.to_owned()), ..ProcessLimits::default() };
    let specs: Vec<EngineSpec> =
        names.iter().map(|name| EngineSpec::read(name).expect("an engine").on(&process_limits)).collect();
    for (what, plan) in [("a pile", pile()), ("free flight", flight())] {
        let bodies = plan.setup.world.bodies.len();
        let mut times = vec![Vec::new(); specs.len()];
        for _ in 0..TURNS {
            for (spec, times) in specs.iter().zip(&mut times) {
                times.push(step(spec, &plan));
            }
        }
        let medians: Vec<f64> = times
            .iter_mut()
            .map(|times| {
                times.sort_by(f64::total_cmp);
                times[TURNS / 2]
            })
            .collect();
        for (median, way) in medians.iter().zip(["in process", "lib:", "cmd:"]) {
            println!(
                "{what}, {bodies} bodies, {way:10} {:7.3} ms a step, {:7.0} frames a second, {:5.1} % more than in process",
                1e3 * median,
                1.0 / median,
                100.0 * (median / medians[0] - 1.0)
            );
        }
    }
}

/// The built-in engine as a shared library, built for itself alone, so that optimisation over crates reaches it as it reaches the program.
fn library(program: &Path) -> PathBuf {
    let done = Command::new(env!("CARGO"))
        .args(["rustc", "-q", "--release", "--locked", "-p", "ironspin-builtin-library", "--crate-type", "cdylib"])
        .status()
        .expect("cargo");
    assert!(done.success());
    let name = format!("{}ironspin_builtin{}", std::env::consts::DLL_PREFIX, std::env::consts::DLL_SUFFIX);
    program.parent().expect("a folder").join(name)
}

fn pile() -> TrialPlan {
    let order = GridOrder {
        set: vec![("base".to_owned(), vec!["44".to_owned()])],
        ..GridOrder::plain(vec!["billet-pyramid".to_owned()], vec!["builtin".to_owned()], vec!["1/60".parse().unwrap()])
    };
    plan_grid(&order).expect("a plan").remove(0)
}

/// The same bodies and some more, far apart, without ground and gravity.
fn flight() -> TrialPlan {
    let mut plan = pile();
    let mut setup = (*plan.setup).clone();
    let world = &mut setup.world;
    world.bodies.retain(|body| body.kind == BodyKind::Dynamic);
    while world.bodies.len() < 1000 {
        let more = world.bodies[0].clone();
        world.bodies.push(more);
    }
    for (number, body) in world.bodies.iter_mut().enumerate() {
        let (row, column) = (number / 40, number % 40);
        body.pose.position = DVec3::new(10.0 * column as f64, 10.0 * row as f64, 0.0);
        body.velocity = DVec3::new(0.013 * row as f64, 0.017 * column as f64, 0.0);
        body.spin = about_z(0.1);
    }
    world.gravity = DVec3::ZERO;
    plan.setup = Arc::new(setup);
    plan
}

/// Mean of a step, s.
fn step(spec: &EngineSpec, plan: &TrialPlan) -> f64 {
    let mut engine: Box<dyn Engine> = spec.start().expect("an engine");
    engine.build(&plan.setup.world, &plan.conditions).expect("a world");
    let lengths = [plan.conditions.scene_dt(); STEPS];
    let began = Instant::now();
    for _ in 0..CALLS {
        engine
            .advance(&lengths, &mut |frame| {
                std::hint::black_box(frame.bodies.len());
            })
            .expect("steps");
    }
    began.elapsed().as_secs_f64() / (CALLS * STEPS) as f64
}
