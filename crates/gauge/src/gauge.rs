//! The shape every gauge has.

use crate::derived::Derived;
use crate::step::Step;
use ironspin_model::{DVec3, Details, Frame, RayHit, World};
use std::ops::Deref;

/// One step as a gauge sees it, with what gauges of one trial work out together.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    /// The step.
    pub step: Step<'a>,
    /// What follows from its frames, worked out once for all gauges.
    pub derived: &'a Derived,
}

impl<'a> Deref for View<'a> {
    type Target = Step<'a>;

    fn deref(&self) -> &Step<'a> {
        &self.step
    }
}

/// What a gauge measures.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Scope {
    /// Bodies measured; at least one.
    pub of: Vec<usize>,
    /// Bodies they are measured against; may be empty unless the gauge needs them.
    pub against: Vec<usize>,
    /// What the gauge is given beyond that.
    pub details: Details,
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
    /// The values that a law is held against, to be pooled with those of other trials; empty for most gauges.
    pub samples: Vec<f64>,
    /// Whether the quantity cannot be measured in this scene at all, whatever the engine does.
    pub unsupported: bool,
    /// Why the value is only the least that it can be, so that it breaks a bound from above and keeps none; empty where it is the value.
    pub at_least_because: String,
    /// Where to look, when there is one such moment.
    pub moment: Option<Moment>,
}

/// A moment at which something is to be seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moment {
    /// s.
    pub time: f64,
    /// The body to look at.
    pub body: usize,
}

/// What a gauge has found beyond a value, to be drawn.
#[derive(Clone, Debug, PartialEq)]
pub enum Exhibit {
    /// Power over frequency.
    Spectrum {
        /// The body that it is of.
        body: usize,
        /// Hz from one line to the next; the first stands at 0.
        spacing: f64,
        /// Power of each line as a share of the whole.
        shares: Vec<f64>,
    },
    /// What was found in each direction.
    Directions {
        /// Each way as a vector across gravity, of whatever length, and what was found there.
        ways: Vec<(DVec3, f64)>,
    },
    /// How many values fell where, beside how many a law expects.
    Histogram {
        /// Ends of the classes, one more than there are classes, in the unit of the claim's measure.
        edges: Vec<f64>,
        /// Values in each class.
        found: Vec<f64>,
        /// Expected by the law; empty where the claim gives none.
        expected: Vec<f64>,
    },
}

impl Reading {
    /// A value with what there is to say about it.
    pub fn of(value: f64, detail: impl Into<String>) -> Self {
        Reading { value: Some(value), detail: detail.into(), ..Reading::default() }
    }

    /// Nothing could be measured.
    pub fn nothing(why: impl Into<String>) -> Self {
        Reading { value: None, detail: why.into(), ..Reading::default() }
    }

    /// The quantity cannot be measured in this scene, whatever the engine does.
    pub fn unsupported(why: impl Into<String>) -> Self {
        Reading { unsupported: true, ..Reading::nothing(why) }
    }

    /// Says that the value is only the least that it can be.
    #[must_use]
    pub fn at_least(mut self, because: impl Into<String>) -> Self {
        self.at_least_because = because.into();
        self
    }

    /// Tells where to look.
    #[must_use]
    pub fn seen_at(mut self, time: f64, body: usize) -> Self {
        self.moment = Some(Moment { time, body });
        self
    }

    /// Adds a warning.
    #[must_use]
    pub fn warn(mut self, warning: impl Into<String>) -> Self {
        self.warnings.push(warning.into());
        self
    }
}

/// What came of a question to the engine.
#[derive(Clone, Debug, PartialEq)]
pub enum QueryResult<'a> {
    /// A ray was cast.
    Ray {
        /// The frame at which it was.
        frame: &'a Frame,
        /// m.
        from: DVec3,
        /// m.
        to: DVec3,
        /// What the engine says it hit.
        hit: Option<RayHit>,
    },
    /// The time of a forecast has come.
    Forecast {
        /// How far ahead it was made, s.
        ahead: f64,
        /// Bodies, and how far each came from its forecast place, m; infinite when one of both says that it is not there.
        off: &'a [(usize, f64)],
    },
}

/// Measures one quantity while frames stream by. Memory does not grow with the number of frames.
pub trait Gauge: Send {
    /// Takes the next frame. Every number in it is finite, but for bodies that are not there: those have none.
    fn observe(&mut self, view: &View<'_>);

    /// Takes what came of a question to the engine.
    fn observe_query(&mut self, _world: &World, _news: &QueryResult<'_>) {}

    /// What has been measured so far.
    fn reading(&self, world: &World) -> Reading;

    /// The value so far, for a curve over time; nothing where it means nothing before the end.
    fn so_far(&self, world: &World) -> Option<f64> {
        self.reading(world).value
    }

    /// What there is to draw beside the value.
    fn exhibit(&self) -> Option<Exhibit> {
        None
    }
}
