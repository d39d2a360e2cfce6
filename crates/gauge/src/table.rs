//! The one table of gauges. Tables, JSON, docs and checks all read it.

use crate::gauge::{Gauge, Scope};
use crate::gauges::{balance, creep, energy, escape, impacts, jitter, overlap, rebound, stands, tunnel, value};
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
    /// Whether a claim must say `against`.
    pub needs_against: bool,
    /// Whether the scene must have `bounds`.
    pub needs_bounds: bool,
    /// Whether the value is a count, of which right digits can be told.
    pub counts: bool,
    /// Makes the gauge for a world and some bodies.
    pub make: fn(&World, &Scope) -> Box<dyn Gauge>,
}

impl std::fmt::Debug for GaugeEntry {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "GaugeEntry({})", self.name)
    }
}

/// All gauges.
pub const GAUGES: [GaugeEntry; 20] = [
    GaugeEntry {
        name: "energy.drift",
        label: "energy drift",
        unit: "1",
        better: Better::Lower,
        definition: "Largest distance of the mechanical energy of the bodies from its value in the first frame of the window, as a share of their largest kinetic energy in the window.",
        formula: "max_t |E(t) - E(t0)| / max_t K(t), with E = sum(m v^2/2 + I w^2/2 - m g.x) and K its first two terms",
        source: "conservation of mechanical energy",
        limits: "Only for bodies that nothing but gravity and perfectly elastic contact acts on. Below 1e-10 of the energy of height the share is rounding noise, and a warning says so.",
        usual_causes: "restitution applied at the end of the step with the bodies already inside each other; an explicit integrator; pushing bodies apart against gravity; hidden damping",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: energy::drift,
    },
    GaugeEntry {
        name: "energy.gain",
        label: "energy gain",
        unit: "1",
        better: Better::Lower,
        definition: "Largest rise of the mechanical energy of the bodies above its lowest value so far, as a share of their largest kinetic energy in the window.",
        formula: "max_t (E(t) - min_{s<=t} E(s)) / max_t K(t)",
        source: "no passive contact adds energy (second law)",
        limits: "The bodies must form a closed set: energy handed over from bodies outside it counts as a gain.",
        usual_causes: "an explicit integrator; correction of overlap that leaves velocity behind; restitution above what was set; a step too long for a stiff spring",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: energy::gain,
    },
    GaugeEntry {
        name: "momentum.balance",
        label: "momentum balance",
        unit: "1",
        better: Better::Lower,
        definition: "Largest change of the bodies' common momentum that gravity does not explain, summed over all steps in which none of them is near a body outside the set, as a share of the sum of the magnitudes of their momenta.",
        formula: "max_t |sum_steps (dP - sum(m g dt))| / max_t sum(m |v|)",
        source: "Newton's third law",
        limits: "Steps within 1.5 steps' travel of a body outside the set are left out; when nine in ten are, a warning says so.",
        usual_causes: "one body of a pair answers and the other does not; mass ignored; position correction that moves only one body; damping",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: balance::linear,
    },
    GaugeEntry {
        name: "angular.balance",
        label: "angular momentum balance",
        unit: "1",
        better: Better::Lower,
        definition: "Largest change of the bodies' common angular momentum about the origin that gravity does not explain, over the same steps as the momentum balance, as a share of the sum of the magnitudes of its parts.",
        formula: "max_t |sum_steps (dL - sum(x_mid x m g dt))| / max_t sum(|x| m |v| + I |w|), with L = sum(x x m v + I w)",
        source: "Newton's third law in its strong form; Euler's second law",
        limits: "As the momentum balance. Gravity's moment is exact when a body flies a parabola within the step.",
        usual_causes: "friction without its lever arm; wrong inertia; impulses applied at other points than they were worked out for",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: balance::angular,
    },
    GaugeEntry {
        name: "rebound.speed",
        label: "rebound by speed",
        unit: "1",
        better: Better::Nearer,
        definition: "Mean ratio of the normal speed after an impact to that before it, both carried to the surface along the free flight, over all impacts clear of resting contact.",
        formula: "mean(u_after / u_before), u = sqrt(v_n^2 + 2 g_n gap)",
        source: "Newton's law of restitution",
        limits: "Impacts slower than 16 g dt are left out, since one step more or less of gravity would decide the ratio.",
        usual_causes: "restitution taken for a ratio of heights (then the square root comes out); restitution dropped below a fixed speed; speed of the step's end used instead of the impact's",
        needs_against: true,
        needs_bounds: false,
        counts: false,
        make: rebound::by_speed,
    },
    GaugeEntry {
        name: "rebound.height",
        label: "rebound by height",
        unit: "1",
        better: Better::Nearer,
        definition: "Mean ratio of the gap at one summit to that at the summit before; the summit between two frames is that of the parabola through three samples.",
        formula: "mean(h_k+1 / h_k) = e^2",
        source: "Newton's law of restitution with h = u^2 / 2g",
        limits: "Summits that a body falls from at less than 16 g dt are left out.",
        usual_causes: "as rebound by speed; besides, an integrator that loses or gains height in free flight",
        needs_against: true,
        needs_bounds: false,
        counts: false,
        make: rebound::by_height,
    },
    GaugeEntry {
        name: "tunnel.count",
        label: "bodies gone through",
        unit: "bodies",
        better: Better::Lower,
        definition: "Number of bodies whose centre went into a barrier by one face and out by one that looks the other way, on the straight path from frame to frame in the barrier's own frame. A half-plane counts as passed when a body that came from outside lies wholly inside.",
        formula: "count of bodies with n_in . n_out < 0",
        source: "solids do not pass through each other; Cyrus and Beck (1978) for the clipping",
        limits: "The path of the centre counts: a body that lost only a corner is seen by the overlap. A barrier that turns within a step is taken to turn evenly.",
        usual_causes: "collision looked for only where bodies stand at the end of a step; swept collision for static barriers only, or for translation only",
        needs_against: true,
        needs_bounds: false,
        counts: true,
        make: tunnel::count,
    },
    GaugeEntry {
        name: "overlap.deepest",
        label: "deepest overlap",
        unit: "m",
        better: Better::Lower,
        definition: "Deepest overlap of any two bodies, one of them measured, in any frame: the shortest way by which one would have to move to part from the other.",
        formula: "max_t max_pairs depth, depth = distance of the origin from the rim of the Minkowski difference",
        source: "de Berg et al., Computational Geometry, section 13.3",
        limits: "Frames only; what happens between them is not seen. Overlap of two bodies that never move is left out.",
        usual_causes: "too few iterations under a high load; overlap left alone below an absolute slop; half sizes taken for full sizes",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: overlap::deepest,
    },
    GaugeEntry {
        name: "jitter.speed",
        label: "jitter by speed",
        unit: "m/s",
        better: Better::Lower,
        definition: "Root mean square speed over the window of the body that shakes most; by the velocity reported or by the way gone from frame to frame, whichever is larger.",
        formula: "max_bodies max(rms(|v|), rms(|dx| / dt))",
        source: "definition; the natural yardstick is one step of gravity, g dt",
        limits: "Steady motion counts as well: use it where bodies should rest.",
        usual_causes: "contacts that flicker on and off; overlap correction that overshoots; no warm starting; restitution at rest",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: jitter::speed,
    },
    GaugeEntry {
        name: "jitter.travel",
        label: "jitter by travel",
        unit: "m",
        better: Better::Lower,
        definition: "Diagonal of the box in which the centre of a body stays over the window, of the body for which it is largest.",
        formula: "max_bodies |x_max - x_min|",
        source: "definition",
        limits: "Steady motion counts as well: use it where bodies should rest.",
        usual_causes: "as jitter by speed; besides, slow creep over a long window",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: jitter::travel,
    },
    GaugeEntry {
        name: "creep.rate",
        label: "creep rate",
        unit: "m/s",
        better: Better::Lower,
        definition: "Slope of the straight line fitted to a body's centre over time in the window, of the body for which it is steepest.",
        formula: "max_bodies |sum((t - t_mean)(x - x_mean)) / sum((t - t_mean)^2)|",
        source: "least squares (Gauss); running sums after Welford (1962)",
        limits: "A shake of amplitude a over a window T leaves a slope of about a / T.",
        usual_causes: "friction solved before the load has arrived; friction anchored to nothing; overlap correction along a tilted normal",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: creep::rate,
    },
    GaugeEntry {
        name: "stands",
        label: "share standing",
        unit: "1",
        better: Better::Higher,
        definition: "Share of the bodies whose centre never moved by half their smallest size from where they were put, and that never turned by an eighth of a turn, in the window.",
        formula: "count(max_t |x - x0| <= s/2 and max_t |a - a0| <= pi/4) / count",
        source: "definition",
        limits: "A round body may roll by an eighth of a turn without moving much: meant for bodies with corners.",
        usual_causes: "creep, jitter or a first landing that kicks; load that does not reach the bottom of the pile",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: stands::stands,
    },
    GaugeEntry {
        name: "impacts.count",
        label: "impacts",
        unit: "impacts",
        better: Better::Nearer,
        definition: "Number of impacts between the bodies and those they are measured against (all others when not named). A step counts by the engine's contact notices when their impulses explain the change of momentum in the states to a millionth; otherwise by the states alone: a pair within reach that loses over half of its approach speed.",
        formula: "sum over steps and pairs",
        source: "definition; momentum law for the check of the notices",
        limits: "From states alone a pair is counted once a step at most. Approaches slower than 2 g dt are resting contact. Friction changes momentum without a notice, so notices are believed only where none acts.",
        usual_causes: "several impacts within one step of which only the first is seen; a body squeezed through another; restitution not exactly elastic",
        needs_against: false,
        needs_bounds: false,
        counts: true,
        make: impacts::count,
    },
    GaugeEntry {
        name: "escape.count",
        label: "bodies escaped",
        unit: "bodies",
        better: Better::Lower,
        definition: "Number of bodies whose centre was outside the bounds of the scene in any frame of the window.",
        formula: "count(exists t: x(t) outside bounds)",
        source: "definition",
        limits: "Only as good as the bounds of the scene.",
        usual_causes: "tunnelling, blow-up, an energy gain that throws bodies out",
        needs_against: false,
        needs_bounds: true,
        counts: true,
        make: escape::count,
    },
    GaugeEntry {
        name: "value.x",
        label: "x at the end",
        unit: "m",
        better: Better::Nearer,
        definition: "The x coordinate of the centre of mass of one body in the last frame of the window.",
        formula: "x(t_end), t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "wrong forces, friction or impulses on the way; a wrong scale or axis",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::x,
    },
    GaugeEntry {
        name: "value.y",
        label: "y at the end",
        unit: "m",
        better: Better::Nearer,
        definition: "The y coordinate of the centre of mass of one body in the last frame of the window.",
        formula: "y(t_end), t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "gravity of a wrong size or sign; half sizes taken for full sizes; sinking",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::y,
    },
    GaugeEntry {
        name: "value.vx",
        label: "velocity along x at the end",
        unit: "m/s",
        better: Better::Nearer,
        definition: "The x component of the velocity of one body in the last frame of the window.",
        formula: "v_x(t_end), t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "friction or impulses of a wrong size; hidden damping; a blow that is not passed on whole",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::vx,
    },
    GaugeEntry {
        name: "value.vy",
        label: "velocity along y at the end",
        unit: "m/s",
        better: Better::Nearer,
        definition: "The y component of the velocity of one body in the last frame of the window.",
        formula: "v_y(t_end), t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "gravity of a wrong size; restitution; hidden damping",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::vy,
    },
    GaugeEntry {
        name: "value.speed",
        label: "speed at the end",
        unit: "m/s",
        better: Better::Nearer,
        definition: "The magnitude of the velocity of one body in the last frame of the window.",
        formula: "|v(t_end)|, t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "friction of a wrong size or mixed wrongly; a cap on speeds; hidden damping",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::speed,
    },
    GaugeEntry {
        name: "value.spin",
        label: "spin at the end",
        unit: "rad/s",
        better: Better::Nearer,
        definition: "The angular velocity of one body about z in the last frame of the window.",
        formula: "w_z(t_end), t_end the time of the last frame that lies in the window",
        source: "definition of the state; the scene gives the closed form it is held against",
        limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
        usual_causes: "a wrong moment of inertia; friction without lever arm or of the wrong sign; a cap on turning",
        needs_against: false,
        needs_bounds: false,
        counts: false,
        make: value::spin,
    },
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
    if gauge.needs_against {
        needs.push_str("- **A claim must say** `against`.\n");
    }
    if gauge.needs_bounds {
        needs.push_str("- **The scene must have** `bounds`.\n");
    }
    format!(
        "## {}\n\n{}\n\n- **Formula**: `{}`\n- **Unit**: {}; {} is better\n- **Source**: {}\n- **Limits**: {}\n{needs}- **Usual causes when it fails**: {}\n",
        gauge.name,
        gauge.definition,
        gauge.formula,
        gauge.unit,
        gauge.better.word(),
        gauge.source,
        gauge.limits,
        gauge.usual_causes
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
    fn the_handbook_in_the_docs_is_the_one_of_the_table() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/gauges.md");
        let written = std::fs::read_to_string(path).unwrap_or_default();
        assert!(written == handbook(), "docs/gauges.md is out of date: write `ironspin explain --all` to it");
    }
}
