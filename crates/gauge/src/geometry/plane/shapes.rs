//! The outlines of all bodies of a world, worked out once.

use super::collider::Collider;
use ironspin_model::{BodyState, DVec2, World};
use std::collections::BTreeSet;

/// Outlines of every body in its own frame.
#[derive(Clone, Debug)]
pub(crate) struct Shapes {
    parts: Vec<Vec<Collider>>,
    /// Greatest distance of any point of a body from its centre, m; infinite with a half-plane.
    reach: Vec<f64>,
    /// Smallest full size of each body, m; infinite for a half-plane.
    sizes: Vec<f64>,
    widest: f64,
    /// The layers each body is on, and those it meets.
    layers: Vec<[u32; 2]>,
    /// Pairs that a scene or a joint keeps from touching, the lower first.
    apart: BTreeSet<[usize; 2]>,
}

/// Velocity of the point of a body that is at `point` now, m/s.
pub(crate) fn velocity_at(state: &BodyState, point: DVec2) -> DVec2 {
    let arm = point - state.pose.position.truncate();
    state.velocity.truncate() + state.spin.z * arm.perp()
}

impl Shapes {
    pub(crate) fn new(world: &World) -> Self {
        let parts: Vec<Vec<Collider>> = world
            .bodies
            .iter()
            .map(|body| body.parts.iter().filter(|part| !part.sensor).flat_map(Collider::of_part).collect())
            .collect();
        let reach = parts.iter().map(|colliders| colliders.iter().map(Collider::reach).fold(0.0, f64::max)).collect();
        let joined = world.joints.iter().filter(|joint| joint.kind.keeps_apart()).map(|joint| joint.bodies);
        let apart = world.excluded_pairs.iter().copied().chain(joined).map(|[a, b]| [a.min(b), a.max(b)]).collect();
        let layers = world.bodies.iter().map(|body| [body.layers, body.collision_mask]).collect();
        let sizes: Vec<f64> = world.bodies.iter().map(ironspin_model::Body::smallest_size).collect();
        let widest = sizes.iter().copied().filter(|size| size.is_finite()).fold(0.0, f64::max);
        Shapes { parts, reach, sizes, widest, layers, apart }
    }

    /// Whether two bodies may touch at all.
    pub(crate) fn may_meet(&self, a: usize, b: usize) -> bool {
        self.layers[a][0] & self.layers[b][1] != 0
            && self.layers[b][0] & self.layers[a][1] != 0
            && (self.apart.is_empty() || !self.apart.contains(&[a.min(b), a.max(b)]))
    }

    /// Whether no two bodies are kept from touching.
    pub(crate) fn all_may_meet(&self) -> bool {
        let all = |of: usize| self.layers.iter().fold(u32::MAX, |bits, body| bits & body[of]);
        self.apart.is_empty() && all(0) & all(1) != 0
    }

    /// Outlines of a body's parts in its own frame.
    pub(crate) fn parts(&self, body: usize) -> &[Collider] {
        &self.parts[body]
    }

    /// How many bodies there are.
    pub(crate) fn count(&self) -> usize {
        self.parts.len()
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
