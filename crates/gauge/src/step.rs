//! One step of a trial, as everything that measures sees it.

use crate::frame_cache::{FrameCache, When};
use crate::geometry::Gap;
use ironspin_model::{DVec3, Effect, Frame, Moment, World};

/// One step with the frames at both its ends.
#[derive(Clone, Copy, Debug)]
pub struct Step<'a> {
    /// The world as described by the scene.
    pub world: &'a World,
    /// The frame before, without contacts and events; absent for the first frame of the window.
    pub before: Option<&'a Frame>,
    /// The frame now.
    pub now: &'a Frame,
    /// Acceleration of free fall over the step, m/s².
    pub gravity: DVec3,
    /// What was done to bodies just before the step, in order.
    pub effects: &'a [(usize, Effect)],
    /// The two frames as geometry.
    pub cache: &'a FrameCache,
}

impl Step<'_> {
    /// Time from the frame before to this one, s; 0 for the first frame.
    pub fn span(&self) -> f64 {
        self.before.map_or(0.0, |before| self.now.time - before.time)
    }

    /// Acceleration of free fall of a body, m/s².
    pub fn fall(&self, body: usize) -> DVec3 {
        self.gravity * self.cache.traits(body).gravity_factor
    }

    /// This moment, as measures of a body of some see it.
    pub(crate) fn moment<'b>(&'b self, body: usize, of: &'b [usize]) -> Moment<'b> {
        Moment { bodies: &self.now.bodies, body, of, time: self.now.time }
    }

    /// The smallest gap of two bodies in one of the frames; infinity at once when it is certainly above `within`, or a body is
    /// not there.
    pub(crate) fn gap(&self, when: When, a: usize, b: usize, within: f64) -> Gap {
        self.cache.gap(when, a, b, within)
    }

    /// The smallest size of the smaller of two bodies, m.
    pub(crate) fn smaller_size(&self, a: usize, b: usize) -> f64 {
        self.cache.shapes().smaller_size(a, b)
    }

    /// Whether a body is there now, and was in the frame before if there is one.
    pub fn present(&self, body: usize) -> bool {
        !self.now.bodies[body].is_absent() && self.before.is_none_or(|before| !before.bodies[body].is_absent())
    }
}
