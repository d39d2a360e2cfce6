//! What a step costs: over counts, for several engines in turns, so that a machine that is busy with other things does not decide.
//! Never part of a verdict.

use crate::document::{Host, Tool};
use crate::fit::power_law;
use crate::plan::TrialPlan;
use crate::trial::{lacking, no_force, reported, run_trial};
use ironspin_link::{ProcessLimits, memory_of_children};
use ironspin_model::EngineError;
use ironspin_scene::{Question, Script};
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Name and version of the form.
const FORMAT: &str = "ironspin.cost/1";
/// Share of a trial that is not timed: contacts must form first.
const WARM_UP: f64 = 0.1;

/// How to measure.
#[derive(Clone, Debug)]
pub struct CostOrder {
    /// The trials, engine by engine for each value of the axis.
    pub plans: Vec<TrialPlan>,
    /// The axis, and its value for each trial.
    pub axis: String,
    /// Values along the axis, one a trial.
    pub values: Vec<f64>,
    /// How often the turns go round.
    pub rounds: usize,
    /// Longest time for one trial in one round.
    pub longest: Duration,
    /// Time for a step, s.
    pub budget: f64,
    /// The claim by which the error of a setting is measured, for the trade-off.
    pub error: Option<String>,
}

/// What came of one trial.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CostRecord {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Value along the axis.
    pub value: f64,
    /// Number of bodies.
    pub bodies: usize,
    /// Contact points in a frame, on average over what was timed.
    pub contacts: f64,
    /// Steps timed, all rounds together.
    pub steps: usize,
    /// Time of a step, s: half of them took less.
    pub median: f64,
    /// 95 of 100 took less, s.
    pub p95: f64,
    /// 99 of 100 took less, s.
    pub p99: f64,
    /// The longest, s.
    pub largest: f64,
    /// Smallest and largest median of a round, s: what the machine does to the figure.
    pub rounds: [f64; 2],
    /// Memory that the trial needs beyond what the program needs anyway, bytes; where the system reports it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub memory: Option<u64>,
    /// Time to work out the future, s of computing for s of horizon: horizon and time.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub forecasts: Vec<[f64; 2]>,
    /// How much of its bound the claim uses up; above 1 it is broken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub error: Option<f64>,
    /// Nothing else is both cheaper and better.
    #[serde(default)]
    pub unbeaten: bool,
    /// Why there is no figure.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
}

/// What came of one engine over the whole axis.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CostTrend {
    /// The engine.
    pub engine: String,
    /// The median grows with this power of the number of bodies; absent for fewer than three counts.
    pub exponent: Option<f64>,
    /// Half the width of its 95 % confidence interval.
    pub margin: Option<f64>,
    /// The largest value of the axis at which 95 of 100 steps keep the budget, between two that were measured by the power law between
    /// them; absent when none does.
    pub within_budget: Option<f64>,
    /// Whether all values that were measured keep it, so that the largest is not known.
    pub all_within: bool,
}

/// Costs as they stand on disk.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct CostDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// The machine: figures of another one do not compare.
    pub host: Host,
    /// What was raised.
    pub axis: String,
    /// Time for a step, s.
    pub budget: f64,
    /// One entry a value and engine.
    pub costs: Vec<CostRecord>,
    /// One entry an engine.
    pub trends: Vec<CostTrend>,
}

/// Measures all trials in turns: every one once, then every one again. `weigh` returns what memory a trial needs.
pub fn measure_cost(
    order: &CostOrder,
    stop: &AtomicBool,
    heard: &dyn Fn(&TrialPlan),
    weigh: &dyn Fn(&TrialPlan) -> Option<u64>,
) -> CostDocument {
    let mut found: Vec<Result<Timed, EngineError>> = order.plans.iter().map(|_| Ok(Timed::default())).collect();
    for _ in 0..order.rounds.max(1) {
        for (plan, found) in order.plans.iter().zip(&mut found) {
            if stop.load(Ordering::Relaxed) {
                break;
            }
            heard(plan);
            if let Ok(timed) = found
                && let Err(fault) = time_steps(plan, order.longest, timed)
            {
                *found = Err(fault);
            }
        }
    }
    let mut costs: Vec<CostRecord> = order
        .plans
        .iter()
        .zip(&order.values)
        .zip(found)
        .map(|((plan, &value), found)| record(order, plan, value, found, weigh))
        .collect();
    mark_unbeaten(&mut costs);
    CostDocument {
        format: FORMAT.to_owned(),
        tool: Tool::this(),
        host: Host::this(),
        axis: order.axis.clone(),
        budget: order.budget,
        trends: trends(&costs, order.budget),
        costs,
    }
}

#[derive(Default)]
struct Timed {
    seconds: Vec<f64>,
    medians: Vec<f64>,
    contacts: f64,
    forecasts: Vec<[f64; 2]>,
}

/// Times the steps of one trial, one call a step.
fn time_steps(plan: &TrialPlan, longest: Duration, timed: &mut Timed) -> Result<(), EngineError> {
    let schedule = plan.conditions.schedule(plan.setup.world.duration);
    let engine = plan.engine.start()?;
    if let Some(missing) = lacking(&engine.info(), &plan.setup, &schedule) {
        return Err(missing);
    }
    let mut engine = reported(engine, plan);
    engine.build(&plan.setup.world, &plan.conditions)?;
    let mut script = Script::new(&plan.setup);
    let warm = (WARM_UP * schedule.count() as f64) as u64;
    let began = Instant::now();
    let mut own = Vec::new();
    let mut contacts = 0;
    let mut bodies = Vec::new();
    let mut time = 0.0;
    engine.advance(&[], &mut |frame| bodies.clone_from(&frame.bodies))?;
    for step in 0..schedule.count() {
        if began.elapsed() > longest && own.len() > 8 {
            break;
        }
        let waits = !script.is_over();
        if waits {
            let due = script.due(&bodies, time, schedule.length(step));
            for (body, effect) in due.map_err(|fault| no_force(fault, time, &plan.setup))?.deeds {
                engine.act(body, &effect)?;
            }
        }
        let length = [schedule.length(step)];
        let start = Instant::now();
        let mut points = 0;
        engine.advance(&length, &mut |frame| {
            points = frame.contacts.len();
            if waits {
                bodies.clone_from(&frame.bodies);
            }
        })?;
        let took = start.elapsed().as_secs_f64();
        time += length[0];
        if step >= warm {
            own.push(took);
            contacts += points;
        }
    }
    if timed.forecasts.is_empty() {
        for probe in &plan.setup.probes {
            if let Question::Forecast { horizon, .. } = &probe.question {
                let steps = vec![schedule.length(0); (horizon / schedule.length(0)).round().max(1.0) as usize];
                let start = Instant::now();
                let token = engine.save()?;
                engine.advance(&steps, &mut |_| {})?;
                engine.restore(token)?;
                timed.forecasts.push([*horizon, start.elapsed().as_secs_f64()]);
            }
        }
    }
    timed.contacts = contacts as f64 / own.len().max(1) as f64;
    timed.medians.push(quantile(&mut own.clone(), 0.5));
    timed.seconds.extend(own);
    Ok(())
}

/// The value below which a share of the values lies: the nearest rank.
fn quantile(values: &mut [f64], share: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    let rank = (share * values.len() as f64).ceil() as usize;
    values.get(rank.saturating_sub(1)).copied().unwrap_or(f64::NAN)
}

fn record(
    order: &CostOrder,
    plan: &TrialPlan,
    value: f64,
    found: Result<Timed, EngineError>,
    weigh: &dyn Fn(&TrialPlan) -> Option<u64>,
) -> CostRecord {
    let (mut timed, reason) = match found {
        Ok(timed) => (timed, String::new()),
        Err(fault) => (Timed::default(), fault.to_string()),
    };
    let failed = !reason.is_empty();
    let seconds = &mut timed.seconds;
    let number = |value: f64| if value.is_finite() { value } else { 0.0 };
    let error = order.error.as_ref().filter(|_| !failed).and_then(|gauge| {
        let trial = run_trial(plan);
        let used = trial.claims.iter().filter(|claim| claim.gauge.name == gauge).map(|claim| claim.used);
        used.reduce(f64::max).filter(|used| used.is_finite())
    });
    CostRecord {
        scene: plan.setup.name.clone(),
        engine: plan.engine.text().to_owned(),
        value,
        bodies: plan.setup.world.bodies.len(),
        contacts: timed.contacts,
        steps: seconds.len(),
        median: number(quantile(seconds, 0.5)),
        p95: number(quantile(seconds, 0.95)),
        p99: number(quantile(seconds, 0.99)),
        largest: number(quantile(seconds, 1.0)),
        rounds: [0.0, 1.0]
            .map(|share| number(quantile(&mut timed.medians.clone(), if share == 0.0 { 1e-9 } else { share }))),
        memory: if failed { None } else { weigh(plan) },
        forecasts: timed.forecasts,
        error,
        unbeaten: false,
        reason,
    }
}

/// Marks what nothing else beats in both cost and error, among the records of one value.
fn mark_unbeaten(costs: &mut [CostRecord]) {
    let all: Vec<(f64, f64, Option<f64>)> = costs.iter().map(|cost| (cost.value, cost.median, cost.error)).collect();
    for cost in costs.iter_mut() {
        let Some(error) = cost.error else { continue };
        let beats = |&(value, median, other): &(f64, f64, Option<f64>)| {
            let Some(other) = other else { return false };
            value == cost.value && median <= cost.median && other <= error && (median < cost.median || other < error)
        };
        cost.unbeaten = !all.iter().any(beats);
    }
}

fn trends(costs: &[CostRecord], budget: f64) -> Vec<CostTrend> {
    let mut engines: Vec<&str> = Vec::new();
    for cost in costs {
        if !engines.contains(&cost.engine.as_str()) {
            engines.push(&cost.engine);
        }
    }
    engines.into_iter().map(|engine| trend(engine, costs, budget)).collect()
}

fn trend(engine: &str, costs: &[CostRecord], budget: f64) -> CostTrend {
    let mut own: Vec<&CostRecord> =
        costs.iter().filter(|cost| cost.engine == engine && cost.reason.is_empty()).collect();
    own.sort_by(|a, b| a.value.total_cmp(&b.value));
    let points: Vec<(f64, f64)> = own.iter().map(|cost| (cost.bodies as f64, cost.median)).collect();
    let line = power_law(&points).filter(|_| points.len() > 2);
    let over = own.iter().position(|cost| cost.p95 > budget);
    let within_budget = match over {
        Some(0) => None,
        Some(first) => {
            let (a, b) = (own[first - 1], own[first]);
            let slope = libm::log(b.p95 / a.p95) / libm::log(b.value / a.value);
            Some(a.value * libm::pow(budget / a.p95, 1.0 / slope)).filter(|value| value.is_finite())
        }
        None => own.last().map(|cost| cost.value),
    };
    CostTrend {
        engine: engine.to_owned(),
        exponent: line.map(|line| line.slope),
        margin: line.map(|line| line.margin),
        within_budget,
        all_within: over.is_none() && !own.is_empty(),
    }
}

/// Memory of this process at its fullest and now, bytes; where the system reports it.
pub fn memory_of_process() -> Option<[u64; 2]> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = |name: &str| -> Option<u64> {
        let rest = status.lines().find_map(|line| line.strip_prefix(name))?;
        Some(1024 * rest.trim().trim_end_matches("kB").trim().parse::<u64>().ok()?)
    };
    Some([line("VmHWM:")?, line("VmRSS:")?])
}

/// Builds the world of a trial and takes some steps; memory beyond what there was before, or, for an engine in a process of its own, the most
/// that this process had, bytes. To be called in a process that does nothing else.
///
/// # Errors
/// When the engine fails.
pub fn weigh_trial(plan: &TrialPlan) -> Result<Option<u64>, EngineError> {
    let before = memory_of_process();
    let schedule = plan.conditions.schedule(plan.setup.world.duration);
    // Its process must end with it, to be weighed.
    let process_limits = ProcessLimits { fresh: true, ..plan.engine.process_limits().clone() };
    let mut engine = reported(plan.engine.clone().on(&process_limits).start()?, plan);
    engine.build(&plan.setup.world, &plan.conditions)?;
    for step in 0..schedule.count().min(100) {
        engine.advance(&[schedule.length(step)], &mut |_| {})?;
    }
    if plan.engine.is_foreign() {
        drop(engine);
        return Ok(memory_of_children());
    }
    let after = memory_of_process();
    Ok(before.zip(after).map(|(before, after)| after[0].saturating_sub(before[1])))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cost(engine: &str, bodies: usize, median: f64, error: Option<f64>) -> CostRecord {
        CostRecord {
            scene: "pile".into(),
            engine: engine.into(),
            value: bodies as f64,
            bodies,
            contacts: 0.0,
            steps: 100,
            median,
            p95: median,
            p99: median,
            largest: median,
            rounds: [median; 2],
            memory: None,
            forecasts: Vec::new(),
            error,
            unbeaten: false,
            reason: String::new(),
        }
    }

    #[test]
    fn the_exponent_of_a_power_is_found_and_the_budget_lies_on_it() {
        let costs: Vec<CostRecord> =
            [10, 20, 40, 80].map(|n| cost("a", n, 1e-6 * (n * n) as f64, None)).into_iter().collect();
        let trend = &trends(&costs, 2.5e-3)[0];
        assert!((trend.exponent.unwrap() - 2.0).abs() < 1e-9 && trend.margin.unwrap() < 1e-6);
        assert!((trend.within_budget.unwrap() - 50.0).abs() < 1e-9 && !trend.all_within);
        assert!(trends(&costs, 1.0)[0].all_within);
        assert_eq!(trends(&costs, 1e-9)[0].within_budget, None);
    }

    #[test]
    fn what_nothing_beats_is_marked() {
        let mut costs = vec![
            cost("cheap", 10, 1.0, Some(0.9)),
            cost("good", 10, 3.0, Some(0.1)),
            cost("neither", 10, 4.0, Some(0.5)),
            cost("untold", 10, 0.1, None),
        ];
        mark_unbeaten(&mut costs);
        assert_eq!(costs.iter().map(|cost| cost.unbeaten).collect::<Vec<_>>(), [true, true, false, false]);
    }

    #[test]
    fn quantiles_are_of_the_nearest_rank() {
        let mut values: Vec<f64> = (1..=100).rev().map(f64::from).collect();
        assert_eq!([0.5, 0.95, 0.99, 1.0].map(|share| quantile(&mut values, share)), [50.0, 95.0, 99.0, 100.0]);
    }
}
