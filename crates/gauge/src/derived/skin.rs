//! How deep other bodies lie in the skin of soft bodies between its nodes. Nodes are bodies of their own.

use crate::frame_cache::{Dimensioned, When};
use crate::gauge::View;
use crate::geometry::{Membership, Plane, Room, Space};
use ironspin_model::{DVec3, Dimension};

/// Calls `each` with the depth, m, and the ids of both, the smaller first, wherever a piece of skin, rounded by its radius, overlaps a body
/// that its soft body may touch, one of them in `of` and the other in `others`. Of a piece the nearest node is named.
pub(crate) fn each_skin_overlap(
    view: &View<'_>,
    of: &Membership,
    others: &Membership,
    each: impl FnMut(f64, usize, usize),
) {
    match view.world.dimension {
        Dimension::Plane => each_in::<Plane>(view, of, others, each),
        Dimension::Space => each_in::<Space>(view, of, others, each),
    }
}

fn each_in<G: Room + Dimensioned>(
    view: &View<'_>,
    of: &Membership,
    others: &Membership,
    mut each: impl FnMut(f64, usize, usize),
) {
    let Some(room) = view.cache.of::<G>() else { return };
    for soft in view.world.softs.iter().filter(|soft| soft.has_skin()) {
        let first = soft.nodes.start;
        if !view.present(first) {
            continue;
        }
        let place = |node: usize| view.now.bodies[first + node].pose.position;
        let pieces: Vec<(&[usize], G::Collider, G::Around)> = soft
            .skin_nodes()
            .map(|nodes| {
                let piece = G::piece(nodes.iter().map(|&node| place(node)).collect(), soft.radius);
                let around = G::around(&piece);
                (nodes, piece, around)
            })
            .collect();
        let whole = pieces.iter().map(|(_, _, around)| *around).reduce(G::around_both).unwrap_or(G::NONE);
        for body in (0..view.world.bodies.len()).filter(|id| !soft.nodes.contains(id)) {
            if !view.present(body) || !view.cache.shapes().may_meet(first, body) {
                continue;
            }
            let around = room.around(When::Now, body);
            if !G::meets(around, &whole, 0.0) {
                continue;
            }
            for (nodes, piece, own) in &pieces {
                let linked = nodes.iter().any(|&node| of.links(others, first + node, body));
                if !linked || !G::meets(around, own, 0.0) {
                    continue;
                }
                for collider in room.colliders(When::Now, body) {
                    let gap = G::gap_within(piece, collider, 0.0);
                    let distance = G::distance(&gap);
                    if distance < 0.0 {
                        let node = first + nearest(nodes, place, G::shown(gap).point);
                        each(-distance, body.min(node), body.max(node));
                    }
                }
            }
        }
    }
}

fn nearest(nodes: &[usize], place: impl Fn(usize) -> DVec3, point: DVec3) -> usize {
    let far = |node: &usize| place(*node).distance(point);
    nodes.iter().copied().min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(0)
}
