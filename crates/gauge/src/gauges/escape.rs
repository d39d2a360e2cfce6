//! Bodies that left the region in which they should stay.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, World};

pub(crate) const COUNT: GaugeEntry = GaugeEntry {
    name: "escape.count",
    label: "bodies escaped",
    unit: "bodies",
    better: Better::Lower,
    definition: "Number of bodies whose centre was outside the bounds of the scene in any frame of the window.",
    formula: "count(exists t: x(t) outside bounds)",
    source: "definition",
    limits: "Only as good as the bounds of the scene.",
    usual_causes: "tunnelling, explosion, an energy gain that throws bodies out",
    needs: &[Need::Bounds],
    counts: true,
    needs_geometry: false,
    next_step: advice::ESCAPE,
    by_default: true,
    make: count,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Escape {
    of: Vec<usize>,
    /// Time at which each body was first seen outside, s.
    since: Vec<Option<f64>>,
}

pub(crate) fn count(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Escape { since: vec![None; scope.of.len()], of: scope.of.clone() })
}

impl Gauge for Escape {
    fn observe(&mut self, view: &View<'_>) {
        let Some(bounds) = view.world.bounds else { return };
        for (since, &id) in self.since.iter_mut().zip(&self.of) {
            if since.is_none()
                && !view.now.bodies[id].is_absent()
                && !bounds.contains(view.now.bodies[id].pose.position)
            {
                *since = Some(view.now.time);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if world.bounds.is_none() {
            return Reading::nothing("the scene has no `bounds`");
        }
        let outside = self.since.iter().flatten().count();
        let first = self
            .since
            .iter()
            .zip(&self.of)
            .filter_map(|(since, &id)| since.map(|time| (time, id)))
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let detail = first
            .map_or_else(String::new, |(time, id)| format!("{} was outside at {time:.3} s", world.bodies[id].name));
        let reading = Reading::of(outside as f64, detail);
        match first {
            Some((time, id)) => reading.seen_at(time, id),
            None => reading,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, Bounds, DVec2, DVec3, PlaneShape};

    #[test]
    fn leaving_is_noticed_at_its_time_and_staying_is_not() {
        let mut yard = world(&[
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
            ("lost", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
        ]);
        let frames = trace(0.01, 1.0, |t| vec![state(0.5 * t, 0.0, 0.0, 0.0), state(0.0, -4.0 * t, 0.0, 0.0)]);
        assert_eq!(measure("escape.count", &yard, &[0, 1], &[], &frames).value, None);
        yard.bounds = Some(Bounds { min: DVec3::splat(-1.0), max: DVec3::splat(1.0) });
        let reading = measure("escape.count", &yard, &[0, 1], &[], &frames);
        assert_eq!(reading.value, Some(1.0));
        assert_eq!(reading.detail, "lost was outside at 0.260 s");
    }
}
