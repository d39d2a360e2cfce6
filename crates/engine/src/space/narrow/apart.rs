//! Distance of two blocks that are apart: from corner to block or from edge to edge, whichever is the smallest.

use super::Gap;
use crate::common::scalar::Real;
use crate::space::shape::corner;
use crate::space::vector::{Pose, Vec3};

/// The edges of a block: pairs of corners that differ in one bit.
pub(super) fn edges() -> impl Iterator<Item = (usize, usize)> {
    (0..3).flat_map(|axis| {
        (0..8).filter(move |number| number >> axis & 1 == 0).map(move |number| (number, number | 1 << axis))
    })
}

/// The smallest distance of two blocks that do not overlap.
pub(super) fn distance<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>) -> Gap<R> {
    let mut best = Gap { distance: R::INFINITY, normal: Vec3::axis(1) };
    let mut keep = |from: Vec3<R>, to: Vec3<R>| {
        let way = to - from;
        let distance = way.length();
        if distance < best.distance {
            best = Gap { distance, normal: way.unit_or(best.normal) };
        }
    };
    for number in 0..8 {
        let point = other.point(corner(b, number));
        keep(nearest_on(a, one, point), point);
        let point = one.point(corner(a, number));
        keep(point, nearest_on(b, other, point));
    }
    let corners_a: [Vec3<R>; 8] = std::array::from_fn(|number| one.point(corner(a, number)));
    let corners_b: [Vec3<R>; 8] = std::array::from_fn(|number| other.point(corner(b, number)));
    for (p, q) in edges() {
        for (r, s) in edges() {
            let (from, to) = nearest_of_segments([corners_a[p], corners_a[q]], [corners_b[r], corners_b[s]]);
            keep(from, to);
        }
    }
    best
}

/// The point of a block nearest to a point.
fn nearest_on<R: Real>(half: Vec3<R>, pose: &Pose<R>, point: Vec3<R>) -> Vec3<R> {
    let local = pose.point_back(point);
    pose.point(Vec3::new(local.x.held(-half.x, half.x), local.y.held(-half.y, half.y), local.z.held(-half.z, half.z)))
}

/// The point of a segment nearest to a point, and that point.
pub(super) fn nearest_on_segment<R: Real>(a: [Vec3<R>; 2], point: Vec3<R>) -> (Vec3<R>, Vec3<R>) {
    let along = a[1] - a[0];
    let square = along.dot(along);
    let share = if square > R::ZERO { ((point - a[0]).dot(along) / square).held(R::ZERO, R::ONE) } else { R::ZERO };
    (a[0] + along * share, point)
}

/// The nearest points of two segments (Ericson, "Real-Time Collision Detection", 2005, section 5.1.9).
pub(super) fn nearest_of_segments<R: Real>(a: [Vec3<R>; 2], b: [Vec3<R>; 2]) -> (Vec3<R>, Vec3<R>) {
    let (along_a, along_b, between) = (a[1] - a[0], b[1] - b[0], a[0] - b[0]);
    let (aa, bb, ab) = (along_a.dot(along_a), along_b.dot(along_b), along_a.dot(along_b));
    let (da, db) = (along_a.dot(between), along_b.dot(between));
    let share = |value: R| value.held(R::ZERO, R::ONE);
    let across = aa * bb - ab * ab;
    let mut s = if across > R::EPSILON * aa * bb { share((ab * db - da * bb) / across) } else { R::HALF };
    let t = (ab * s + db) / bb;
    let held = share(t);
    if held != t {
        s = share((ab * held - da) / aa);
    }
    (a[0] + along_a * s, b[0] + along_b * held)
}
