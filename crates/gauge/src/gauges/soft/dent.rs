//! What dents stay.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::{Better, GaugeEntry};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::World;

pub(crate) const KEPT: GaugeEntry = GaugeEntry {
    name: "dent.kept",
    label: "dent kept",
    better: Better::Nearer,
    definition: "Share by which the mean length of a spring of the soft bodies over the window is off the length that it was built to rest at, of the spring that is furthest off: above zero longer, below zero shorter. It is what is left of a dent once its swings have averaged out.",
    formula: "mean_t l / L0 - 1 of the spring at which its amount is largest, L0 the rest length of the scene",
    source: "definition of engineering strain; the mean of a harmonic swing is its middle",
    limits: "A load that is still there strains springs too: choose a window in which nothing presses. Springs of rest length 0 are left out.",
    usual_causes: "yield that is left out, comes at once, or is limited by the wrong length; a dent that is taken back when the load goes; yield in one direction alone; a restored state that forgets dents",
    by_default: false,
    next_step: advice::SOFT,
    make: kept,
    ..SOFT
};

struct Kept {
    /// Soft bodies, and the sum of the lengths of each of their springs.
    softs: Vec<(usize, Vec<f64>, u64)>,
}

fn kept(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let springs = |soft: usize| (soft, vec![0.0; world.softs[soft].springs.len()], 0);
    let with_springs = softs_of(world, &scope.of).into_iter().filter(|&soft| !world.softs[soft].springs.is_empty());
    Box::new(Kept { softs: with_springs.map(springs).collect() })
}

impl Gauge for Kept {
    fn observe(&mut self, view: &View<'_>) {
        for (number, sums, frames) in &mut self.softs {
            let soft = &view.world.softs[*number];
            if !is_there(soft, view.now) {
                continue;
            }
            let at = places(soft, view.now);
            *frames += 1;
            sums.iter_mut().zip(&soft.springs).for_each(|(sum, spring)| *sum += spring.span(at));
        }
    }

    /// The mean of a part of the window is none of the whole.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has springs");
        }
        let each = self.softs.iter().filter(|(_, _, frames)| *frames > 0).flat_map(|(number, sums, frames)| {
            let soft = &world.softs[*number];
            soft.springs.iter().zip(sums).filter_map(move |(spring, sum)| {
                let mean = sum / *frames as f64;
                let ends = spring.ends.map(|end| soft.nodes.start + end);
                spring.strain(mean).map(|off| (off, ends, mean, spring.length))
            })
        });
        let Some((off, [a, b], mean, length)) =
            each.reduce(|best, own| if own.0.abs() > best.0.abs() { own } else { best })
        else {
            return Reading::nothing("no frame lies in the window");
        };
        let [a, b] = [a, b].map(|node| world.bodies[node].name.as_str());
        Reading::of(off, format!("{a} to {b}: {mean:.6} m in the mean, built to rest at {length:.6} m"))
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};

    #[test]
    fn swings_about_the_built_length_are_no_dent_and_swings_about_another_are() {
        // The right corners swing by 0.05 about a place 0.2 to the right of where they are built; two whole periods.
        let swinging = |dent: f64| {
            let mut seen = frames(20, |i, t| {
                let [x, y] = CORNERS[i];
                let off = if x > 0.5 { dent + 0.05 * libm::sin(std::f64::consts::TAU * t) } else { 0.0 };
                state(x + off, y, 0.0, 0.0)
            });
            seen.iter_mut().for_each(|frame| frame.time += 1.0);
            seen
        };
        assert!(measure("dent.kept", &square(), &[1], &[], &swinging(0.0)).value.unwrap().abs() < 1e-12);
        let reading = measure("dent.kept", &square(), &[1], &[], &swinging(0.2));
        assert!((reading.value.unwrap() - 0.2).abs() < 1e-12, "{reading:?}");
        assert!(reading.detail.contains("pad.node[0] to pad.node[1]: 1.200000 m"), "{reading:?}");
        let shorter = measure("dent.kept", &square(), &[1], &[], &swinging(-0.3)).value;
        assert!((shorter.unwrap() + 0.3).abs() < 1e-12, "{shorter:?}");
        assert_eq!(measure("dent.kept", &square(), &[0], &[], &swinging(0.2)).value, None);
    }
}
