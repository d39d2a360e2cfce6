//! Collision geometry in a body's frame.

use crate::common::scalar::Real;
use crate::space::mesh::Mesh;
use crate::space::shell::Shell;
use crate::space::vector::{Mat3, Pose, Quat, Vec3};
use ironspin_model::{Part, SpaceShape};
use std::sync::Arc;

/// Geometry of a piece about its own centre and along its own axes.
#[derive(Clone, Debug)]
pub(crate) enum Form<R> {
    /// Radius.
    Ball(R),
    /// Half sizes, and the same as a shell.
    Block(Vec3<R>, Arc<Shell<R>>),
    /// All points within a radius of a segment along x.
    Capsule { half: R, radius: R },
    /// A cylinder with flat ends along x.
    Cylinder { half: R, radius: R },
    /// A convex body of flat faces.
    Hull(Arc<Shell<R>>),
    /// A surface of triangles.
    Mesh(Arc<Mesh<R>>),
    /// Outward normal; the surface goes through the centre.
    HalfSpace(Vec3<R>),
}

/// One piece of a body: convex, or a surface.
#[derive(Clone, Debug)]
pub(crate) struct Piece<R> {
    pub(crate) body: usize,
    /// Its number among the parts of the body.
    pub(crate) part: usize,
    pub(crate) material: usize,
    pub(crate) form: Form<R>,
    /// Where it stands in its body's frame.
    centre: Vec3<R>,
    axes: Mat3<R>,
    /// Whether it stands in the body's own centre along its own axes, as most do.
    plain: bool,
    /// Smallest full size; infinite for what has no end or no thickness.
    pub(crate) size: R,
    /// Greatest distance of any point from the body's centre.
    pub(crate) reach: R,
    /// Greatest distance of any point that turning moves: of a ball about its own centre there is none.
    pub(crate) swing: R,
}

impl<R: Real> Form<R> {
    fn of(shape: &SpaceShape) -> Self {
        match shape {
            SpaceShape::Sphere(radius) => Form::Ball(R::of(*radius)),
            SpaceShape::Box(size) => {
                let half = Vec3::of(0.5 * *size);
                Form::Block(half, Arc::new(Shell::block(half)))
            }
            SpaceShape::Capsule { length, radius } => {
                Form::Capsule { half: R::of(0.5 * length), radius: R::of(*radius) }
            }
            SpaceShape::Cylinder { length, radius } => {
                Form::Cylinder { half: R::of(0.5 * length), radius: R::of(*radius) }
            }
            SpaceShape::Hull(hull) => Form::Hull(Arc::new(Shell::hull(hull))),
            SpaceShape::Mesh(mesh) => Form::Mesh(Arc::new(Mesh::new(mesh))),
            SpaceShape::HalfSpace(normal) => Form::HalfSpace(Vec3::of(normal.normalize())),
        }
    }
}

impl<R: Real> Piece<R> {
    /// The piece of a part; nothing for a shape that is not one of space.
    pub(crate) fn of_part(body: usize, number: usize, part: &Part) -> Option<Self> {
        let form = Form::of(part.shape.spatial()?);
        let centre = Vec3::of(part.pose.position);
        let axes = Quat::of(part.pose.rotation).axes();
        let plain = centre == Vec3::ZERO && axes == Mat3::alike(R::ONE);
        let endless = matches!(form, Form::HalfSpace(_));
        let reach = if endless { R::INFINITY } else { centre.length() + R::of(part.shape.reach()) };
        let size = if endless { R::INFINITY } else { R::of(part.shape.smallest_size()) };
        let swing = match &form {
            Form::Ball(_) => centre.length(),
            Form::Capsule { half, .. } => centre.length() + *half,
            Form::Block(..) | Form::Cylinder { .. } | Form::Hull(_) | Form::Mesh(_) | Form::HalfSpace(_) => reach,
        };
        Some(Piece { body, part: number, material: part.material, form, centre, axes, plain, size, reach, swing })
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
            Form::Block(..)
            | Form::Capsule { .. }
            | Form::Cylinder { .. }
            | Form::Hull(_)
            | Form::Mesh(_)
            | Form::HalfSpace(_) => Mat3(self.axes.0.map(|axis| body.axes.times(axis))),
        };
        Pose { position: body.point(self.centre), axes }
    }

    /// The radius of a ball in its body's centre; nothing for all else.
    pub(crate) fn centred_ball(&self) -> Option<R> {
        match self.form {
            Form::Ball(radius) if self.plain => Some(radius),
            _ => None,
        }
    }

    /// How far any point of a capsule's axis goes when its body turns by a rotation vector; nothing for other forms.
    pub(crate) fn swing_about(&self, body: &Pose<R>, turn: Vec3<R>) -> Option<R> {
        let Form::Capsule { half, .. } = self.form else { return None };
        let pose = self.pose(body);
        Some(turn.cross(pose.axes.0[0]).length() * half + turn.cross(pose.position - body.position).length())
    }

    /// The box along the world's axes around it: its middle and half its extent; infinite for a half-space.
    pub(crate) fn around(&self, pose: &Pose<R>) -> (Vec3<R>, Vec3<R>) {
        let alike = |radius: R| Vec3::new(radius, radius, radius);
        let [x, y, z] = pose.axes.0;
        match &self.form {
            Form::Ball(radius) => (pose.position, alike(*radius)),
            Form::Block(half, _) => (pose.position, x.abs() * half.x + y.abs() * half.y + z.abs() * half.z),
            Form::Capsule { half, radius } => (pose.position, x.abs() * *half + alike(*radius)),
            Form::Cylinder { half, radius } => {
                let across = |along: R| (R::ONE - along * along).max(R::ZERO).sqrt() * *radius;
                (pose.position, x.abs() * *half + Vec3::new(across(x.x), across(x.y), across(x.z)))
            }
            Form::Hull(shell) => around_points(&shell.corners, pose),
            Form::Mesh(mesh) => {
                let (middle, half) = mesh.around();
                (pose.point(middle), x.abs() * half.x + y.abs() * half.y + z.abs() * half.z)
            }
            Form::HalfSpace(_) => (pose.position, alike(R::INFINITY)),
        }
    }
}

fn around_points<R: Real>(points: &[Vec3<R>], pose: &Pose<R>) -> (Vec3<R>, Vec3<R>) {
    let infinite = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
    let (mut low, mut high) = (infinite, -infinite);
    for &point in points {
        let turned = pose.axes.times(point);
        (low, high) = (low.min(turned), high.max(turned));
    }
    (pose.position + (low + high) * R::HALF, (high - low) * R::HALF)
}

/// The corner of a block by its number: bit 0 for the side along x, bit 1 for y, bit 2 for z.
pub(crate) fn corner<R: Real>(half: Vec3<R>, number: usize) -> Vec3<R> {
    let side = |axis: usize| if number >> axis & 1 == 1 { half.component(axis) } else { -half.component(axis) };
    Vec3::new(side(0), side(1), side(2))
}
