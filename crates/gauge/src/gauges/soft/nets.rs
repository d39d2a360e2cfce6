//! What several gauges ask of a net: what ties its nodes, what its springs do to them, which of them nothing else is near.

use super::places;
use crate::frame_cache::When;
use crate::gauge::View;
use crate::geometry::Membership;
use ironspin_model::{DVec3, Frame, SoftBody};

/// Pairs of nodes that a spring, a stick or an edge of the skin ties, each once, in order.
pub(super) fn ties(soft: &SoftBody) -> Vec<[usize; 2]> {
    let springs = soft.springs.iter().map(|spring| spring.ends);
    let sticks = soft.sticks.iter().map(|stick| stick.ends);
    each_once(springs.chain(sticks).chain(face_edges(soft)).chain(soft.skin.iter().copied()))
}

/// The edges of the faces of a skin in space, each once, in order.
pub(super) fn edges(soft: &SoftBody) -> Vec<[usize; 2]> {
    each_once(face_edges(soft))
}

/// The edges of each face, in turn.
fn face_edges(soft: &SoftBody) -> impl Iterator<Item = [usize; 2]> + '_ {
    soft.faces.iter().flat_map(|&[a, b, c]| [[a, b], [b, c], [c, a]])
}

fn each_once(pairs: impl Iterator<Item = [usize; 2]>) -> Vec<[usize; 2]> {
    let mut pairs: Vec<[usize; 2]> = pairs.map(|[a, b]| [a.min(b), a.max(b)]).collect();
    pairs.sort_unstable();
    pairs.dedup();
    pairs
}

/// What the springs of a soft body do to each of its nodes in a frame, N.
pub(super) fn spring_forces(soft: &SoftBody, frame: &Frame) -> Vec<DVec3> {
    let (at, first) = (places(soft, frame), soft.nodes.start);
    let mut forces = vec![DVec3::ZERO; soft.nodes.len()];
    for spring in &soft.springs {
        let [a, b] = spring.ends;
        let way = at(b) - at(a);
        let span = way.length();
        if !(span > 0.0) {
            continue;
        }
        let along = way / span;
        let growth = along.dot(frame.bodies[first + b].velocity - frame.bodies[first + a].velocity);
        let pull = along * (spring.stiffness * (span - spring.length) + spring.damping * growth);
        forces[a] += pull;
        forces[b] -= pull;
    }
    forces
}

/// Which nodes of a soft body nothing but its springs and its gas can push over a step: free of masses that hold them, of sticks and pins, and so far from
/// all else that not even the pieces of skin at them can touch it. `own` are its nodes and `others` all else.
pub(super) fn untouched(view: &View<'_>, soft: &SoftBody, own: &Membership, others: &Membership) -> Vec<bool> {
    let world = view.world;
    let first = soft.nodes.start;
    let mut free: Vec<bool> =
        soft.nodes.clone().map(|id| world.bodies[id].mass > 0.0 && !view.cache.is_held(id)).collect();
    soft.sticks.iter().flat_map(|stick| stick.ends).for_each(|node| free[node] = false);
    soft.pins.iter().for_each(|pin| free[pin.node] = false);
    let at = places(soft, view.now);
    let sides = face_edges(soft).chain(soft.skin.iter().copied());
    let longest = sides.map(|[a, b]| at(a).distance(at(b))).fold(0.0, f64::max);
    let within = longest + 2.0 * soft.radius + 3.0 * view.cache.fastest() * view.span();
    view.cache.near_pairs(When::Now, own, others, within, |a, b| {
        if view.gap(When::Now, a, b, within).distance <= within {
            let node = if soft.nodes.contains(&a) { a } else { b };
            free[node - first] = false;
        }
    });
    free
}
