//! When bodies come to rest.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World};

pub(crate) const TIME: GaugeEntry = GaugeEntry {
    name: "settle.time",
    label: "settle time",
    unit: "s",
    better: Better::Lower,
    definition: "Time from the start of the window to the last frame in which any of the bodies still moved faster than its resting speed: a hundredth of the speed of a fall through its smallest size, or four steps of gravity if that is more.",
    formula: "max { t : |v(t)| > max(0.01 sqrt(2 g s), 4 g dt) } - t0; without gravity 0.001 max |v|",
    source: "definition",
    limits: "Bodies that still move in the last tenth of the window have not settled, and nothing is measured. A body that rolls on slowly for ever settles as soon as it is slow.",
    usual_causes: "no friction in rolling or sliding; restitution that never lets go; jitter of stacked bodies",
    next_step: advice::SHAKING,
    by_default: true,
    make: time,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Settle {
    of: Vec<usize>,
    start: Option<f64>,
    now: f64,
    /// Last time at which each body moved, s.
    moved: Vec<Option<f64>>,
    fastest: f64,
    /// Below which speed each body rests, m/s, under this gravity and span of a step.
    resting: Vec<Option<f64>>,
    under: Option<(DVec3, f64)>,
}

pub(crate) fn time(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    let moved = vec![None; scope.of.len()];
    Box::new(Settle {
        of: scope.of.clone(),
        start: None,
        now: 0.0,
        moved,
        fastest: 0.0,
        under: None,
        resting: Vec::new(),
    })
}

/// The speed below which a body counts as resting under gravity, m/s.
fn resting_speed(view: &View<'_>, id: usize) -> Option<f64> {
    let (fall, size) = (view.fall(id).length(), view.cache.shapes().size(id));
    (fall > 0.0 && size.is_finite()).then(|| (0.01 * (2.0 * fall * size).sqrt()).max(4.0 * fall * view.span()))
}

impl Gauge for Settle {
    fn observe(&mut self, view: &View<'_>) {
        self.start.get_or_insert(view.now.time);
        self.now = view.now.time;
        let under = (view.gravity, view.span());
        if self.under != Some(under) {
            self.under = Some(under);
            self.resting.clear();
            self.resting.extend(self.of.iter().map(|&id| resting_speed(view, id)));
        }
        for ((moved, &id), resting) in self.moved.iter_mut().zip(&self.of).zip(&self.resting) {
            if !view.present(id) {
                continue;
            }
            let state = &view.now.bodies[id];
            let reported = view.cache.speed(When::Now, id);
            // An engine that puts bodies to sleep while they move on is seen by the way they go.
            let gone = match view.before {
                Some(before) if view.span() > 0.0 => {
                    (state.pose.position - before.bodies[id].pose.position).length() / view.span()
                }
                _ => 0.0,
            };
            let speed = reported.max(gone);
            self.fastest = self.fastest.max(speed);
            if speed > resting.unwrap_or(1e-3 * self.fastest) {
                *moved = Some(view.now.time);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        let Some(start) = self.start else { return Reading::nothing("no frame lies in the window") };
        let last = self.moved.iter().zip(&self.of).filter_map(|(moved, &id)| moved.map(|time| (time, id))).fold(
            None,
            |last: Option<(f64, usize)>, one| if last.is_none_or(|last| one.0 > last.0) { Some(one) } else { last },
        );
        let Some((time, id)) = last else { return Reading::of(0.0, "nothing moved") };
        let name = &world.bodies[id].name;
        if time > self.now - 0.1 * (self.now - start) {
            return Reading::nothing(format!("{name} still moves at {time:.3} s"));
        }
        Reading::of(time - start, format!("{name} moved last, at {time:.3} s"))
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, PlaneShape, World};

    fn ball() -> World {
        world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)])
    }

    #[test]
    fn a_bouncing_ball_settles_when_its_series_of_hops_says() {
        let frames = trace(1e-3, 8.0, |t| {
            let (gap, speed) = bouncing(1.0, 0.5, t);
            vec![state(0.0, gap, 0.0, speed)]
        });
        // sqrt(2h/g) (1 + 2 e / (1 - e)); the last hops are slower than the resting speed.
        let all = (2.0_f64 / 9.81).sqrt() * 3.0;
        let found = measure("settle.time", &ball(), &[0], &[], &frames).value.unwrap();
        assert!(found < all && found > all - 0.05, "{found} of {all}");
    }

    #[test]
    fn what_shakes_or_creeps_on_has_not_settled() {
        let shaking = trace(1e-3, 4.0, |t| vec![state(0.0, 0.0, 0.0, 0.3 * libm::sin(50.0 * t))]);
        assert!(measure("settle.time", &ball(), &[0], &[], &shaking).value.is_none());
        let creeping = trace(1e-3, 4.0, |t| vec![state(0.2 * t, 0.0, 0.0, 0.0)]);
        assert!(measure("settle.time", &ball(), &[0], &[], &creeping).detail.contains("still moves"));
    }
}
