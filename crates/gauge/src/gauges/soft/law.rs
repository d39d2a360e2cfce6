//! The amount of gas that pushes the nodes of a closed skin as they are pushed.

use super::{SOFT, is_there, places, softs_of, spring_forces, untouched};
use crate::advice;
use crate::derived::{given_way, unexplained, yielded};
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{DVec3, Dimension, SoftBody, World};

pub(crate) const LAW: GaugeEntry = GaugeEntry {
    name: "volume.law",
    label: "error of pressure times volume",
    definition: "How far pressure times volume is from what the gas of a skin has it: the amount of gas that explains best what pushes the nodes over the window, as a share of the amount of the scene, less 1, in amount. What pushes a node is its change of momentum beyond gravity, damping, actions and the forces of its springs.",
    formula: "|N / N_scene - 1|, N the least squares of m dv - F_springs dt = (N / V - p0) A dt over all steps and nodes, A = dV/dx; V, A and F_springs the means of both ends of a step",
    source: "law of Boyle and Mariotte; Newton's second law",
    limits: "Nodes near anything else, held or pinned ones and those of sticks and matching are left out; where none is left, or a spring may have given way, nothing is told. Forces are taken as their means over a step, so that what swings within few steps is blurred: a share of (w dt)^2/12 of it. A skin that touches itself is pushed by that, too.",
    usual_causes: "the pressure outside left out; the volume by a bounding ball or box; pressure without the volume, as a constant push; area of a piece twice or half",
    by_default: false,
    needs_geometry: true,
    next_step: advice::SOFT,
    make: law,
    ..SOFT
};

struct Law {
    softs: Vec<Fit>,
    steps: u64,
    /// Why nothing can be told.
    why: Option<String>,
}

/// Sums of the least squares of one soft body.
struct Fit {
    soft: usize,
    amount: f64,
    outside: f64,
    with_itself: f64,
    with_push: f64,
    /// Its nodes, and all else.
    own: Membership,
    others: Membership,
}

pub(crate) fn law(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let fit = |soft: usize| {
        let gas = world.softs[soft].pressure.filter(|gas| gas.amount > 0.0)?;
        let nodes: Vec<usize> = world.softs[soft].nodes.clone().collect();
        Some(Fit {
            soft,
            amount: gas.amount,
            outside: gas.outside,
            with_itself: 0.0,
            with_push: 0.0,
            own: Membership::of(world, &nodes),
            others: Membership::all_but(world, &nodes),
        })
    };
    Box::new(Law { softs: softs_of(world, &scope.of).into_iter().filter_map(fit).collect(), steps: 0, why: None })
}

/// How what a skin encloses grows with the place of each of its nodes: areas along the outward normals, in the plane lengths.
fn areas(soft: &SoftBody, dimension: Dimension, at: impl Fn(usize) -> DVec3) -> Vec<DVec3> {
    let mut areas = vec![DVec3::ZERO; soft.nodes.len()];
    if dimension == Dimension::Plane {
        for &[a, b] in &soft.skin {
            let way = at(b) - at(a);
            let half = 0.5 * DVec3::new(way.y, -way.x, 0.0);
            areas[a] += half;
            areas[b] += half;
        }
    }
    for corners in &soft.faces {
        let [a, b, c] = corners.map(&at);
        let third = (b - a).cross(c - a) / 6.0;
        corners.iter().for_each(|&corner| areas[corner] += third);
    }
    areas
}

impl Fit {
    fn observe(&mut self, view: &View<'_>) {
        let Some(before) = view.before else { return };
        let soft = &view.world.softs[self.soft];
        if !(is_there(soft, before) && is_there(soft, view.now)) {
            return;
        }
        let free = untouched(view, soft, &self.own, &self.others);
        let ends = [before, view.now].map(|frame| {
            let at = places(soft, frame);
            (soft.enclosed(at), areas(soft, view.world.dimension, at), spring_forces(soft, frame))
        });
        let span = view.span();
        if !(ends[0].0 > 0.0 && ends[1].0 > 0.0 && span > 0.0) {
            return;
        }
        let volume = 0.5 * (ends[0].0 + ends[1].0);
        for node in (0..soft.nodes.len()).filter(|&node| free[node]) {
            let id = soft.nodes.start + node;
            let Some(change) = unexplained(view, id) else { continue };
            let mean = |k: usize| 0.5 * (ends[0].1[k] + ends[1].1[k]);
            let springs = 0.5 * (ends[0].2[node] + ends[1].2[node]);
            let push =
                view.world.bodies[id].mass * change.velocity - springs * span + mean(node) * (self.outside * span);
            let of_one = mean(node) * (span / volume);
            self.with_itself += of_one.length_squared();
            self.with_push += of_one.dot(push);
        }
    }

    /// Nothing where nothing was seen.
    fn off(&self) -> Option<f64> {
        (self.with_itself > 0.0).then(|| (self.with_push / self.with_itself / self.amount - 1.0).abs())
    }
}

impl Gauge for Law {
    fn observe(&mut self, view: &View<'_>) {
        self.steps += 1;
        for fit in &mut self.softs {
            let soft = &view.world.softs[fit.soft];
            if soft.matching.is_some() {
                self.why = Some(format!("what draws the nodes of {} to its shape also pushes them", soft.name));
            }
            if let Some(node) = given_way(view, soft) {
                self.why = Some(yielded(view.world, node));
            }
            fit.observe(view);
        }
    }

    /// A fit over a part of the window is none of the whole.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body holds gas");
        }
        if let Some(why) = &self.why {
            return Reading::nothing(why.clone());
        }
        if self.steps < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let known = self.softs.iter().filter_map(|fit| Some((fit.off()?, fit)));
        let Some((off, fit)) = known.max_by(|a, b| a.0.total_cmp(&b.0)) else {
            return Reading::nothing("no node was free of all else in any step");
        };
        let found = fit.with_push / fit.with_itself;
        let soft = &world.softs[fit.soft];
        Reading::of(off, format!("{} is pushed as by {found:.6} J of gas, {:.6} J are in it", soft.name, fit.amount))
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{Pressure, World};

    /// The square with gas and without springs, its corners driven outwards by a share of the right pressure.
    fn gas(share: f64) -> (World, Vec<ironspin_model::Frame>) {
        let mut world = square();
        world.softs[0].springs.clear();
        world.softs[0].pressure = Some(Pressure { amount: 0.002, outside: 0.0005 });
        // So little that it hardly moves: a corner is pushed by p times half of each of its sides, along its diagonal.
        let push = share * (0.002 - 0.0005) * 0.5;
        let seen = frames(11, |i, t| {
            let [x, y] = CORNERS[i];
            let (sx, sy) = (2.0 * x - 1.0, 2.0 * y - 3.0);
            let (way, speed) = (0.5 * push * t * t, push * t);
            state(x + sx * way, y + 9.0 + sy * way, sx * speed, sy * speed)
        });
        (world, seen)
    }

    #[test]
    fn gas_that_pushes_by_its_law_is_right_and_half_of_it_is_told() {
        let (mut world, right) = gas(1.0);
        let reading = measure("volume.law", &world, &[1], &[], &right);
        assert!(reading.value.unwrap() < 2e-3, "{reading:?}");
        let (_, weak) = gas(0.5);
        let reading = measure("volume.law", &world, &[1], &[], &weak);
        // N / V - p0 is halved: (0.0005 + 0.00075) of 0.002.
        assert!((reading.value.unwrap() - 0.375).abs() < 2e-3, "{reading:?}");
        assert!(reading.detail.contains("pad is pushed as by 0.00125"), "{reading:?}");
        world.softs[0].pressure = None;
        assert_eq!(measure("volume.law", &world, &[1], &[], &right).value, None);
    }
}
