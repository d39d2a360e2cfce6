//! Nodes that are held to points of rigid bodies: impulses at both ends make the ways of a sub-step keep them together, and the velocities after it.
//!
//! Source: Andersen, "Rattle: a velocity version of the Shake algorithm for molecular dynamics calculations" (1983), as for sticks. Rigid bodies have gone
//! their way already: an impulse at the start of the sub-step has moved them on since. It acts on both at the place of the node, so that no
//! momentum and no angular momentum come of it.

use super::nodes::Soft;
use super::place::Place;
use super::room::{Room, SubStep};
use super::tied::{Pulls, System};
use crate::common::scalar::Real;

/// Solves over all pins at most; they end when none is off by more than some roundings. The second mends what the first took for straight.
const ROUNDS: usize = 8;
const ROUNDINGS: f64 = 16.0;
/// Solves over all pins by which gaps close at the start of a step, and roundings of a place that count as closed.
const CLOSING_ROUNDS: usize = 8;
const CLOSED: f64 = 1e6;

/// A node and the point of a rigid body that it is held to, in the frame of the body.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pin<V> {
    pub(crate) node: usize,
    pub(crate) body: usize,
    pub(crate) point: V,
}

/// Rigid bodies that nodes are pinned to. Arms are from the centre of a body on, along the axes of the world.
pub(crate) trait Carriers<V, R> {
    fn is_there(&self, body: usize) -> bool;
    /// Whether impulses move it.
    fn gives(&self, body: usize) -> bool;
    fn centre(&self, body: usize) -> V;
    /// Where a point of its frame is from its centre on.
    fn arm_of(&self, body: usize, point: V) -> V;
    fn speed_at(&self, body: usize, arm: V) -> V;
    /// The impulse on a node, and its opposite at an arm of the body, by which the velocity of the node against a point of the body changes so much.
    /// Nothing where nothing gives.
    fn impulse_for(&self, body: usize, pull: Lever<V>, inverse: R, change: V) -> Option<V>;
    /// A change of motion.
    type Change: Copy + Default;
    /// What an impulse at an arm changes.
    fn change_by(&self, body: usize, arm: V, impulse: V) -> Self::Change;
    /// The velocity that a change gives to a point at an arm.
    fn change_at(change: Self::Change, arm: V) -> V;
    fn both(one: Self::Change, other: Self::Change) -> Self::Change;
    /// Changes the motion by an impulse at an arm a time ago: the body has gone on with it since.
    fn kick(&mut self, body: usize, arm: V, impulse: V, ago: R);
    /// Moves and turns it as an impulse of unit time would, without changing its motion.
    fn nudge(&mut self, body: usize, arm: V, impulse: V);
}

/// Where an impulse acts on a body, and the point whose velocity is looked at: both from its centre on.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Lever<V> {
    pub(crate) at: V,
    pub(crate) of: V,
}

impl<V: Place<R>, R: Real> Room<V, R> {
    pub(super) fn has_pins(&self) -> bool {
        self.softs.iter().any(|soft| soft.present && !soft.pins.is_empty())
    }

    fn pins<B: Carriers<V, R>>(&self, bodies: &B) -> Vec<Pin<V>> {
        let there = self.softs.iter().filter(|soft| soft.present).flat_map(|soft| &soft.pins);
        there.filter(|pin| bodies.is_there(pin.body)).copied().collect()
    }

    /// Closes gaps as built, or as actions made them, and sticks beside them that would be off their length by it: both ends move, and no speed comes
    /// of it.
    pub(super) fn close_pins<B: Carriers<V, R>>(&mut self, bodies: &mut B) {
        for _ in 0..CLOSING_ROUNDS {
            let system = System::of(&self.nodes, &self.softs, bodies, |body| bodies.centre(body));
            let (mut widest, mut size) = (R::ZERO, R::ZERO);
            let position = &self.nodes.position;
            let wanted = Pulls {
                pins: system
                    .held
                    .iter()
                    .map(|held| {
                        let (centre, arm) =
                            (bodies.centre(held.pin.body), bodies.arm_of(held.pin.body, held.pin.point));
                        let gap = centre + arm - position[held.pin.node];
                        widest = widest.max(gap.length());
                        size = size.max(centre.length() + arm.length());
                        gap
                    })
                    .collect(),
                sticks: self
                    .pinned()
                    .flat_map(|soft| &soft.sticks)
                    .map(|stick| (position[stick.ends[1]] - position[stick.ends[0]]).length() - stick.length)
                    .collect(),
            };
            // What is left by rounding stays.
            if !(widest > R::of(CLOSED) * R::EPSILON * size) {
                return;
            }
            let pulls = system.solve(wanted);
            let mut changes = vec![V::ZERO; self.nodes.len()];
            let (held, carriers) = (system.held.clone(), system.carriers.len());
            system.push(&pulls, &mut changes, &mut vec![B::Change::default(); carriers]);
            for (node, &change) in changes.iter().enumerate() {
                self.nodes.position[node] += change;
            }
            for (held, &pull) in held.iter().zip(&pulls.pins) {
                bodies.nudge(held.pin.body, held.arm, -pull);
            }
        }
        // Held nodes of what cannot give way are placed.
        for pin in self.pins(bodies) {
            if self.nodes.is_held(pin.node) && !bodies.gives(pin.body) {
                self.nodes.position[pin.node] = bodies.centre(pin.body) + bodies.arm_of(pin.body, pin.point);
            }
        }
    }

    /// Held nodes go with the bodies they are pinned to where those cannot give way.
    pub(super) fn carry_held<B: Carriers<V, R>>(&mut self, bodies: &B, step: SubStep<R>) {
        for pin in self.softs.iter().filter(|soft| soft.present).flat_map(|soft| &soft.pins) {
            let (node, body) = (pin.node, pin.body);
            if !self.nodes.is_held(node) || (bodies.is_there(body) && bodies.gives(body)) {
                continue;
            }
            let (mut way, mut speed) = (V::ZERO, V::ZERO);
            if bodies.is_there(body) {
                let arm = bodies.arm_of(body, pin.point);
                speed = bodies.speed_at(body, arm);
                let end = bodies.centre(body) + arm - speed * (step.ahead - step.dt);
                way = (end - self.nodes.position[node]) * (R::ONE / step.dt);
            }
            (self.scratch.way[node], self.nodes.velocity[node]) = (way, speed);
        }
    }

    /// Bends ways so that pinned nodes end where their points are, and the sticks of their soft bodies keep their lengths; velocities change with them.
    /// Whether any body that can move was pulled.
    pub(super) fn pin_ways<B: Carriers<V, R>>(&mut self, bodies: &mut B, step: SubStep<R>) -> bool {
        let rate = R::ONE / step.dt;
        let mut moved = false;
        for _ in 0..ROUNDS {
            // Pulled where the nodes are at the start of the sub-step.
            let system = System::of(&self.nodes, &self.softs, bodies, |body| centre_before(bodies, body, step.ahead));
            let (mut worst, mut fastest) = (R::ZERO, R::ZERO);
            let (nodes, way) = (&self.nodes, &self.scratch.way);
            let wanted = Pulls {
                pins: system
                    .held
                    .iter()
                    .map(|held| {
                        let (node, body) = (held.pin.node, held.pin.body);
                        let now = bodies.arm_of(body, held.pin.point);
                        let end = bodies.centre(body) + now - bodies.speed_at(body, now) * (step.ahead - step.dt);
                        let off = (end - nodes.position[node]) * rate - way[node];
                        // Places are known to their own roundings.
                        fastest = fastest.max(way[node].length()).max(end.length() * rate);
                        worst = worst.max(off.length());
                        off
                    })
                    .collect(),
                sticks: self
                    .pinned()
                    .flat_map(|soft| &soft.sticks)
                    .map(|stick| {
                        let [a, b] = stick.ends;
                        let end = nodes.position[b] - nodes.position[a] + (way[b] - way[a]) * step.dt;
                        let off = (end.length() - stick.length) * rate;
                        fastest = fastest.max(stick.length * rate);
                        worst = worst.max(off.abs());
                        off
                    })
                    .collect(),
            };
            if worst <= R::of(ROUNDINGS) * R::EPSILON * fastest {
                break;
            }
            let pulls = system.solve(wanted);
            let mut changes = vec![V::ZERO; self.nodes.len()];
            let (held, carriers) = (system.held.clone(), system.carriers.len());
            system.push(&pulls, &mut changes, &mut vec![B::Change::default(); carriers]);
            self.change(&changes, true);
            for (held, &pull) in held.iter().zip(&pulls.pins) {
                bodies.kick(held.pin.body, held.arm, -pull, step.ahead);
                moved |= bodies.gives(held.pin.body);
            }
        }
        moved
    }

    /// Gives pinned nodes the velocities of their points, once all are where the sub-step ends, and sticks of their soft bodies none along them. Whether
    /// any body that can move was pulled.
    pub(super) fn pin_speeds<B: Carriers<V, R>>(&mut self, bodies: &mut B, step: SubStep<R>) -> bool {
        let left = step.ahead - step.dt;
        let mut moved = false;
        for _ in 0..ROUNDS {
            let system = System::of(&self.nodes, &self.softs, bodies, |body| centre_before(bodies, body, left));
            let (mut worst, mut fastest) = (R::ZERO, R::ZERO);
            let velocity = &self.nodes.velocity;
            let wanted = Pulls {
                pins: system
                    .held
                    .iter()
                    .map(|held| {
                        let off = bodies.speed_at(held.pin.body, held.arm) - velocity[held.pin.node];
                        fastest = fastest.max(velocity[held.pin.node].length());
                        worst = worst.max(off.length());
                        off
                    })
                    .collect(),
                sticks: system
                    .ties
                    .iter()
                    .map(|tie| {
                        let [a, b] = tie.ends.map(|node| velocity[node]);
                        let off = tie.along.dot(b - a);
                        fastest = fastest.max(a.length()).max(b.length());
                        worst = worst.max(off.abs());
                        off
                    })
                    .collect(),
            };
            if worst <= R::of(ROUNDINGS) * R::EPSILON * fastest {
                break;
            }
            let pulls = system.solve(wanted);
            let mut changes = vec![V::ZERO; self.nodes.len()];
            let (held, carriers) = (system.held.clone(), system.carriers.len());
            system.push(&pulls, &mut changes, &mut vec![B::Change::default(); carriers]);
            self.change(&changes, false);
            for (held, &pull) in held.iter().zip(&pulls.pins) {
                bodies.kick(held.pin.body, held.arm, -pull, left);
                moved |= bodies.gives(held.pin.body);
            }
        }
        moved
    }

    fn pinned(&self) -> impl Iterator<Item = &Soft<V, R>> {
        self.softs.iter().filter(|soft| soft.present && !soft.pins.is_empty())
    }

    /// Changes velocities, and ways with them where they are not gone yet.
    fn change(&mut self, changes: &[V], and_ways: bool) {
        for (node, &change) in changes.iter().enumerate() {
            self.nodes.velocity[node] += change;
            if and_ways {
                self.scratch.way[node] += change;
            }
        }
    }
}

/// Where the centre of a body was a time ago.
fn centre_before<V: Place<R>, R: Real, B: Carriers<V, R>>(bodies: &B, body: usize, ago: R) -> V {
    bodies.centre(body) - bodies.speed_at(body, V::ZERO) * ago
}

/// The pins of a soft body, with the numbers that nodes have here.
pub(super) fn read<V: Place<R>, R: Real>(soft: &ironspin_model::SoftBody, from: usize) -> Vec<Pin<V>> {
    let pin = |pin: &ironspin_model::Pin| Pin { node: from + pin.node, body: pin.body, point: V::of_space(pin.point) };
    soft.pins.iter().map(pin).collect()
}

/// Whether a node of some is held to a body.
pub(super) fn any_held<V>(pins: &[Pin<V>], nodes: &[usize], body: usize) -> bool {
    pins.iter().any(|pin| pin.body == body && nodes.contains(&pin.node))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plane::vector::Vec2;

    #[test]
    fn a_node_is_held_to_its_own_body_alone() {
        let pins = [Pin { node: 4, body: 1, point: Vec2::<f64>::ZERO }];
        assert!(any_held(&pins, &[3, 4], 1));
        assert!(!any_held(&pins, &[3, 4], 0));
        assert!(!any_held(&pins, &[3, 5], 1));
    }
}
