//! How far springs and sticks of soft bodies are from their lengths.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{SoftBody, World};

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

pub(crate) const STICK_ERROR: GaugeEntry = GaugeEntry {
    name: "stick.error",
    label: "error of sticks",
    definition: "Largest share by which any stick of the soft bodies is longer or shorter than it is to be, over all frames.",
    formula: "max_t max_sticks |l - L| / L",
    source: "definition: a stick is a distance that stays",
    limits: "Soft bodies with sticks only.",
    usual_causes: "too few iterations; sticks that only pull; sticks kept by a stiff spring; a long chain solved from one end",
    next_step: advice::SOFT,
    make: stick_error,
    ..SOFT
};

/// What keeps two nodes a length apart.
#[derive(Clone, Copy, PartialEq)]
enum Link {
    Spring,
    Stick,
}

impl Link {
    /// Two nodes and the length that each of a soft body's is to have, m; those without a length are left out.
    fn each(self, soft: &SoftBody) -> impl Iterator<Item = ([usize; 2], f64)> {
        let springs = (self == Link::Spring).then_some(&soft.springs).into_iter().flatten();
        let sticks = (self == Link::Stick).then_some(&soft.sticks).into_iter().flatten();
        let springs = springs.map(|spring| (spring.ends, spring.length));
        springs.chain(sticks.map(|stick| (stick.ends, stick.length))).filter(|(_, length)| *length > 0.0)
    }
}

struct Lengths {
    link: Link,
    softs: Vec<usize>,
    worst: Option<Worst>,
}

/// The link that is furthest off its length.
struct Worst {
    /// As a share of its length.
    off: f64,
    ends: [usize; 2],
    time: f64,
    /// Length that it has and is to have, m.
    span: f64,
    length: f64,
}

fn strain(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Lengths::of(Link::Spring, world, scope))
}

fn stick_error(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Lengths::of(Link::Stick, world, scope))
}

impl Lengths {
    fn of(link: Link, world: &World, scope: &Scope) -> Self {
        let mut softs = softs_of(world, &scope.of);
        softs.retain(|&soft| link.each(&world.softs[soft]).next().is_some());
        Lengths { link, softs, worst: None }
    }
}

impl Gauge for Lengths {
    fn observe(&mut self, view: &View<'_>) {
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            let at = places(soft, view.now);
            for (ends, length) in self.link.each(soft) {
                let span = at(ends[0]).distance(at(ends[1]));
                let off = ((span - length) / length).abs();
                if self.worst.as_ref().is_none_or(|worst| off > worst.off) {
                    let ends = ends.map(|end| soft.nodes.start + end);
                    self.worst = Some(Worst { off, ends, time: view.now.time, span, length });
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing(match self.link {
                Link::Spring => "no soft body has springs with a length",
                Link::Stick => "no soft body has sticks",
            });
        }
        let Some(worst) = &self.worst else { return Reading::nothing("no frame lies in the window") };
        let [a, b] = worst.ends.map(|end| world.bodies[end].name.as_str());
        let Worst { off, time, span, length, .. } = worst;
        let detail = match self.link {
            Link::Spring => format!("{a} to {b} at {time:.3} s: {span:.4} m, {length:.4} m at rest"),
            Link::Stick => format!("{a} to {b} at {time:.3} s: {span:.6} m in the place of {length:.6} m"),
        };
        Reading::of(*off, detail).seen_at(*time, worst.ends[0])
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::Stick;

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
