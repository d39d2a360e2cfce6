//! What there is to know of the outlines of all bodies of a world, whatever their dimension, worked out once.

use ironspin_model::World;
use std::collections::BTreeSet;

/// Sizes of all bodies, and who may touch whom.
#[derive(Clone, Debug)]
pub(crate) struct Shapes {
    /// Greatest distance of any point of a body from its centre, m; infinite for what has no end.
    reach: Vec<f64>,
    /// Smallest full size of each body, m; infinite for what has no end.
    sizes: Vec<f64>,
    widest: f64,
    /// The layers each body is on, and those it meets.
    layers: Vec<[u32; 2]>,
    /// The soft body of each node that does not touch its own, by number from 1 on; 0 for all other bodies.
    softs: Vec<u32>,
    /// Pairs that a scene or a joint keeps from touching, the lower first.
    apart: BTreeSet<[usize; 2]>,
}

impl Shapes {
    /// Of a world whose bodies reach so far.
    pub(crate) fn new(world: &World, reach: Vec<f64>) -> Self {
        let joined = world.joints.iter().filter(|joint| joint.kind.keeps_apart()).map(|joint| joint.bodies);
        let joined = joined.chain(world.pinned_pairs());
        let apart = world.excluded_pairs.iter().copied().chain(joined).map(|[a, b]| [a.min(b), a.max(b)]).collect();
        let layers = world.bodies.iter().map(|body| [body.layers, body.collision_mask]).collect();
        let sizes: Vec<f64> = world.bodies.iter().map(ironspin_model::Body::smallest_size).collect();
        let widest = sizes.iter().copied().filter(|size| size.is_finite()).fold(0.0, f64::max);
        let mut softs = vec![0; world.bodies.len()];
        for (number, soft) in world.softs.iter().enumerate().filter(|(_, soft)| !soft.self_contact) {
            softs[soft.nodes.clone()].fill(number as u32 + 1);
        }
        Shapes { reach, sizes, widest, layers, softs, apart }
    }

    /// Whether two bodies may touch at all.
    pub(crate) fn may_meet(&self, a: usize, b: usize) -> bool {
        (self.softs[a] == 0 || self.softs[a] != self.softs[b])
            && self.layers[a][0] & self.layers[b][1] != 0
            && self.layers[b][0] & self.layers[a][1] != 0
            && (self.apart.is_empty() || !self.apart.contains(&[a.min(b), a.max(b)]))
    }

    /// Whether no two bodies are kept from touching.
    pub(crate) fn all_may_meet(&self) -> bool {
        let all = |of: usize| self.layers.iter().fold(u32::MAX, |bits, body| bits & body[of]);
        self.apart.is_empty() && all(0) & all(1) != 0 && self.softs.iter().all(|&soft| soft == 0)
    }

    /// How many bodies there are.
    pub(crate) fn count(&self) -> usize {
        self.sizes.len()
    }

    /// The largest of the bodies' smallest sizes that is finite, m.
    pub(crate) fn widest(&self) -> f64 {
        self.widest
    }

    /// The smallest size of the smaller of two bodies, m.
    pub(crate) fn smaller_size(&self, a: usize, b: usize) -> f64 {
        self.sizes[a].min(self.sizes[b])
    }

    pub(crate) fn size(&self, body: usize) -> f64 {
        self.sizes[body]
    }

    pub(crate) fn reach(&self, body: usize) -> f64 {
        self.reach[body]
    }
}
