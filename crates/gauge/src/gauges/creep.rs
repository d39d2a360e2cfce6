//! Slow, steady wandering of a body that should rest.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World};

pub(crate) const RATE: GaugeEntry = GaugeEntry {
    name: "creep.rate",
    label: "creep rate",
    unit: "m/s",
    better: Better::Lower,
    definition: "Slope of the straight line fitted to a body's centre over time in the window, of the body for which it is steepest.",
    formula: "max_bodies |sum((t - t_mean)(x - x_mean)) / sum((t - t_mean)^2)|",
    source: "least squares (Gauss); running sums after Welford (1962)",
    limits: "A shake of amplitude a over a window T leaves a slope of about a / T.",
    usual_causes: "friction solved before the load has arrived; friction anchored to nothing; overlap correction along a tilted normal",
    next_step: advice::CREEP,
    make: rate,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// Running sums of a straight-line fit of position over time (Welford's form: stable, nothing is kept).
#[derive(Clone, Copy, Debug, Default)]
struct Line {
    count: u64,
    /// The first place; all others are taken relative to it, so that a world far out loses no digits.
    origin: DVec3,
    mean_time: f64,
    mean_place: DVec3,
    time_square: f64,
    time_place: DVec3,
}

impl Line {
    fn add(&mut self, time: f64, place: DVec3) {
        if self.count == 0 {
            self.origin = place;
        }
        let place = place - self.origin;
        self.count += 1;
        let share = 1.0 / self.count as f64;
        let off = time - self.mean_time;
        self.mean_time += off * share;
        self.mean_place += (place - self.mean_place) * share;
        self.time_square += off * (time - self.mean_time);
        self.time_place += off * (place - self.mean_place);
    }

    fn slope(&self) -> DVec3 {
        if self.time_square > 0.0 { self.time_place / self.time_square } else { DVec3::ZERO }
    }
}

struct Creep {
    of: Vec<usize>,
    lines: Vec<Line>,
}

pub(crate) fn rate(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Creep { lines: vec![Line::default(); scope.of.len()], of: scope.of.clone() })
}

impl Gauge for Creep {
    fn observe(&mut self, view: &View<'_>) {
        for (line, &id) in self.lines.iter_mut().zip(&self.of) {
            if view.now.bodies[id].is_absent() {
                continue;
            }
            line.add(view.now.time, view.now.bodies[id].pose.position);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        let frames = self.lines.first().map_or(0, |line| line.count);
        if frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let rates = self.lines.iter().map(|line| line.slope().length());
        let (slot, rate) =
            rates.enumerate().fold((0, 0.0), |best, (slot, rate)| if rate > best.1 { (slot, rate) } else { best });
        let way = self.lines[slot].slope();
        let name = &world.bodies[self.of[slot]].name;
        let detail = match world.dimension {
            Dimension::Plane => format!("{name} wanders by ({:.1e}, {:.1e}) m/s", way.x, way.y),
            Dimension::Space => format!("{name} wanders by ({:.1e}, {:.1e}, {:.1e}) m/s", way.x, way.y, way.z),
        };
        let reading = Reading::of(rate, detail);
        if frames < 10 { reading.warn(format!("only {frames} frames lie in the window")) } else { reading }
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
    fn a_straight_wander_is_measured_to_rounding_and_shaking_is_not_taken_for_it() {
        let wander = trace(0.01, 5.0, |t| vec![state(3e-4 * t, 1e6 - 4e-4 * t, 0.0, 0.0)]);
        let rate = measure("creep.rate", &ingot(), &[0], &[], &wander).value.unwrap();
        assert!((rate / 5e-4 - 1.0).abs() < 1e-6, "{rate}");
        let shake = trace(0.01, 5.0, |t| vec![state(1e-3 * (50.0 * t).sin(), 0.0, 0.0, 0.0)]);
        let rate = measure("creep.rate", &ingot(), &[0], &[], &shake).value.unwrap();
        assert!(rate < 3e-5, "{rate}");
    }

    #[test]
    fn an_engine_that_reports_no_speed_but_creeps_is_caught() {
        let frames = trace(0.01, 5.0, |t| vec![state(0.0, -1e-3 * t, 0.0, 0.0)]);
        assert!(measure("creep.rate", &ingot(), &[0], &[], &frames).value.unwrap() > 9e-4);
    }
}
