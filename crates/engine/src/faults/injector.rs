//! A fault at work around the steps of a world.

use super::{FaultEntry, Hook, Lengths, Meddled, Reported};
use crate::common::injection::InjectionPoint;
use ironspin_model::{BodyKind, BodyState, DVec3, Effect, Frame, World};

/// What a fault remembers of a world that is stepped.
#[derive(Clone, Debug)]
pub(crate) struct FaultInjector {
    entry: &'static FaultEntry,
    size: f64,
    kinds: Vec<BodyKind>,
    first: Option<f64>,
    /// States before the step, as they are.
    before: Vec<BodyState>,
    /// States after the step before, as they are.
    last: Vec<BodyState>,
}

impl FaultInjector {
    /// Only for faults that are made around a step.
    pub(crate) fn new(entry: &'static FaultEntry, size: f64, world: &World) -> Option<FaultInjector> {
        let around = matches!(
            entry.hook,
            Hook::Length(_)
                | Hook::States(_)
                | Hook::Frame(_)
                | Hook::Effects(_)
                | Hook::MidStep(InjectionPoint::ActionsLate)
        );
        let kinds = world.bodies.iter().map(|body| body.kind).collect();
        around.then(|| FaultInjector { entry, size, kinds, first: None, before: Vec::new(), last: Vec::new() })
    }

    /// The length of the step that is done in place of the one asked for, s.
    pub(crate) fn length(&mut self, asked: f64) -> f64 {
        let first = *self.first.get_or_insert(asked);
        match self.entry.hook {
            Hook::Length(length) => length(&Lengths { asked, first }, self.size),
            _ => asked,
        }
    }

    /// The action that is done in place of the one asked for.
    pub(crate) fn effect(&self, effect: &Effect, centre: DVec3) -> Option<Effect> {
        match self.entry.hook {
            Hook::Effects(change) => change(effect, centre, self.size),
            _ => Some(effect.clone()),
        }
    }

    /// Remembers the bodies before a step.
    pub(crate) fn begin(&mut self, bodies: Vec<BodyState>) {
        self.before = bodies;
    }

    /// Whether scripted actions are done a step late.
    pub(crate) fn delays_actions(&self) -> bool {
        self.entry.point() == Some(InjectionPoint::ActionsLate)
    }

    /// Changes what has become of the bodies; those that are changed.
    pub(crate) fn meddle(&self, bodies: &mut [BodyState], dt: f64) -> Vec<usize> {
        let Hook::States(change) = self.entry.hook else { return Vec::new() };
        let untouched = bodies.to_vec();
        change(&mut Meddled { before: &self.before, now: bodies, kinds: &self.kinds, dt }, self.size);
        (0..bodies.len()).filter(|&body| bodies[body] != untouched[body] && !untouched[body].is_absent()).collect()
    }

    /// Changes what is reported of a step.
    pub(crate) fn report(&mut self, frame: &mut Frame) {
        let Hook::Frame(change) = self.entry.hook else { return };
        if self.last.is_empty() {
            self.last.clone_from(&self.before);
        }
        let true_now = frame.bodies.clone();
        change(frame, &Reported { before: &self.last, kinds: &self.kinds }, self.size);
        self.last = true_now;
    }
}
