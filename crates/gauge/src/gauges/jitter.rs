//! Shaking of bodies that should rest: by speed and by travel.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World};

pub(crate) const SPEED: GaugeEntry = GaugeEntry {
    name: "jitter.speed",
    label: "jitter by speed",
    unit: "m/s",
    better: Better::Lower,
    definition: "Root mean square speed over the window of the body that shakes most; by the velocity reported or by the way gone from frame to frame, whichever is larger.",
    formula: "max_bodies max(rms(|v|), rms(|dx| / dt))",
    source: "definition; the natural yardstick is one step of gravity, g dt",
    limits: "Steady motion counts as well: use it where bodies should rest.",
    usual_causes: "contacts that flicker on and off; overlap correction that overshoots; no warm starting; restitution at rest",
    next_step: advice::SHAKING,
    by_default: true,
    make: speed,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const TRAVEL: GaugeEntry = GaugeEntry {
    name: "jitter.travel",
    label: "jitter by travel",
    unit: "m",
    better: Better::Lower,
    definition: "Diagonal of the box in which the centre of a body stays over the window, of the body for which it is largest.",
    formula: "max_bodies |x_max - x_min|",
    source: "definition",
    limits: "Steady motion counts as well: use it where bodies should rest.",
    usual_causes: "as jitter by speed; besides, slow creep over a long window",
    next_step: advice::SHAKING,
    make: travel,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const STEPS: GaugeEntry = GaugeEntry {
    name: "jitter.steps",
    label: "jitter in steps of gravity",
    unit: "1",
    definition: "The jitter by speed as a share of what one step of gravity adds to the speed: the natural size of jitter, the same for every scale and step.",
    formula: "max_bodies rms(|v|) / (g dt)",
    limits: "Only under gravity; the step is the mean of those in the window.",
    next_step: advice::SHAKING,
    make: steps,
    ..SPEED
};

/// What is kept of one body.
#[derive(Clone, Copy, Debug)]
struct Shake {
    /// Sum of squares of the speed as reported.
    reported: f64,
    /// Sum of squares of the speed by the way gone, from frame to frame.
    travelled: f64,
    low: DVec3,
    high: DVec3,
}

struct Jitter {
    of: Vec<usize>,
    shakes: Vec<Shake>,
    frames: u64,
    by_speed: bool,
    /// Whether the speed is given in steps of gravity.
    in_steps: bool,
    /// The body that falls hardest, and the sum of what gravity adds to its speed in a step, m/s.
    heaviest: Option<usize>,
    natural: f64,
}

fn new(world: &World, scope: &Scope, by_speed: bool, in_steps: bool) -> Box<dyn Gauge> {
    let still = Shake { reported: 0.0, travelled: 0.0, low: DVec3::INFINITY, high: DVec3::NEG_INFINITY };
    Box::new(Jitter {
        shakes: vec![still; scope.of.len()],
        of: scope.of.clone(),
        frames: 0,
        heaviest: hardest_falling(world, &scope.of),
        by_speed,
        in_steps,
        natural: 0.0,
    })
}

pub(crate) fn speed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true, false)
}

pub(crate) fn steps(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true, true)
}

pub(crate) fn travel(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false, false)
}

/// The body with the largest factor of gravity.
fn hardest_falling(world: &World, of: &[usize]) -> Option<usize> {
    let factor = |id: usize| world.bodies[id].gravity_factor.abs();
    of.iter().copied().max_by(|&a, &b| factor(a).total_cmp(&factor(b)))
}

impl Jitter {
    /// Root mean square of the speed as reported and by the way gone.
    fn speeds(&self, shake: &Shake) -> [f64; 2] {
        let mean = |sum: f64, count: u64| (sum / count.max(1) as f64).sqrt();
        [mean(shake.reported, self.frames), mean(shake.travelled, self.frames.saturating_sub(1))]
    }

    fn value(&self, shake: &Shake) -> f64 {
        if self.by_speed {
            let [reported, travelled] = self.speeds(shake);
            reported.max(travelled)
        } else {
            (shake.high - shake.low).length()
        }
    }
}

impl Gauge for Jitter {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let span = view.span();
        self.natural += self.heaviest.map_or(0.0, |id| view.fall(id).length()) * span;
        for (shake, &id) in self.shakes.iter_mut().zip(&self.of) {
            if !view.present(id) {
                continue;
            }
            let now = &view.now.bodies[id];
            shake.reported += now.velocity.length_squared();
            shake.low = shake.low.min(now.pose.position);
            shake.high = shake.high.max(now.pose.position);
            if let (Some(before), true) = (view.before, span > 0.0) {
                shake.travelled += ((now.pose.position - before.bodies[id].pose.position) / span).length_squared();
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        let values = self.shakes.iter().map(|shake| self.value(shake));
        let (slot, value) =
            values.enumerate().fold((0, 0.0), |best, (slot, value)| if value > best.1 { (slot, value) } else { best });
        let name = &world.bodies[self.of[slot]].name;
        if value == 0.0 {
            return Reading::of(0.0, "perfectly still");
        }
        let [reported, travelled] = self.speeds(&self.shakes[slot]);
        let step = self.natural / self.frames.saturating_sub(1).max(1) as f64;
        if self.in_steps && step == 0.0 {
            return Reading::unsupported("there is no gravity to measure by");
        }
        let value = if self.in_steps { value / step } else { value };
        let reading = Reading::of(value, format!("most by {name}"));
        if self.by_speed && travelled > 2.0 * reported {
            return reading.warn(format!("{name} moves at {travelled:.2e} m/s and reports {reported:.2e} m/s"));
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, PlaneShape, World};

    fn ingot() -> World {
        world(&[("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::ZERO)])
    }

    #[test]
    fn a_harmonic_shake_has_the_speed_and_travel_of_its_closed_form() {
        // Ten full periods of amplitude a: rms speed a w / sqrt(2), peak to peak 2 a.
        let (a, w) = (1e-3, std::f64::consts::TAU * 10.0);
        let frames = trace(1e-4, 1.0 - 1e-4, |t| vec![state(a * libm::sin(w * t), 2.0, a * w * libm::cos(w * t), 0.0)]);
        let speed = measure("jitter.speed", &ingot(), &[0], &[], &frames).value.unwrap();
        assert!((speed / (a * w / 2.0_f64.sqrt()) - 1.0).abs() < 1e-4, "{speed}");
        let steps = measure("jitter.steps", &ingot(), &[0], &[], &frames).value.unwrap();
        assert!((steps / (speed / (9.81 * 1e-4)) - 1.0).abs() < 1e-9, "{steps}");
        let travel = measure("jitter.travel", &ingot(), &[0], &[], &frames).value.unwrap();
        assert!((travel / (2.0 * a) - 1.0).abs() < 1e-4, "{travel}");
    }

    #[test]
    fn an_engine_that_hides_its_shaking_from_the_velocity_is_caught() {
        let frames = trace(0.01, 1.0, |t| {
            let up = if (t / 0.01).round() % 2.0 == 0.0 { 1e-3 } else { 0.0 };
            vec![state(0.0, up, 0.0, 0.0)]
        });
        let reading = measure("jitter.speed", &ingot(), &[0], &[], &frames);
        assert!((reading.value.unwrap() - 0.1).abs() < 1e-3, "{reading:?}");
        assert_eq!(reading.warnings.len(), 1);
    }
}
