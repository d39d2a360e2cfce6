//! The names of a body's state in conditions and measures.

use ironspin_model::BodyState;

/// The names, in the order of [`state_values`].
pub(crate) const STATE_NAMES: [&str; 8] = ["x", "y", "angle", "vx", "vy", "speed", "spin", "t"];

/// The values of [`STATE_NAMES`]: m, m, rad, m/s, m/s, m/s, rad/s, s.
pub(crate) fn state_values(state: &BodyState, time: f64) -> [f64; 8] {
    let (p, v) = (state.pose.position, state.velocity);
    [p.x, p.y, state.pose.angle, v.x, v.y, v.length(), state.spin.z, time]
}
