//! Results as they stand on disk. Kept apart from what is in memory, so that the form on disk changes only on purpose.

mod manifest;
pub(crate) mod trial;

pub use manifest::{Host, Manifest, program_hash};
pub use trial::{ClaimDocument, TrialDocument};

use crate::pool::{PooledClaim, pool_documents};
use crate::record::TrialRecord;
use crate::twins::{TwinDocument, TwinRecord, TwinsDocument};
use ironspin_model::{Bound, Severity, Verdict};
use serde::{Deserialize, Serialize};

/// Name and version of the form. Version 1 is the first: version, tool, summary, trials with their claims; `timing` in
/// a field of its own that may be left out.
pub const FORMAT: &str = "ironspin.result/1";

/// A result file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ResultDocument {
    /// [`FORMAT`].
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// How many trials turned out how.
    pub summary: Summary,
    /// The trials, in the order of the plan.
    pub trials: Vec<TrialDocument>,
    /// Claims about the values of trials that differ by their seed alone.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pooled: Vec<PooledDocument>,
    /// Twins of the trials, where they were run along.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub twins: Vec<TwinDocument>,
}

/// A claim about the values of several trials together.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct PooledDocument {
    scene: String,
    engine: String,
    dt_text: String,
    seeds: Vec<u64>,
    gauge: String,
    of: String,
    /// `null` when nothing could be measured.
    measured: Option<f64>,
    bound: Bound,
    verdict: Verdict,
    severity: Severity,
    detail: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    warnings: Vec<String>,
}

impl PooledDocument {
    /// Whether this failure fails the run.
    pub fn decides(&self) -> bool {
        self.verdict == Verdict::Fail && self.severity == Severity::Must
    }

    pub(crate) fn of(pooled: PooledClaim) -> Self {
        PooledDocument {
            scene: pooled.scene,
            engine: pooled.engine,
            dt_text: pooled.dt,
            seeds: pooled.seeds,
            gauge: pooled.gauge.name.to_owned(),
            of: pooled.of_text,
            measured: pooled.measured,
            bound: pooled.bound,
            verdict: pooled.verdict,
            severity: pooled.severity,
            detail: pooled.detail,
            warnings: pooled.warnings,
        }
    }
}

/// The program that wrote a file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tool {
    /// `ironspin`.
    pub name: String,
    /// Its version.
    pub version: String,
}

impl Tool {
    /// This program.
    pub fn this() -> Self {
        Tool { name: "ironspin".to_owned(), version: env!("CARGO_PKG_VERSION").to_owned() }
    }
}

/// How many trials turned out how.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Summary {
    /// All of them.
    pub trials: usize,
    /// Every claim that must hold holds.
    pub pass: usize,
    /// Measured in a scene that claims nothing.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub measured: usize,
    /// A claim that must hold does not.
    pub fail: usize,
    /// The engine lacks a feature.
    pub unsupported: usize,
    /// No claim is known to hold, and none is known to fail.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub unknown: usize,
    /// The engine failed.
    pub error: usize,
}

// Documents of engines that can be told are what they were.
#[expect(clippy::trivially_copy_pass_by_ref, reason = "as the derive calls it")]
fn is_nothing(count: &usize) -> bool {
    *count == 0
}

impl Summary {
    /// Counts trials by their verdicts.
    pub fn of(records: &[TrialRecord]) -> Self {
        let mut summary = Summary::default();
        records.iter().for_each(|record| summary.add(record.verdict, record.only_tells()));
        summary
    }

    /// Counts trials by their verdicts.
    pub fn count<'a>(trials: impl Iterator<Item = &'a TrialDocument>) -> Self {
        let mut summary = Summary::default();
        trials.for_each(|trial| summary.add(trial.verdict, trial.only_tells()));
        summary
    }

    /// One more trial; one whose scene claims nothing is no pass.
    pub fn add(&mut self, verdict: Verdict, only_tells: bool) {
        self.trials += 1;
        match only_tells {
            true => self.measured += 1,
            false => *self.count_of(verdict) += 1,
        }
    }

    /// How many turned out so.
    pub fn of_verdict(mut self, verdict: Verdict) -> usize {
        *self.count_of(verdict)
    }

    fn count_of(&mut self, verdict: Verdict) -> &mut usize {
        match verdict {
            Verdict::Pass => &mut self.pass,
            Verdict::Fail => &mut self.fail,
            Verdict::Unsupported => &mut self.unsupported,
            Verdict::Unknown => &mut self.unknown,
            Verdict::Error => &mut self.error,
        }
    }
}

impl ResultDocument {
    /// With twins that were run along.
    #[must_use]
    pub fn with_twins(mut self, records: &[TwinRecord]) -> Self {
        self.twins = TwinsDocument::of(records).twins;
        self
    }

    /// The document of some trials; `timing` says whether how long they took is in it.
    pub fn of(records: &[TrialRecord], timing: bool) -> Self {
        ResultDocument::joined(records.iter().map(|record| TrialDocument::of(record, timing)).collect())
    }

    /// The document of trials that may have been written before.
    pub fn joined(mut trials: Vec<TrialDocument>) -> Self {
        let pooled = pool_documents(&trials).into_iter().map(PooledDocument::of).collect();
        trials.iter_mut().for_each(TrialDocument::drop_samples);
        ResultDocument {
            format: FORMAT.to_owned(),
            tool: Tool::this(),
            summary: Summary::count(trials.iter()),
            trials,
            pooled,
            twins: Vec::new(),
        }
    }
}

/// Pools the claims of trials that keep the values of a law and differ by their seed alone; in the order of the trials.
pub fn pool(records: &[TrialRecord]) -> Vec<PooledClaim> {
    let keeps = |record: &&TrialRecord| record.claims.iter().any(|claim| !claim.samples.is_empty());
    let documents: Vec<_> = records.iter().filter(keeps).map(|record| TrialDocument::of(record, false)).collect();
    pool_documents(&documents)
}
