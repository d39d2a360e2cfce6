//! Nodes that are held to points of rigid bodies: impulses at both ends make the ways of a sub-step keep them together, and the velocities after it.
//!
//! Source: Andersen, "Rattle: a velocity version of the Shake algorithm for molecular dynamics calculations" (1983), as for sticks. Rigid bodies have gone
//! their way already: an impulse at the start of the sub-step has moved them on since. It acts on both at the place of the node, so that no
//! momentum and no angular momentum come of it.

use super::nodes::{Soft, Stick};
use super::place::Place;
use super::room::{Room, SubStep};
use super::tied::{Held, Pulls, System};
use crate::common::scalar::Real;

/// Solves over all pins at most; they end when none is off by more than some roundings. The second mends what the first took for straight.
const ROUNDS: usize = 8;
const ROUNDINGS: f64 = 16.0;
/// Roundings of a place by which a pin counts as closed at the start of a step.
const CLOSED: f64 = 1e6;

/// A node and the point of a rigid body that it is held to, in the frame of the body.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pin<V> {
    pub(crate) node: usize,
    pub(crate) body: usize,
    pub(crate) point: V,
}

/// Rigid bodies that nodes are pinned to. Arms are from the centre of a body on, along the axes of the world.
pub(crate) trait Carriers<V, R: Real> {
    /// A change of motion, or of place and turn.
    type Change: Copy + Default;

    fn is_there(&self, body: usize) -> bool;
    /// Whether impulses move it.
    fn gives(&self, body: usize) -> bool;
    fn centre(&self, body: usize) -> V;
    /// Where a point of its frame is from its centre on.
    fn arm_of(&self, body: usize, point: V) -> V;
    fn speed_at(&self, body: usize, arm: V) -> V;
    /// The impulse on a node, and its opposite at an arm of the body, by which the velocity of the one against the other changes so much. Nothing where
    /// nothing gives.
    fn impulse_for(&self, body: usize, arm: V, inverse: R, change: V) -> Option<V>;
    /// What an impulse at an arm changes.
    fn change_by(&self, body: usize, arm: V, impulse: V) -> Self::Change;
    /// The velocity that a change gives to a point at an arm.
    fn change_at(change: Self::Change, arm: V) -> V;
    fn both(one: Self::Change, other: Self::Change) -> Self::Change;
    /// Changes the motion.
    fn hasten(&mut self, body: usize, change: Self::Change);
    /// Moves and turns it as a change of motion does in a time.
    fn shift_by(&mut self, body: usize, change: Self::Change, time: R);

    /// Changes the motion by an impulse at an arm a time ago: the body has gone on with it since.
    fn kick(&mut self, body: usize, arm: V, impulse: V, ago: R) {
        if self.gives(body) {
            let change = self.change_by(body, arm, impulse);
            self.hasten(body, change);
            if ago != R::ZERO {
                self.shift_by(body, change, ago);
            }
        }
    }

    /// Moves and turns it as an impulse of unit time would, without changing its motion.
    fn nudge(&mut self, body: usize, arm: V, impulse: V) {
        if self.gives(body) {
            let change = self.change_by(body, arm, impulse);
            self.shift_by(body, change, R::ONE);
        }
    }
}

/// What pulls at pins and sticks do: to each node, and at each pin its body, the arm and the pull on the node.
struct Done<V> {
    nodes: Vec<V>,
    pins: Vec<(usize, V, V)>,
}

/// What pins and sticks want, and whether it is so little that they are left as they are.
type Wanted<V, R> = (Pulls<V, R>, bool);

/// Soft bodies that are there and have pins.
pub(super) fn pinned<V: Place<R>, R: Real>(softs: &[Soft<V, R>]) -> impl Iterator<Item = &Soft<V, R>> + Clone {
    softs.iter().filter(|soft| soft.present && !soft.pins.is_empty())
}

impl<V: Place<R>, R: Real> Room<V, R> {
    pub(super) fn has_pins(&self) -> bool {
        pinned(&self.softs).next().is_some()
    }

    /// What pulls that bring pins and sticks what they want do, where the centres of bodies were a time ago; nothing where they want nothing.
    fn pulls<B: Carriers<V, R>>(
        &self,
        bodies: &B,
        ago: R,
        wanted: impl FnOnce(&System<'_, V, R, B>) -> Wanted<V, R>,
    ) -> Option<Done<V>> {
        let system = System::of(&self.nodes, &self.softs, bodies, |body| centre_before(bodies, body, ago));
        let (wanted, is_nothing) = wanted(&system);
        if is_nothing {
            return None;
        }
        let pulls = system.solve(wanted);
        let mut nodes = vec![V::ZERO; self.nodes.len()];
        system.push(&pulls, &mut nodes, &mut system.at_rest());
        let pins = system.held.iter().zip(&pulls.pins).map(|(held, &pull)| (held.pin.body, held.arm, pull));
        Some(Done { nodes, pins: pins.collect() })
    }

    /// Closes gaps as built, or as actions made them, and sticks beside them that would be off their length by it: both ends move, and no speed comes
    /// of it.
    pub(super) fn close_pins<B: Carriers<V, R>>(&mut self, bodies: &mut B) {
        for pin in pinned(&self.softs).flat_map(|soft| &soft.pins) {
            // What cannot give way has the node where it is.
            if bodies.is_there(pin.body) && self.nodes.is_held(pin.node) && !bodies.gives(pin.body) {
                self.nodes.position[pin.node] = bodies.centre(pin.body) + bodies.arm_of(pin.body, pin.point);
            }
        }
        for _ in 0..ROUNDS {
            let Some(done) = self.pulls(bodies, R::ZERO, |system| self.gaps(bodies, system)) else { return };
            for (place, &change) in self.nodes.position.iter_mut().zip(&done.nodes) {
                *place += change;
            }
            for (body, arm, pull) in done.pins {
                bodies.nudge(body, arm, -pull);
            }
        }
    }

    /// How far pins are open and sticks off their lengths now. What is left of pins by rounding stays.
    fn gaps<B: Carriers<V, R>>(&self, bodies: &B, system: &System<'_, V, R, B>) -> Wanted<V, R> {
        let position = &self.nodes.position;
        let (mut widest, mut size) = (R::ZERO, R::ZERO);
        let mut gap = |held: &Held<V>| {
            let (centre, arm) = (bodies.centre(held.pin.body), bodies.arm_of(held.pin.body, held.pin.point));
            let gap = centre + arm - position[held.pin.node];
            widest = widest.max(gap.length());
            size = size.max(centre.length() + arm.length());
            gap
        };
        let pins = system.held.iter().map(&mut gap).collect();
        let sticks = pinned(&self.softs).flat_map(|soft| &soft.sticks);
        let off = |stick: &Stick<R>| (position[stick.ends[1]] - position[stick.ends[0]]).length() - stick.length;
        let sticks = sticks.map(off).collect();
        (Pulls { sticks, pins }, !(widest > R::of(CLOSED) * R::EPSILON * size))
    }

    /// Held nodes go with the bodies they are pinned to where those cannot give way.
    pub(super) fn carry_held<B: Carriers<V, R>>(&mut self, bodies: &B, step: SubStep<R>) {
        for pin in pinned(&self.softs).flat_map(|soft| &soft.pins) {
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
        let mut moved = false;
        for _ in 0..ROUNDS {
            // Pulled where the nodes are at the start of the sub-step.
            let ends = |system: &System<'_, V, R, B>| self.misses(bodies, system, step);
            let Some(done) = self.pulls(bodies, step.ahead, ends) else { break };
            for (way, &change) in self.scratch.way.iter_mut().zip(&done.nodes) {
                *way += change;
            }
            moved |= self.hasten(bodies, done, step.ahead);
        }
        moved
    }

    /// By how much the ways of a sub-step miss what pins and sticks ask for, as velocities.
    fn misses<B: Carriers<V, R>>(&self, bodies: &B, system: &System<'_, V, R, B>, step: SubStep<R>) -> Wanted<V, R> {
        let (rate, position, way) = (R::ONE / step.dt, &self.nodes.position, &self.scratch.way);
        let mut fastest = R::ZERO;
        let pins = system.held.iter().map(|held| {
            let (node, body) = (held.pin.node, held.pin.body);
            let arm = bodies.arm_of(body, held.pin.point);
            let end = bodies.centre(body) + arm - bodies.speed_at(body, arm) * (step.ahead - step.dt);
            // Places are known to their own roundings.
            fastest = fastest.max(way[node].length()).max(end.length() * rate);
            (end - position[node]) * rate - way[node]
        });
        let pins: Vec<V> = pins.collect();
        let sticks = pinned(&self.softs).flat_map(|soft| &soft.sticks).map(|stick| {
            let [a, b] = stick.ends;
            fastest = fastest.max(stick.length * rate);
            ((position[b] - position[a] + (way[b] - way[a]) * step.dt).length() - stick.length) * rate
        });
        let sticks: Vec<R> = sticks.collect();
        beside(fastest, sticks, pins)
    }

    /// Gives pinned nodes the velocities of their points, once all are where the sub-step ends, and sticks of their soft bodies none along them. Whether
    /// any body that can move was pulled.
    pub(super) fn pin_speeds<B: Carriers<V, R>>(&mut self, bodies: &mut B, step: SubStep<R>) -> bool {
        let left = step.ahead - step.dt;
        let mut moved = false;
        for _ in 0..ROUNDS {
            let Some(done) = self.pulls(bodies, left, |system| self.partings(bodies, system)) else { break };
            moved |= self.hasten(bodies, done, left);
        }
        moved
    }

    /// How fast pinned nodes leave their points, and the ends of sticks each other.
    fn partings<B: Carriers<V, R>>(&self, bodies: &B, system: &System<'_, V, R, B>) -> Wanted<V, R> {
        let velocity = &self.nodes.velocity;
        let mut fastest = R::ZERO;
        let pins = system.held.iter().map(|held| {
            fastest = fastest.max(velocity[held.pin.node].length());
            bodies.speed_at(held.pin.body, held.arm) - velocity[held.pin.node]
        });
        let pins: Vec<V> = pins.collect();
        let sticks = system.ties.iter().map(|tie| {
            let [a, b] = tie.ends.map(|node| velocity[node]);
            fastest = fastest.max(a.length()).max(b.length());
            tie.along.dot(b - a)
        });
        let sticks: Vec<R> = sticks.collect();
        beside(fastest, sticks, pins)
    }

    /// Velocities change by what was done a time ago; whether a body that can move was pulled.
    fn hasten<B: Carriers<V, R>>(&mut self, bodies: &mut B, done: Done<V>, ago: R) -> bool {
        for (velocity, &change) in self.nodes.velocity.iter_mut().zip(&done.nodes) {
            *velocity += change;
        }
        let mut moved = false;
        for (body, arm, pull) in done.pins {
            bodies.kick(body, arm, -pull, ago);
            moved |= bodies.gives(body);
        }
        moved
    }
}

/// Velocities that are wanted, and whether all lie below some roundings of the fastest.
fn beside<V: Place<R>, R: Real>(fastest: R, sticks: Vec<R>, pins: Vec<V>) -> Wanted<V, R> {
    let worst = pins.iter().map(|off| off.length()).chain(sticks.iter().map(|off| off.abs())).fold(R::ZERO, R::max);
    (Pulls { sticks, pins }, worst <= R::of(ROUNDINGS) * R::EPSILON * fastest)
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
