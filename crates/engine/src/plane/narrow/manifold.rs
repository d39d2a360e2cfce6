//! Narrow phase: contact points of two pieces by separating axes and clipping.
//!
//! Source: Gottschalk, Lin, Manocha, "OBBTree" (1996), section 5 (separating axes); Sutherland and Hodgman,
//! "Reentrant polygon clipping" (1974).

use super::distance::{convex_gap, disc_to_convex};
use crate::common::scalar::Real;
use crate::common::tolerance::{FACE_CONE, FACE_PREFERENCE};
use crate::plane::shape::Convex;
use crate::plane::vector::{Pose, Vec2};

/// One contact point.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Point<R> {
    /// Midway between the two surfaces, in world coordinates.
    pub(crate) position: Vec2<R>,
    /// Gap along the normal; negative for overlap.
    pub(crate) gap: R,
    /// Names the features that touch, so that a point is known again in the next step.
    pub(crate) feature: u32,
}

/// Up to two contact points with a common normal.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Manifold<R> {
    /// Unit normal from the first piece to the second.
    pub(crate) normal: Vec2<R>,
    pub(crate) points: [Point<R>; 2],
    pub(crate) count: usize,
}

impl<R: Real> Manifold<R> {
    pub(crate) fn with_normal(normal: Vec2<R>) -> Self {
        Manifold { normal, points: [Point::default(); 2], count: 0 }
    }

    pub(crate) fn push(&mut self, point: Point<R>) {
        self.points[self.count] = point;
        self.count += 1;
    }

    pub(crate) fn flipped(mut self) -> Self {
        self.normal = -self.normal;
        self
    }

    pub(crate) fn points(&self) -> &[Point<R>] {
        &self.points[..self.count]
    }
}

pub(super) fn convexes<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>, margin: R) -> Manifold<R> {
    match (a.corners.len(), b.corners.len()) {
        (1, _) => disc(a, at, b, bt, margin).flipped(),
        (_, 1) => disc(b, bt, a, at, margin),
        _ if a.radius + b.radius > R::ZERO => rounded(a, at, b, bt, margin),
        _ => polygons(a, at, b, bt, margin),
    }
}

/// Shapes of which one has a rim: while their cores are apart, the nearest features decide.
fn rounded<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>, margin: R) -> Manifold<R> {
    let found = convex_gap(a, at, b, bt);
    if found.gap > margin {
        return Manifold::default();
    }
    if !(found.gap + a.radius + b.radius > R::ZERO) {
        return polygons(a, at, b, bt, margin);
    }
    let facing = |convex: &Convex<R>, pose: &Pose<R>, direction: Vec2<R>| {
        let dots = convex.normals.iter().map(|&normal| pose.rotation.turn(normal).dot(direction)).enumerate();
        dots.fold((0, -R::INFINITY), |best, (face, dot)| if dot > best.1 { (face, dot) } else { best })
    };
    let (face_a, dot_a) = facing(a, at, found.normal);
    let (face_b, dot_b) = facing(b, bt, -found.normal);
    let face = R::of(1.0 - FACE_CONE);
    if dot_a.max(dot_b) > face {
        let mut manifold = if dot_a >= dot_b {
            clip(a, at, face_a, b, bt, margin, 0)
        } else {
            clip(b, bt, face_b, a, at, margin, 1 << 16).flipped()
        };
        if manifold.count > 0 {
            // The deepest point may lie a little beyond the end of the face, where it was clipped away. It stays where it was clipped, so
            // that a capsule along a row of tiles is not turned, and is reported as deep as it is.
            let points = &mut manifold.points[..manifold.count];
            if let Some(deepest) = points.iter_mut().reduce(|a, b| if b.gap < a.gap { b } else { a }) {
                deepest.gap = deepest.gap.min(found.gap);
            }
            return manifold;
        }
    }
    let mut manifold = Manifold::with_normal(found.normal);
    manifold.push(Point { position: found.point, gap: found.gap, feature: 1 << 17 });
    manifold
}

/// The plane is the first piece.
pub(super) fn half_plane<R: Real>(
    normal: Vec2<R>,
    offset: R,
    plane: &Pose<R>,
    convex: &Convex<R>,
    pose: &Pose<R>,
    margin: R,
) -> Manifold<R> {
    let normal = plane.rotation.turn(normal);
    let level = offset + normal.dot(plane.position);
    let mut manifold = Manifold::with_normal(normal);
    // The two lowest corners, the lowest first; the earlier one where they tie.
    let mut lowest: [Option<(R, usize)>; 2] = [None, None];
    for (index, &corner) in convex.corners.iter().enumerate() {
        let gap = normal.dot(pose.point(corner)) - level - convex.radius;
        if lowest[0].is_none_or(|(other, _)| gap < other) {
            lowest = [Some((gap, index)), lowest[0]];
        } else if lowest[1].is_none_or(|(other, _)| gap < other) {
            lowest[1] = Some((gap, index));
        }
    }
    let mut chosen: Vec2Indices =
        lowest.iter().flatten().filter(|(gap, _)| *gap <= margin).map(|&(_, index)| index).collect();
    chosen.sort();
    for index in chosen.iter() {
        let corner = pose.point(convex.corners[index]);
        let gap = normal.dot(corner) - level - convex.radius;
        manifold.push(Point {
            position: corner - normal * (convex.radius + gap * R::HALF),
            gap,
            feature: index as u32,
        });
    }
    manifold
}

/// At most two indices, without an allocation.
#[derive(Default)]
struct Vec2Indices {
    items: [usize; 2],
    len: usize,
}

impl Vec2Indices {
    fn sort(&mut self) {
        self.items[..self.len].sort_unstable();
    }

    fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.items[..self.len].iter().copied()
    }
}

impl FromIterator<usize> for Vec2Indices {
    fn from_iter<I: IntoIterator<Item = usize>>(indices: I) -> Self {
        let mut out = Vec2Indices::default();
        for index in indices.into_iter().take(2) {
            out.items[out.len] = index;
            out.len += 1;
        }
        out
    }
}

/// A disc against any convex; the convex is the first piece, the disc the second.
fn disc<R: Real>(disc: &Convex<R>, disc_pose: &Pose<R>, convex: &Convex<R>, pose: &Pose<R>, margin: R) -> Manifold<R> {
    let centre = disc_pose.point(disc.corners[0]);
    let (gap, normal, feature) = disc_to_convex(centre, convex, pose);
    let gap = gap - disc.radius;
    let mut manifold = Manifold::with_normal(normal);
    if gap <= margin {
        manifold.push(Point { position: centre - normal * (disc.radius + gap * R::HALF), gap, feature });
    }
    manifold
}

/// The best separating face normal of `a` against `b`, and its separation.
fn best_face<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>) -> (R, usize) {
    let mut best = (-R::INFINITY, 0);
    for (index, &normal) in a.normals.iter().enumerate() {
        let normal = at.rotation.turn(normal);
        let level = normal.dot(at.point(a.corners[index]));
        let lowest = b.corners.iter().map(|&c| normal.dot(bt.point(c))).fold(R::INFINITY, R::min);
        if lowest - level > best.0 {
            best = (lowest - level, index);
        }
    }
    best
}

fn polygons<R: Real>(a: &Convex<R>, at: &Pose<R>, b: &Convex<R>, bt: &Pose<R>, margin: R) -> Manifold<R> {
    let rims = a.radius + b.radius;
    let (gap_a, face_a) = best_face(a, at, b, bt);
    if gap_a - rims > margin {
        return Manifold::default();
    }
    let (gap_b, face_b) = best_face(b, bt, a, at);
    if gap_b - rims > margin {
        return Manifold::default();
    }
    let preference = R::of(FACE_PREFERENCE) * (edge(a, face_a).length()).min(edge(b, face_b).length());
    if gap_b > gap_a + preference {
        clip(b, bt, face_b, a, at, margin, 1 << 16).flipped()
    } else {
        clip(a, at, face_a, b, bt, margin, 0)
    }
}

fn edge<R: Real>(convex: &Convex<R>, face: usize) -> Vec2<R> {
    convex.corners[(face + 1) % convex.corners.len()] - convex.corners[face]
}

/// Clips the incident edge of `b` against the sides of the reference face of `a`.
pub(crate) fn clip<R: Real>(
    a: &Convex<R>,
    at: &Pose<R>,
    face: usize,
    b: &Convex<R>,
    bt: &Pose<R>,
    margin: R,
    mark: u32,
) -> Manifold<R> {
    let normal = at.rotation.turn(a.normals[face]);
    let start = at.point(a.corners[face]);
    let end = at.point(a.corners[(face + 1) % a.corners.len()]);
    // The face of b that looks most against the reference; the earliest where they tie.
    let mut incident = (R::INFINITY, 0);
    for (index, &other) in b.normals.iter().enumerate() {
        let facing = normal.dot(bt.rotation.turn(other));
        if facing < incident.0 {
            incident = (facing, index);
        }
    }
    let from = incident.1;
    let to = (from + 1) % b.corners.len();
    let mut ends = [(bt.point(b.corners[from]), from as u32), (bt.point(b.corners[to]), to as u32)];
    let along = (end - start).unit_or(normal.left());
    let span = [along.dot(start), along.dot(end)];
    // The incident edge runs against the reference face: its first end lies towards `end`.
    if !clip_end(&mut ends, 0, along, span[1], R::ONE, 0x100) || !clip_end(&mut ends, 1, along, span[0], -R::ONE, 0x200)
    {
        return Manifold::default();
    }
    let level = normal.dot(start);
    let mut manifold = Manifold::with_normal(normal);
    let reference = (face as u32) << 10;
    for (position, feature) in ends {
        let gap = normal.dot(position) - level - a.radius - b.radius;
        if gap <= margin {
            let midway = position - normal * (b.radius + gap * R::HALF);
            manifold.push(Point { position: midway, gap, feature: mark | reference | feature });
        }
    }
    manifold
}

/// Pulls one end of the incident edge back to the side of the reference face; false when the whole edge lies beyond.
pub(crate) fn clip_end<R: Real>(
    ends: &mut [(Vec2<R>, u32); 2],
    which: usize,
    along: Vec2<R>,
    limit: R,
    sign: R,
    mark: u32,
) -> bool {
    let (near, far) = (ends[which].0, ends[1 - which].0);
    let beyond = sign * (along.dot(near) - limit);
    if !(beyond > R::ZERO) {
        return true;
    }
    let inside = sign * (along.dot(far) - limit);
    if inside > R::ZERO {
        return false;
    }
    let share = beyond / (beyond - inside);
    ends[which] = (near + (far - near) * share, ends[which].1 | mark);
    true
}
