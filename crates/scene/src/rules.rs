//! What a scene asks for beside its world and claims: twins, series, actions that wait for a condition, rays and forecasts.

use ironspin_model::{DVec3, Effect, Measure};
use serde::Serialize;

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
    /// The condition, over the state of the body and of others, `t` and the parameters: it holds where it is not 0.
    pub condition: Measure,
    /// What is done, before the step after it came true.
    pub effects: Vec<Effect>,
    /// For how many further steps a force or torque among them acts.
    pub further_steps: u64,
}

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
