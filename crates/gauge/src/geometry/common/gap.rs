//! The gap of two bodies as gauges of every dimension see it.

use ironspin_model::{BodyState, DVec3};

/// Gap of two outlines.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// Distance, m; negative for overlap, then the shortest way out.
    pub distance: f64,
    /// Unit normal from the first to the second.
    pub normal: DVec3,
    /// The point midway between the nearest (or deepest) points of both rims, m.
    pub point: DVec3,
}

impl Gap {
    /// What has no gap: infinitely far.
    pub(crate) const FAR: Gap = Gap { distance: f64::INFINITY, normal: DVec3::Y, point: DVec3::ZERO };

    pub(crate) fn turned_round(self) -> Gap {
        Gap { normal: -self.normal, ..self }
    }
}

/// Velocity of the point of a body that is at `point` now, m/s.
pub(crate) fn velocity_at(state: &BodyState, point: DVec3) -> DVec3 {
    state.velocity + state.spin.cross(point - state.pose.position)
}
