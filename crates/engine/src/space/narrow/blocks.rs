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

/// Two blocks as the first sees them.
struct Seen<R> {
    half: [[R; 3]; 2],
    /// Axes of the second along those of the first: `turn[i][j]` is the part of axis j of the second along axis i of the first.
    turn: [[R; 3]; 3],
    /// From the first centre to the second, along the axes of each.
    between: [[R; 3]; 2],
}

impl<R: Real> Seen<R> {
    fn new(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>) -> Self {
        let list = |v: Vec3<R>| [v.x, v.y, v.z];
        let between = other.position - one.position;
        let columns = other.axes.0.map(|axis| list(one.axes.times_back(axis)));
        Seen {
            half: [list(a), list(b)],
            turn: [0, 1, 2].map(|i| [0, 1, 2].map(|j| columns[j][i])),
            between: [list(one.axes.times_back(between)), list(other.axes.times_back(between))],
        }
    }

    /// Gap along an axis of the first block.
    #[inline(always)]
    fn first(&self, i: usize) -> R {
        let ([a, b], c) = (&self.half, &self.turn[i]);
        self.between[0][i].abs() - (a[i] + b[0] * c[0].abs() + b[1] * c[1].abs() + b[2] * c[2].abs())
    }

    /// Gap along an axis of the second.
    #[inline(always)]
    fn second(&self, j: usize) -> R {
        let ([a, b], c) = (&self.half, &self.turn);
        self.between[1][j].abs() - (b[j] + a[0] * c[0][j].abs() + a[1] * c[1][j].abs() + a[2] * c[2][j].abs())
    }

    /// Gap along the cross product of an axis of each; minus infinity where they are parallel.
    #[inline(always)]
    fn edges(&self, i: usize, j: usize) -> R {
        let ([a, b], c, t) = (&self.half, &self.turn, &self.between[0]);
        let (i1, i2, j1, j2) = ((i + 1) % 3, (i + 2) % 3, (j + 1) % 3, (j + 2) % 3);
        // What of the second axis lies across the first: no digits are lost where it is little.
        let square = c[i1][j] * c[i1][j] + c[i2][j] * c[i2][j];
        if !(square > R::of(PARALLEL * PARALLEL)) {
            return -R::INFINITY;
        }
        let height = t[i2] * c[i1][j] - t[i1] * c[i2][j];
        let reach = a[i1] * c[i2][j].abs() + a[i2] * c[i1][j].abs() + b[j1] * c[i][j2].abs() + b[j2] * c[i][j1].abs();
        (height.abs() - reach) / square.sqrt()
    }
}

/// The axis of the largest gap of each kind, faces of the first, faces of the second and edges, in this order; nothing where no two edges cross, and
/// nothing at all where one of them is further than `limit`.
fn best_axes<R: Real>(
    a: Vec3<R>,
    one: &Pose<R>,
    b: Vec3<R>,
    other: &Pose<R>,
    limit: R,
) -> Option<[Option<Tried<R>>; 3]> {
    let seen = Seen::new(a, one, b, other);
    let mut faces = [(-R::INFINITY, 0); 2];
    for axis in 0..3 {
        for (best, gap) in faces.iter_mut().zip([seen.first(axis), seen.second(axis)]) {
            if gap > best.0 {
                *best = (gap, axis);
            }
        }
    }
    if faces[0].0.max(faces[1].0) > limit {
        return None;
    }
    let mut edges = (-R::INFINITY, (0, 0));
    for i in 0..3 {
        for j in 0..3 {
            let gap = seen.edges(i, j);
            if gap > edges.0 {
                edges = (gap, (i, j));
            }
        }
    }
    if edges.0 > limit {
        return None;
    }
    let between = other.position - one.position;
    let toward = |along: Vec3<R>| if along.dot(between) < R::ZERO { -along } else { along };
    let face = |number: usize, axes: &[Vec3<R>; 3], axis: fn(usize) -> Axis| {
        let (gap, k) = faces[number];
        // Of poses that are not numbers no gap is larger than another.
        (gap > -R::INFINITY).then(|| Tried { axis: axis(k), gap, normal: toward(axes[k]) })
    };
    let (gap, (i, j)) = edges;
    let crossed = (gap > -R::INFINITY).then(|| {
        let across = one.axes.0[i].cross(other.axes.0[j]);
        Tried { axis: Axis::Edges(i, j), gap, normal: toward(across * (R::ONE / across.length())) }
    });
    Some([face(0, &one.axes.0, Axis::FirstFace), face(1, &other.axes.0, Axis::SecondFace), crossed])
}

/// Distance, or depth as a negative one.
pub(super) fn gap<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>) -> Gap<R> {
    let best = best_axes(a, one, b, other, R::INFINITY)
        .into_iter()
        .flatten()
        .flatten()
        .reduce(|p, q| if q.gap > p.gap { q } else { p });
    match best {
        Some(tried) if tried.gap <= R::ZERO => Gap { distance: tried.gap, normal: tried.normal },
        _ => apart::distance(a, one, b, other),
    }
}

pub(super) fn collide<R: Real>(a: Vec3<R>, one: &Pose<R>, b: Vec3<R>, other: &Pose<R>, margin: R) -> Manifold<R> {
    let Some([Some(first), Some(second), edges]) = best_axes(a, one, b, other, margin) else {
        return Manifold::default();
    };
    let size = a.x.min(a.y).min(a.z).min(b.x.min(b.y).min(b.z)) * R::TWO;
    // Rounding must not make the reference flip from step to step.
    let preference = R::of(FACE_PREFERENCE) * size;
    let face = if second.gap > first.gap + preference { second } else { first };
    let best = match edges {
        Some(edges) if edges.gap > face.gap + preference => edges,
        _ => face,
    };
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

/// Most corners that cutting a rectangle by four planes leaves.
const CORNERS: usize = 8;

/// What is left of the incident face while it is cut.
#[derive(Clone, Copy)]
struct Cut<R> {
    corners: [Corner<R>; CORNERS],
    count: usize,
}

impl<R: Real> Cut<R> {
    fn push(&mut self, corner: Corner<R>) {
        // A convex polygon gains one corner a plane at most; rounding must not make it more.
        if self.count < CORNERS {
            self.corners[self.count] = corner;
            self.count += 1;
        }
    }

    /// What lies below a level along a direction.
    fn below(&self, along: Vec3<R>, level: R, plane: u32) -> Self {
        let mut kept = Cut { corners: [(Vec3::ZERO, 0); CORNERS], count: 0 };
        let corners = &self.corners[..self.count];
        if corners.is_empty() {
            return kept;
        }
        let mut heights = [R::ZERO; CORNERS];
        let mut inside = true;
        for (height, (place, _)) in heights.iter_mut().zip(corners) {
            *height = along.dot(*place) - level;
            inside &= *height <= R::ZERO;
        }
        if inside {
            return *self;
        }
        for (number, &(place, feature)) in corners.iter().enumerate() {
            let follows = if number + 1 == corners.len() { 0 } else { number + 1 };
            let (here, there) = (heights[number], heights[follows]);
            if here <= R::ZERO {
                kept.push((place, feature));
            }
            if (here < R::ZERO && there > R::ZERO) || (here > R::ZERO && there < R::ZERO) {
                let (next, next_feature) = corners[follows];
                let cut = place + (next - place) * (here / (here - there));
                kept.push((cut, feature_of_cut(feature, next_feature, plane)));
            }
        }
        kept
    }
}

/// An edge and the plane that cuts it, whichever way round.
pub(super) fn feature_of_cut(one: u32, other: u32, plane: u32) -> u32 {
    1 << 17 | one.min(other) & 0xff | (one.max(other) & 0xff) << 8 | plane << 20
}

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
    let mut cut = Cut { corners: [(Vec3::ZERO, 0); CORNERS], count: 0 };
    incident(other_half, other, normal).into_iter().for_each(|corner| cut.push(corner));
    for side in (0..3).filter(|&side| side != axis) {
        let middle = pose.axes.0[side].dot(pose.position);
        for (turn, sign) in [R::ONE, -R::ONE].into_iter().enumerate() {
            let level = middle * sign + half.component(side);
            cut = cut.below(pose.axes.0[side] * sign, level, (2 * side + turn) as u32);
        }
    }
    let level = normal.dot(pose.position) + half.component(axis);
    let (mut points, mut count) = ([Point::default(); CORNERS], 0);
    for &(place, feature) in &cut.corners[..cut.count] {
        let gap = normal.dot(place) - level;
        if gap <= margin {
            points[count] = Point { position: place - normal * (R::HALF * gap), gap, feature };
            count += 1;
        }
    }
    reduced(normal, &points[..count])
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
