//! Accelerations of the nodes of a soft body by its springs, its gas, gravity, damping and what actions push.

use super::nodes::{Nodes, Soft};
use crate::common::scalar::Real;
use crate::plane::vector::Vec2;

/// Which dampings count as forces; verlet takes that of the nodes out of the velocity itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum NodeDamping {
    Counts,
    Apart,
}

impl<R: Real> Soft<R> {
    /// The accelerations of its nodes at places and velocities of all nodes, written over those of its own in a list.
    pub(super) fn accelerations(
        &self,
        nodes: &Nodes<R>,
        position: &[Vec2<R>],
        velocity: &[Vec2<R>],
        gravity: Vec2<R>,
        damping: NodeDamping,
        out: &mut [Vec2<R>],
    ) {
        for node in self.nodes.clone() {
            out[node] = nodes.push[node];
        }
        for spring in &self.springs {
            let [a, b] = spring.ends;
            let way = position[b] - position[a];
            let span = way.length();
            // A spring of no extent has no direction: it pulls nowhere.
            if !(span > R::ZERO) {
                continue;
            }
            let along = way * (R::ONE / span);
            let growth = along.dot(velocity[b] - velocity[a]);
            let pull = along * (spring.stiffness * (span - spring.length) + spring.damping * growth);
            out[a] += pull;
            out[b] -= pull;
        }
        if let Some([amount, outside]) = self.gas {
            self.press_outwards(position, amount, outside, out);
        }
        let fall = gravity * self.gravity_factor;
        let fading = if damping == NodeDamping::Counts { self.damping } else { R::ZERO };
        for node in self.nodes.clone() {
            out[node] = if nodes.is_held(node) {
                Vec2::ZERO
            } else {
                out[node] * nodes.inverse[node] + fall - velocity[node] * fading
            };
        }
    }

    /// Pressure on each piece of skin, half of it on each end. A skin that encloses nothing holds no gas: nothing presses.
    fn press_outwards(&self, position: &[Vec2<R>], amount: R, outside: R, out: &mut [Vec2<R>]) {
        let volume = self.enclosed(position);
        if !(volume > R::ZERO) {
            return;
        }
        let half = (amount / volume - outside) * R::HALF;
        for &[a, b] in &self.skin {
            // The inside lies to the left, so that outwards is to the right.
            let push = -(position[b] - position[a]).left() * half;
            out[a] += push;
            out[b] += push;
        }
    }

    /// Area inside the skin.
    pub(super) fn enclosed(&self, position: &[Vec2<R>]) -> R {
        let origin = position[self.nodes.start];
        let half = |&[a, b]: &[usize; 2]| (position[a] - origin).cross(position[b] - origin);
        self.skin.iter().map(half).fold(R::ZERO, |sum, part| sum + part) * R::HALF
    }
}
