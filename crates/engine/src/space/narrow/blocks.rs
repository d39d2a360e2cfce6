//! Two blocks: the axis that separates them best, and contact points by clipping.
//!
//! Source: Gottschalk, Lin, Manocha, "OBBTree" (1996) for the fifteen axes; Sutherland and Hodgman (1974) for clipping.

use super::{Gap, Manifold, Point, apart, reduced};
use crate::common::scalar::Real;
use crate::common::tolerance::FACE_PREFERENCE;
use crate::space::shape::corner;
use crate::space::vector::{Pose, Vec3};

/// Edges whose directions make a smaller sine than this are taken for parallel: their cross product has lost its digits, and a face
/// separates as well.
const PARALLEL: f64 = 1e-6;

/// What separates two blocks best.
#[derive(Clone, Copy, Debug)]
enum Axis {
    /// A face of the first block, by its axis.
    FirstFace(usize),
    /// A face of the second.
    SecondFace(usize),
    /// An edge of each, by their axes.
    Edges(usize, usize),
}

/// An axis that was tried.
#[derive(Clone, Copy, Debug)]
struct Tried<R> {
    axis: Axis,
    /// Gap along it; negative for overlap.
    gap: R,
    /// From the first block to the second.
    normal: Vec3<R>,
}

/// How far a block reaches along a direction.
fn radius<R: Real>(half: Vec3<R>, pose: &Pose<R>, along: Vec3<R>) -> R {
    let seen = pose.axes.times_back(along);
    seen.abs().dot(half)
}

/// The face axis of either block and the edge axis with the largest gap; nothing where no two edges cross.
fn best_axes<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>) -> [Option<Tried<R>>; 3] {
    let between = other.position - one.position;
    let attempt = |axis: Axis, along: Vec3<R>| {
        let height = along.dot(between);
        let normal = if height < R::ZERO { -along } else { along };
        Tried { axis, gap: height.abs() - (radius(a, one, along) + radius(b, other, along)), normal }
    };
    let mut best: [Option<Tried<R>>; 3] = [None; 3];
    let mut keep = |kind: usize, tried: Tried<R>| {
        if best[kind].is_none_or(|known| tried.gap > known.gap) {
            best[kind] = Some(tried);
        }
    };
    for axis in 0..3 {
        keep(0, attempt(Axis::FirstFace(axis), one.axes.0[axis]));
        keep(1, attempt(Axis::SecondFace(axis), other.axes.0[axis]));
    }
    for i in 0..3 {
        for j in 0..3 {
            let across = one.axes.0[i].cross(other.axes.0[j]);
            let sine = across.length();
            if sine > R::of(PARALLEL) {
                keep(2, attempt(Axis::Edges(i, j), across * (R::ONE / sine)));
            }
        }
    }
    best
}

/// Distance, or depth as a negative one.
pub(super) fn gap<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>) -> Gap<R> {
    let best = best_axes(a, one, b, other).into_iter().flatten().reduce(|p, q| if q.gap > p.gap { q } else { p });
    match best {
        Some(tried) if tried.gap <= R::ZERO => Gap { distance: tried.gap, normal: tried.normal },
        _ => apart::distance(a, one, b, other),
    }
}

pub(super) fn collide<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>, margin: R) -> Manifold<R> {
    let [first, second, edges] = best_axes(a, one, b, other);
    let (Some(first), Some(second)) = (first, second) else { return Manifold::default() };
    let size = a.x.min(a.y).min(a.z).min(b.x.min(b.y).min(b.z)) * R::TWO;
    // Rounding must not make the reference flip from step to step.
    let preference = R::of(FACE_PREFERENCE) * size;
    let face = if second.gap > first.gap + preference { second } else { first };
    let best = match edges {
        Some(edges) if edges.gap > face.gap + preference => edges,
        _ => face,
    };
    if best.gap > margin {
        return Manifold::default();
    }
    match best.axis {
        Axis::FirstFace(axis) => on_face(a, one, axis, b, other, best.normal, margin),
        Axis::SecondFace(axis) => on_face(b, other, axis, a, one, -best.normal, margin).turned_round(),
        Axis::Edges(i, j) => on_edges((a, one, i), (b, other, j), best),
    }
}

/// One point where two edges cross.
fn on_edges<R: Real>(
    (a, one, i): (Vec3<R>, &Pose<R>, usize),
    (b, other, j): (Vec3<R>, &Pose<R>, usize),
    best: Tried<R>,
) -> Manifold<R> {
    // The edge of each that lies furthest toward the other.
    let furthest = |half: Vec3<R>, pose: &Pose<R>, along: Vec3<R>, axis: usize| {
        let seen = pose.axes.times_back(along);
        let number = (0..3).filter(|&k| k != axis && seen.component(k) > R::ZERO).fold(0, |number, k| number | 1 << k);
        (number, [pose.point(corner(half, number)), pose.point(corner(half, number | 1 << axis))])
    };
    let (number_a, edge_a) = furthest(a, one, best.normal, i);
    let (number_b, edge_b) = furthest(b, other, -best.normal, j);
    let (p, q) = apart::nearest_of_segments(edge_a, edge_b);
    let feature = 1 << 16 | (number_a | i << 3) << 8 | (number_b | j << 3);
    Manifold::one(best.normal, (p + q) * R::HALF, best.gap, feature as u32)
}

/// A corner of the incident face on its way through the clipping: where, and what made it.
type Corner<R> = (Vec3<R>, u32);

/// Points of the incident face of one block over the reference face of another, which looks along `normal`.
fn on_face<R: Real>(
    half: Vec3<R>,
    pose: &Pose<R>,
    axis: usize,
    other_half: Vec3<R>,
    other: &Pose<R>,
    normal: Vec3<R>,
    margin: R,
) -> Manifold<R> {
    let face = incident(other_half, other, normal);
    let mut corners: Vec<Corner<R>> = face.to_vec();
    for side in (0..3).filter(|&side| side != axis) {
        for (turn, sign) in [R::ONE, -R::ONE].into_iter().enumerate() {
            let along = pose.axes.0[side] * sign;
            corners =
                clip(&corners, along, along.dot(pose.position) + half.component(side), (2 * side + turn) as u32, true);
        }
    }
    let level = normal.dot(pose.position) + half.component(axis);
    let points: Vec<Point<R>> = corners
        .iter()
        .map(|&(place, feature)| {
            let gap = normal.dot(place) - level;
            Point { position: place - normal * (R::HALF * gap), gap, feature }
        })
        .filter(|point| point.gap <= margin)
        .collect();
    reduced(normal, &points)
}

/// The face of a block that looks most against a direction, its corners in turn.
fn incident<R: Real>(half: Vec3<R>, pose: &Pose<R>, normal: Vec3<R>) -> [Corner<R>; 4] {
    let seen = pose.axes.times_back(normal);
    let axis =
        (1..3).fold(0, |best, axis| if seen.component(axis).abs() > seen.component(best).abs() { axis } else { best });
    let side = usize::from(seen.component(axis) < R::ZERO);
    let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
    [(0, 0), (1, 0), (1, 1), (0, 1)].map(|(p, q)| {
        let number = side << axis | p << u | q << v;
        (pose.point(corner(half, number)), number as u32)
    })
}

/// What of a polygon, or of a line that is not closed, lies below a level along a direction.
pub(super) fn clip<R: Real>(
    corners: &[Corner<R>],
    along: Vec3<R>,
    level: R,
    plane: u32,
    closed: bool,
) -> Vec<Corner<R>> {
    let mut kept = Vec::with_capacity(corners.len() + 1);
    for (number, &(place, feature)) in corners.iter().enumerate() {
        let here = along.dot(place) - level;
        if here <= R::ZERO {
            kept.push((place, feature));
        }
        if !closed && number + 1 == corners.len() {
            break;
        }
        let (next, next_feature) = corners[(number + 1) % corners.len()];
        let there = along.dot(next) - level;
        if (here < R::ZERO && there > R::ZERO) || (here > R::ZERO && there < R::ZERO) {
            let cut = place + (next - place) * (here / (here - there));
            // An edge and the plane that cuts it, whichever way round.
            let edge = feature.min(next_feature) & 0xff | (feature.max(next_feature) & 0xff) << 8;
            kept.push((cut, 1 << 17 | edge | plane << 20));
        }
    }
    kept
}
