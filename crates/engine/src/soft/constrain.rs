//! Free motion of a soft body by constraints with compliance: springs and sticks bend the ways of a sub-step, and the velocities are the ways.
//!
//! Source: Macklin, Müller and Chentanez, "XPBD: position-based simulation of compliant constrained dynamics" (2016), equations 18 and 26. Gas pushes as a
//! force; what draws nodes to their shape does so once, by as much as a backward step would.

use super::integrate::Scratch;
use super::nodes::{Nodes, Soft};
use super::place::Place;
use crate::common::scalar::Real;

/// Passes end when none changes a speed by more than so many roundings of a length a sub-step.
const ROUNDINGS: f64 = 16.0;

/// A distance to be kept as well as its stiffness has it.
struct Kept<R> {
    ends: [usize; 2],
    length: R,
    /// 1/(k dt²), 1/kg: nothing for a stick.
    compliance: R,
    /// c/(k dt).
    damping: R,
}

/// The ways of a soft body's nodes over a sub-step, and their velocities after it.
pub(super) fn begin<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    passes: u32,
    scratch: &mut Scratch<V>,
) {
    let share = (-soft.damping * dt).exp();
    soft.outer_accelerations(nodes, gravity, &mut scratch.slope);
    for node in soft.nodes.clone() {
        let held = nodes.is_held(node);
        let free = (nodes.velocity[node] + scratch.slope[node] * dt) * share;
        scratch.way[node] = if held { nodes.velocity[node] } else { free };
    }
    draw(soft, nodes, dt, scratch);
    let rate = R::ONE / dt;
    let springs = soft.springs.iter().filter(|spring| spring.stiffness > R::ZERO).map(|spring| Kept {
        ends: spring.ends,
        length: spring.length,
        compliance: rate * rate / spring.stiffness,
        damping: spring.damping / spring.stiffness * rate,
    });
    let sticks = soft.sticks.iter().map(|stick| Kept {
        ends: stick.ends,
        length: stick.length,
        compliance: R::ZERO,
        damping: R::ZERO,
    });
    let kept: Vec<Kept<R>> = springs.chain(sticks).collect();
    let mut pulls = vec![R::ZERO; kept.len()];
    for _ in 0..passes {
        let (mut changed, mut fastest) = (R::ZERO, R::ZERO);
        for (own, total) in kept.iter().zip(&mut pulls) {
            let [a, b] = own.ends;
            let give = nodes.inverse[a] + nodes.inverse[b];
            let moved = (scratch.way[b] - scratch.way[a]) * dt;
            let end = nodes.position[b] - nodes.position[a] + moved;
            let span = end.length();
            if !(give > R::ZERO && span > R::ZERO) {
                continue;
            }
            let along = end * (R::ONE / span);
            let off = span - own.length + own.compliance * *total + own.damping * along.dot(moved);
            let change = -off / ((R::ONE + own.damping) * give + own.compliance);
            *total += change;
            let pull = along * (change * rate);
            changed = changed.max(change.abs() * rate * give);
            fastest = fastest.max(span * rate);
            scratch.way[a] -= pull * nodes.inverse[a];
            scratch.way[b] += pull * nodes.inverse[b];
        }
        if changed <= R::of(ROUNDINGS) * R::EPSILON * fastest {
            break;
        }
    }
    for node in soft.nodes.clone() {
        nodes.velocity[node] = scratch.way[node];
    }
}

/// Draws the ends of the ways to the built shape as it fits them best: by w²dt²/(1 + w²dt²) of what is left, as backward Euler does.
pub(super) fn draw<V: Place<R>, R: Real>(soft: &Soft<V, R>, nodes: &Nodes<V, R>, dt: R, scratch: &mut Scratch<V>) {
    let Some(matching) = &soft.matching else { return };
    for node in soft.nodes.clone() {
        scratch.place[node] = nodes.position[node] + scratch.way[node] * dt;
    }
    let (centre, turn) = soft.fit(matching, &scratch.place);
    let square = matching.squared * dt * dt;
    let share = square / (R::ONE + square);
    for (node, &(_, from)) in soft.nodes.clone().zip(&matching.shape) {
        if !nodes.is_held(node) {
            let left = centre + from.turned(turn) - scratch.place[node];
            scratch.way[node] += left * (share / dt);
        }
    }
}
