//! Collision geometry in a body's own frame.

use crate::common::scalar::Real;
use crate::plane::vector::{Pose, Rotation, Vec2};
use ironspin_model::{DVec2, Part, PlaneShape};

/// A convex polygon with rounded rim: all points within `radius` of the hull of `corners`. One corner is a disc, two are a
/// capsule or, without a radius, a segment.
#[derive(Clone, Debug)]
pub(crate) struct Convex<R> {
    /// Counter-clockwise.
    pub(crate) corners: Vec<Vec2<R>>,
    /// Outward unit normal of the edge from each corner to the next.
    pub(crate) normals: Vec<Vec2<R>>,
    pub(crate) radius: R,
    /// A segment of a polyline: what it is joined to.
    pub(crate) seams: Option<Seams<R>>,
}

/// Unit directions of the segments before and after one of a polyline, in walking order; none at a free end.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Seams<R> {
    pub(crate) before: Option<Vec2<R>>,
    pub(crate) after: Option<Vec2<R>>,
}

#[derive(Clone, Debug)]
pub(crate) enum Form<R> {
    Convex(Convex<R>),
    /// Solid below: points x with normal·x <= offset.
    HalfPlane {
        normal: Vec2<R>,
        offset: R,
    },
}

/// One piece of a body, in the body's frame.
#[derive(Clone, Debug)]
pub(crate) struct Piece<R> {
    pub(crate) body: usize,
    /// The part of the body it belongs to.
    pub(crate) part: usize,
    pub(crate) material: usize,
    pub(crate) form: Form<R>,
    /// Greatest distance of any of its points from the body's centre; infinite for a half-plane.
    pub(crate) reach: R,
    /// Smallest full size; infinite for what only a static body may have.
    pub(crate) size: R,
}

impl<R: Real> Piece<R> {
    /// How far turning can carry any of its points: of a rounded piece the middle of the rounding counts, not its rim.
    pub(crate) fn arm(&self) -> R {
        match &self.form {
            Form::Convex(convex) => self.reach - convex.radius,
            Form::HalfPlane { .. } => self.reach,
        }
    }
}

impl<R: Real> Piece<R> {
    pub(crate) fn is_capsule(&self) -> bool {
        matches!(&self.form, Form::Convex(convex) if convex.corners.len() == 2 && convex.radius > R::ZERO)
    }

    pub(crate) fn is_polygon(&self) -> bool {
        matches!(&self.form, Form::Convex(convex) if convex.corners.len() > 2)
    }
}

/// Outward normals of the edges of a counter-clockwise polygon.
fn edge_normals<R: Real>(corners: &[Vec2<R>]) -> Vec<Vec2<R>> {
    let next = |i: usize| corners[(i + 1) % corners.len()];
    if corners.len() < 2 {
        return Vec::new();
    }
    let up = Vec2::new(R::ZERO, R::ONE);
    (0..corners.len()).map(|i| -(next(i) - corners[i]).left().unit_or(up)).collect()
}

impl<R: Real> Convex<R> {
    /// The hull of some corners, counter-clockwise, with a rounded rim.
    pub(crate) fn rounded(corners: Vec<Vec2<R>>, radius: R) -> Self {
        Convex { normals: edge_normals(&corners), corners, radius, seams: None }
    }

    /// Mean of the corners, in the body's frame.
    pub(crate) fn middle(&self) -> Vec2<R> {
        let sum = self.corners.iter().fold(Vec2::ZERO, |sum, &corner| sum + corner);
        sum * (R::ONE / R::of(self.corners.len() as f64))
    }

    /// Lower and upper corner of the box around the shape at a pose.
    pub(crate) fn bounds(&self, pose: &Pose<R>) -> [Vec2<R>; 2] {
        let first = pose.point(self.corners[0]);
        let (mut low, mut high) = (first, first);
        for &corner in &self.corners[1..] {
            let p = pose.point(corner);
            low = Vec2::new(low.x.min(p.x), low.y.min(p.y));
            high = Vec2::new(high.x.max(p.x), high.y.max(p.y));
        }
        let rim = Vec2::new(self.radius, self.radius);
        [low - rim, high + rim]
    }
}

/// The pieces of a part: one, or for a polyline one a segment.
pub(crate) fn pieces_of_part<R: Real>(body: usize, number: usize, part: &Part) -> Vec<Piece<R>> {
    let place = Pose { position: Vec2::of(part.pose.xy()), rotation: Rotation::by(R::of(part.pose.angle)) };
    let placed = |points: &[DVec2]| -> Vec<Vec2<R>> { points.iter().map(|&p| place.point(Vec2::of(p))).collect() };
    // Nothing else is let into a world of the plane.
    let Some(shape) = part.shape.planar() else { return Vec::new() };
    let forms = match shape {
        PlaneShape::Disc(radius) => vec![Form::Convex(Convex::rounded(vec![place.position], R::of(*radius)))],
        PlaneShape::Box(size) => {
            let (x, y) = (R::of(0.5 * size.x), R::of(0.5 * size.y));
            let corners = [(-x, -y), (x, -y), (x, y), (-x, y)].map(|(x, y)| place.point(Vec2::new(x, y)));
            let sides = [(R::ZERO, -R::ONE), (R::ONE, R::ZERO), (R::ZERO, R::ONE), (-R::ONE, R::ZERO)];
            let mut convex = Convex::rounded(corners.to_vec(), R::ZERO);
            // Exact normals, not worked out from differences of corners.
            convex.normals = sides.map(|(x, y)| place.rotation.turn(Vec2::new(x, y))).to_vec();
            vec![Form::Convex(convex)]
        }
        PlaneShape::Polygon(points) => {
            let mut corners = placed(points);
            let twice_area =
                (0..corners.len()).fold(R::ZERO, |sum, i| sum + corners[i].cross(corners[(i + 1) % corners.len()]));
            if twice_area < R::ZERO {
                corners.reverse();
            }
            vec![Form::Convex(Convex::rounded(corners, R::ZERO))]
        }
        PlaneShape::Capsule { length, radius } => {
            let half = DVec2::new(0.5 * length, 0.0);
            vec![Form::Convex(Convex::rounded(placed(&[-half, half]), R::of(*radius)))]
        }
        PlaneShape::Polyline(points) => segments(&placed(points)),
        PlaneShape::HalfPlane(normal) => {
            let normal = place.rotation.turn(Vec2::of(*normal));
            vec![Form::HalfPlane { normal, offset: normal.dot(place.position) }]
        }
    };
    let size = if part.shape.static_only() { R::INFINITY } else { R::of(part.shape.smallest_size()) };
    let reach = |form: &Form<R>| match form {
        Form::Convex(convex) => convex.corners.iter().map(|c| c.length()).fold(R::ZERO, R::max) + convex.radius,
        Form::HalfPlane { .. } => R::INFINITY,
    };
    forms
        .into_iter()
        .map(|form| Piece { body, part: number, material: part.material, reach: reach(&form), form, size })
        .collect()
}

/// The segments of a chain of points, each knowing its neighbours.
fn segments<R: Real>(points: &[Vec2<R>]) -> Vec<Form<R>> {
    let count = points.len() - 1;
    let closed = points[0] == points[count] && count > 2;
    let right = Vec2::new(R::ONE, R::ZERO);
    let way = |i: usize| (points[i + 1] - points[i]).unit_or(right);
    (0..count)
        .map(|i| {
            let before = if i > 0 { Some(way(i - 1)) } else { closed.then(|| way(count - 1)) };
            let after = if i + 1 < count { Some(way(i + 1)) } else { closed.then(|| way(0)) };
            let mut convex = Convex::rounded(vec![points[i], points[i + 1]], R::ZERO);
            convex.seams = Some(Seams { before, after });
            Form::Convex(convex)
        })
        .collect()
}
