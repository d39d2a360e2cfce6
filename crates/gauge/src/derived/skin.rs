//! How deep other bodies lie in the skin of soft bodies between its nodes. Nodes are bodies of their own.

use crate::frame_cache::When;
use crate::gauge::View;
use crate::geometry::{Collider, Membership, Plane};
use ironspin_model::DVec2;

/// Calls `each` with the depth, m, and the ids of both, the smaller first, wherever a segment of skin, rounded by its radius, overlaps a body
/// that its soft body may touch, one of them in `of` and the other in `others`. Of a segment the nearer node is named.
pub(crate) fn each_skin_overlap(
    view: &View<'_>,
    of: &Membership,
    others: &Membership,
    mut each: impl FnMut(f64, usize, usize),
) {
    let Some(plane) = view.cache.of::<Plane>() else { return };
    for soft in view.world.softs.iter().filter(|soft| !soft.skin.is_empty()) {
        let first = soft.nodes.start;
        if !view.present(first) {
            continue;
        }
        let place = |node: usize| view.now.bodies[first + node].pose.position.truncate();
        let corners = soft.skin.iter().flatten().map(|&node| place(node));
        let (low, high) =
            corners.fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), p| (low.min(p), high.max(p)));
        let (low, high) = (low - soft.radius, high + soft.radius);
        for body in (0..view.world.bodies.len()).filter(|id| !soft.nodes.contains(id)) {
            if !view.present(body) || !view.cache.shapes().may_meet(first, body) {
                continue;
            }
            let around = plane.around(When::Now, body);
            if around.low.cmpgt(high).any() || around.high.cmplt(low).any() {
                continue;
            }
            for &[a, b] in &soft.skin {
                if !(of.links(others, first + a, body) || of.links(others, first + b, body)) {
                    continue;
                }
                let piece = Collider::Hull { corners: vec![place(a), place(b)], radius: soft.radius };
                for collider in plane.colliders(When::Now, body) {
                    let gap = piece.gap_within(collider, 0.0);
                    if gap.distance < 0.0 {
                        let nearer = if place(a).distance(gap.point) <= place(b).distance(gap.point) { a } else { b };
                        let node = first + nearer;
                        each(-gap.distance, body.min(node), body.max(node));
                    }
                }
            }
        }
    }
}
