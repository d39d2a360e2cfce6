//! Independent runs pooled: the values of trials that differ by their seed alone, held against the law together.

use crate::record::{ClaimRecord, TrialRecord};
use ironspin_gauge::{GaugeEntry, judge, pooled_reading};
use ironspin_model::{Claim, Severity, Verdict};

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
    /// The claim, as the first of the trials has it.
    pub claim: Claim,
    /// The gauge that measured it.
    pub gauge: &'static GaugeEntry,
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
        self.verdict == Verdict::Fail && self.claim.severity == Severity::Must
    }
}

/// Whether two trials differ by their seed alone.
fn same_but_for_the_seed(a: &TrialRecord, b: &TrialRecord) -> bool {
    let key = |record: &TrialRecord| {
        let plan = &record.plan;
        (plan.scene.clone(), plan.set.clone(), plan.engine.text().to_owned(), plan.conditions.dt.text.clone())
    };
    key(a) == key(b)
}

/// Every claim about a spread, over all trials that differ by their seed alone and got as far as to measure; nothing where there is one
/// trial only.
pub fn pool(records: &[TrialRecord]) -> Vec<PooledClaim> {
    let mut pooled = Vec::new();
    for (number, first) in records.iter().enumerate() {
        if records[..number].iter().any(|earlier| same_but_for_the_seed(earlier, first)) {
            continue;
        }
        let group: Vec<&TrialRecord> = records.iter().filter(|other| same_but_for_the_seed(first, other)).collect();
        if group.len() < 2 {
            continue;
        }
        for index in 0..first.claims.len() {
            let parts: Vec<(&TrialRecord, &ClaimRecord)> =
                group.iter().filter_map(|record| Some((*record, record.claims.get(index)?))).collect();
            pooled.extend(pool_claim(&parts));
        }
    }
    pooled
}

fn pool_claim(parts: &[(&TrialRecord, &ClaimRecord)]) -> Option<PooledClaim> {
    let (record, claim) = parts.first()?;
    let values: Vec<f64> = parts.iter().flat_map(|(_, claim)| claim.samples.iter().copied()).collect();
    if values.is_empty() {
        return None;
    }
    let reading = pooled_reading(claim.gauge.name, &values, claim.claim.details.law.as_ref())?;
    let outcome = judge(&reading, &claim.claim.bound, claim.gauge.counts);
    Some(PooledClaim {
        scene: record.scene().to_owned(),
        engine: record.engine().to_owned(),
        dt: record.plan.conditions.dt.text.clone(),
        seeds: parts.iter().map(|(record, _)| record.plan.conditions.seed).collect(),
        claim: claim.claim.clone(),
        gauge: claim.gauge,
        measured: reading.value,
        verdict: outcome.verdict,
        detail: outcome.reason,
        warnings: reading.warnings,
    })
}
