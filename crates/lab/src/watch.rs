//! A gauge with the window of its claim.

use crate::record::ClaimRecord;
use ironspin_gauge::{Gauge, GaugeEntry, News, Scope, View, judge};
use ironspin_model::{Claim, Scalar, Verdict, World};

pub(crate) struct Watch {
    claim: Claim,
    entry: &'static GaugeEntry,
    gauge: Box<dyn Gauge>,
    /// Whether the frame before lay in the window.
    inside: bool,
}

impl Watch {
    /// `None` for a gauge that does not exist.
    pub(crate) fn new(claim: &Claim, world: &World) -> Option<Self> {
        let entry = ironspin_gauge::find(&claim.gauge)?;
        let scope = Scope { of: claim.of.clone(), against: claim.against.clone(), details: claim.details.clone() };
        Some(Watch { gauge: (entry.make)(world, &scope), claim: claim.clone(), entry, inside: false })
    }

    /// Whether the gauge asks where outlines are.
    pub(crate) fn looks(&self) -> bool {
        self.entry.looks
    }

    pub(crate) fn observe(&mut self, view: &View<'_>) {
        let inside = self.claim.window.contains(view.now.time);
        if inside {
            let before = view.before.filter(|_| self.inside);
            self.gauge.observe(&View { before, ..*view });
        }
        self.inside = inside;
    }

    /// What came of a question that was asked at a time.
    pub(crate) fn hear(&mut self, world: &World, asked: f64, news: &News<'_>) {
        if self.claim.window.contains(asked) {
            self.gauge.hear(world, news);
        }
    }

    pub(crate) fn finish(mut self, world: &World, scalar: Scalar) -> ClaimRecord {
        if let (Scalar::F32, Some(bound)) = (scalar, self.claim.single.take()) {
            self.claim.bound = bound;
        }
        let reading = self.gauge.reading(world);
        let outcome = judge(&reading, &self.claim.bound, self.entry.counts);
        let used = reading.value.map_or(f64::INFINITY, |value| self.claim.bound.used(value));
        let verdict = outcome.verdict;
        debug_assert!(verdict != Verdict::Fail || used > 1.0);
        ClaimRecord {
            claim: self.claim,
            gauge: self.entry,
            measured: reading.value,
            used,
            verdict,
            detail: outcome.reason,
            warnings: reading.warnings,
            samples: reading.samples,
        }
    }
}
