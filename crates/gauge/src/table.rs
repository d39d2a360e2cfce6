//! The one table of gauges. Tables, JSON, docs and checks all read it.

use crate::gauge::{Gauge, Scope};
use crate::gauges::{
    balance, contacts, creep, energy, escape, fall, filter, frequency, ghost, impacts, jitter, overlap, path, period,
    probes, rebound, sensor, settle, spread, stands, tunnel, value,
};
use ironspin_model::World;

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
    /// An action that casts a ray.
    Ray,
    /// An action that starts a forecast.
    Forecast,
    /// A body with a sensor.
    Sensor,
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
            Need::Ray => ("an action that casts a ray", "ray = { from = [0, 0], to = [10, 0] }"),
            Need::Forecast => ("an action that starts a forecast", "forecast = { horizon = 2 }"),
            Need::Sensor => ("a body with a sensor", "sensor = true"),
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
    /// Whether the value is a count, of which right digits can be counted.
    pub counts: bool,
    /// It asks where outlines are and who is near whom; a gauge that does not spares a trial the work.
    pub needs_geometry: bool,
    /// Makes the gauge for a world and some bodies.
    pub make: fn(&World, &Scope) -> Box<dyn Gauge>,
}

/// The default gauges, by which a scene that claims nothing is measured: each says something of any scene of bodies that move, from their
/// states alone, and for most of them it is known what a sound engine shows.
const BY_DEFAULT: [&str; 10] = [
    "energy.drift",
    "energy.gain",
    "energy.unexplained",
    "momentum.balance",
    "angular.balance",
    "overlap.deepest",
    "jitter.speed",
    "settle.time",
    "ghost.speed",
    "escape.count",
];

impl GaugeEntry {
    /// Whether a scene that claims nothing is measured by it.
    pub fn is_default(&self) -> bool {
        BY_DEFAULT.contains(&self.name)
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
    counts: false,
    needs_geometry: true,
    make: stands::stands,
};

/// All gauges.
pub static GAUGES: [GaugeEntry; 51] = [
    energy::DRIFT,
    energy::GAIN,
    energy::LOSS,
    energy::UNEXPLAINED,
    balance::LINEAR,
    balance::ANGULAR,
    rebound::BY_SPEED,
    rebound::BY_HEIGHT,
    tunnel::COUNT,
    tunnel::UNTOUCHED,
    tunnel::TOUCHED,
    tunnel::STACK,
    tunnel::PUSHED,
    tunnel::SEAM,
    overlap::DEEPEST,
    overlap::SHARE,
    overlap::MEAN,
    jitter::SPEED,
    jitter::TRAVEL,
    jitter::STEPS,
    frequency::FREQUENCY,
    settle::TIME,
    creep::RATE,
    stands::STANDS,
    impacts::COUNT,
    escape::COUNT,
    ghost::SPEED,
    ghost::COUNT,
    contacts::POINTS,
    contacts::PHANTOM,
    filter::BREACHES,
    filter::IGNORED,
    sensor::WRONG,
    sensor::MISSED,
    fall::RATIO,
    fall::REST,
    path::ERROR,
    period::MEAN,
    spread::CHI,
    spread::KOLMOGOROV,
    spread::MEAN,
    spread::DEVIATION,
    probes::FORECAST,
    probes::RAY,
    value::X,
    value::Y,
    value::VX,
    value::VY,
    value::SPEED,
    value::SPIN,
    value::MEASURE,
];

/// The gauge of a name.
pub fn find(name: &str) -> Option<&'static GaugeEntry> {
    GAUGES.iter().find(|gauge| gauge.name == name)
}

/// All gauges as a Markdown document.
pub fn handbook() -> String {
    let mut out = String::from(
        "# Gauges\n\n\
         Each gauge measures one quantity from the states that an engine gives, with geometry of its own. This page is made from \
         the gauge table of the program (`ironspin explain --all` prints it); a test keeps the two equal.\n\n\
         A value that could not be measured never passes. All values are in SI units; planar worlds count per metre of depth.\n\n\
         | gauge | unit | better | in short |\n|---|---|---|---|\n",
    );
    for gauge in &GAUGES {
        out.push_str(&format!(
            "| [`{}`](#{}) | {} | {} | {} |\n",
            gauge.name,
            gauge.name.replace('.', ""),
            gauge.unit,
            gauge.better.word(),
            gauge.label
        ));
    }
    for gauge in &GAUGES {
        out.push('\n');
        out.push_str(&entry_text(gauge));
    }
    out
}

/// One gauge as Markdown.
pub fn entry_text(gauge: &GaugeEntry) -> String {
    let mut needs = String::new();
    for need in gauge.needs {
        let (what, _) = need.texts();
        needs.push_str(&format!("- **Needs** {what}.\n"));
    }
    format!(
        "## {}\n\n{}{}\n\n- **Formula**: `{}`\n- **Unit**: {}; {} is better\n- **Source**: {}\n- **Limits**: {}\n{needs}- **Usual causes when it fails**: {}\n- **What to try next**: {}\n",
        gauge.name,
        gauge.definition,
        if gauge.is_default() { " Measured by default: in every scene that claims nothing." } else { "" },
        gauge.formula,
        gauge.unit,
        gauge.better.word(),
        gauge.source,
        gauge.limits,
        gauge.usual_causes,
        crate::next_step(gauge.name)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_unique_and_every_text_is_there() {
        for (number, gauge) in GAUGES.iter().enumerate() {
            assert!(GAUGES[..number].iter().all(|other| other.name != gauge.name), "{}", gauge.name);
            for text in [
                gauge.label,
                gauge.unit,
                gauge.definition,
                gauge.formula,
                gauge.source,
                gauge.limits,
                gauge.usual_causes,
            ] {
                assert!(!text.is_empty(), "{}", gauge.name);
            }
        }
    }

    #[test]
    fn every_default_gauge_is_one() {
        assert_eq!(GAUGES.iter().filter(|gauge| gauge.is_default()).count(), BY_DEFAULT.len());
    }

    #[test]
    fn the_handbook_in_the_docs_is_the_one_of_the_table() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/gauges.md");
        let written = std::fs::read_to_string(path).unwrap_or_default();
        assert!(written == handbook(), "docs/gauges.md is out of date: write `ironspin explain --all` to it");
    }
}
