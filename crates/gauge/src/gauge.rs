//! The shape every gauge has.

use ironspin_model::{DVec3, Frame, World};

/// One step as a gauge sees it.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    /// The world as described by the scene.
    pub world: &'a World,
    /// The frame before; absent for the first frame of the window.
    pub before: Option<&'a Frame>,
    /// The frame now.
    pub now: &'a Frame,
    /// Acceleration of free fall over the step, m/s².
    pub gravity: DVec3,
}

impl View<'_> {
    /// Time from the frame before to this one, s; 0 for the first frame.
    pub fn span(&self) -> f64 {
        self.before.map_or(0.0, |before| self.now.time - before.time)
    }

    /// Acceleration of free fall of a body, m/s².
    pub fn fall(&self, body: usize) -> DVec3 {
        self.gravity * self.world.bodies[body].gravity_factor
    }

    /// Whether a body is there now, and was in the frame before if there is one.
    pub fn present(&self, body: usize) -> bool {
        !self.now.bodies[body].is_absent() && self.before.is_none_or(|before| !before.bodies[body].is_absent())
    }
}

/// What a gauge measures.
#[derive(Clone, Debug, PartialEq)]
pub struct Scope {
    /// Bodies measured; at least one.
    pub of: Vec<usize>,
    /// Bodies they are measured against; may be empty unless the gauge needs them.
    pub against: Vec<usize>,
}

/// What a gauge has measured.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Reading {
    /// The value in the gauge's unit; absent when there was nothing to measure.
    pub value: Option<f64>,
    /// Where, when and by which body, in a few words.
    pub detail: String,
    /// Why the value should not be trusted too far.
    pub warnings: Vec<String>,
}

impl Reading {
    /// A value with what there is to say about it.
    pub fn of(value: f64, detail: impl Into<String>) -> Self {
        Reading { value: Some(value), detail: detail.into(), warnings: Vec::new() }
    }

    /// Nothing could be measured.
    pub fn nothing(why: impl Into<String>) -> Self {
        Reading { value: None, detail: why.into(), warnings: Vec::new() }
    }

    /// Adds a warning.
    #[must_use]
    pub fn warn(mut self, warning: impl Into<String>) -> Self {
        self.warnings.push(warning.into());
        self
    }
}

/// Measures one quantity while frames stream by. Memory does not grow with the number of frames.
pub trait Gauge: Send {
    /// Takes the next frame. Every number in it is finite, but for bodies that are not there: those have none.
    fn observe(&mut self, view: &View<'_>);

    /// What has been measured so far.
    fn reading(&self, world: &World) -> Reading;
}
