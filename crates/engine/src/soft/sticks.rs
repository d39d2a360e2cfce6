//! Distances that stay: the ways of a sub-step keep them, and so do the velocities after it.
//!
//! Source: Ryckaert, Ciccotti and Berendsen, "Numerical integration of the cartesian equations of motion of a system with constraints" (1977) for the
//! ways; Andersen, "Rattle: a velocity version of the Shake algorithm" (1983) for the velocities.

use super::nodes::{Nodes, Soft};
use super::place::Place;
use crate::common::scalar::Real;

/// Passes over all sticks at most; they end when none is longer or shorter by more than some roundings.
const PASSES: usize = 2_000;
/// Roundings of a length that count as none.
const ROUNDINGS: f64 = 16.0;

impl<V: Place<R>, R: Real> Soft<V, R> {
    /// Pulls as much as in the sub-step before, which is nearly right.
    pub(super) fn stick_as_before(&self, nodes: &mut Nodes<V, R>, way: &mut [V]) {
        for stick in &self.sticks {
            let [a, b] = stick.ends;
            let along = nodes.position[b] - nodes.position[a];
            pull(nodes, way, [a, b], along * stick.pull);
        }
    }

    /// Bends the ways over a sub-step so that each stick ends with its length; velocities change with them.
    pub(super) fn stick_ways(&mut self, nodes: &mut Nodes<V, R>, way: &mut [V], dt: R) {
        if self.sticks.is_empty() || !(dt > R::ZERO) {
            return;
        }
        let enough = R::of(ROUNDINGS) * R::EPSILON;
        for _ in 0..PASSES {
            let mut worst = R::ZERO;
            for stick in &mut self.sticks {
                let [a, b] = stick.ends;
                let give = nodes.inverse[a] + nodes.inverse[b];
                if !(give > R::ZERO) {
                    continue;
                }
                let along = nodes.position[b] - nodes.position[a];
                let end = along + (way[b] - way[a]) * dt;
                let off = end.dot(end) - stick.length * stick.length;
                if self.slips.sticks_only_pull && off < R::ZERO {
                    continue;
                }
                worst = worst.max(off.abs() / (stick.length * stick.length));
                // One that has turned by a quarter since is drawn along itself.
                let lever = end.dot(along);
                let (direction, lever) =
                    if lever > R::of(0.1) * end.dot(end) { (along, lever) } else { (end, end.dot(end)) };
                if !(lever > R::ZERO) {
                    continue;
                }
                let share = off / (R::TWO * dt * give * lever);
                if direction == along {
                    stick.pull += share;
                }
                pull(nodes, way, [a, b], direction * share);
            }
            if worst <= enough {
                return;
            }
        }
    }

    /// Takes out of the velocities what would lengthen or shorten a stick.
    pub(super) fn stick_speeds(&self, nodes: &mut Nodes<V, R>) {
        if self.sticks.is_empty() {
            return;
        }
        let fastest = self.nodes.clone().map(|node| nodes.velocity[node].length()).fold(R::ZERO, R::max);
        let enough = R::of(ROUNDINGS) * R::EPSILON * fastest;
        for _ in 0..PASSES {
            let mut worst = R::ZERO;
            for stick in &self.sticks {
                let [a, b] = stick.ends;
                let give = nodes.inverse[a] + nodes.inverse[b];
                let along = nodes.position[b] - nodes.position[a];
                let square = along.dot(along);
                if !(give > R::ZERO && square > R::ZERO) {
                    continue;
                }
                let growth = along.dot(nodes.velocity[b] - nodes.velocity[a]);
                if self.slips.sticks_only_pull && growth < R::ZERO {
                    continue;
                }
                worst = worst.max(growth.abs() / square.sqrt());
                let push = along * (growth / (give * square));
                nodes.velocity[a] += push * nodes.inverse[a];
                nodes.velocity[b] -= push * nodes.inverse[b];
            }
            if worst <= enough {
                return;
            }
        }
    }

    /// Springs strained too far give way until they are not; none leaves its built length by more than it may.
    pub(super) fn give_way(&mut self, nodes: &Nodes<V, R>) {
        let Some([strain, most]) = self.yielding else { return };
        for (spring, &built) in self.springs.iter_mut().zip(&self.built_lengths) {
            let [a, b] = spring.ends();
            let span = (nodes.position[b] - nodes.position[a]).length();
            let allowed = strain * built;
            let off = span - spring.length;
            let wanted = if off > allowed {
                span - allowed
            } else if off < -allowed && !self.slips.yields_one_way {
                span + allowed
            } else {
                continue;
            };
            spring.length = wanted.held(built * (R::ONE - most), built * (R::ONE + most));
        }
    }

    /// Notes how the built shape stands, so that the next fit begins there.
    pub(super) fn note_turn(&mut self, nodes: &Nodes<V, R>) {
        let Some(matching) = &self.matching else { return };
        let (_, turn) = self.fit(matching, &nodes.position);
        if let Some(matching) = &mut self.matching {
            matching.turn = turn;
        }
    }
}

/// Draws two nodes together: changes of their ways, and of their velocities, by an impulse.
fn pull<V: Place<R>, R: Real>(nodes: &mut Nodes<V, R>, way: &mut [V], [a, b]: [usize; 2], impulse: V) {
    let (near, far) = (impulse * nodes.inverse[a], impulse * nodes.inverse[b]);
    way[a] += near;
    nodes.velocity[a] += near;
    way[b] -= far;
    nodes.velocity[b] -= far;
}
