//! Series: claims about many trials along one axis. Order of convergence over the step, growth over a count, what may only rise or fall;
//! and how well trials of different sizes and steps collapse on the dimensionless step.

use crate::cost::{CostOrder, measure_cost};
use crate::document::{Tool, TrialDocument};
use crate::fit::power_law;
use crate::grid::share_out;
use crate::order::{GridOrder, PlanError, plan_grid};
use crate::plan::TrialPlan;
use crate::trial::run_trial;
use ironspin_model::{Bound, Claim, Details, Factor, Severity, Timestep, Verdict, Window};
use ironspin_scene::{SceneError, Series, SeriesShape};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Name and version of the form.
const FORMAT: &str = "ironspin.series/1";
/// The name of the measure that holds a trial against the one at the next finer step.
pub const REFINED: &str = "refined";
/// Fewest trials from which a power is worked out.
const FEWEST: usize = 3;

/// What is measured along an axis.
#[derive(Clone, Debug)]
pub struct SeriesOrder {
    /// The scene and all that stays; one engine.
    pub grid: GridOrder,
    /// `dt`, `size` or a parameter.
    pub over: String,
    /// Values along it, as typed.
    pub values: Vec<String>,
    /// A gauge, `cost`, or [`REFINED`].
    pub gauge: String,
    /// What the scene says of it, if it says something.
    pub claimed: Option<Series>,
    /// Trials at a time; 0 for one a core.
    pub jobs: usize,
}

/// What came of a series.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SeriesRecord {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// The axis.
    pub over: String,
    /// What was measured.
    pub gauge: String,
    /// Its unit.
    pub unit: String,
    /// Value along the axis and what was measured there; `null` where nothing could be.
    pub points: Vec<(f64, Option<f64>)>,
    /// The power of the axis by which it grows.
    pub exponent: Option<f64>,
    /// Half the width of the 95 % confidence interval of the power.
    pub margin: Option<f64>,
    /// What the scene claims, in words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub claim: String,
    /// How that turned out.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
    /// Why the scene claims it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub because: String,
}

/// Series as they stand on disk.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SeriesDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// The series.
    pub series: Vec<SeriesRecord>,
}

impl SeriesDocument {
    /// The document of some series.
    pub fn of(series: Vec<SeriesRecord>) -> Self {
        SeriesDocument { format: FORMAT.to_owned(), tool: Tool::this(), series }
    }
}

/// The trials along the axis.
fn plans(order: &SeriesOrder) -> Result<Vec<(f64, TrialPlan)>, PlanError> {
    let wrong = |text: &str| {
        PlanError::Scene(SceneError::without_place(format!("`{text}` is no value of `{}`", order.over), None))
    };
    let mut plans = Vec::new();
    for text in &order.values {
        let mut grid = order.grid.clone();
        let value = match order.over.as_str() {
            "dt" => {
                let step: Timestep = text.parse().map_err(|_| wrong(text))?;
                grid.steps = vec![step.clone()];
                step.seconds
            }
            "size" => {
                let size: Factor = text.parse().map_err(|_| wrong(text))?;
                grid.sizes = vec![size.clone()];
                size.value
            }
            name => {
                grid.set.retain(|(other, _)| other != name);
                grid.set.push((name.to_owned(), vec![text.clone()]));
                f64::NAN
            }
        };
        for plan in plan_grid(&grid)? {
            let parameter = plan.setup.parameters.iter().find(|parameter| parameter.name == order.over);
            plans.push((parameter.map_or(value, |parameter| parameter.value), plan));
        }
    }
    plans.sort_by(|a, b| a.0.total_cmp(&b.0));
    Ok(plans)
}

/// Measures along the axis, fits a power, and says whether the claim of the scene holds.
///
/// # Errors
/// For a scene, engine, value or gauge that is wrong.
pub fn run_series(order: &SeriesOrder, stop: &AtomicBool) -> Result<SeriesRecord, PlanError> {
    let plans = plans(order)?;
    let (points, unit) = match order.gauge.as_str() {
        "cost" => (cost_points(&plans, stop), "s"),
        REFINED => (refined_points(&plans, order.jobs, stop), "m"),
        gauge => {
            let Some(entry) = ironspin_gauge::find(gauge) else {
                let message = format!("there is no gauge called `{gauge}`");
                let help = "a gauge (`ironspin explain --all` lists them), cost, or refined".to_owned();
                return Err(PlanError::Scene(SceneError::without_place(message, Some(help))));
            };
            (gauge_points(&plans, order, stop), entry.unit)
        }
    };
    let kept: Vec<(f64, f64)> = points.iter().filter_map(|&(x, y)| Some((x, y?))).collect();
    let line = power_law(&kept).filter(|_| kept.iter().filter(|point| point.1 > 0.0).count() >= FEWEST);
    let shape = order.claimed.as_ref().map(|series| series.shape);
    let (verdict, reason) = judge(shape, &kept, line.map(|line| (line.slope, line.margin)));
    Ok(SeriesRecord {
        scene: plans.first().map_or_else(String::new, |plan| plan.1.setup.name.clone()),
        engine: order.grid.engines.join(" "),
        over: order.over.clone(),
        gauge: order.gauge.clone(),
        unit: unit.to_owned(),
        points,
        exponent: line.map(|line| line.slope),
        margin: line.map(|line| line.margin),
        claim: shape.map_or_else(String::new, |shape| in_words(shape, &order.over)),
        verdict,
        reason,
        because: order.claimed.as_ref().and_then(|series| series.because.clone()).unwrap_or_default(),
    })
}

fn in_words(shape: SeriesShape, over: &str) -> String {
    match shape {
        SeriesShape::FallsWithOrder(order) => format!("falls at least as {over}^{order}"),
        SeriesShape::GrowsAtMost(exponent) => format!("grows at most as {over}^{exponent}"),
        SeriesShape::OnlyRises => format!("never falls as {over} grows"),
        SeriesShape::OnlyFalls => format!("never rises as {over} grows"),
    }
}

fn judge(shape: Option<SeriesShape>, points: &[(f64, f64)], line: Option<(f64, f64)>) -> (Verdict, String) {
    let Some(shape) = shape else { return (Verdict::Pass, "nothing is claimed".to_owned()) };
    let says = |holds: bool, why: String| (if holds { Verdict::Pass } else { Verdict::Fail }, why);
    let rises = |sign: f64| {
        let wrong = points.windows(2).find(|pair| sign * (pair[1].1 - pair[0].1) < 0.0);
        match wrong {
            None => says(points.len() >= 2, format!("{} values in order", points.len())),
            Some(pair) => {
                says(false, format!("{:.4e} at {} and {:.4e} at {}", pair[0].1, pair[0].0, pair[1].1, pair[1].0))
            }
        }
    };
    match (shape, line) {
        (SeriesShape::OnlyRises, _) => rises(1.0),
        (SeriesShape::OnlyFalls, _) => rises(-1.0),
        (SeriesShape::FallsWithOrder(_), None)
            if points.len() >= FEWEST && points.iter().all(|point| point.1 == 0.0) =>
        {
            says(true, "nothing to fall: every value is 0".to_owned())
        }
        (_, None) => (Verdict::Unsupported, format!("a power needs {FEWEST} values above nothing")),
        (SeriesShape::FallsWithOrder(order), Some((slope, margin))) => {
            says(slope + margin >= order, format!("order {slope:.3} +- {margin:.3}, claimed {order}"))
        }
        (SeriesShape::GrowsAtMost(exponent), Some((slope, margin))) => {
            says(slope - margin <= exponent, format!("exponent {slope:.3} +- {margin:.3}, claimed {exponent}"))
        }
    }
}

type Points = Vec<(f64, Option<f64>)>;

fn cost_points(plans: &[(f64, TrialPlan)], stop: &AtomicBool) -> Points {
    let order = CostOrder {
        plans: plans.iter().map(|(_, plan)| plan.clone()).collect(),
        axis: String::new(),
        values: plans.iter().map(|(value, _)| *value).collect(),
        rounds: 3,
        longest: Duration::from_millis(700),
        budget: 1.0,
        error: None,
    };
    let costs = measure_cost(&order, stop, &|_| {}, &|_| None).costs;
    costs.iter().map(|cost| (cost.value, Some(cost.median).filter(|median| *median > 0.0))).collect()
}

/// A claim of the whole trial that nothing breaks, for a gauge and bodies.
fn bare_claim(plan: &TrialPlan, order: &SeriesOrder) -> Claim {
    let own = plan.setup.claims.iter().find(|claim| claim.gauge == order.gauge);
    let series = plan.setup.series.iter().find(|series| series.gauge == order.gauge && series.over == order.over);
    let everything = || plan.setup.world.dynamic_bodies().collect();
    Claim {
        name: String::new(),
        gauge: order.gauge.clone(),
        of: series.map(|s| s.of.clone()).or_else(|| own.map(|c| c.of.clone())).unwrap_or_else(everything),
        of_text: "series".to_owned(),
        against: series.map(|s| s.against.clone()).or_else(|| own.map(|c| c.against.clone())).unwrap_or_default(),
        details: own.map_or_else(Details::default, |claim| claim.details.clone()),
        window: own.map_or(Window { from: 0.0, to: f64::INFINITY }, |claim| claim.window),
        bound: Bound::None,
        single: None,
        severity: Severity::Should,
        because: "measured for a series".to_owned(),
    }
}

fn gauge_points(plans: &[(f64, TrialPlan)], order: &SeriesOrder, stop: &AtomicBool) -> Points {
    let measured = each(plans, order.jobs, stop, &|plan| {
        let mut plan = plan.clone();
        let mut setup = (*plan.setup).clone();
        setup.claims = vec![bare_claim(&plan, order)];
        plan.setup = Arc::new(setup);
        run_trial(&plan).claims.first().and_then(|claim| claim.measured)
    });
    plans.iter().map(|(value, _)| *value).zip(measured.into_iter().map(Option::flatten)).collect()
}

/// The largest distance of a body at the end from where it comes at the next finer step, for every step but the finest. All trials end
/// with the last whole one of the coarsest steps; nothing where a step does not divide that time.
fn refined_points(plans: &[(f64, TrialPlan)], jobs: usize, stop: &AtomicBool) -> Points {
    let coarsest = plans.iter().map(|(_, plan)| plan.conditions.scene_dt()).fold(0.0, f64::max);
    let ends = each(plans, jobs, stop, &|plan| {
        let mut plan = plan.clone();
        let mut setup = (*plan.setup).clone();
        // A rounding error must not cost a whole step.
        let whole = (setup.world.duration / coarsest + 1e-9).floor().max(1.0) * coarsest;
        setup.world.duration = whole;
        plan.setup = Arc::new(setup);
        let recording = run_trial(&plan).recording;
        let is_there = (recording.end_time / whole - 1.0).abs() < 1e-9;
        is_there.then_some(recording.end)
    });
    let mut points = Vec::new();
    for (number, pair) in ends.windows(2).enumerate() {
        let apart = match (pair[0].as_ref().and_then(Option::as_ref), pair[1].as_ref().and_then(Option::as_ref)) {
            (Some(finer), Some(coarser)) => {
                let far = finer.iter().zip(coarser).map(|(a, b)| a.pose.position.distance(b.pose.position));
                far.filter(|far| !far.is_nan()).reduce(f64::max)
            }
            _ => None,
        };
        points.push((plans[number + 1].0, apart));
    }
    points
}

fn each<T: Send>(
    plans: &[(f64, TrialPlan)],
    jobs: usize,
    stop: &AtomicBool,
    work: &(dyn Fn(&TrialPlan) -> T + Sync),
) -> Vec<Option<T>> {
    let results: Mutex<Vec<Option<T>>> = Mutex::new(plans.iter().map(|_| None).collect());
    let all: Vec<usize> = (0..plans.len()).collect();
    share_out(&all, jobs, stop, &|number| {
        let result = work(&plans[number].1);
        results.lock().unwrap_or_else(PoisonError::into_inner)[number] = Some(result);
    });
    results.into_inner().unwrap_or_else(PoisonError::into_inner)
}

/// How well trials of different sizes and steps collapse on the dimensionless step dt sqrt(g / L).
#[derive(Clone, Debug, PartialEq)]
pub struct Collapse {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Pairs of trials of one dimensionless step and different sizes.
    pub pairs: usize,
    /// How many of them have the same verdict.
    pub same_verdict: usize,
    /// Largest relative difference of a dimensionless value within a pair, with its gauge.
    pub apart: Option<(f64, String)>,
}

/// Works out how the trials of a sweep collapse; one entry a scene and engine that has such pairs.
pub fn collapse(trials: &[TrialDocument]) -> Vec<Collapse> {
    // What differs in size and step alone; in a large grid that is a few trials.
    type Group<'a> = (&'a str, &'a str, Vec<(&'a str, &'a str)>, &'a BTreeMap<String, String>, u64, usize);
    let size = |trial: &TrialDocument| trial.conditions.get("size").cloned().unwrap_or_default();
    let mut groups: BTreeMap<Group<'_>, Vec<usize>> = BTreeMap::new();
    let mut group_of: Vec<Group<'_>> = Vec::with_capacity(trials.len());
    for (number, trial) in trials.iter().enumerate() {
        let rest = trial.conditions.iter().filter(|(name, _)| *name != "size");
        let rest = rest.map(|(name, value)| (name.as_str(), value.as_str())).collect();
        let group: Group<'_> = (&trial.scene, &trial.engine, rest, &trial.set, trial.seed, trial.threads);
        groups.entry(group.clone()).or_default().push(number);
        group_of.push(group);
    }
    let mut found: Vec<Collapse> = Vec::new();
    for (number, a) in trials.iter().enumerate() {
        let together = groups.get(&group_of[number]).map_or(&[][..], Vec::as_slice);
        for b in together.iter().filter(|&&other| other > number).map(|&other| &trials[other]) {
            if size(a) == size(b) {
                continue;
            }
            let (Some(p), Some(q)) = (a.dimensionless_dt, b.dimensionless_dt) else { continue };
            if (p / q - 1.0).abs() > 1e-6 {
                continue;
            }
            let place = found.iter().position(|entry| entry.scene == a.scene && entry.engine == a.engine);
            let place = place.unwrap_or_else(|| {
                let (scene, engine) = (a.scene.clone(), a.engine.clone());
                found.push(Collapse { scene, engine, pairs: 0, same_verdict: 0, apart: None });
                found.len() - 1
            });
            compare_pair(&mut found[place], a, b);
        }
    }
    found
}

fn compare_pair(entry: &mut Collapse, a: &TrialDocument, b: &TrialDocument) {
    entry.pairs += 1;
    entry.same_verdict += usize::from(a.verdict == b.verdict);
    for (p, q) in a.claims.iter().zip(&b.claims) {
        let (Some(x), Some(y)) = (p.dimensionless.or(p.measured), q.dimensionless.or(q.measured)) else {
            continue;
        };
        let apart = if x == y { 0.0 } else { (x - y).abs() / x.abs().max(y.abs()) };
        if entry.apart.as_ref().is_none_or(|worst| apart > worst.0) {
            entry.apart = Some((apart, p.gauge.clone()));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn claims_about_powers_and_order_are_judged() {
        let points = [(1.0, 1.0), (2.0, 4.0), (4.0, 16.0)];
        let line = Some((2.0, 0.01));
        let verdict = |shape| judge(Some(shape), &points, line).0;
        assert_eq!(verdict(SeriesShape::FallsWithOrder(2.0)), Verdict::Pass);
        assert_eq!(verdict(SeriesShape::FallsWithOrder(2.1)), Verdict::Fail);
        assert_eq!(verdict(SeriesShape::GrowsAtMost(2.0)), Verdict::Pass);
        assert_eq!(verdict(SeriesShape::GrowsAtMost(1.5)), Verdict::Fail);
        assert_eq!(verdict(SeriesShape::OnlyRises), Verdict::Pass);
        assert_eq!(verdict(SeriesShape::OnlyFalls), Verdict::Fail);
        assert_eq!(judge(Some(SeriesShape::GrowsAtMost(1.0)), &points[..2], None).0, Verdict::Unsupported);
    }
}
