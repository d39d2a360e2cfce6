//! A fault at work around the steps of a world.

use super::{FaultEntry, Lengths, Meddled, Slip, Told, Way};
use ironspin_model::{BodyKind, BodyState, DVec3, Deed, Frame, World};

/// What a fault remembers of a world that is stepped.
#[derive(Clone, Debug)]
pub(crate) struct Spoiler {
    entry: &'static FaultEntry,
    size: f64,
    kinds: Vec<BodyKind>,
    first: Option<f64>,
    /// States before the step, as they are.
    before: Vec<BodyState>,
    /// States after the step before, as they are.
    last: Vec<BodyState>,
}

impl Spoiler {
    /// Only for faults that are made around a step.
    pub(crate) fn new(entry: &'static FaultEntry, size: f64, world: &World) -> Option<Spoiler> {
        let around = matches!(
            entry.way,
            Way::Length(_) | Way::States(_) | Way::Frame(_) | Way::Deeds(_) | Way::Slip(Slip::DeedsLate)
        );
        let kinds = world.bodies.iter().map(|body| body.kind).collect();
        around.then(|| Spoiler { entry, size, kinds, first: None, before: Vec::new(), last: Vec::new() })
    }

    /// The length of the step that is done in place of the one asked for, s.
    pub(crate) fn length(&mut self, asked: f64) -> f64 {
        let first = *self.first.get_or_insert(asked);
        match self.entry.way {
            Way::Length(length) => length(&Lengths { asked, first }, self.size),
            _ => asked,
        }
    }

    /// The deed that is done in place of the one asked for.
    pub(crate) fn deed(&self, deed: &Deed, centre: DVec3) -> Option<Deed> {
        match self.entry.way {
            Way::Deeds(change) => change(deed, centre, self.size),
            _ => Some(deed.clone()),
        }
    }

    /// Remembers the bodies before a step.
    pub(crate) fn begin(&mut self, bodies: Vec<BodyState>) {
        self.before = bodies;
    }

    /// Whether scripted deeds are done a step late.
    pub(crate) fn does_deeds_late(&self) -> bool {
        self.entry.is(Slip::DeedsLate)
    }

    /// Changes what has become of the bodies; those that are changed.
    pub(crate) fn meddle(&self, bodies: &mut [BodyState], dt: f64) -> Vec<usize> {
        let Way::States(change) = self.entry.way else { return Vec::new() };
        let untouched = bodies.to_vec();
        change(&mut Meddled { before: &self.before, now: bodies, kinds: &self.kinds, dt }, self.size);
        (0..bodies.len()).filter(|&body| bodies[body] != untouched[body] && !untouched[body].is_absent()).collect()
    }

    /// Changes what is told of a step.
    pub(crate) fn tell(&mut self, frame: &mut Frame) {
        let Way::Frame(change) = self.entry.way else { return };
        if self.last.is_empty() {
            self.last.clone_from(&self.before);
        }
        let true_now = frame.bodies.clone();
        change(frame, &Told { before: &self.last, kinds: &self.kinds }, self.size);
        self.last = true_now;
    }
}
