//! What a scene asks for beside its world and claims: twins, series, actions that wait for a condition, rays and forecasts.

use crate::expression::Evaluator;
use crate::names::Names;
use crate::state::{state_names, state_values};
use ironspin_model::{BodyState, DVec3, Dimension, Effect};
use serde::Serialize;
use std::sync::Arc;

/// The exact changes after which a trial must agree with itself.
pub const TWIN_KINDS: [&str; 14] = [
    "again",
    "process",
    "threads",
    "split",
    "restore",
    "units",
    "mass",
    "tempo",
    "bystander",
    "order",
    "mirror",
    "turn",
    "shift",
    "boost",
];

/// A promise that two trials agree after an exact change.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Twin {
    /// One of [`TWIN_KINDS`].
    pub by: String,
    /// Largest difference of a position, m; none (to the bit) when absent.
    pub within: Option<f64>,
    /// Why.
    pub because: Option<String>,
}

/// A claim about many trials along one axis.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Series {
    /// `dt`, `size`, or a parameter.
    pub over: String,
    /// Values along the axis; empty for those of the sweep.
    pub values: Vec<f64>,
    /// Name of the gauge, or `cost`.
    pub gauge: String,
    /// The bodies measured.
    pub of: Vec<usize>,
    /// The bodies they are measured against.
    pub against: Vec<usize>,
    /// What must hold along the axis.
    pub shape: SeriesShape,
    /// Why.
    pub because: Option<String>,
}

/// What must hold along an axis.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum SeriesShape {
    /// The value falls at least as this power of the axis.
    FallsWithOrder(f64),
    /// The value grows at most as this power of the axis.
    GrowsAtMost(f64),
    /// The value never falls as the axis grows.
    OnlyRises,
    /// The value never rises as the axis grows.
    OnlyFalls,
}

/// An action that waits for a condition on a body. It is done once.
#[derive(Clone, Debug, PartialEq)]
pub struct Trigger {
    /// The body that the condition is about, and to which the actions are done.
    pub body: usize,
    /// The condition, over the state of the body, `t` and the parameters.
    pub condition: String,
    /// What is done, before the step after it came true.
    pub effects: Vec<Effect>,
    /// For how many further steps a force or torque among them acts.
    pub further_steps: u64,
    /// Values of the parameters.
    pub(crate) names: Parameters,
}

/// Parameters with their values, shared by all conditions of an action.
pub(crate) type Parameters = Arc<[(String, f64)]>;

/// Something that is asked of the world at a time, without changing it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Probe {
    /// Before the first step that starts at or after it, s.
    pub at_time: f64,
    /// What is asked.
    pub question: Question,
}

/// What a [`Probe`] asks.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Question {
    /// What a ray hits first.
    Ray {
        /// m.
        from: DVec3,
        /// m.
        to: DVec3,
    },
    /// Where bodies will be.
    Forecast {
        /// The bodies.
        of: Vec<usize>,
        /// How far ahead, s.
        horizon: f64,
    },
}

impl Question {
    /// How many bodies it is about.
    pub(crate) fn named(&self) -> usize {
        match self {
            Question::Ray { .. } => 0,
            Question::Forecast { of, .. } => of.len(),
        }
    }
}

/// Watches the conditions of a trial.
pub struct TriggerWatch<'a> {
    dimension: Dimension,
    evaluator: Evaluator,
    waiting: Vec<Waiting<'a>>,
}

struct Waiting<'a> {
    trigger: &'a Trigger,
    names: Names,
    /// Steps for which its force or torque still acts, once the condition has come true.
    left: Option<u64>,
}

impl<'a> TriggerWatch<'a> {
    /// Begins to watch.
    pub fn new(dimension: Dimension, triggers: &'a [Trigger]) -> Self {
        // Those of one action share their parameters.
        let mut known: Option<(Parameters, Names)> = None;
        let waiting = triggers.iter().map(|trigger| {
            let mut names = match &known {
                Some((of, names)) if Arc::ptr_eq(of, &trigger.names) => names.clone(),
                _ => {
                    let mut names = Names::constants();
                    trigger.names.iter().for_each(|(name, value)| names.add(name, *value));
                    known = Some((Arc::clone(&trigger.names), names.clone()));
                    names
                }
            };
            for name in state_names(dimension) {
                names = names.with(name, 0.0);
            }
            Waiting { trigger, names, left: None }
        });
        TriggerWatch { dimension, evaluator: Evaluator::new(1), waiting: waiting.collect() }
    }

    /// Whether nothing is waited for any more.
    pub fn is_over(&self) -> bool {
        self.waiting.iter().all(|waiting| waiting.left == Some(0))
    }

    /// The actions that are due before the next step, with their bodies, in the order of the file.
    pub fn due(&mut self, states: &[BodyState], time: f64) -> Vec<(usize, &'a Effect)> {
        let mut due = Vec::new();
        for waiting in &mut self.waiting {
            let trigger = waiting.trigger;
            if let Some(left) = &mut waiting.left {
                if *left > 0 {
                    *left -= 1;
                    let lasting = |effect: &&Effect| matches!(effect, Effect::Force { .. } | Effect::Torque(_));
                    due.extend(trigger.effects.iter().filter(lasting).map(|effect| (trigger.body, effect)));
                }
                continue;
            }
            let Some(state) = states.get(trigger.body).filter(|state| state.is_finite()) else { continue };
            for (name, value) in state_names(self.dimension).iter().zip(state_values(self.dimension, state, time)) {
                waiting.names.set(name, value);
            }
            // It was tried when the scene was read; what cannot be worked out now (a division by zero) is not true.
            if self.evaluator.evaluate(&trigger.condition, &waiting.names).unwrap_or(0.0) != 0.0 {
                waiting.left = Some(trigger.further_steps);
                due.extend(trigger.effects.iter().map(|effect| (trigger.body, effect)));
            }
        }
        due
    }
}
