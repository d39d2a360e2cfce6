//! How trials turned out, in memory.

use crate::plan::TrialPlan;
use crate::probes::ProbeRecord;
use crate::recording::Recording;
use ironspin_gauge::{Exhibit, GaugeEntry, Moment};
use ironspin_model::{Bound, Claim, EngineInfo, Verdict, World};
use std::path::PathBuf;

/// One claim and how it turned out.
#[derive(Clone, Debug)]
pub struct ClaimRecord {
    /// What was claimed.
    pub claim: Claim,
    /// The gauge that measured it.
    pub gauge: &'static GaugeEntry,
    /// The value in the gauge's unit; absent when nothing could be measured.
    pub measured: Option<f64>,
    /// How much of the bound is used up: above 1 where it is broken.
    pub used: f64,
    /// How it turned out.
    pub verdict: Verdict,
    /// Where, when, which body.
    pub detail: String,
    /// Why the value should not be trusted too far.
    pub warnings: Vec<String>,
    /// The values that a law is held against, to be pooled with those of other trials; empty for most gauges.
    pub samples: Vec<f64>,
    /// Where to look, when there is one such moment.
    pub moment: Option<Moment>,
    /// Time from which the value was past its bound for good, s, as far as the samples of the recording show.
    pub since: Option<f64>,
    /// What there is to draw beside the value.
    pub exhibit: Option<Exhibit>,
    /// The value so far at the samples of the recording; not-a-number where there was none.
    pub track: Vec<f64>,
}

impl ClaimRecord {
    /// Whether it was measured without a bound, in a scene that claims nothing.
    pub fn only_tells(&self) -> bool {
        self.claim.bound == Bound::None
    }

    /// Whether this claim must hold and its gauge cannot measure such a scene.
    pub fn is_unsupported(&self) -> bool {
        self.verdict == Verdict::Unsupported && self.claim.severity == ironspin_model::Severity::Must
    }

    /// The verdict of a trial with these claims, and why when it is unsupported.
    pub(crate) fn sum(claims: &[ClaimRecord]) -> (Verdict, String) {
        if claims.iter().any(ClaimRecord::decides) {
            return (Verdict::Fail, String::new());
        }
        if let Some(claim) = claims.iter().find(|claim| claim.is_unsupported()) {
            return (Verdict::Unsupported, format!("{}: {}", claim.claim.title(), claim.detail));
        }
        let mut must = claims.iter().filter(|claim| claim.claim.severity == ironspin_model::Severity::Must);
        match must.clone().find(|claim| claim.verdict == Verdict::Unknown) {
            // Nothing is known to hold: no reason to pass.
            Some(claim) if !must.any(|claim| claim.verdict == Verdict::Pass && !claim.only_tells()) => {
                (Verdict::Unknown, format!("{}: {}", claim.claim.title(), claim.detail))
            }
            _ => (Verdict::Pass, String::new()),
        }
    }

    /// Whether this failure fails the trial.
    pub fn decides(&self) -> bool {
        self.verdict == Verdict::Fail && self.claim.severity == ironspin_model::Severity::Must
    }
}

/// One trial and how it turned out.
#[derive(Clone, Debug)]
pub struct TrialRecord {
    /// What was to be run.
    pub plan: TrialPlan,
    /// What the engine says about itself.
    pub engine_info: Option<EngineInfo>,
    /// Steps that were done.
    pub steps: u64,
    /// How it turned out.
    pub verdict: Verdict,
    /// Why, in a sentence, when it is not a pass.
    pub reason: String,
    /// All claims in the order of the scene; empty when the engine failed.
    pub claims: Vec<ClaimRecord>,
    /// Rays and forecasts, in the order of their times.
    pub probes: Vec<ProbeRecord>,
    /// Work of the forces that the bench hands over, beyond the change of their potential, J: the error of the bench itself. Nothing without such forces,
    /// or where they have no potential.
    pub force_error: Option<f64>,
    /// What pictures and plots are drawn from.
    pub recording: Recording,
    /// Where the frames were kept, or why they could not be, if they were to be.
    pub trace: Option<Result<PathBuf, String>>,
    /// Why a first try failed, in a process that had run other trials before; this is what came of a second one in a new process.
    pub retried: Option<String>,
    /// Time that the trial took, s. Never part of a verdict.
    pub seconds: f64,
}

impl TrialRecord {
    /// Whether its scene claims nothing, so that its figures are all there is to see.
    pub fn only_tells(&self) -> bool {
        let told = !self.claims.is_empty() && self.claims.iter().all(ClaimRecord::only_tells);
        self.verdict == Verdict::Pass && told
    }

    /// Name of the scene.
    pub fn scene(&self) -> &str {
        &self.plan.setup.name
    }

    /// The engine as it was named.
    pub fn engine(&self) -> &str {
        self.plan.engine.text()
    }

    /// The world that was built.
    pub fn world(&self) -> &World {
        &self.plan.setup.world
    }

    /// The claim that decided: the first one broken, when none is broken the first claim of the scene. A scene says first what it is about; how
    /// far a value is past its bound tells nothing beside claims in other units.
    pub fn deciding(&self) -> Option<&ClaimRecord> {
        self.claims.iter().find(|claim| claim.decides()).or_else(|| self.claims.first())
    }

    /// How many claims hold, and how many there are. What has no bound claims nothing.
    pub fn tally(&self) -> (usize, usize) {
        let claims = || self.claims.iter().filter(|claim| !claim.only_tells());
        (claims().filter(|claim| claim.verdict == Verdict::Pass).count(), claims().count())
    }

    /// What was measured without a bound.
    pub fn reported(&self) -> impl Iterator<Item = &ClaimRecord> {
        self.claims.iter().filter(|claim| claim.only_tells())
    }
}
