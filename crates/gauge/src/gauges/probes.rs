//! What came of questions to the engine: rays and forecasts.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, QueryResult, Reading, Scope, View};
use crate::geometry::{Plane, Room, Space, barriers};
use ironspin_model::{BodyState, DVec3, Dimension, Frame, World};

pub(crate) const FORECAST: GaugeEntry = GaugeEntry {
    name: "forecast.error",
    label: "forecast error",
    unit: "m",
    better: Better::Lower,
    definition: "Largest distance between where a copy of the world, stepped ahead by the engine, had a body and where the body then was.",
    formula: "max over forecasts and bodies of |x(t0 + ahead) - x_forecast|",
    source: "definition; a deterministic engine that saves and restores its whole state is off by nothing",
    limits: "Forecasts whose time comes after the end of the trial are left out. Actions that wait for a condition are not in the copy.",
    usual_causes: "a copy without its contacts, sleeping state or random state; things that push the shot left out of the copy",
    needs: &[Need::Forecast],
    next_step: advice::FORECAST,
    make: forecast,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const RAY: GaugeEntry = GaugeEntry {
    name: "ray.error",
    label: "ray error",
    unit: "m",
    better: Better::Lower,
    definition: "Largest difference between the distance at which the engine says that a ray hits something and that at which the gauge's own geometry has it; the length of the ray where one says that it hits and the other that it does not.",
    formula: "max over rays of |d_engine - d_geometry|",
    source: "a ray meets a convex outline where it comes in past the last of its edges (Cyrus and Beck, 1978)",
    limits: "The distance counts, and not which of several bodies at the same place is named.",
    usual_causes: "rays cast against surrounding boxes; half sizes; a ray that starts inside a solid; the surface of the step before",
    needs: &[Need::Ray],
    next_step: advice::RAY,
    make: ray,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Forecasts {
    heard: u64,
    worst: f64,
    worst_body: usize,
    worst_ahead: f64,
    of: Vec<usize>,
}

pub(crate) fn forecast(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Forecasts { heard: 0, worst: 0.0, worst_body: 0, worst_ahead: 0.0, of: scope.of.clone() })
}

impl Gauge for Forecasts {
    fn observe(&mut self, _: &View<'_>) {}

    fn observe_query(&mut self, _: &World, result: &QueryResult<'_>) {
        let QueryResult::Forecast { ahead, off } = result else { return };
        let mut counts = false;
        for &(body, distance) in off.iter().filter(|(body, _)| self.of.contains(body)) {
            counts = true;
            if !(distance <= self.worst) {
                (self.worst, self.worst_body, self.worst_ahead) = (distance, body, *ahead);
            }
        }
        self.heard += u64::from(counts);
    }

    fn reading(&self, world: &World) -> Reading {
        if self.heard == 0 {
            return Reading::nothing("no forecast of these bodies came due");
        }
        let reported = match (self.worst > 0.0, world.bodies.get(self.worst_body)) {
            (true, Some(body)) => format!("{} after {:.3} s, of {} forecasts", body.name, self.worst_ahead, self.heard),
            _ => format!("{} forecasts met exactly", self.heard),
        };
        Reading::of(self.worst, reported)
    }
}

struct Rays<G: Room> {
    /// Of every body's solid parts.
    pieces: Vec<Vec<G::Barrier>>,
    heard: u64,
    worst: f64,
    detail: String,
}

pub(crate) fn ray(world: &World, _: &Scope) -> Box<dyn Gauge> {
    match world.dimension {
        Dimension::Plane => rays::<Plane>(world),
        Dimension::Space => rays::<Space>(world),
    }
}

fn rays<G: Room + Send>(world: &World) -> Box<dyn Gauge> {
    Box::new(Rays::<G> { pieces: barriers::<G>(world), heard: 0, worst: 0.0, detail: String::new() })
}

impl<G: Room> Rays<G> {
    fn truth(&self, frame: &Frame, from: DVec3, way: DVec3) -> Option<f64> {
        let there = |state: &&BodyState| !state.is_absent();
        let mut first: Option<f64> = None;
        for (id, state) in frame.bodies.iter().enumerate().filter(|(_, state)| there(state)) {
            for part in &self.pieces[id] {
                if let Some(share) = G::ray(part, state, from, way) {
                    first = Some(first.map_or(share, |best| best.min(share)));
                }
            }
        }
        first
    }
}

impl<G: Room + Send> Gauge for Rays<G> {
    fn observe(&mut self, _: &View<'_>) {}

    fn observe_query(&mut self, world: &World, result: &QueryResult<'_>) {
        let QueryResult::Ray { frame, from, to, hit } = result else { return };
        self.heard += 1;
        let way = *to - *from;
        let truth = self.truth(frame, *from, way).map(|share| share * way.length());
        let reported = hit.map(|hit| hit.distance);
        let off = match (truth, reported) {
            (Some(truth), Some(reported)) => (truth - reported).abs(),
            (None, None) => 0.0,
            _ => way.length(),
        };
        if !(off <= self.worst) || self.detail.is_empty() {
            self.worst = off.max(self.worst);
            let words = |distance: Option<f64>| distance.map_or("nothing".to_owned(), |d| format!("{d:.6} m"));
            let name = hit
                .and_then(|hit| world.bodies.get(hit.body))
                .map_or(String::new(), |body| format!(" ({})", body.name));
            self.detail =
                format!("engine: {}{name}, geometry: {}, at {:.3} s", words(reported), words(truth), frame.time);
        }
    }

    fn reading(&self, _: &World) -> Reading {
        match self.heard {
            0 => Reading::nothing("no ray was cast"),
            count => Reading::of(self.worst, format!("{}; {count} rays", self.detail)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gauges::find;
    use crate::gauges::trace::{state, world};
    use ironspin_model::{BodyKind, DVec2, DVec3, PlaneShape, RayHit};

    fn range() -> World {
        let points = vec![DVec2::new(6.0, -1.0), DVec2::new(7.0, 1.0)];
        world(&[
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.5), DVec2::ZERO),
            ("bar", BodyKind::Dynamic, PlaneShape::Capsule { length: 2.0, radius: 0.25 }, DVec2::ZERO),
            ("box", BodyKind::Dynamic, PlaneShape::Box(DVec2::new(1.0, 2.0)), DVec2::ZERO),
            ("fence", BodyKind::Static, PlaneShape::Polyline(points), DVec2::ZERO),
            ("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::new(0.0, -5.0)),
        ])
    }

    fn frame() -> Frame {
        let at = [(0.0, 0.0), (0.0, 3.0), (3.0, 0.0), (0.0, 0.0), (0.0, -5.0)];
        Frame { bodies: at.iter().map(|&(x, y)| state(x, y, 0.0, 0.0)).collect(), ..Frame::default() }
    }

    fn error(from: (f64, f64), to: (f64, f64), reported: Option<f64>) -> f64 {
        let mut gauge = (find("ray.error").unwrap().make)(&range(), &Scope::default());
        let point = |(x, y): (f64, f64)| DVec3::new(x, y, 0.0);
        let hit = reported.map(|distance| RayHit { body: 0, point: DVec3::ZERO, normal: DVec3::X, distance });
        gauge.observe_query(&range(), &QueryResult::Ray { frame: &frame(), from: point(from), to: point(to), hit });
        gauge.reading(&range()).value.unwrap()
    }

    #[test]
    fn rays_meet_every_shape_where_the_closed_form_says() {
        for (from, to, distance) in [
            ((-5.0, 0.0), (5.0, 0.0), Some(4.5)),
            ((-5.0, 0.3), (5.0, 0.3), Some(5.0 - 0.4)),
            ((-5.0, 3.1), (5.0, 3.1), Some(5.0 - 1.0 - (0.25_f64.powi(2) - 0.01).sqrt())),
            ((0.5, 9.0), (0.5, -9.0), Some(5.75)),
            ((2.0, 0.2), (9.0, 0.2), Some(0.5)),
            ((4.0, 0.0), (9.0, 0.0), Some(2.5)),
            ((9.0, 0.0), (4.0, 0.0), Some(2.5)),
            ((3.0, 0.0), (9.0, 0.0), Some(0.0)),
            ((-3.0, 9.0), (-3.0, -9.0), Some(14.0)),
            ((-5.0, 9.0), (5.0, 9.0), None),
        ] {
            assert!(error(from, to, distance) < 1e-14, "{from:?} {to:?}");
            let wrong = distance.map_or(Some(1.0), |distance| Some(distance + 0.01));
            assert!(error(from, to, wrong) > 0.009, "{from:?} {to:?}");
        }
        assert_eq!(error((-5.0, 0.0), (5.0, 0.0), None), 10.0);
    }

    #[test]
    fn the_worst_forecast_counts_and_one_that_was_never_due_measures_nothing() {
        let mut gauge = (find("forecast.error").unwrap().make)(&range(), &Scope { of: vec![0, 1], ..Scope::default() });
        assert!(gauge.reading(&range()).value.is_none());
        gauge.observe_query(&range(), &QueryResult::Forecast { ahead: 1.0, off: &[(2, 9.0)] });
        assert!(gauge.reading(&range()).value.is_none());
        gauge.observe_query(&range(), &QueryResult::Forecast { ahead: 1.0, off: &[(0, 0.0), (1, 0.0)] });
        assert_eq!(gauge.reading(&range()).value, Some(0.0));
        gauge.observe_query(&range(), &QueryResult::Forecast { ahead: 2.0, off: &[(0, 0.25), (1, 0.5)] });
        let reading = gauge.reading(&range());
        assert_eq!(reading.value, Some(0.5));
        assert!(reading.detail.contains("bar after 2.000 s"), "{reading:?}");
    }
}
