//! How far springs of soft bodies are stretched and squeezed.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::World;

pub(crate) const STRAIN: GaugeEntry = GaugeEntry {
    name: "strain.largest",
    label: "largest strain",
    definition: "Largest strain in amount of any spring of the soft bodies in any frame: how much longer or shorter it is than at rest, as a share of its rest length.",
    formula: "max_t max_springs |l - L| / L",
    source: "definition of engineering strain",
    limits: "Springs of rest length 0 have no strain and are left out.",
    usual_causes: "a step too long for the stiffness; springs that only pull; a rest length read as the length as built; too few iterations under a load",
    next_step: advice::SOFT,
    make: strain,
    ..SOFT
};

struct Strain {
    softs: Vec<usize>,
    worst: f64,
    /// Soft body, spring, time and length of the worst.
    at: Option<(usize, usize, f64, f64)>,
}

pub(crate) fn strain(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| world.softs[soft].springs.iter().any(|spring| spring.length > 0.0));
    Box::new(Strain { softs, worst: 0.0, at: None })
}

impl Gauge for Strain {
    fn observe(&mut self, view: &View<'_>) {
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            let at = places(soft, view.now);
            for (k, spring) in soft.springs.iter().enumerate() {
                let span = spring.span(at);
                let strain = spring.strain(span).map_or(0.0, f64::abs);
                if self.at.is_none() || strain > self.worst {
                    (self.worst, self.at) = (strain, Some((number, k, view.now.time, span)));
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has springs with a length");
        }
        let Some((soft, k, time, span)) = self.at else { return Reading::nothing("no frame lies in the window") };
        let soft = &world.softs[soft];
        let spring = &soft.springs[k];
        let [a, b] = spring.ends.map(|end| world.bodies[soft.nodes.start + end].name.as_str());
        let detail = format!("{a} to {b} at {time:.3} s: {span:.4} m, {:.4} m at rest", spring.length);
        Reading::of(self.worst, detail).seen_at(time, soft.nodes.start + spring.ends[0])
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};

    #[test]
    fn the_strain_of_a_stretched_side_is_found_to_rounding() {
        // Both right corners move out by 0.3 at most.
        let stretched = frames(11, |i, t| {
            let [x, y] = CORNERS[i];
            state(x + if x > 0.5 { 0.3 * t } else { 0.0 }, y, 0.0, 0.0)
        });
        let reading = measure("strain.largest", &square(), &[1], &[], &stretched);
        assert!((reading.value.unwrap() - 0.3).abs() < 1e-12, "{reading:?}");
        assert!(reading.detail.contains("pad.node[0] to pad.node[1] at 1.000 s"), "{reading:?}");
        let built = frames(3, |i, _| state(CORNERS[i][0], CORNERS[i][1], 0.0, 0.0));
        assert_eq!(measure("strain.largest", &square(), &[1], &[], &built).value, Some(0.0));
    }

    #[test]
    fn springs_that_are_not_there_give_way() {
        // As if nothing held the corners together: they fly apart.
        let loose = frames(11, |i, t| state(CORNERS[i][0] * (1.0 + t), CORNERS[i][1], 0.0, 0.0));
        assert!(measure("strain.largest", &square(), &[1], &[], &loose).value.unwrap() > 0.9);
    }
}
