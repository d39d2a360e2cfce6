//! One trial as it stands on disk.

use crate::probes::{Answer, ProbeRecord};
use crate::record::{ClaimRecord, TrialRecord};
use crate::scaling::dimensionless;
use ironspin_model::{Bound, DVec3, Law, Severity, Verdict, title_of};
use ironspin_scene::{Parameter, Question};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One trial.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialDocument {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Its version.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub engine_version: Option<String>,
    /// Its options with the values in force.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub engine_options: BTreeMap<String, String>,
    /// Length of a step, s.
    pub dt: f64,
    /// The same as typed.
    pub dt_text: String,
    /// The step over the time in which something falls by its own size: dt sqrt(g / L), L the smallest size of a body that moves.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dimensionless_dt: Option<f64>,
    /// Seed.
    pub seed: u64,
    /// Threads allowed to the engine.
    pub threads: usize,
    /// Everything unusual about the conditions: option and value as typed.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub conditions: BTreeMap<String, String>,
    /// Which of several equal runs it is; left out for the first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub repeat: Option<u32>,
    /// Parameters that were set, as typed.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub set: BTreeMap<String, String>,
    /// All parameters with their values.
    pub parameters: BTreeMap<String, f64>,
    /// Number of bodies.
    pub bodies: usize,
    /// Steps done.
    pub steps: u64,
    /// How it turned out.
    pub verdict: Verdict,
    /// Why, when no claim says so.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
    /// Why a first try failed, in a process that had run other trials before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub retried: Option<String>,
    /// Work of the forces that the bench hands over beyond the change of their potential, J: its own error.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub force_error: Option<f64>,
    /// The claims.
    pub claims: Vec<ClaimDocument>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    rays: Vec<RayDocument>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    forecasts: Vec<ForecastDocument>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    timing: Option<Timing>,
    /// The arguments that run it again.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub again: Vec<String>,
}

/// A ray that was cast.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct RayDocument {
    time: f64,
    from: [f64; 2],
    to: [f64; 2],
    /// `null` when nothing was hit.
    hit: Option<HitDocument>,
}

/// Where a ray hit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct HitDocument {
    body: String,
    point: [f64; 2],
    normal: [f64; 2],
    distance: f64,
}

/// A forecast, held against what then happened.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct ForecastDocument {
    time: f64,
    ahead: f64,
    bodies: usize,
    /// Largest distance of a body from its forecast, m; `null` when the trial ended before.
    worst: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    worst_body: Option<String>,
}

/// How long a trial took; differs from run to run.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Timing {
    seconds: f64,
}

/// One claim.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClaimDocument {
    /// Its name; left out where it has none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// Name of the gauge.
    pub gauge: String,
    /// Its unit.
    pub unit: String,
    /// The bodies measured, as the scene names them.
    pub of: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    against: Vec<String>,
    window: [Option<f64>; 2],
    /// The bound.
    pub bound: Bound,
    /// `null` when nothing could be measured.
    pub measured: Option<f64>,
    /// The value in units of the smallest moving body, of gravity and of the time of falling by that size, where it has a dimension.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dimensionless: Option<f64>,
    /// How it turned out.
    pub verdict: Verdict,
    /// What a failure weighs.
    pub severity: Severity,
    /// Where, when, which body.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub detail: String,
    /// Time from which a broken claim was past its bound for good, s; known to 1/400 of the trial.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<f64>,
    /// Why the value should not be trusted too far.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub warnings: Vec<String>,
    /// Why the bound is what it is.
    pub because: String,
    /// The law that values must follow. In files of single trials only.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) law: Option<Law>,
    /// The values that a law is held against. In files of single trials only.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) samples: Vec<f64>,
}

impl ClaimDocument {
    /// What it is called: by its name with the gauge, or by the gauge alone.
    pub fn title(&self) -> String {
        title_of(&self.name, &self.gauge)
    }

    /// Whether it was measured without a bound, in a scene that claims nothing.
    pub fn only_tells(&self) -> bool {
        self.bound == Bound::None
    }

    /// Whether this failure fails the trial.
    pub fn decides(&self) -> bool {
        self.verdict == Verdict::Fail && self.severity == Severity::Must
    }

    /// How much of the bound is used up: above 1 where it is broken.
    pub fn used(&self) -> f64 {
        self.measured.map_or(f64::INFINITY, |measured| self.bound.used(measured))
    }
}

impl TrialDocument {
    /// The document of a trial; `timing` says whether how long it took is in it.
    pub fn of(record: &TrialRecord, timing: bool) -> TrialDocument {
        let info = record.engine_info.as_ref();
        let options = info.map(|info| info.options.iter().map(|o| (o.name.clone(), o.value.clone())).collect());
        let conditions = &record.plan.conditions;
        let unusual = conditions.unusual().into_iter().filter(|(name, _)| !["seed", "threads"].contains(name));
        TrialDocument {
            scene: record.plan.setup.name.clone(),
            engine: record.engine().to_owned(),
            engine_version: info.map(|info| info.version.clone()),
            engine_options: options.unwrap_or_default(),
            dt: conditions.dt.seconds,
            dt_text: conditions.dt.text.clone(),
            dimensionless_dt: dimensionless(conditions.scene_dt(), "s", record.world()),
            seed: conditions.seed,
            threads: conditions.threads,
            conditions: unusual.map(|(name, value)| (name.to_owned(), value)).collect(),
            repeat: (conditions.repeat > 1).then_some(conditions.repeat),
            set: record.plan.set.iter().cloned().collect(),
            force_error: record.force_error,
            parameters: record.plan.setup.parameters.iter().flat_map(numbers_of).collect(),
            bodies: record.plan.setup.world.bodies.len(),
            steps: record.steps,
            verdict: record.verdict,
            reason: record.reason.clone(),
            retried: record.retried.clone(),
            claims: record.claims.iter().map(|claim| claim_document(record, claim)).collect(),
            rays: record.probes.iter().filter_map(|probe| ray_document(record, probe)).collect(),
            forecasts: record.probes.iter().filter_map(|probe| forecast_document(record, probe)).collect(),
            timing: timing.then_some(Timing { seconds: record.seconds }),
            again: record.plan.arguments(),
        }
    }

    /// Whether its scene claims nothing, so that its figures are all there is to see.
    pub fn only_tells(&self) -> bool {
        let told = !self.claims.is_empty() && self.claims.iter().all(ClaimDocument::only_tells);
        self.verdict == Verdict::Pass && told
    }

    /// Leaves out what only pooling needs.
    pub(crate) fn drop_samples(&mut self) {
        for claim in &mut self.claims {
            claim.law = None;
            claim.samples = Vec::new();
        }
    }

    /// Leaves out what no map, list of what broke or comparison of sizes asks for.
    pub(crate) fn keep_figures_only(&mut self) {
        self.engine_version = None;
        self.engine_options.clear();
        self.parameters.clear();
        self.rays = Vec::new();
        self.forecasts = Vec::new();
        if self.verdict == Verdict::Pass {
            self.again = Vec::new();
        }
        for claim in self.claims.iter_mut().filter(|claim| claim.verdict != Verdict::Fail) {
            claim.detail = String::new();
            claim.because = String::new();
            claim.against = Vec::new();
            claim.warnings = Vec::new();
        }
    }

    /// The claim that decided: the first one broken, when none is broken the first claim of the scene.
    pub fn deciding(&self) -> Option<&ClaimDocument> {
        self.claims.iter().find(|claim| claim.decides()).or_else(|| self.claims.first())
    }

    /// What is unusual about the conditions in one line, such as `units 1/1024, threads 2`.
    pub fn unusual_text(&self) -> String {
        let mut reported = self.unusual_but_chance();
        if self.seed != 1 {
            reported.push(format!("seed {}", self.seed));
        }
        reported.extend(self.repeat.map(|repeat| format!("run {repeat}")));
        reported.join(", ")
    }

    /// The same without seed and repeat: what trials share that differ by chance alone.
    pub fn unusual_but_chance(&self) -> Vec<String> {
        let mut reported: Vec<String> = self.conditions.iter().map(|(name, value)| format!("{name} {value}")).collect();
        reported.extend(self.set.iter().map(|(name, value)| format!("{name}={value}")));
        if self.threads != 1 {
            reported.push(format!("threads {}", self.threads));
        }
        reported
    }
}

fn ray_document(record: &TrialRecord, probe: &ProbeRecord) -> Option<RayDocument> {
    let (Question::Ray { from, to }, Answer::Ray(hit)) = (&probe.question, &probe.answer) else { return None };
    let flat = |v: DVec3| [v.x, v.y];
    let hit = hit.map(|hit| HitDocument {
        body: record.world().bodies.get(hit.body).map_or_else(String::new, |body| body.name.clone()),
        point: flat(hit.point),
        normal: flat(hit.normal),
        distance: hit.distance,
    });
    Some(RayDocument { time: probe.time, from: flat(*from), to: flat(*to), hit })
}

fn forecast_document(record: &TrialRecord, probe: &ProbeRecord) -> Option<ForecastDocument> {
    let (Question::Forecast { of, .. }, Answer::Forecast { ahead, worst }) = (&probe.question, &probe.answer) else {
        return None;
    };
    Some(ForecastDocument {
        time: probe.time,
        ahead: *ahead,
        bodies: of.len(),
        worst: worst.map(|(worst, _)| worst),
        worst_body: worst.map(|(_, body)| record.world().bodies[body].name.clone()),
    })
}

/// A parameter with its value, or the items of a list one by one.
fn numbers_of(parameter: &Parameter) -> Vec<(String, f64)> {
    match &parameter.values {
        None => vec![(parameter.name.clone(), parameter.value)],
        Some(items) => items.iter().enumerate().map(|(i, item)| (format!("{}[{i}]", parameter.name), *item)).collect(),
    }
}

fn claim_document(record: &TrialRecord, claim: &ClaimRecord) -> ClaimDocument {
    let finite = |time: f64| time.is_finite().then_some(time);
    ClaimDocument {
        name: claim.claim.name.clone(),
        gauge: claim.gauge.name.to_owned(),
        unit: claim.gauge.unit.to_owned(),
        of: claim.claim.of_text.clone(),
        against: claim.claim.against.iter().map(|&id| record.plan.setup.world.bodies[id].name.clone()).collect(),
        window: [finite(claim.claim.window.from), finite(claim.claim.window.to)],
        bound: claim.claim.bound,
        measured: claim.measured,
        dimensionless: claim.measured.and_then(|value| dimensionless(value, claim.gauge.unit, record.world())),
        verdict: claim.verdict,
        severity: claim.claim.severity,
        detail: claim.detail.clone(),
        since: claim.since,
        warnings: claim.warnings.clone(),
        because: claim.claim.because.clone(),
        law: claim.claim.details.law.filter(|_| !claim.samples.is_empty()),
        samples: claim.samples.clone(),
    }
}
