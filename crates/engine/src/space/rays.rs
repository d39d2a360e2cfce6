//! Rays: all solid pieces on the way, the nearest first.
//!
//! Source: the quadratic for balls; Kay and Kajiya, "Ray Tracing Complex Scenes" (1986) for the slabs of a block.

use crate::common::scalar::Real;
use crate::space::bodies::Bodies;
use crate::space::shape::Form;
use crate::space::vector::{Pose, Vec3};

/// Where a ray meets a piece.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Hit<R> {
    pub(crate) body: usize,
    /// Share of the way from the ray's start to its end.
    pub(crate) share: R,
    pub(crate) normal: Vec3<R>,
}

/// Hits of the solid pieces of all bodies, the nearest first; one a body.
pub(crate) fn cast<R: Real>(bodies: &Bodies<R>, from: Vec3<R>, to: Vec3<R>) -> Vec<Hit<R>> {
    let mut hits: Vec<Hit<R>> = Vec::new();
    for piece in bodies.pieces.iter().filter(|piece| bodies.present[piece.body]) {
        let pose = piece.pose(&bodies.pose(piece.body));
        let Some((share, normal)) = meet(piece.form, &pose, from, to) else { continue };
        let hit = Hit { body: piece.body, share, normal };
        match hits.iter_mut().find(|other| other.body == piece.body) {
            Some(other) if other.share <= share => {}
            Some(other) => *other = hit,
            None => hits.push(hit),
        }
    }
    hits.sort_by(|a, b| a.share.to_f64().total_cmp(&b.share.to_f64()).then(a.body.cmp(&b.body)));
    hits
}

/// The share of the way at which a ray comes in, and the normal there; from inside nothing of it, and back along the ray.
fn meet<R: Real>(form: Form<R>, pose: &Pose<R>, from: Vec3<R>, to: Vec3<R>) -> Option<(R, Vec3<R>)> {
    let way = to - from;
    let back = (-way).unit_or(Vec3::axis(1));
    match form {
        Form::HalfSpace(normal) => {
            let normal = pose.axes.times(normal);
            let height = normal.dot(from - pose.position);
            if height <= R::ZERO {
                return Some((R::ZERO, back));
            }
            let share = height / -normal.dot(way);
            (share >= R::ZERO && share <= R::ONE).then_some((share, normal))
        }
        Form::Ball(radius) => {
            let between = from - pose.position;
            let (a, half_b, c) = (way.dot(way), between.dot(way), between.dot(between) - radius * radius);
            if c <= R::ZERO {
                return Some((R::ZERO, back));
            }
            let inside = half_b * half_b - a * c;
            if !(inside >= R::ZERO && half_b < R::ZERO) {
                return None;
            }
            // The nearer root in the form that does not cancel.
            let share = c / (inside.sqrt() - half_b);
            (share <= R::ONE).then(|| (share, (between + way * share).unit_or(back)))
        }
        Form::Block(half) => through_slabs(half, pose, from, way, back),
    }
}

fn through_slabs<R: Real>(
    half: Vec3<R>,
    pose: &Pose<R>,
    from: Vec3<R>,
    way: Vec3<R>,
    back: Vec3<R>,
) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let (mut enter, mut leave, mut normal) = (R::ZERO, R::ONE, None);
    for axis in 0..3 {
        let (p, d, h) = (start.component(axis), along.component(axis), half.component(axis));
        if d == R::ZERO {
            if p.abs() > h {
                return None;
            }
            continue;
        }
        let side = if d > R::ZERO { -R::ONE } else { R::ONE };
        let (near, far) = ((side * h - p) / d, (-side * h - p) / d);
        if near > enter {
            (enter, normal) = (near, Some(pose.axes.0[axis] * side));
        }
        leave = leave.min(far);
    }
    (enter <= leave).then(|| (enter, normal.unwrap_or(back)))
}
