//! How much the volume inside a skin changes.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, World};

pub(crate) const CHANGE: GaugeEntry = GaugeEntry {
    name: "volume.change",
    label: "change of volume",
    definition: "Largest change of what a closed skin encloses against what it encloses as built, as a share of that, over all frames; in the plane an area.",
    formula: "max_t max_softs |V(t) / V_built - 1|, V = (1/2) sum over the skin of x_a y_b - x_b y_a; in space (1/6) sum over its triangles of x_a . (x_b x x_c)",
    source: "Gauss's theorem",
    limits: "Closed skins only. A skin that crosses itself counts what it encloses twice, and what it encloses turned over below nothing: then the change is 1 or more.",
    usual_causes: "pressure that acts on one side, by a bounding circle or with the wrong sense of a piece; too few iterations; springs too soft for what squeezes them",
    next_step: advice::SOFT,
    make: change,
    ..SOFT
};

struct Change {
    /// Numbers of soft bodies, and what each encloses as built, m², in space m³.
    softs: Vec<(usize, f64)>,
    frames: u64,
    worst: f64,
    /// Soft body, time, and what it enclosed.
    at: Option<(usize, f64, f64)>,
}

pub(crate) fn change(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let closed = softs_of(world, &scope.of).into_iter().filter(|&soft| world.softs[soft].is_closed());
    let built = |soft: usize| {
        let soft = &world.softs[soft];
        soft.enclosed(|node| world.bodies[soft.nodes.start + node].pose.position)
    };
    let softs = closed.map(|soft| (soft, built(soft))).filter(|(_, built)| *built > 0.0).collect();
    Box::new(Change { softs, frames: 0, worst: 0.0, at: None })
}

impl Gauge for Change {
    fn observe(&mut self, view: &View<'_>) {
        for &(number, built) in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            self.frames += 1;
            let volume = soft.enclosed(places(soft, view.now));
            let change = (volume / built - 1.0).abs();
            if self.at.is_none() || change > self.worst {
                (self.worst, self.at) = (change, Some((number, view.now.time, volume)));
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has a closed skin");
        }
        let Some((soft, time, volume)) = self.at else { return Reading::nothing("no frame lies in the window") };
        let soft = &world.softs[soft];
        let unit = if world.dimension == Dimension::Plane { "m2" } else { "m3" };
        let reading = Reading::of(self.worst, format!("{} encloses {volume:.6} {unit} at {time:.3} s", soft.name));
        let reading = reading.seen_at(time, soft.nodes.start);
        if volume <= 0.0 { reading.warn("the skin encloses nothing: it has collapsed or turned over") } else { reading }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};

    #[test]
    fn a_square_that_grows_evenly_changes_by_the_square_of_its_side() {
        let grown =
            frames(11, |i, t| state(CORNERS[i][0] * (1.0 + 0.1 * t), CORNERS[i][1] * (1.0 + 0.1 * t), 0.0, 0.0));
        let reading = measure("volume.change", &square(), &[1, 2], &[], &grown);
        assert!((reading.value.unwrap() - 0.21).abs() < 1e-12, "{reading:?}");
        assert!(reading.detail.contains("pad encloses 1.21"), "{reading:?}");
    }

    #[test]
    fn a_skin_that_collapses_is_caught_and_moving_is_no_change() {
        let moved = frames(11, |i, t| state(CORNERS[i][0] + 7.0 * t, CORNERS[i][1] - t, 7.0, -1.0));
        assert!(measure("volume.change", &square(), &[1], &[], &moved).value.unwrap() < 1e-12);
        let flat = frames(11, |i, t| state(CORNERS[i][0], 1.0 + (CORNERS[i][1] - 1.0) * (1.0 - t).max(0.0), 0.0, 0.0));
        let reading = measure("volume.change", &square(), &[1], &[], &flat);
        assert!((reading.value.unwrap() - 1.0).abs() < 1e-12 && reading.warnings.len() == 1, "{reading:?}");
        assert_eq!(measure("volume.change", &square(), &[0], &[], &flat).value, None);
    }
}
