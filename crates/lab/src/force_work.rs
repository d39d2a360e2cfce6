//! What the forces that follow the state have done over a trial, against the energy that they are the slope of.

use crate::record::ClaimRecord;
use ironspin_model::{BodyState, DVec3, Dimension, Effect, Frame};
use ironspin_scene::{Setup, StateForce, potential};

/// Adds up the work of the forces as they were handed over to the engine.
pub(crate) struct ForceWork<'a> {
    dimension: Dimension,
    forces: &'a [StateForce],
    work: f64,
    /// The potential in frame 0 and in the last one, J.
    ends: Option<[f64; 2]>,
}

impl<'a> ForceWork<'a> {
    pub(crate) fn new(setup: &'a Setup) -> Self {
        ForceWork { dimension: setup.world.dimension, forces: &setup.forces, work: 0.0, ends: None }
    }

    /// Takes a frame, with the forces that acted over the step before it.
    pub(crate) fn see(&mut self, before: Option<&Frame>, now: &Frame, forces: &[(usize, Effect)]) {
        if self.forces.is_empty() {
            return;
        }
        let stored = potential(self.forces, &now.bodies, now.time);
        let Some(before) = before else {
            self.ends = stored.map(|stored| [stored; 2]);
            return;
        };
        for (id, effect) in forces {
            if let (Some(was), Some(is)) = (before.bodies.get(*id), now.bodies.get(*id))
                && was.is_finite()
                && is.is_finite()
            {
                self.work += self.done(effect, was, is, now.time - before.time);
            }
        }
        self.ends = self.ends.zip(stored).map(|([first, _], stored)| [first, stored]);
    }

    /// Work of a force or torque over a step, J.
    fn done(&self, effect: &Effect, was: &BodyState, is: &BodyState, span: f64) -> f64 {
        let turned = |torque: DVec3| match self.dimension {
            Dimension::Plane => torque.z * (is.pose.angle - was.pose.angle),
            Dimension::Space => torque.dot(0.5 * (was.spin + is.spin)) * span,
        };
        match effect {
            Effect::Force { force, point } => {
                let arm = point.map_or(DVec3::ZERO, |point| point - was.pose.position);
                force.dot(is.pose.position - was.pose.position) + turned(arm.cross(*force))
            }
            Effect::Torque(torque) => turned(*torque),
            _ => 0.0,
        }
    }

    /// The potential in the last frame above that in frame 0, J; 0 where there is none.
    pub(crate) fn stored(&self) -> f64 {
        self.ends.map_or(0.0, |[first, last]| last - first)
    }

    /// The work beyond what the potential lost, J: nothing of it is the engine's. Nothing where something else gives or takes energy.
    pub(crate) fn error(&self) -> Option<f64> {
        let kept = self.forces.iter().all(|force| force.keeps_energy);
        self.ends.filter(|_| kept).map(|[first, last]| self.work - (first - last))
    }
}

/// Says beside a claim about energy what of the forces is the bench's own error.
pub(crate) fn tell_force_error(claim: &mut ClaimRecord, error: Option<f64>) {
    let Some(error) = error.filter(|_| claim.gauge.name.starts_with("energy.")) else { return };
    let parted = if claim.detail.is_empty() { "" } else { "; " };
    claim.detail.push_str(&format!(
        "{parted}the forces, counted as they were handed over, did {error:.2e} J beyond their potential: the bench's own error"
    ));
}
