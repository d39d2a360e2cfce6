//! How well sticks keep their lengths.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::World;

pub(crate) const ERROR: GaugeEntry = GaugeEntry {
    name: "stick.error",
    label: "error of sticks",
    definition: "Largest share by which any stick of the soft bodies is longer or shorter than it is to be, over all frames.",
    formula: "max_t max_sticks |l - L| / L",
    source: "definition: a stick is a distance that stays",
    limits: "Soft bodies with sticks only.",
    usual_causes: "too few iterations; sticks that only pull; sticks kept by a stiff spring; a long chain solved from one end",
    next_step: advice::SOFT,
    make: error,
    ..SOFT
};

struct StickError {
    softs: Vec<usize>,
    worst: f64,
    /// Soft body, stick, time and length of the worst.
    at: Option<(usize, usize, f64, f64)>,
}

fn error(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| !world.softs[soft].sticks.is_empty());
    Box::new(StickError { softs, worst: 0.0, at: None })
}

impl Gauge for StickError {
    fn observe(&mut self, view: &View<'_>) {
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            let at = places(soft, view.now);
            for (k, stick) in soft.sticks.iter().enumerate() {
                let span = at(stick.ends[0]).distance(at(stick.ends[1]));
                let error = (span / stick.length - 1.0).abs();
                if self.at.is_none() || error > self.worst {
                    (self.worst, self.at) = (error, Some((number, k, view.now.time, span)));
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has sticks");
        }
        let Some((soft, k, time, span)) = self.at else { return Reading::nothing("no frame lies in the window") };
        let soft = &world.softs[soft];
        let stick = &soft.sticks[k];
        let [a, b] = stick.ends.map(|end| world.bodies[soft.nodes.start + end].name.as_str());
        let detail = format!("{a} to {b} at {time:.3} s: {span:.6} m in the place of {:.6} m", stick.length);
        Reading::of(self.worst, detail).seen_at(time, soft.nodes.start + stick.ends[0])
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::Stick;

    #[test]
    fn a_stick_that_grows_by_a_tenth_is_told_and_one_that_turns_is_not() {
        let mut world = square();
        world.softs[0].sticks = vec![Stick { ends: [0, 1], length: 1.0 }];
        let still = frames(5, |i, t| state(CORNERS[i][0] + t, CORNERS[i][1], 1.0, 0.0));
        assert!(measure("stick.error", &world, &[1], &[], &still).value.unwrap() < 1e-12);
        let grown = frames(11, |i, t| state(CORNERS[i][0] * (1.0 + 0.1 * t), CORNERS[i][1], 0.0, 0.0));
        let reading = measure("stick.error", &world, &[1], &[], &grown);
        assert!((reading.value.unwrap() - 0.1).abs() < 1e-12, "{reading:?}");
        assert_eq!(measure("stick.error", &square(), &[1], &[], &still).value, None);
    }
}
