//! Gap between two convex pieces, exactly, by going over all corners and edges.

use crate::common::scalar::Real;
use crate::plane::shape::Convex;
use crate::plane::vector::{Pose, Vec2};

/// Gap of two pieces, the unit normal from the first to the second that separates them best, and a point midway between
/// the surfaces.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Gap<R> {
    pub(crate) gap: R,
    pub(crate) normal: Vec2<R>,
    pub(crate) point: Vec2<R>,
}

pub(super) fn plane_gap<R: Real>(
    normal: Vec2<R>,
    offset: R,
    plane: &Pose<R>,
    convex: &Convex<R>,
    pose: &Pose<R>,
) -> Gap<R> {
    let normal = plane.rotation.turn(normal);
    let level = offset + normal.dot(plane.position);
    let mut lowest = (R::INFINITY, Vec2::ZERO);
    for &corner in &convex.corners {
        let corner = pose.point(corner);
        let height = normal.dot(corner) - level;
        if height < lowest.0 {
            lowest = (height, corner);
        }
    }
    let gap = lowest.0 - convex.radius;
    Gap { gap, normal, point: lowest.1 - normal * (convex.radius + gap * R::HALF) }
}

pub(crate) fn convex_gap<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>) -> Gap<R> {
    // The gap of two convex bodies is reached at a corner of one of them.
    let mut best: Option<Gap<R>> = None;
    let mut keep = |gap: R, normal: Vec2<R>, point: Vec2<R>| {
        if best.as_ref().is_none_or(|other| gap < other.gap) {
            best = Some(Gap { gap, normal, point });
        }
    };
    let mut overlapping = false;
    for &corner in &b.corners {
        let corner = bt.point(corner);
        let (gap, normal, _) = disc_to_convex(corner, a, at);
        overlapping |= gap + a.radius < R::ZERO;
        keep(gap - b.radius, normal, corner - normal * b.radius - normal * ((gap - b.radius) * R::HALF));
    }
    for &corner in &a.corners {
        let corner = at.point(corner);
        let (gap, normal, _) = disc_to_convex(corner, b, bt);
        overlapping |= gap + b.radius < R::ZERO;
        keep(gap - a.radius, -normal, corner + normal * (-a.radius - (gap - a.radius) * R::HALF));
    }
    let nearest = best.unwrap_or(Gap { gap: R::INFINITY, normal: Vec2::new(R::ONE, R::ZERO), point: Vec2::ZERO });
    if a.corners.len() < 2 || b.corners.len() < 2 {
        return nearest;
    }
    // Cores that cross without a corner inside, or with one, are measured by their best separating face.
    let faces = faces_gap(a, at, b, bt);
    if overlapping || faces.gap + a.radius + b.radius < R::ZERO {
        Gap { point: nearest.point, ..faces }
    } else {
        nearest
    }
}

fn faces_gap<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>) -> Gap<R> {
    let mut best = Gap { gap: -R::INFINITY, normal: Vec2::new(R::ONE, R::ZERO), point: Vec2::ZERO };
    for (one, one_at, other, other_at, sign) in [(a, at, b, bt, R::ONE), (b, bt, a, at, -R::ONE)] {
        for (index, &normal) in one.normals.iter().enumerate() {
            let normal = one_at.rotation.turn(normal);
            let level = normal.dot(one_at.point(one.corners[index]));
            let lowest = other.corners.iter().map(|&c| normal.dot(other_at.point(c))).fold(R::INFINITY, R::min);
            if lowest - level > best.gap {
                best = Gap { gap: lowest - level, normal: normal * sign, point: Vec2::ZERO };
            }
        }
    }
    best.gap = best.gap - a.radius - b.radius;
    best
}

/// Gap from a point to a convex piece, the outward normal of the piece there, and the feature that is nearest (edges
/// from 0, corners from 0x40).
pub(crate) fn disc_to_convex<R: Real>(point: Vec2<R>, convex: &Convex<R>, pose: &Pose<R>) -> (R, Vec2<R>, u32) {
    let up = Vec2::new(R::ZERO, R::ONE);
    let count = convex.corners.len();
    if count == 1 {
        let between = point - pose.point(convex.corners[0]);
        return (between.length() - convex.radius, between.unit_or(up), 0x40);
    }
    if count == 2 {
        return disc_to_segment(point, convex, pose);
    }
    let mut best_inside = (-R::INFINITY, up, 0_u32);
    let mut best_outside: Option<(R, Vec2<R>, u32)> = None;
    for index in 0..count {
        let next = (index + 1) % count;
        let start = pose.point(convex.corners[index]);
        let end = pose.point(convex.corners[next]);
        let normal = pose.rotation.turn(convex.normals[index]);
        let height = normal.dot(point - start);
        if height > best_inside.0 {
            best_inside = (height, normal, index as u32);
        }
        if height > R::ZERO {
            let along = end - start;
            let share = (point - start).dot(along);
            let full = along.dot(along);
            let (distance, direction, feature) = if share <= R::ZERO {
                let between = point - start;
                (between.length(), between.unit_or(normal), 0x40 + index as u32)
            } else if share >= full {
                let between = point - end;
                (between.length(), between.unit_or(normal), 0x40 + next as u32)
            } else {
                (height, normal, index as u32)
            };
            if best_outside.is_none_or(|(other, _, _)| distance < other) {
                best_outside = Some((distance, direction, feature));
            }
        }
    }
    let (gap, normal, feature) = best_outside.unwrap_or(best_inside);
    (gap - convex.radius, normal, feature)
}

/// As [`disc_to_convex`] for a capsule or segment: the nearest point of the line between its two corners.
fn disc_to_segment<R: Real>(point: Vec2<R>, convex: &Convex<R>, pose: &Pose<R>) -> (R, Vec2<R>, u32) {
    let (start, end) = (pose.point(convex.corners[0]), pose.point(convex.corners[1]));
    let along = end - start;
    let (share, full) = ((point - start).dot(along), along.dot(along));
    let below = pose.rotation.turn(convex.normals[0]);
    let (distance, normal, feature) = if share <= R::ZERO {
        let between = point - start;
        (between.length(), between.unit_or(-along.unit_or(below)), 0x40)
    } else if share >= full {
        let between = point - end;
        (between.length(), between.unit_or(along.unit_or(below)), 0x41)
    } else {
        let height = below.dot(point - start);
        if height >= R::ZERO { (height, below, 0) } else { (-height, -below, 1) }
    };
    (distance - convex.radius, normal, feature)
}
