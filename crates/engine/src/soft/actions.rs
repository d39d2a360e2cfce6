//! What actions do to nodes. Actions on a soft body as a whole come spread over its nodes.

use super::room::SoftRoom;
use crate::common::scalar::Real;
use crate::plane::vector::Vec2;
use ironspin_model::{BodyState, Effect};

impl<R: Real> SoftRoom<R> {
    /// Does an action to the node of an id.
    pub(crate) fn act(&mut self, id: usize, effect: &Effect) {
        let node = id - self.first;
        let nodes = &mut self.nodes;
        let free = !nodes.is_held(node);
        match effect {
            Effect::Impulse { impulse, .. } => {
                nodes.velocity[node] += Vec2::of(impulse.truncate()) * nodes.inverse[node];
            }
            Effect::Force { force, .. } => nodes.push[node] += Vec2::of(force.truncate()),
            Effect::Velocity(velocity) if free => nodes.velocity[node] = Vec2::of(velocity.truncate()),
            Effect::Place(pose) => nodes.position[node] = Vec2::of(pose.xy()),
            Effect::Shift(way) => nodes.position[node] += Vec2::of(way.truncate()),
            Effect::Hold(true) => (nodes.inverse[node], nodes.velocity[node]) = (R::ZERO, Vec2::ZERO),
            // One let go starts from rest.
            Effect::Hold(false) => nodes.inverse[node] = nodes.built[node],
            Effect::Remove | Effect::Add => self.come_or_go(node, matches!(effect, Effect::Add)),
            // Refused before the world is stepped, or nothing that a held node feels.
            Effect::Velocity(_) | Effect::Torque(_) | Effect::Spin(_) | Effect::Split(_) | Effect::Gravity(_) => {}
        }
    }

    fn come_or_go(&mut self, node: usize, comes: bool) {
        let soft = self.soft_of(node);
        self.softs[soft].present = comes;
    }

    /// Only for faults: a node is put elsewhere and given another motion.
    pub(crate) fn put(&mut self, id: usize, state: &BodyState) {
        let node = id - self.first;
        self.nodes.position[node] = Vec2::of(state.pose.xy());
        self.nodes.velocity[node] = Vec2::of(state.velocity.truncate());
    }

    /// Whether a node is held now.
    pub(crate) fn is_held(&self, id: usize) -> bool {
        self.nodes.is_held(id - self.first)
    }

    pub(crate) fn set_gravity(&mut self, gravity: Vec2<R>) {
        self.gravity = gravity;
    }
}
