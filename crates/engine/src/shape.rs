//! Collision geometry in a body's own frame.

use crate::scalar::Real;
use crate::vector::{Pose, Rotation, Vec2};
use ironspin_model::{Part, Shape};

/// A convex polygon with rounded rim: all points within `radius` of the hull of `corners`. One corner is a disc.
#[derive(Clone, Debug)]
pub(crate) struct Convex<R> {
    /// Counter-clockwise.
    pub(crate) corners: Vec<Vec2<R>>,
    /// Outward unit normal of the edge from each corner to the next.
    pub(crate) normals: Vec<Vec2<R>>,
    pub(crate) radius: R,
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
    pub(crate) material: usize,
    pub(crate) form: Form<R>,
    /// Greatest distance of any of its points from the body's centre; infinite for a half-plane.
    pub(crate) reach: R,
    /// Smallest full size; infinite for a half-plane.
    pub(crate) size: R,
}

impl<R: Real> Piece<R> {
    pub(crate) fn new(body: usize, part: &Part) -> Self {
        let place = Pose { position: Vec2::of(part.position), rotation: Rotation::by(R::of(part.angle)) };
        let form = match part.shape {
            Shape::Disc(radius) => {
                Form::Convex(Convex { corners: vec![place.position], normals: Vec::new(), radius: R::of(radius) })
            }
            Shape::Box(size) => {
                let (x, y) = (R::of(0.5 * size.x), R::of(0.5 * size.y));
                let corners = [(-x, -y), (x, -y), (x, y), (-x, y)];
                let normals = [(R::ZERO, -R::ONE), (R::ONE, R::ZERO), (R::ZERO, R::ONE), (-R::ONE, R::ZERO)];
                Form::Convex(Convex {
                    corners: corners.iter().map(|&(x, y)| place.point(Vec2::new(x, y))).collect(),
                    normals: normals.iter().map(|&(x, y)| place.rotation.turn(Vec2::new(x, y))).collect(),
                    radius: R::ZERO,
                })
            }
            Shape::HalfPlane(normal) => {
                let normal = place.rotation.turn(Vec2::of(normal));
                Form::HalfPlane { normal, offset: normal.dot(place.position) }
            }
        };
        let reach = match &form {
            Form::Convex(convex) => convex.corners.iter().map(|c| c.length()).fold(R::ZERO, R::max) + convex.radius,
            Form::HalfPlane { .. } => R::INFINITY,
        };
        Piece { body, material: part.material, form, reach, size: R::of(part.shape.smallest_size()) }
    }
}

impl<R: Real> Convex<R> {
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
