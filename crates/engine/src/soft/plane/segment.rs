//! Points and segments.

use crate::common::scalar::Real;
use crate::plane::vector::Vec2;
use std::ops::Range;

/// Pairs of a node and a piece of skin that were built within a distance of each other.
pub(super) fn built_near<R: Real>(
    position: &[Vec2<R>],
    range: &Range<usize>,
    skin: &[[usize; 2]],
    within: R,
) -> Vec<(usize, usize)> {
    let mut near = Vec::new();
    for node in range.clone() {
        for (piece, &[a, b]) in skin.iter().enumerate() {
            let (distance, _) = to_segment(position[node], position[a], position[b]);
            if node == a || node == b || distance < within {
                near.push((node, piece));
            }
        }
    }
    near
}

/// Distance of a point from a segment, and the share of the way along it at which it is nearest.
pub(super) fn to_segment<R: Real>(point: Vec2<R>, start: Vec2<R>, end: Vec2<R>) -> (R, R) {
    let along = end - start;
    let full = along.dot(along);
    let share = if full > R::ZERO { ((point - start).dot(along) / full).held(R::ZERO, R::ONE) } else { R::ZERO };
    ((point - (start + along * share)).length(), share)
}
