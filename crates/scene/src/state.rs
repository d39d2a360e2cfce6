//! The names of a body's state in conditions and measures.

use ironspin_model::{BodyState, Dimension};

/// How many values a state and the time have at most.
pub(crate) const STATE_SIZE: usize = 15;

/// The names in the plane, in the order of [`state_values`].
const PLANE_NAMES: [&str; 8] = ["x", "y", "angle", "vx", "vy", "speed", "spin", "t"];

/// The names in space.
const SPACE_NAMES: [&str; STATE_SIZE] =
    ["x", "y", "z", "qw", "qx", "qy", "qz", "vx", "vy", "vz", "speed", "wx", "wy", "wz", "t"];

/// The names of the state of a body and of the time.
pub(crate) fn state_names(dimension: Dimension) -> &'static [&'static str] {
    match dimension {
        Dimension::Plane => &PLANE_NAMES,
        Dimension::Space => &SPACE_NAMES,
    }
}

/// The values of [`state_names`]: m, rad or parts of a unit quaternion, m/s, rad/s, s; those behind the last name are 0.
pub(crate) fn state_values(dimension: Dimension, state: &BodyState, time: f64) -> [f64; STATE_SIZE] {
    let (p, r, v, w) = (state.pose.position, state.pose.rotation, state.velocity, state.spin);
    match dimension {
        Dimension::Plane => {
            let mut values = [0.0; STATE_SIZE];
            values[..8].copy_from_slice(&[p.x, p.y, state.pose.angle, v.x, v.y, v.length(), w.z, time]);
            values
        }
        Dimension::Space => [p.x, p.y, p.z, r.w, r.x, r.y, r.z, v.x, v.y, v.z, v.length(), w.x, w.y, w.z, time],
    }
}
