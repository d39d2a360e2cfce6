//! What overlaps sensors, and the notices that come of it.

use ironspin_model::{SensorEvent, SensorEventKind};

/// A sensor part and a solid part: body and part of each.
pub(crate) type Overlap = ([usize; 2], [usize; 2]);

/// How a sensor and a solid part stand to each other at the end of a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Meeting {
    /// They overlap.
    Now,
    /// They did within the step.
    Between,
    Not,
}

/// Remembers what overlaps each sensor.
#[derive(Clone, Debug, Default)]
pub(crate) struct Overlaps {
    /// Sorted.
    inside: Vec<Overlap>,
    found: Vec<Overlap>,
    /// What was entered and left within the step.
    passed: Vec<Overlap>,
    /// Notices not yet handed over.
    pub(crate) events: Vec<SensorEvent>,
}

impl Overlaps {
    /// Begins to look at the end of a step.
    pub(crate) fn begin(&mut self) {
        self.found.clear();
        self.passed.clear();
    }

    pub(crate) fn note(&mut self, pair: Overlap, meeting: Meeting) {
        match meeting {
            Meeting::Now => self.found.push(pair),
            Meeting::Between => self.passed.push(pair),
            Meeting::Not => {}
        }
    }

    /// Compares what overlaps now with what did before.
    pub(crate) fn end(&mut self, step: u64) {
        for list in [&mut self.found, &mut self.passed] {
            list.sort_unstable();
            list.dedup();
        }
        let notice = |kind, &(sensor, other): &Overlap| SensorEvent { step, kind, sensor, other };
        for pair in self.inside.iter().filter(|pair| self.found.binary_search(pair).is_err()) {
            self.events.push(notice(SensorEventKind::Leave, pair));
        }
        for pair in self.found.iter().filter(|pair| self.inside.binary_search(pair).is_err()) {
            self.events.push(notice(SensorEventKind::Enter, pair));
        }
        let known = |pair: &&Overlap| self.found.binary_search(pair).is_ok() || self.inside.binary_search(pair).is_ok();
        for pair in self.passed.iter().filter(|pair| !known(pair)) {
            self.events.push(notice(SensorEventKind::Enter, pair));
            self.events.push(notice(SensorEventKind::Leave, pair));
        }
        std::mem::swap(&mut self.inside, &mut self.found);
    }
}
