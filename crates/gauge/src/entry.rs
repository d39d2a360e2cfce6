//! What there is to know about a gauge.

use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, World};

/// The unit of a gauge whose value is in that of the claim's own measure.
pub const UNIT_OF_THE_CLAIM: &str = "as the claim";

/// Which way a value gets better.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Better {
    /// Smaller is better.
    Lower,
    /// Larger is better.
    Higher,
    /// Neither: it should meet a known value.
    Nearer,
}

impl Better {
    /// In a word, for tables and documents.
    pub fn word(self) -> &'static str {
        match self {
            Better::Lower => "lower",
            Better::Higher => "higher",
            Better::Nearer => "nearer to what is expected",
        }
    }
}

/// What a claim with a gauge must say, or its scene must have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Need {
    /// `against`: the bodies measured against.
    Against,
    /// `bounds` of the world.
    Bounds,
    /// `measure`: a quantity of a body's state.
    Measure,
    /// `path`: closed form of x and y over time.
    Path,
    /// `law`: the law that values follow.
    Law,
    /// `becomes`: a condition.
    Becomes,
    /// `nth`: which of several times.
    Nth,
    /// `at_time`: when is measured.
    AtTime,
    /// `point`: a point of the body.
    Point,
    /// An action that casts a ray.
    Ray,
    /// An action that starts a forecast.
    Forecast,
    /// A body with a sensor.
    Sensor,
    /// A soft body.
    Soft,
}

impl Need {
    /// What it is called in a scene, and a line that gives it.
    pub fn texts(self) -> (&'static str, &'static str) {
        match self {
            Need::Against => ("`against`", "against = \"anvil\""),
            Need::Bounds => ("`bounds` in [world]", "bounds = { min = [-50, -5], max = [50, 50] }"),
            Need::Measure => ("`measure`", "measure = \"x - 2 * vy\""),
            Need::Path => ("`path`", "path = [\"3 * t\", \"1 - g * t^2 / 2\"]"),
            Need::Law => ("`law`", "law = { normal = [0, 1] }"),
            Need::Becomes => ("`becomes`", "becomes = \"vy < 0 and y > 1\""),
            Need::Nth => ("`nth`", "nth = 2"),
            Need::AtTime => ("`at_time`", "at_time = 0.5"),
            Need::Point => ("`point`", "point = [0.5, 0]"),
            Need::Ray => ("an action that casts a ray", "ray = { from = [0, 0], to = [10, 0] }"),
            Need::Forecast => ("an action that starts a forecast", "forecast = { horizon = 2 }"),
            Need::Sensor => ("a body with a sensor", "sensor = true"),
            Need::Soft => ("a soft body", "[[soft]]"),
        }
    }
}

/// One gauge: everything there is to know about it.
pub struct GaugeEntry {
    /// Name in scene files and JSON.
    pub name: &'static str,
    /// Name in tables and plots.
    pub label: &'static str,
    /// Unit of the value; `1` for a pure number.
    pub unit: &'static str,
    /// Which way the value gets better.
    pub better: Better,
    /// What is measured, in a sentence or two.
    pub definition: &'static str,
    /// The formula, in plain text.
    pub formula: &'static str,
    /// The law or book it comes from.
    pub source: &'static str,
    /// What spoils the value, and what it cannot see.
    pub limits: &'static str,
    /// What usually breaks in an engine when a claim with this gauge fails.
    pub usual_causes: &'static str,
    /// What a claim with it must say, or its scene must have.
    pub needs: &'static [Need],
    /// What a claim with it may say beside.
    pub takes: &'static [Need],
    /// Whether it measures exactly one body; a measure of the whole world is one whoever is named.
    pub one_body: bool,
    /// Whether the value is a count, of which right digits can be counted.
    pub counts: bool,
    /// It asks where colliders are and who is near whom; a gauge that does not spares a trial the work. One that asks without saying so
    /// stops with a panic in debug builds, and a test runs every gauge.
    pub needs_geometry: bool,
    /// What to try next when a claim about it fails, as a sentence without its full stop.
    pub next_step: &'static str,
    /// Whether a scene that claims nothing is measured by it: for gauges that say something of any scene of bodies that move, from their states
    /// alone, and of which it is mostly known what a sound engine shows.
    pub by_default: bool,
    /// The worlds that it is made for; in others a claim about it is unsupported.
    pub dimensions: &'static [Dimension],
    /// Makes the gauge for a world and some bodies.
    pub(crate) make: fn(&World, &Scope) -> Box<dyn Gauge>,
}

impl GaugeEntry {
    /// A gauge for a world and some bodies: in a world that it is not made for, one that only says so.
    pub fn begin(&self, world: &World, scope: &Scope) -> Box<dyn Gauge> {
        if self.dimensions.contains(&world.dimension) { (self.make)(world, scope) } else { Box::new(NotMade) }
    }
}

impl std::fmt::Debug for GaugeEntry {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "GaugeEntry({})", self.name)
    }
}

/// What most gauges have in common; the base of every entry.
pub(crate) const PLAIN: GaugeEntry = GaugeEntry {
    name: "",
    label: "",
    unit: "1",
    better: Better::Lower,
    definition: "",
    formula: "",
    source: "",
    limits: "",
    usual_causes: "",
    needs: &[],
    takes: &[],
    one_body: false,
    counts: false,
    needs_geometry: true,
    next_step: "",
    by_default: false,
    dimensions: Dimension::PLANE_ONLY,
    make: not_made,
};

/// Measures nothing: the gauge is not made for worlds of this dimension.
struct NotMade;

fn not_made(_: &World, _: &Scope) -> Box<dyn Gauge> {
    Box::new(NotMade)
}

impl Gauge for NotMade {
    fn observe(&mut self, _: &View<'_>) {}

    fn reading(&self, world: &World) -> Reading {
        Reading::unsupported(format!("the gauge is not made for worlds of the {}", world.dimension.word()))
    }
}
