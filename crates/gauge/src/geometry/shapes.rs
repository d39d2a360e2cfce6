//! The outlines of all bodies of a world, worked out once.

use super::gap::Gap;
use super::outline::Outline;
use ironspin_model::{BodyState, DVec2, Frame, World};
use std::collections::BTreeSet;

/// Outlines of every body in its own frame.
#[derive(Clone, Debug)]
pub(crate) struct Shapes {
    parts: Vec<Vec<Outline>>,
    /// Greatest distance of any point of a body from its centre, m; infinite with a half-plane.
    reach: Vec<f64>,
    /// The layers each body is on, and those it meets.
    layers: Vec<[u32; 2]>,
    /// Pairs that a scene or a joint keeps from touching, the lower first.
    apart: BTreeSet<[usize; 2]>,
}

/// Velocity of the point of a body that is at `point` now, m/s.
pub(crate) fn velocity_at(state: &BodyState, point: DVec2) -> DVec2 {
    let arm = point - state.position.truncate();
    state.velocity.truncate() + state.spin.z * arm.perp()
}

impl Shapes {
    pub(crate) fn new(world: &World) -> Self {
        let parts: Vec<Vec<Outline>> = world
            .bodies
            .iter()
            .map(|body| body.parts.iter().filter(|part| !part.sensor).flat_map(Outline::of_part).collect())
            .collect();
        let reach = parts.iter().map(|outlines| outlines.iter().map(Outline::reach).fold(0.0, f64::max)).collect();
        let joined = world.joints.iter().filter(|joint| joint.kind.keeps_apart()).map(|joint| joint.bodies);
        let apart = world.apart.iter().copied().chain(joined).map(|[a, b]| [a.min(b), a.max(b)]).collect();
        let layers = world.bodies.iter().map(|body| [body.layers, body.meets]).collect();
        Shapes { parts, reach, layers, apart }
    }

    /// Whether two bodies may touch at all.
    fn may_meet(&self, a: usize, b: usize) -> bool {
        self.layers[a][0] & self.layers[b][1] != 0
            && self.layers[b][0] & self.layers[a][1] != 0
            && (self.apart.is_empty() || !self.apart.contains(&[a.min(b), a.max(b)]))
    }

    /// Outlines of a body's parts in its own frame.
    pub(crate) fn parts(&self, body: usize) -> &[Outline] {
        &self.parts[body]
    }

    pub(crate) fn reach(&self, body: usize) -> f64 {
        self.reach[body]
    }

    /// The smallest gap of any parts of two bodies in a frame; infinity at once when it is certainly above `within`.
    pub(crate) fn gap(&self, frame: &Frame, a: usize, b: usize, within: f64) -> Gap {
        let (at, bt) = (&frame.bodies[a], &frame.bodies[b]);
        let apart = (bt.position - at.position).truncate().length();
        let mut best = Gap::FAR;
        if apart > self.reach[a] + self.reach[b] + within {
            return best;
        }
        for part in &self.parts[a] {
            let outline = part.placed(at);
            for counterpart in &self.parts[b] {
                let gap = outline.gap_to(&counterpart.placed(bt));
                if gap.distance < best.distance {
                    best = gap;
                }
            }
        }
        best
    }

    /// Calls `each` for every pair of bodies, one of them in `of` and the other in `others`, whose surrounding discs
    /// come within `within` of each other. Each pair comes once, the smaller id first, in no particular order that
    /// matters: sorted along x, then by id.
    pub(crate) fn near_pairs(
        &self,
        frame: &Frame,
        of: &Membership,
        others: &Membership,
        within: f64,
        mut each: impl FnMut(usize, usize),
    ) {
        let mut ends: Vec<(f64, f64, usize)> = (0..self.parts.len())
            .filter(|&id| (of.has(id) || others.has(id)) && !frame.bodies[id].is_absent())
            .map(|id| {
                (
                    frame.bodies[id].position.x - self.reach[id],
                    frame.bodies[id].position.x + self.reach[id] + within,
                    id,
                )
            })
            .collect();
        ends.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.2.cmp(&b.2)));
        for (number, &(_, end, a)) in ends.iter().enumerate() {
            for &(_, _, b) in ends[number + 1..].iter().take_while(|(start, _, _)| *start <= end) {
                let asked = (of.has(a) && others.has(b)) || (of.has(b) && others.has(a));
                if asked && self.may_meet(a, b) {
                    each(a.min(b), a.max(b));
                }
            }
        }
    }
}

/// A set of bodies.
#[derive(Clone, Debug)]
pub(crate) struct Membership(Vec<bool>);

impl Membership {
    pub(crate) fn of(world: &World, ids: &[usize]) -> Self {
        let mut inside = vec![false; world.bodies.len()];
        for &id in ids {
            inside[id] = true;
        }
        Membership(inside)
    }

    pub(crate) fn everything(world: &World) -> Self {
        Membership(vec![true; world.bodies.len()])
    }

    /// The bodies of a list, or all when it is empty.
    pub(crate) fn of_or_everything(world: &World, ids: &[usize]) -> Self {
        if ids.is_empty() { Membership::everything(world) } else { Membership::of(world, ids) }
    }

    pub(crate) fn has(&self, id: usize) -> bool {
        self.0[id]
    }
}
