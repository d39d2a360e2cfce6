//! Accelerations of the nodes of a soft body by its springs, its gas, gravity, damping and what actions push.

use super::nodes::{Matching, Nodes, Soft, centre};
use super::place::Place;
use super::rows::Rows;
use crate::common::scalar::Real;

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
        [position, velocity]: [&[V]; 2],
        gravity: V,
        damping: NodeDamping,
        rows: &mut Rows<R>,
        out: &mut [V],
    ) {
        self.undrawn_accelerations(nodes, [position, velocity], gravity, damping, rows, out);
        if let Some(matching) = &self.matching {
            self.draw_to_shape(matching, nodes, position, out);
        }
    }

    /// The same without what draws nodes to their shape.
    pub(super) fn undrawn_accelerations(
        &self,
        nodes: &Nodes<V, R>,
        [position, velocity]: [&[V]; 2],
        gravity: V,
        damping: NodeDamping,
        rows: &mut Rows<R>,
        out: &mut [V],
    ) {
        rows.take(self.nodes.clone(), [position, velocity], nodes);
        rows.pull(self);
        self.press_and_fall(nodes, gravity, rows, out);
        if damping == NodeDamping::Counts && self.damping > R::ZERO {
            for node in self.nodes.clone().filter(|&node| !nodes.is_held(node)) {
                out[node] -= velocity[node] * self.damping;
            }
        }
    }

    /// The accelerations of its nodes by what neither its springs nor what draws it to its shape do: gas, gravity and what actions push.
    pub(super) fn outer_accelerations(&self, nodes: &Nodes<V, R>, gravity: V, rows: &mut Rows<R>, out: &mut [V]) {
        rows.take(self.nodes.clone(), [&nodes.position, &nodes.velocity], nodes);
        self.press_and_fall(nodes, gravity, rows, out);
    }

    /// Makes accelerations of the forces on its nodes, with those of its gas and of gravity; a held node has none.
    fn press_and_fall(&self, nodes: &Nodes<V, R>, gravity: V, rows: &mut Rows<R>, out: &mut [V]) {
        let pressure = self.pressure(rows);
        let (range, fall) = (self.nodes.clone(), gravity * self.gravity_factor);
        let forces = rows.force[range.clone()].iter().map(|&row| V::of_row(row));
        let lists = out[range.clone()].iter_mut().zip(&nodes.inverse[range.clone()]);
        let accelerated = |force: V, inverse: R| if inverse > R::ZERO { force * inverse + fall } else { V::ZERO };
        match pressure {
            None => lists.zip(forces).for_each(|((out, &inverse), force)| *out = accelerated(force, inverse)),
            Some(pressure) => {
                let growths = rows.growth[range].iter().map(|&row| V::of_row(row) * pressure);
                let pressed = forces.zip(growths).map(|(force, pushed)| force + pushed);
                lists.zip(pressed).for_each(|((out, &inverse), force)| *out = accelerated(force, inverse));
            }
        }
    }

    /// What its gas presses each piece of skin with, and how what is enclosed grows with each node. A skin that encloses nothing holds no gas: nothing
    /// presses.
    fn pressure(&self, rows: &mut Rows<R>) -> Option<R> {
        let [amount, outside] = self.gas?;
        rows.grow::<V>(self.nodes.clone(), &self.skin);
        let mut volume = rows.enclosed::<V>(self.nodes.clone());
        if self.slips.gas_stays {
            volume = self.built_volume;
        }
        if self.slips.gas_on_one_side {
            rows.grow::<V>(self.nodes.clone(), &self.skin[..self.skin.len() / 2].to_vec());
        }
        (volume > R::ZERO).then(|| amount / volume - outside)
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
