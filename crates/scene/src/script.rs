//! What the bench itself does to bodies while a trial runs: actions that wait for a condition, and forces that follow the state.

use crate::forces::{Forces, NoForce};
use crate::rules::Trigger;
use crate::setup::Setup;
use ironspin_model::{BodyState, Effect, Moment};

/// Watches the conditions of a trial and works out its forces, before every step.
pub struct Script<'a> {
    waiting: Vec<Waiting<'a>>,
    forces: Option<Forces<'a>>,
}

/// What is to be done before a step.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Due {
    /// With the bodies: actions, then forces.
    pub deeds: Vec<(usize, Effect)>,
    /// How many of the last ones are forces that follow the state.
    pub forces: usize,
}

struct Waiting<'a> {
    trigger: &'a Trigger,
    /// Steps for which its force or torque still acts, once the condition has come true.
    left: Option<u64>,
}

impl<'a> Script<'a> {
    /// Begins to watch.
    pub fn new(setup: &'a Setup) -> Self {
        Script {
            waiting: setup.triggers.iter().map(|trigger| Waiting { trigger, left: None }).collect(),
            forces: (!setup.forces.is_empty()).then(|| Forces::new(setup.world.dimension, &setup.forces)),
        }
    }

    /// Whether nothing is to be done any more, so that steps need not be asked for one by one.
    pub fn is_over(&self) -> bool {
        self.forces.is_none() && self.waiting.iter().all(|waiting| waiting.left == Some(0))
    }

    /// Whether forces are all that is done, step by step: an engine may work those out itself.
    pub fn is_forces_alone(&self) -> bool {
        self.forces.is_some() && self.waiting.is_empty()
    }

    /// What is to be done before the next step, of length `dt` (s), with the bodies: actions in the order of the file, then forces.
    ///
    /// # Errors
    /// For a force that has no value.
    pub fn due(&mut self, states: &[BodyState], time: f64, dt: f64) -> Result<Due, NoForce> {
        let mut due = Vec::new();
        for waiting in &mut self.waiting {
            let trigger = waiting.trigger;
            if let Some(left) = &mut waiting.left {
                if *left > 0 {
                    *left -= 1;
                    let lasting = |effect: &&Effect| matches!(effect, Effect::Force { .. } | Effect::Torque(_));
                    due.extend(trigger.effects.iter().filter(lasting).map(|effect| (trigger.body, effect.clone())));
                }
                continue;
            }
            if !states.get(trigger.body).is_some_and(BodyState::is_finite) {
                continue;
            }
            let moment = Moment { bodies: states, body: trigger.body, of: std::slice::from_ref(&trigger.body), time };
            let holds = trigger.condition.at(&moment);
            // What cannot be worked out now (a division by zero) is not true.
            if holds != 0.0 && !holds.is_nan() {
                waiting.left = Some(trigger.further_steps);
                due.extend(trigger.effects.iter().map(|effect| (trigger.body, effect.clone())));
            }
        }
        let actions = due.len();
        if let Some(forces) = &mut self.forces {
            forces.due(states, time, dt, &mut due)?;
        }
        Ok(Due { forces: due.len() - actions, deeds: due })
    }
}
