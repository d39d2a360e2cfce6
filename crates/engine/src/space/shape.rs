//! Collision geometry in a body's frame.

use crate::common::scalar::Real;
use crate::space::vector::{Mat3, Pose, Quat, Vec3};
use ironspin_model::{Part, SpaceShape};

/// Geometry of a piece about its own centre and along its own axes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Form<R> {
    /// Radius.
    Ball(R),
    /// Half sizes.
    Block(Vec3<R>),
    /// Outward normal; the surface goes through the centre.
    HalfSpace(Vec3<R>),
}

/// One convex piece of a body.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Piece<R> {
    pub(crate) body: usize,
    pub(crate) material: usize,
    pub(crate) form: Form<R>,
    /// Where it stands in its body's frame.
    centre: Vec3<R>,
    axes: Mat3<R>,
    /// Whether it stands in the body's own centre along its own axes, as most do.
    plain: bool,
    /// Smallest full size; infinite for what has no end.
    pub(crate) size: R,
    /// Greatest distance of any point from the body's centre.
    pub(crate) reach: R,
}

impl<R: Real> Piece<R> {
    /// The piece of a part; nothing for a shape that is not one of space.
    pub(crate) fn of_part(body: usize, part: &Part) -> Option<Self> {
        let form = match part.shape.spatial()? {
            SpaceShape::Sphere(radius) => Form::Ball(R::of(*radius)),
            SpaceShape::Box(size) => Form::Block(Vec3::of(0.5 * *size)),
            SpaceShape::HalfSpace(normal) => Form::HalfSpace(Vec3::of(normal.normalize())),
        };
        let centre = Vec3::of(part.pose.position);
        let axes = Quat::of(part.pose.rotation).axes();
        let plain = centre == Vec3::ZERO && axes == Mat3::alike(R::ONE);
        let endless = matches!(form, Form::HalfSpace(_));
        let reach = if endless { R::INFINITY } else { centre.length() + R::of(part.shape.reach()) };
        let size = if endless { R::INFINITY } else { R::of(part.shape.smallest_size()) };
        Some(Piece { body, material: part.material, form, centre, axes, plain, size, reach })
    }

    /// Where it stands when its body stands somewhere.
    #[inline]
    pub(crate) fn pose(&self, body: &Pose<R>) -> Pose<R> {
        if self.plain {
            return *body;
        }
        let axes = match self.form {
            // Nothing about a ball turns.
            Form::Ball(_) => body.axes,
            Form::Block(_) | Form::HalfSpace(_) => Mat3(self.axes.0.map(|axis| body.axes.times(axis))),
        };
        Pose { position: body.point(self.centre), axes }
    }

    /// Half the extent of the box along the world's axes around it; infinite for a half-space.
    pub(crate) fn extent(&self, pose: &Pose<R>) -> Vec3<R> {
        match self.form {
            Form::Ball(radius) => Vec3::new(radius, radius, radius),
            Form::Block(half) => {
                let [x, y, z] = pose.axes.0;
                x.abs() * half.x + y.abs() * half.y + z.abs() * half.z
            }
            Form::HalfSpace(_) => Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY),
        }
    }
}

/// The corner of a block by its number: bit 0 for the side along x, bit 1 for y, bit 2 for z.
pub(crate) fn corner<R: Real>(half: Vec3<R>, number: usize) -> Vec3<R> {
    let side = |axis: usize| if number >> axis & 1 == 1 { half.component(axis) } else { -half.component(axis) };
    Vec3::new(side(0), side(1), side(2))
}
