//! What a scene is resolved with, and what it resolves to.

use crate::diagnostic::SceneError;
use crate::forces::StateForce;
use crate::rules::{Probe, Series, Trigger, Twin};
use ironspin_model::{Claim, SoftMethod, World};
use std::sync::Arc;

/// Most bodies a scene may have unless it is raised.
pub const BODY_LIMIT: usize = 200_000;

/// What a scene is resolved with.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// Parameters set from outside, as typed: name and value or expression.
    pub set: Vec<(String, String)>,
    /// Step length, s; claims may use it as `dt`.
    pub dt: f64,
    /// Seed of everything random in the scene.
    pub seed: u64,
    /// Most bodies the scene may have.
    pub body_limit: usize,
    /// How the engine moves soft bodies, for the warning of nets that it cannot carry.
    pub soft_method: SoftMethod,
}

impl Settings {
    /// A step length and nothing else unusual.
    pub fn with_dt(dt: f64) -> Self {
        Settings { set: Vec::new(), dt, seed: 1, body_limit: BODY_LIMIT, soft_method: SoftMethod::default() }
    }
}

/// Something in a scene that is probably a mistake.
#[derive(Clone, Debug)]
pub struct Warning {
    /// Its kind, as `allow` names it.
    pub kind: &'static str,
    /// What it is, with its place.
    pub what: SceneError,
}

/// A parameter and the value in force.
#[derive(Clone, Debug, PartialEq)]
pub struct Parameter {
    /// Its name.
    pub name: String,
    /// What it means.
    pub about: String,
    /// Its unit, as the scene names it.
    pub unit: Option<String>,
    /// The value in force; of a list its first item.
    pub value: f64,
    /// The items in force, of a list.
    pub values: Option<Vec<f64>>,
    /// Smallest and largest value allowed.
    pub range: Option<[f64; 2]>,
}

/// A scene with everything worked out: ready to be built by an engine and measured.
#[derive(Clone, Debug)]
pub struct Setup {
    /// Name of the scene.
    pub name: String,
    /// One line about it.
    pub about: String,
    /// The text it was read from.
    pub text: Arc<str>,
    /// Step length that it was resolved with, s.
    pub dt: f64,
    /// Parameters with the values in force, in the order of the file.
    pub parameters: Vec<Parameter>,
    /// What the engine builds.
    pub world: World,
    /// What must hold.
    pub claims: Vec<Claim>,
    /// Of which table of the file each claim is.
    pub claim_tables: Vec<usize>,
    /// Forces that follow the state.
    pub forces: Vec<StateForce>,
    /// Exact changes after which the trial must agree with itself.
    pub twins: Vec<Twin>,
    /// Claims about many trials along one axis.
    pub series: Vec<Series>,
    /// Actions that wait for a condition.
    pub triggers: Vec<Trigger>,
    /// Rays and forecasts.
    pub probes: Vec<Probe>,
    /// Features an engine must have, sorted.
    pub features: Vec<String>,
    /// What is probably a mistake.
    pub warnings: Vec<Warning>,
}
