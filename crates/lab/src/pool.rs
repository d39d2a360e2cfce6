//! Independent runs pooled: the values of trials that differ by their seed alone, held against the law together.

use crate::document::trial::TrialDocument;
use ironspin_gauge::{GaugeEntry, judge, pooled_reading};
use ironspin_model::{Bound, Severity, Verdict};
use std::collections::BTreeMap;

/// A claim about the values of several trials together.
#[derive(Clone, Debug)]
pub struct PooledClaim {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Length of a step as typed.
    pub dt: String,
    /// The seeds, in the order of the trials.
    pub seeds: Vec<u64>,
    /// The gauge that measured it.
    pub gauge: &'static GaugeEntry,
    /// The bodies measured, as the scene names them.
    pub of_text: String,
    /// The bound, as the first of the trials has it.
    pub bound: Bound,
    /// What a failure weighs.
    pub severity: Severity,
    /// The value over all values of all trials.
    pub measured: Option<f64>,
    /// How it turned out.
    pub verdict: Verdict,
    /// How many values there were, and more.
    pub detail: String,
    /// Why the value should not be trusted too far.
    pub warnings: Vec<String>,
}

impl PooledClaim {
    /// Whether this failure fails the run.
    pub fn decides(&self) -> bool {
        self.verdict == Verdict::Fail && self.severity == Severity::Must
    }
}

/// Everything about a trial but its seed and what came of it.
fn group(trial: &TrialDocument) -> String {
    let parts =
        (&trial.scene, &trial.engine, &trial.dt_text, &trial.conditions, &trial.set, trial.threads, trial.repeat);
    format!("{parts:?}")
}

/// Pools the claims of trials that keep the values of a law and differ by their seed alone; in the order of the trials.
pub(crate) fn pool_documents(trials: &[TrialDocument]) -> Vec<PooledClaim> {
    let mut places: BTreeMap<String, usize> = BTreeMap::new();
    let mut groups: Vec<Vec<&TrialDocument>> = Vec::new();
    for trial in trials.iter().filter(|trial| trial.claims.iter().any(|claim| !claim.samples.is_empty())) {
        let place = *places.entry(group(trial)).or_insert(groups.len());
        if place == groups.len() {
            groups.push(Vec::new());
        }
        groups[place].push(trial);
    }
    let several = groups.iter().filter(|together| together.len() > 1);
    several.flat_map(|together| (0..together[0].claims.len()).filter_map(|claim| pool_claim(together, claim))).collect()
}

fn pool_claim(trials: &[&TrialDocument], index: usize) -> Option<PooledClaim> {
    let with: Vec<_> = trials.iter().filter_map(|trial| Some((trial, trial.claims.get(index)?))).collect();
    let (trial, claim) = with.first()?;
    let values: Vec<f64> = with.iter().flat_map(|(_, claim)| claim.samples.iter().copied()).collect();
    if values.is_empty() {
        return None;
    }
    let gauge = ironspin_gauge::find(&claim.gauge)?;
    let reading = pooled_reading(gauge.name, &values, claim.law.as_ref())?;
    let outcome = judge(gauge, &reading, &claim.bound);
    Some(PooledClaim {
        scene: trial.scene.clone(),
        engine: trial.engine.clone(),
        dt: trial.dt_text.clone(),
        seeds: with.iter().map(|(trial, _)| trial.seed).collect(),
        gauge,
        of_text: claim.of.clone(),
        bound: claim.bound,
        severity: claim.severity,
        measured: reading.value,
        verdict: outcome.verdict,
        detail: outcome.reason,
        warnings: reading.warnings,
    })
}
