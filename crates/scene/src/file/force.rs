//! Forces that follow the state, as they are written.

use super::Placed;
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;

/// A force on bodies that follows their state: worked out by the bench before each step, for the places in the middle of it, and handed over for that
/// step. Expressions may use x, y, angle, vx, vy, speed, spin, mass, inertia and t, with a partner dx, dy and r from it to the body, and by.x, by.mass
/// and so on of the partner; in space x, y, z, qw, qx, qy, qz, vx, vy, vz, speed, wx, wy, wz, mass, t, dx, dy, dz and r.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ForceTable {
    /// The bodies that it acts on.
    pub(crate) on: Placed<String>,
    /// Partners: each of them with each of the bodies; a partner that moves feels the opposite, at its centre. Two bodies that are named by both are one
    /// pair.
    pub(crate) by: Option<Placed<String>>,
    /// N.
    pub(crate) force: Option<Placed<Vec<Number>>>,
    /// N m; in space three numbers, along the world's axes. A partner feels nothing of it.
    pub(crate) torque: Option<super::Amount>,
    /// Where the force acts, in the body's own frame about its centre of mass, m: then x, y, vx, vy, dx, dy and r are those of this point. The centre when
    /// left out.
    pub(crate) point: Option<Placed<Vec<Number>>>,
    /// From and to, s; the whole trial when left out.
    pub(crate) window: Option<[Number; 2]>,
    /// The energy that it is the slope of, J, for one body or one pair.
    pub(crate) potential: Option<Number>,
}
