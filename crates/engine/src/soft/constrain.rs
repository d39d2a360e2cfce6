//! Free motion of a soft body by constraints with compliance: springs and sticks bend the ways of a sub-step, and the velocities are the ways.
//!
//! Source: Macklin, Müller and Chentanez, "XPBD: position-based simulation of compliant constrained dynamics" (2016), equations 18 and 26, multiplied by the stiffness. Gas pushes as a
//! force; what draws nodes to their shape does so once, by as much as a backward step would.

use super::integrate::Scratch;
use super::nodes::{Nodes, Soft};
use super::place::Place;
use crate::common::scalar::Real;

/// Passes end when none changes by more than so many roundings of its length.
const ROUNDINGS: f64 = 16.0;

/// A distance to be kept as well as its law has it. What pulls it is worked out from `stiffness * off + pull + damping * growth = 0`, which is the rule of
/// compliance times the stiffness, so that a damper without stiffness is one, too.
struct Kept<R> {
    ends: [u32; 2],
    length: R,
    /// k dt², kg; 1 for a stick.
    stiffness: R,
    /// c dt, kg.
    damping: R,
    /// Of what pulls already: 0 for a stick, which gives way to nothing.
    pulled: R,
    /// Change of the distance by a unit of pull, 1/kg, and what is off over what that takes.
    give: R,
    answer: R,
}

impl<R: Real> Kept<R> {
    fn of([a, b]: [usize; 2], length: R, give: R, [stiffness, damping, pulled]: [R; 3]) -> Self {
        let answer = if give > R::ZERO { R::ONE / ((stiffness + damping) * give + pulled) } else { R::ZERO };
        Kept { ends: [a as u32, b as u32], length, stiffness, damping, pulled, give, answer }
    }
}

/// The ways of a soft body's nodes over a sub-step, and their velocities after it.
pub(super) fn begin<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    passes: u32,
    scratch: &mut Scratch<V, R>,
) {
    // Damping backwards: all that pushes counts by this share, what constraints do as well, so that what is at rest bears its whole load.
    let share = soft.damped_share(dt);
    soft.outer_accelerations(nodes, gravity, &mut scratch.rows, &mut scratch.slope);
    for node in soft.nodes.clone() {
        let held = nodes.is_held(node);
        let free = (nodes.velocity[node] + scratch.slope[node] * dt) * share;
        scratch.way[node] = if held { nodes.velocity[node] } else { free };
    }
    draw(soft, nodes, dt, scratch);
    let rate = R::ONE / dt;
    let give = |[a, b]: [usize; 2]| (nodes.inverse[a] + nodes.inverse[b]) * share;
    let kept = soft.by_colours.iter().map(|&number| match soft.springs.get(number as usize) {
        Some(spring) => {
            let law = [spring.stiffness * dt * dt, spring.damping * dt, R::ONE];
            Kept::of(spring.ends(), spring.length, give(spring.ends()), law)
        }
        None => {
            let stick = &soft.sticks[number as usize - soft.springs.len()];
            Kept::of(stick.ends, stick.length, give(stick.ends), [R::ONE, R::ZERO, R::ZERO])
        }
    });
    let kept: Vec<Kept<R>> = kept.collect();
    let mut pulls = vec![R::ZERO; kept.len()];
    let enough = R::of(ROUNDINGS) * R::EPSILON;
    let (position, place) = (&nodes.position[..], &mut scratch.place[..]);
    for node in soft.nodes.clone() {
        place[node] = position[node] + scratch.way[node] * dt;
    }
    for _ in 0..passes {
        let mut is_done = true;
        for (own, total) in kept.iter().zip(&mut pulls) {
            let [a, b] = own.ends.map(|end| end as usize);
            let end = place[b] - place[a];
            let span = end.length();
            if !(span > R::ZERO) {
                continue;
            }
            let inverse = R::ONE / span;
            let mut off = own.stiffness * (span - own.length) + own.pulled * *total;
            if own.damping > R::ZERO {
                off += own.damping * inverse * end.dot(end - (position[b] - position[a]));
            }
            let change = -off * own.answer;
            is_done &= (change * own.give).abs() <= enough * span;
            *total += change;
            let pull = end * (change * inverse * share);
            place[a] -= pull * nodes.inverse[a];
            place[b] += pull * nodes.inverse[b];
        }
        if is_done {
            break;
        }
    }
    for node in soft.nodes.clone() {
        if !nodes.is_held(node) {
            scratch.way[node] = (place[node] - position[node]) * rate;
        }
        nodes.velocity[node] = scratch.way[node];
    }
}

impl<V: Place<R>, R: Real> Soft<V, R> {
    /// 1/(1 + c dt): what damping of the nodes leaves of a velocity and of what pushes over a sub-step, by the backward rule.
    fn damped_share(&self, dt: R) -> R {
        R::ONE / (R::ONE + self.damping * dt)
    }
}

/// Draws the ends of the ways to the built shape as it fits them best: by q/(1 + q) of what is left with q = w²dt²/(1 + c dt), as backward Euler does.
pub(super) fn draw<V: Place<R>, R: Real>(soft: &Soft<V, R>, nodes: &Nodes<V, R>, dt: R, scratch: &mut Scratch<V, R>) {
    let Some(matching) = &soft.matching else { return };
    for node in soft.nodes.clone() {
        scratch.place[node] = nodes.position[node] + scratch.way[node] * dt;
    }
    let (centre, turn) = soft.fit(matching, &scratch.place);
    let square = matching.squared * dt * dt * soft.damped_share(dt);
    let share = square / (R::ONE + square);
    for (node, &(_, from)) in soft.nodes.clone().zip(&matching.shape) {
        if !nodes.is_held(node) {
            let left = centre + from.turned(turn) - scratch.place[node];
            scratch.way[node] += left * (share / dt);
        }
    }
}
