//! Rays: the first solid piece on the way, or all of them.
//!
//! Source: Cyrus and Beck, "Generalized two- and three-dimensional clipping" (1978) for polygons; the quadratic for discs.

use crate::common::scalar::Real;
use crate::plane::bodies::Bodies;
use crate::plane::narrow::disc_to_convex;
use crate::plane::shape::{Convex, Form};
use crate::plane::vector::{Pose, Vec2};

/// Where a ray meets a piece.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Hit<R> {
    pub(crate) body: usize,
    /// Share of the way from the ray's start to its end.
    pub(crate) share: R,
    pub(crate) normal: Vec2<R>,
}

/// Hits of the solid pieces of all bodies, the nearest first; one a body.
pub(crate) fn cast<R: Real>(bodies: &Bodies<R>, from: Vec2<R>, to: Vec2<R>) -> Vec<Hit<R>> {
    let mut hits: Vec<Hit<R>> = Vec::new();
    for piece in bodies.pieces.iter().filter(|piece| bodies.present[piece.body]) {
        let Some((share, normal)) = meet(&piece.form, &bodies.pose(piece.body), from, to) else { continue };
        let hit = Hit { body: piece.body, share, normal };
        match hits.iter_mut().find(|other| other.body == piece.body) {
            Some(other) if other.share <= share => {}
            Some(other) => *other = hit,
            None => hits.push(hit),
        }
    }
    in_order(&mut hits);
    hits
}

/// The nearest first, and of those that are as near the one of the smaller id.
pub(crate) fn in_order<R: Real>(hits: &mut [Hit<R>]) {
    hits.sort_by(|a, b| a.share.to_f64().total_cmp(&b.share.to_f64()).then(a.body.cmp(&b.body)));
}

pub(crate) fn meet<R: Real>(form: &Form<R>, pose: &Pose<R>, from: Vec2<R>, to: Vec2<R>) -> Option<(R, Vec2<R>)> {
    let way = to - from;
    let back = (-way).unit_or(Vec2::new(R::ZERO, R::ONE));
    match form {
        Form::HalfPlane { normal, offset } => {
            let normal = pose.rotation.turn(*normal);
            let height = normal.dot(from) - (*offset + normal.dot(pose.position));
            if height <= R::ZERO {
                return Some((R::ZERO, back));
            }
            let share = height / -normal.dot(way);
            (share >= R::ZERO && share <= R::ONE).then_some((share, normal))
        }
        Form::Convex(convex) => {
            let thin = convex.corners.len() == 2 && convex.radius == R::ZERO;
            if !thin && disc_to_convex(from, convex, pose).0 <= R::ZERO {
                return Some((R::ZERO, back));
            }
            sides(convex, pose, from, way, thin)
        }
    }
}

/// The first of the edges, pushed out by the radius, and of the discs at the corners.
fn sides<R: Real>(convex: &Convex<R>, pose: &Pose<R>, from: Vec2<R>, way: Vec2<R>, thin: bool) -> Option<(R, Vec2<R>)> {
    let mut best: Option<(R, Vec2<R>)> = None;
    let mut keep = |share: R, normal: Vec2<R>| {
        if share >= R::ZERO && share <= R::ONE && best.is_none_or(|(other, _)| share < other) {
            best = Some((share, normal));
        }
    };
    let count = convex.corners.len();
    for (index, &normal) in convex.normals.iter().enumerate() {
        let normal = pose.rotation.turn(normal);
        let out = normal * convex.radius;
        let start = pose.point(convex.corners[index]) + out;
        let end = pose.point(convex.corners[(index + 1) % count]) + out;
        let closing = -normal.dot(way);
        if !(closing > R::ZERO) {
            continue;
        }
        let share = normal.dot(from - start) / closing;
        let along = end - start;
        let place = (from + way * share - start).dot(along);
        if place >= R::ZERO && place <= along.dot(along) && (share >= R::ZERO || !thin) {
            keep(share, normal);
        }
    }
    if convex.radius > R::ZERO {
        for &corner in &convex.corners {
            let centre = pose.point(corner);
            let between = from - centre;
            let (a, half_b, c) = (way.dot(way), between.dot(way), between.dot(between) - convex.radius * convex.radius);
            let inside = half_b * half_b - a * c;
            if inside >= R::ZERO && half_b < R::ZERO && a > R::ZERO {
                // The nearer root in the form that does not cancel.
                let share = c / (inside.sqrt() - half_b);
                keep(share, (between + way * share).unit_or(Vec2::new(R::ZERO, R::ONE)));
            }
        }
    }
    best
}
