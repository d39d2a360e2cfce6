//! What the lab adds to a bare loop of engine steps: `cargo bench -p ironspin-lab --bench overhead`.
//!
//! The same trial of about 1,000 bodies, run by the lab without claims and stepped bare, in turns; medians.

#![allow(clippy::print_stdout)]

use ironspin_lab::{GridOrder, TrialPlan, plan_grid, run_trial};
use std::sync::Arc;
use std::time::Instant;

/// Turns of each.
const TURNS: usize = 7;

fn main() {
    let order = GridOrder {
        set: vec![("base".to_owned(), vec!["44".to_owned()]), ("span".to_owned(), vec!["2".to_owned()])],
        ..GridOrder::plain(vec!["billet-pyramid".to_owned()], vec!["builtin".to_owned()], vec!["1/60".parse().unwrap()])
    };
    let order = if plan_grid(&order).is_ok() {
        order
    } else {
        GridOrder { set: vec![("base".to_owned(), vec!["44".to_owned()])], ..order }
    };
    let mut plan = plan_grid(&order).expect("a plan").remove(0);
    let mut setup = (*plan.setup).clone();
    setup.claims.clear();
    setup.world.duration = 2.0;
    plan.setup = Arc::new(setup);
    let (mut bare, mut lab) = (Vec::new(), Vec::new());
    for _ in 0..TURNS {
        bare.push(step_bare(&plan));
        let began = Instant::now();
        assert_eq!(run_trial(&plan).steps, 120);
        lab.push(began.elapsed().as_secs_f64());
    }
    let [bare, lab] = [bare, lab].map(|mut times| {
        times.sort_by(f64::total_cmp);
        times[TURNS / 2]
    });
    println!(
        "{} bodies, 120 steps: bare {:.1} ms, by the lab {:.1} ms, {:.1} % more",
        plan.setup.world.bodies.len(),
        1e3 * bare,
        1e3 * lab,
        100.0 * (lab / bare - 1.0)
    );
}

fn step_bare(plan: &TrialPlan) -> f64 {
    let began = Instant::now();
    let mut engine = plan.engine.start().expect("an engine");
    engine.build(&plan.setup.world, &plan.conditions).expect("a world");
    let length = [plan.conditions.scene_dt()];
    for _ in 0..120 {
        engine
            .advance(&length, &mut |frame| {
                std::hint::black_box(frame.bodies.len());
            })
            .expect("a step");
    }
    began.elapsed().as_secs_f64()
}
