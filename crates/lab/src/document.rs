//! Results as they stand on disk. Kept apart from what is in memory, so that the form on disk changes only on purpose.

use crate::pool::{PooledClaim, pool};
use crate::probes::{Answer, ProbeRecord};
use crate::record::{ClaimRecord, TrialRecord};
use ironspin_model::{Bound, DVec3, Severity, Verdict};
use ironspin_scene::Question;
use serde::Serialize;
use std::collections::BTreeMap;

/// Name and version of the form. Version 1 is the first: version, tool, summary, trials with their claims; `timing` in
/// a field of its own that may be left out.
pub const FORMAT: &str = "ironspin.result/1";

/// A result file.
#[derive(Clone, Debug, Serialize)]
pub struct ResultDocument {
    /// [`FORMAT`].
    pub format: &'static str,
    /// The program that wrote it.
    pub tool: Tool,
    /// How many trials turned out how.
    pub summary: Summary,
    /// The trials, in the order of the plan.
    pub trials: Vec<TrialDocument>,
    /// Claims about the values of trials that differ by their seed alone.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub pooled: Vec<PooledDocument>,
}

/// A claim about the values of several trials together.
#[derive(Clone, Debug, Serialize)]
pub struct PooledDocument {
    scene: String,
    engine: String,
    dt_text: String,
    seeds: Vec<u64>,
    gauge: &'static str,
    of: String,
    /// `null` when nothing could be measured.
    measured: Option<f64>,
    bound: Bound,
    verdict: Verdict,
    severity: Severity,
    detail: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    warnings: Vec<String>,
}

impl PooledDocument {
    fn of(pooled: PooledClaim) -> Self {
        PooledDocument {
            scene: pooled.scene,
            engine: pooled.engine,
            dt_text: pooled.dt,
            seeds: pooled.seeds,
            gauge: pooled.gauge.name,
            of: pooled.claim.of_text,
            measured: pooled.measured,
            bound: pooled.claim.bound,
            verdict: pooled.verdict,
            severity: pooled.claim.severity,
            detail: pooled.detail,
            warnings: pooled.warnings,
        }
    }
}

/// The program that wrote a file.
#[derive(Clone, Debug, Serialize)]
pub struct Tool {
    /// `ironspin`.
    pub name: &'static str,
    /// Its version.
    pub version: &'static str,
}

impl Tool {
    fn this() -> Self {
        Tool { name: "ironspin", version: env!("CARGO_PKG_VERSION") }
    }
}

/// How many trials turned out how.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Summary {
    /// All of them.
    pub trials: usize,
    /// Every claim that must hold holds.
    pub pass: usize,
    /// A claim that must hold does not.
    pub fail: usize,
    /// The engine lacks a feature.
    pub unsupported: usize,
    /// The engine failed.
    pub error: usize,
}

impl Summary {
    /// Counts verdicts.
    pub fn of(records: &[TrialRecord]) -> Self {
        let count = |verdict| records.iter().filter(|record| record.verdict == verdict).count();
        Summary {
            trials: records.len(),
            pass: count(Verdict::Pass),
            fail: count(Verdict::Fail),
            unsupported: count(Verdict::Unsupported),
            error: count(Verdict::Error),
        }
    }
}

/// One trial.
#[derive(Clone, Debug, Serialize)]
pub struct TrialDocument {
    scene: String,
    engine: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    engine_version: Option<String>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    engine_options: BTreeMap<String, String>,
    dt: f64,
    dt_text: String,
    seed: u64,
    threads: usize,
    parameters: BTreeMap<String, f64>,
    bodies: usize,
    steps: u64,
    verdict: Verdict,
    #[serde(skip_serializing_if = "String::is_empty")]
    reason: String,
    claims: Vec<ClaimDocument>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    rays: Vec<RayDocument>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    forecasts: Vec<ForecastDocument>,
    #[serde(skip_serializing_if = "Option::is_none")]
    timing: Option<Timing>,
}

/// A ray that was cast.
#[derive(Clone, Debug, Serialize)]
struct RayDocument {
    time: f64,
    from: [f64; 2],
    to: [f64; 2],
    /// `null` when nothing was hit.
    hit: Option<HitDocument>,
}

/// Where a ray hit.
#[derive(Clone, Debug, Serialize)]
struct HitDocument {
    body: String,
    point: [f64; 2],
    normal: [f64; 2],
    distance: f64,
}

/// A forecast, held against what then happened.
#[derive(Clone, Debug, Serialize)]
struct ForecastDocument {
    time: f64,
    ahead: f64,
    bodies: usize,
    /// Largest distance of a body from its forecast, m; `null` when the trial ended before.
    worst: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    worst_body: Option<String>,
}

/// How long a trial took; differs from run to run.
#[derive(Clone, Copy, Debug, Serialize)]
struct Timing {
    seconds: f64,
}

/// One claim.
#[derive(Clone, Debug, Serialize)]
struct ClaimDocument {
    gauge: &'static str,
    unit: &'static str,
    of: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    against: Vec<String>,
    window: [Option<f64>; 2],
    bound: Bound,
    /// `null` when nothing could be measured.
    measured: Option<f64>,
    verdict: Verdict,
    severity: Severity,
    #[serde(skip_serializing_if = "String::is_empty")]
    detail: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    warnings: Vec<String>,
    because: String,
}

impl ResultDocument {
    /// The document of some trials; `timing` says whether how long they took is in it.
    pub fn of(records: &[TrialRecord], timing: bool) -> Self {
        ResultDocument {
            format: FORMAT,
            tool: Tool::this(),
            summary: Summary::of(records),
            trials: records.iter().map(|record| trial(record, timing)).collect(),
            pooled: pool(records).into_iter().map(PooledDocument::of).collect(),
        }
    }
}

fn trial(record: &TrialRecord, timing: bool) -> TrialDocument {
    let info = record.engine_info.as_ref();
    let options = info.map(|info| info.options.iter().map(|o| (o.name.clone(), o.value.clone())).collect());
    TrialDocument {
        scene: record.plan.setup.name.clone(),
        engine: record.engine().to_owned(),
        engine_version: info.map(|info| info.version.clone()),
        engine_options: options.unwrap_or_default(),
        dt: record.plan.conditions.dt.seconds,
        dt_text: record.plan.conditions.dt.text.clone(),
        seed: record.plan.conditions.seed,
        threads: record.plan.conditions.threads,
        parameters: record.plan.setup.parameters.iter().map(|p| (p.name.clone(), p.value)).collect(),
        bodies: record.plan.setup.world.bodies.len(),
        steps: record.steps,
        verdict: record.verdict,
        reason: record.reason.clone(),
        claims: record.claims.iter().map(|claim| claim_document(record, claim)).collect(),
        rays: record.probes.iter().filter_map(|probe| ray_document(record, probe)).collect(),
        forecasts: record.probes.iter().filter_map(|probe| forecast_document(record, probe)).collect(),
        timing: timing.then_some(Timing { seconds: record.seconds }),
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

fn claim_document(record: &TrialRecord, claim: &ClaimRecord) -> ClaimDocument {
    let finite = |time: f64| time.is_finite().then_some(time);
    ClaimDocument {
        gauge: claim.gauge.name,
        unit: claim.gauge.unit,
        of: claim.claim.of_text.clone(),
        against: claim.claim.against.iter().map(|&id| record.plan.setup.world.bodies[id].name.clone()).collect(),
        window: [finite(claim.claim.window.from), finite(claim.claim.window.to)],
        bound: claim.claim.bound,
        measured: claim.measured,
        verdict: claim.verdict,
        severity: claim.claim.severity,
        detail: claim.detail.clone(),
        warnings: claim.warnings.clone(),
        because: claim.claim.because.clone(),
    }
}

/// What made a run folder: version, command, machine, time. Differs from run to run.
#[derive(Clone, Debug, Serialize)]
pub struct Manifest {
    format: &'static str,
    tool: Tool,
    command: Vec<String>,
    host: Host,
    /// SHA-256 of each scene's text.
    scenes: BTreeMap<String, String>,
    seconds: f64,
}

#[derive(Clone, Debug, Serialize)]
struct Host {
    os: &'static str,
    arch: &'static str,
    cores: usize,
}

impl Manifest {
    /// Describes a run by its command line, its scenes and the time it took.
    pub fn new(command: Vec<String>, records: &[TrialRecord], seconds: f64) -> Self {
        use sha2::{Digest, Sha256};
        let hash =
            |text: &str| Sha256::digest(text.as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect::<String>();
        Manifest {
            format: "ironspin.manifest/1",
            tool: Tool::this(),
            command,
            host: Host {
                os: std::env::consts::OS,
                arch: std::env::consts::ARCH,
                cores: std::thread::available_parallelism().map_or(1, usize::from),
            },
            scenes: records
                .iter()
                .map(|record| (record.plan.setup.name.clone(), hash(&record.plan.setup.text)))
                .collect(),
            seconds,
        }
    }
}
