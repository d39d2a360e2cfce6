//! A gauge with the window of its claim.

use crate::record::ClaimRecord;
use ironspin_gauge::{Gauge, GaugeEntry, QueryResult, Scope, Step, View, judge};
use ironspin_model::{Bound, Claim, Scalar, Verdict, World};

pub(crate) struct Watch {
    claim: Claim,
    entry: &'static GaugeEntry,
    gauge: Box<dyn Gauge>,
    /// Whether the frame before lay in the window.
    inside: bool,
    /// Its values at the samples of the recording; not-a-number where there is none.
    track: Vec<f64>,
}

impl Watch {
    /// `None` for a gauge that does not exist.
    pub(crate) fn new(claim: &Claim, world: &World) -> Option<Self> {
        let entry = ironspin_gauge::find(&claim.gauge)?;
        let scope = Scope { of: claim.of.clone(), against: claim.against.clone(), details: claim.details.clone() };
        Some(Watch { gauge: entry.begin(world, &scope), claim: claim.clone(), entry, inside: false, track: Vec::new() })
    }

    /// Whether the gauge asks where outlines are.
    pub(crate) fn needs_geometry(&self) -> bool {
        self.entry.needs_geometry
    }

    pub(crate) fn observe(&mut self, view: &View<'_>) {
        let inside = self.claim.window.contains(view.now.time);
        if inside {
            let before = view.before.filter(|_| self.inside);
            self.gauge.observe(&View { step: Step { before, ..view.step }, derived: view.derived });
        }
        self.inside = inside;
    }

    /// Keeps the value so far, as one of a curve over time.
    pub(crate) fn sample(&mut self, world: &World) {
        self.track.push(self.gauge.so_far(world).unwrap_or(f64::NAN));
    }

    /// What came of a question that was asked at a time.
    pub(crate) fn observe_query(&mut self, world: &World, asked: f64, result: &QueryResult<'_>) {
        if self.claim.window.contains(asked) {
            self.gauge.observe_query(world, result);
        }
    }

    /// `times` are those of the recording; the world stands `further` times as far from the origin as it is large.
    pub(crate) fn finish(mut self, world: &World, (scalar, further): (Scalar, f64), times: &[f64]) -> ClaimRecord {
        self.claim.bound = self.claim.bound_for(scalar, further);
        self.claim.single = None;
        let reading = self.gauge.reading(world);
        let outcome = judge(self.entry, &reading, &self.claim.bound);
        let used = reading.value.map_or(f64::INFINITY, |value| self.claim.bound.used(value));
        let verdict = outcome.verdict;
        debug_assert!(verdict != Verdict::Fail || used > 1.0);
        // The last frame is a sample of its own where it fell between two.
        if self.track.len() < times.len() {
            self.sample(world);
        }
        let failed = verdict == Verdict::Fail;
        let since = failed.then(|| broken_since(&self.claim.bound, times, &self.track)).flatten();
        ClaimRecord {
            claim: self.claim,
            gauge: self.entry,
            measured: reading.value,
            used,
            verdict,
            detail: outcome.reason,
            warnings: reading.warnings,
            samples: reading.samples,
            moment: reading.moment,
            since,
            exhibit: self.gauge.exhibit(),
            track: self.track,
        }
    }
}

/// The first of the last samples in a row that are past the bound. Nothing for a bound that is only met in the end, when it never was met.
fn broken_since(bound: &Bound, times: &[f64], track: &[f64]) -> Option<f64> {
    let (mut since, mut held) = (None, matches!(bound, Bound::AtMost(_)));
    for (&time, &value) in times.iter().zip(track).filter(|(_, value)| !value.is_nan()) {
        if bound.holds(value) {
            (since, held) = (None, true);
        } else {
            since.get_or_insert(time);
        }
    }
    since.filter(|_| held)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_claim_is_broken_since_its_bound_was_passed_for_good() {
        let times = [0.0, 1.0, 2.0, 3.0];
        let nan = f64::NAN;
        assert_eq!(broken_since(&Bound::AtMost(1.0), &times, &[nan, 2.0, 0.5, 3.0]), Some(3.0));
        assert_eq!(broken_since(&Bound::AtMost(1.0), &times, &[2.0, 2.0, 2.0, 2.0]), Some(0.0));
        assert_eq!(broken_since(&Bound::AtLeast(1.0), &times, &[1.0, 1.0, 0.9, 0.8]), Some(2.0));
        // It was on its way there.
        assert_eq!(broken_since(&Bound::AtLeast(3.0), &times, &[0.0, 1.0, 1.0, 2.0]), None);
        assert_eq!(broken_since(&Bound::Equals { value: 1.0, within: 0.0 }, &times, &[0.0, 1.0, 2.0, 2.0]), Some(2.0));
        assert_eq!(broken_since(&Bound::AtMost(1.0), &times, &[nan; 4]), None);
    }
}
