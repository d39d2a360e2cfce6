//! Whether bodies stay where they were put.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, World, turn};

pub(crate) const STANDS: GaugeEntry = GaugeEntry {
    name: "stands",
    label: "share standing",
    unit: "1",
    better: Better::Higher,
    definition: "Share of the bodies whose centre never moved by half their smallest size from where they were put, and that never turned by an eighth of a turn, in the window.",
    formula: "count(max_t |x - x0| <= s/2 and max_t |a - a0| <= pi/4) / count; in space the angle of the turn from the rotation as built",
    source: "definition",
    limits: "A round body may roll by an eighth of a turn without moving much: meant for bodies with corners.",
    usual_causes: "creep, jitter or a first landing that kicks; load that does not reach the bottom of the pile",
    next_step: advice::CREEP,
    make: stands,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// A body has left its place when its centre moved by this share of its smallest size...
const MOVED_SHARE: f64 = 0.5;
/// ...or when it turned by this angle, rad: beyond an eighth of a turn a square lies on another side.
const TURNED: f64 = std::f64::consts::FRAC_PI_4;

struct Stands {
    of: Vec<usize>,
    fell: Vec<Option<f64>>,
    frames: u64,
}

pub(crate) fn stands(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Stands { fell: vec![None; scope.of.len()], of: scope.of.clone(), frames: 0 })
}

impl Gauge for Stands {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        for (fell, &id) in self.fell.iter_mut().zip(&self.of).filter(|(fell, _)| fell.is_none()) {
            let (body, state) = (&view.world.bodies[id], &view.now.bodies[id]);
            if state.is_absent() {
                continue;
            }
            let moved =
                (state.pose.position - body.pose.position).length() > MOVED_SHARE * view.cache.shapes().size(id);
            let turned = match view.world.dimension {
                Dimension::Plane => (state.pose.angle - body.pose.angle).abs(),
                Dimension::Space => turn::angle_between(body.pose.rotation, state.pose.rotation),
            };
            if moved || turned > TURNED {
                *fell = Some(view.now.time);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        let standing = self.fell.iter().filter(|fell| fell.is_none()).count();
        let first = self
            .fell
            .iter()
            .zip(&self.of)
            .filter_map(|(fell, &id)| fell.map(|time| (time, id)))
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let all = self.of.len();
        let detail = match first {
            None => format!("all {all} stand"),
            Some((time, id)) => {
                format!("{standing} of {all} stand; {} left first, at {time:.3} s", world.bodies[id].name)
            }
        };
        let reading = Reading::of(standing as f64 / all as f64, detail);
        match first {
            Some((time, id)) => reading.seen_at(time, id),
            None => reading,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, PlaneShape};

    #[test]
    fn what_topples_slides_off_or_falls_no_longer_stands() {
        let square = || PlaneShape::Box(DVec2::ONE);
        let pile = world(&[
            ("still", BodyKind::Dynamic, square(), DVec2::ZERO),
            ("slides", BodyKind::Dynamic, square(), DVec2::ZERO),
            ("topples", BodyKind::Dynamic, square(), DVec2::ZERO),
            ("leans", BodyKind::Dynamic, square(), DVec2::ZERO),
        ]);
        let turned = |angle: f64| BodyState::planar(DVec3::ZERO, angle, DVec3::ZERO, 0.0);
        let frames = trace(0.01, 1.0, |t| {
            vec![state(0.1 * t, 0.0, 0.0, 0.0), state(t, 0.0, 0.0, 0.0), turned(-t), turned(0.5 * t)]
        });
        let reading = measure("stands", &pile, &[0, 1, 2, 3], &[], &frames);
        assert_eq!(reading.value, Some(0.5));
        assert_eq!(reading.detail, "2 of 4 stand; slides left first, at 0.510 s");
        assert_eq!(measure("stands", &pile, &[0, 3], &[], &frames).value, Some(1.0));
    }
}
