//! Pins and sticks of pinned soft bodies, solved together: light nodes between heavy bodies and taut sticks would take thousands of passes one by one.
//!
//! Source: the system J M^-1 J^T of the constraints by conjugate gradients (Hestenes and Stiefel 1952), preconditioned by the blocks of its diagonal;
//! directions as in Andersen's "Rattle" (1983), so that the impulses of both stages are what the constraint gives.

use super::nodes::{Nodes, Soft};
use super::pins::{Carriers, Pin, pinned};
use super::place::Place;
use crate::common::scalar::Real;

/// A share of the residual at which a solve ends, and rounds beyond the count of the unknowns.
const ENOUGH: f64 = 1e-13;
const FURTHER_ROUNDS: usize = 20;

/// What one impulse for each stick and one for each pin do.
#[derive(Clone, Debug)]
pub(super) struct Pulls<V, R> {
    pub(super) sticks: Vec<R>,
    pub(super) pins: Vec<V>,
}

/// A stick along which an impulse pulls its ends together.
#[derive(Clone, Copy, Debug)]
pub(super) struct Tie<V> {
    pub(super) ends: [usize; 2],
    pub(super) along: V,
}

/// A pin, and where the node is from the centre of the body on.
#[derive(Clone, Copy, Debug)]
pub(super) struct Held<V> {
    pub(super) pin: Pin<V>,
    pub(super) arm: V,
    /// Number of the body among those of the system.
    pub(super) slot: usize,
}

/// The constraints of all pinned soft bodies.
pub(super) struct System<'a, V, R, B> {
    nodes: &'a Nodes<V, R>,
    bodies: &'a B,
    pub(super) ties: Vec<Tie<V>>,
    pub(super) held: Vec<Held<V>>,
    /// Bodies that pins hold to.
    carriers: Vec<usize>,
}

impl<V: Place<R>, R: Real> Pulls<V, R> {
    fn nothing(sticks: usize, pins: usize) -> Self {
        Pulls { sticks: vec![R::ZERO; sticks], pins: vec![V::ZERO; pins] }
    }

    fn dot(&self, other: &Self) -> R {
        let sticks = self.sticks.iter().zip(&other.sticks).fold(R::ZERO, |sum, (&a, &b)| sum + a * b);
        self.pins.iter().zip(&other.pins).fold(sticks, |sum, (a, b)| sum + a.dot(*b))
    }

    /// Adds a share of another.
    fn add(&mut self, share: R, other: &Self) {
        self.sticks.iter_mut().zip(&other.sticks).for_each(|(own, &other)| *own += other * share);
        self.pins.iter_mut().zip(&other.pins).for_each(|(own, &other)| *own += other * share);
    }

    /// Takes a share of itself and adds another.
    fn turn(&mut self, share: R, other: &Self) {
        self.sticks.iter_mut().zip(&other.sticks).for_each(|(own, &other)| *own = *own * share + other);
        self.pins.iter_mut().zip(&other.pins).for_each(|(own, &other)| *own = *own * share + other);
    }
}

impl<'a, V: Place<R>, R: Real, B: Carriers<V, R>> System<'a, V, R, B> {
    /// Of the soft bodies that have pins to bodies that are there, at the places of nodes; `centre` is that of a body at that time.
    pub(super) fn of(nodes: &'a Nodes<V, R>, softs: &[Soft<V, R>], bodies: &'a B, centre: impl Fn(usize) -> V) -> Self {
        let pins = || pinned(softs).flat_map(|soft| &soft.pins);
        let mut carriers: Vec<usize> = pins().map(|pin| pin.body).filter(|&body| bodies.is_there(body)).collect();
        carriers.sort_unstable();
        carriers.dedup();
        let held = pins().filter_map(|&pin| {
            let slot = carriers.binary_search(&pin.body).ok()?;
            Some(Held { pin, arm: nodes.position[pin.node] - centre(pin.body), slot })
        });
        let ties = pinned(softs).flat_map(|soft| &soft.sticks).map(|stick| {
            let [a, b] = stick.ends;
            Tie { ends: stick.ends, along: (nodes.position[b] - nodes.position[a]).unit_or(V::ZERO) }
        });
        System { ties: ties.collect(), held: held.collect(), nodes, bodies, carriers }
    }

    /// No change for each of the bodies.
    pub(super) fn at_rest(&self) -> Vec<B::Change> {
        vec![B::Change::default(); self.carriers.len()]
    }

    /// Adds the changes of velocity by some impulses to those of nodes and bodies.
    pub(super) fn push(&self, pulls: &Pulls<V, R>, speeds: &mut [V], motions: &mut [B::Change]) {
        for (tie, &pull) in self.ties.iter().zip(&pulls.sticks) {
            let [a, b] = tie.ends;
            speeds[a] += tie.along * (pull * self.nodes.inverse[a]);
            speeds[b] -= tie.along * (pull * self.nodes.inverse[b]);
        }
        for (held, &pull) in self.held.iter().zip(&pulls.pins) {
            speeds[held.pin.node] += pull * self.nodes.inverse[held.pin.node];
            let change = self.bodies.change_by(held.pin.body, held.arm, -pull);
            motions[held.slot] = B::both(motions[held.slot], change);
        }
    }

    /// How fast the ends of each stick come together, and each node leaves its point.
    fn response(&self, speeds: &[V], motions: &[B::Change]) -> Pulls<V, R> {
        let tie = |tie: &Tie<V>| {
            let [a, b] = tie.ends;
            tie.along.dot(speeds[a] - speeds[b])
        };
        let held = |held: &Held<V>| speeds[held.pin.node] - B::change_at(motions[held.slot], held.arm);
        Pulls { sticks: self.ties.iter().map(tie).collect(), pins: self.held.iter().map(held).collect() }
    }

    /// What each would need by itself.
    fn alone(&self, wanted: &Pulls<V, R>) -> Pulls<V, R> {
        let tie = |(tie, &wanted): (&Tie<V>, &R)| {
            let give = self.nodes.inverse[tie.ends[0]] + self.nodes.inverse[tie.ends[1]];
            if give > R::ZERO { wanted / give } else { R::ZERO }
        };
        let held = |(held, &wanted): (&Held<V>, &V)| {
            let inverse = self.nodes.inverse[held.pin.node];
            self.bodies.impulse_for(held.pin.body, held.arm, inverse, wanted).unwrap_or(V::ZERO)
        };
        Pulls {
            sticks: self.ties.iter().zip(&wanted.sticks).map(tie).collect(),
            pins: self.held.iter().zip(&wanted.pins).map(held).collect(),
        }
    }

    /// The impulses by which the velocities of all constraints change as wanted, as well as they can.
    pub(super) fn solve(&self, wanted: Pulls<V, R>) -> Pulls<V, R> {
        let mut found = Pulls::nothing(self.ties.len(), self.held.len());
        let mut left = wanted;
        let mut near = self.alone(&left);
        let mut direction = near.clone();
        let mut size = left.dot(&near);
        let share = R::of(ENOUGH).max(R::EPSILON);
        let enough = size * share * share;
        let (mut speeds, mut motions) = (vec![V::ZERO; self.nodes.len()], self.at_rest());
        for _ in 0..self.ties.len() + 3 * self.held.len() + FURTHER_ROUNDS {
            if !(size > enough) {
                break;
            }
            speeds.fill(V::ZERO);
            motions.fill(B::Change::default());
            self.push(&direction, &mut speeds, &mut motions);
            let moved = self.response(&speeds, &motions);
            let against = direction.dot(&moved);
            if !(against > R::ZERO) {
                break;
            }
            let step = size / against;
            found.add(step, &direction);
            left.add(-step, &moved);
            near = self.alone(&left);
            let next = left.dot(&near);
            direction.turn(next / size, &near);
            size = next;
        }
        found
    }
}
