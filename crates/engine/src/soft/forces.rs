//! Accelerations of the nodes of a soft body by its springs, its gas, gravity, damping and what actions push.

use super::nodes::{Matching, Nodes, Soft, centre};
use super::place::Place;
use crate::common::scalar::Real;

/// Springs whose roots and quotients are taken side by side.
const FEW: usize = 8;

/// Which dampings count as forces; verlet takes that of the nodes out of the velocity itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum NodeDamping {
    Counts,
    Apart,
}

impl<V: Place<R>, R: Real> Soft<V, R> {
    /// The accelerations of its nodes at places and velocities of all nodes, written over those of its own in a list.
    pub(super) fn accelerations(
        &self,
        nodes: &Nodes<V, R>,
        position: &[V],
        velocity: &[V],
        gravity: V,
        damping: NodeDamping,
        out: &mut [V],
    ) {
        self.undrawn_accelerations(nodes, position, velocity, gravity, damping, out);
        if let Some(matching) = &self.matching {
            self.draw_to_shape(matching, nodes, position, out);
        }
    }

    /// The same without what draws nodes to their shape.
    pub(super) fn undrawn_accelerations(
        &self,
        nodes: &Nodes<V, R>,
        position: &[V],
        velocity: &[V],
        gravity: V,
        damping: NodeDamping,
        out: &mut [V],
    ) {
        self.push_by_actions(nodes, out);
        self.pull_by_springs(position, velocity, out);
        self.press_outwards(position, out);
        self.take_masses(nodes, gravity, out);
        if damping == NodeDamping::Counts {
            for node in self.nodes.clone().filter(|&node| !nodes.is_held(node)) {
                out[node] -= velocity[node] * self.damping;
            }
        }
    }

    /// The accelerations of its nodes by what neither its springs nor what draws it to its shape do: gas, gravity and what actions push.
    pub(super) fn outer_accelerations(&self, nodes: &Nodes<V, R>, gravity: V, out: &mut [V]) {
        self.push_by_actions(nodes, out);
        self.press_outwards(&nodes.position, out);
        self.take_masses(nodes, gravity, out);
    }

    fn push_by_actions(&self, nodes: &Nodes<V, R>, out: &mut [V]) {
        for node in self.nodes.clone() {
            out[node] = nodes.push[node];
        }
    }

    /// Makes accelerations of forces, with that of gravity; a held node has none.
    fn take_masses(&self, nodes: &Nodes<V, R>, gravity: V, out: &mut [V]) {
        let fall = gravity * self.gravity_factor;
        for node in self.nodes.clone() {
            out[node] = if nodes.is_held(node) { V::ZERO } else { out[node] * nodes.inverse[node] + fall };
        }
    }

    fn pull_by_springs(&self, position: &[V], velocity: &[V], out: &mut [V]) {
        // Of one length, so that an end is looked at once.
        let count = position.len();
        let (velocity, out) = (&velocity[..count], &mut out[..count]);
        for few in self.springs.chunks(FEW) {
            let mut ways = [V::ZERO; FEW];
            let (mut squares, mut growths) = ([R::ZERO; FEW], [R::ZERO; FEW]);
            for (k, spring) in few.iter().enumerate() {
                let [a, b] = spring.ends();
                let way = position[b] - position[a];
                ways[k] = way;
                squares[k] = way.dot(way);
                growths[k] = way.dot(velocity[b] - velocity[a]);
            }
            // Over the span: a spring of no extent has no direction, and pulls nowhere.
            let mut inverse = [R::ZERO; FEW];
            for (inverse, &square) in inverse.iter_mut().zip(&squares) {
                let over = R::ONE / square.sqrt();
                *inverse = if square > R::ZERO { over } else { R::ZERO };
            }
            for (k, spring) in few.iter().enumerate() {
                let [a, b] = spring.ends();
                let share = inverse[k];
                let pull = if share > R::ZERO {
                    spring.stiffness - spring.stiffness * spring.length * share
                        + spring.damping * growths[k] * share * share
                } else {
                    R::ZERO
                };
                let force = ways[k] * pull;
                out[a] += force;
                out[b] -= force;
            }
        }
    }

    /// Pressure on each piece of skin. A skin that encloses nothing holds no gas: nothing presses.
    fn press_outwards(&self, position: &[V], out: &mut [V]) {
        let Some([amount, outside]) = self.gas else { return };
        let mut volume = V::enclosed(&self.skin, self.nodes.start, position);
        let mut pressed = &self.skin[..];
        if self.slips.gas_stays {
            volume = self.built_volume;
        }
        if self.slips.gas_on_one_side {
            pressed = &pressed[..pressed.len() / 2];
        }
        if volume > R::ZERO {
            V::press(pressed, position, amount / volume - outside, out);
        }
    }

    /// How the built shape fits the places of all nodes best: its centre, and how it is turned.
    pub(super) fn fit(&self, matching: &Matching<V, R>, position: &[V]) -> (V, V::Turn) {
        let places = &position[self.nodes.clone()];
        let centre = centre(matching.shape.iter().map(|&(weight, _)| weight), places);
        let mut pairs = matching.shape.iter().zip(places).map(|(&(weight, from), &to)| (weight, from, to - centre));
        if self.slips.goals_unturned {
            return (centre, V::Turn::default());
        }
        (centre, V::turn_fitting(matching.turn, &mut pairs))
    }

    /// Draws the nodes to the built shape, placed as it fits best.
    ///
    /// Source: Müller, Heidelberger, Teschner and Gross, "Meshless deformations based on shape matching" (2005), section 3.3, as a force.
    fn draw_to_shape(&self, matching: &Matching<V, R>, nodes: &Nodes<V, R>, position: &[V], out: &mut [V]) {
        let (centre, turn) = self.fit(matching, position);
        for (node, &(_, from)) in self.nodes.clone().zip(&matching.shape) {
            if !nodes.is_held(node) {
                out[node] += (centre + from.turned(turn) - position[node]) * matching.squared;
            }
        }
    }
}
