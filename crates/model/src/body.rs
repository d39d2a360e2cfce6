//! Rigid bodies and their parts.

use crate::{Dimension, Inertia, PlaneShape, Pose, SpaceShape};
use glam::DVec3;

/// How a body takes part in the motion.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BodyKind {
    /// Never moves.
    Static,
    /// Moves at its own velocity; nothing pushes it.
    Kinematic,
    /// Moves by forces, impulses and contacts.
    Dynamic,
}

/// One rigid body.
#[derive(Clone, Debug, PartialEq)]
pub struct Body {
    /// Name as selectors know it, such as `ingot[3]`.
    pub name: String,
    /// Static, kinematic or dynamic.
    pub kind: BodyKind,
    /// Where its centre of mass stands at the start, and how it is turned.
    pub pose: Pose,
    /// Velocity at the start, m/s.
    pub velocity: DVec3,
    /// Angular velocity at the start, rad/s; in the plane about z.
    pub spin: DVec3,
    /// Mass, kg; 0 for static and kinematic bodies.
    pub mass: f64,
    /// Inertia about the centre of mass in the body's own axes; zero for static and kinematic bodies.
    pub inertia: Inertia,
    /// Multiplies gravity for this body.
    pub gravity_factor: f64,
    /// The speed falls as exp(-c t), 1/s.
    pub linear_damping: f64,
    /// The spin falls as exp(-c t), 1/s.
    pub angular_damping: f64,
    /// The body keeps its angle whatever pushes it.
    pub fixed_turn: bool,
    /// The body asks for continuous collision detection (`swept` in scenes) where the engine offers it for marked bodies.
    pub ccd: bool,
    /// The layers it is on, one a bit.
    pub layers: u32,
    /// The layers it collides with (`meets` in scenes). Two bodies collide when each one's mask has a bit of the other's `layers`.
    pub collision_mask: u32,
    /// The body is not there until an action adds it; where it stands is then where it comes.
    pub absent: bool,
    /// Solid pieces, placed about the centre of mass.
    pub parts: Vec<Part>,
}

impl Body {
    /// A body at rest at the origin with nothing unusual about it: dynamic, without parts and mass.
    pub fn plain(name: impl Into<String>) -> Body {
        Body {
            name: name.into(),
            kind: BodyKind::Dynamic,
            pose: Pose::IDENTITY,
            velocity: DVec3::ZERO,
            spin: DVec3::ZERO,
            mass: 0.0,
            inertia: Inertia::ZERO,
            gravity_factor: 1.0,
            linear_damping: 0.0,
            angular_damping: 0.0,
            fixed_turn: false,
            ccd: false,
            layers: 1,
            collision_mask: u32::MAX,
            absent: false,
            parts: Vec::new(),
        }
    }

    /// The smallest full size of any part, m; the natural yardstick for overlap and creep. A point has none and yields to what it touches.
    pub fn smallest_size(&self) -> f64 {
        let sizes = self.parts.iter().map(|p| p.shape.smallest_size());
        sizes.filter(|size| *size > 0.0).fold(f64::INFINITY, f64::min)
    }
}

/// One convex piece of a body.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// Its geometry.
    pub shape: Shape,
    /// Where the shape's own origin stands in the body's frame, and how it is turned there.
    pub pose: Pose,
    /// Index into [`World::materials`].
    pub material: usize,
    /// It notices what overlaps it and pushes nothing.
    pub sensor: bool,
}

impl Part {
    /// A solid part at the body's centre.
    pub fn solid(shape: impl Into<Shape>, material: usize) -> Part {
        Part { shape: shape.into(), pose: Pose::IDENTITY, material, sensor: false }
    }
}

/// Geometry of a part. Full sizes.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// Of a world of the plane.
    Plane(PlaneShape),
    /// Of a world of space.
    Space(SpaceShape),
}

impl From<PlaneShape> for Shape {
    fn from(shape: PlaneShape) -> Self {
        Shape::Plane(shape)
    }
}

impl From<SpaceShape> for Shape {
    fn from(shape: SpaceShape) -> Self {
        Shape::Space(shape)
    }
}

impl Shape {
    /// The shape if it is one of the plane.
    pub fn planar(&self) -> Option<&PlaneShape> {
        match self {
            Shape::Plane(shape) => Some(shape),
            Shape::Space(_) => None,
        }
    }

    /// The same, to be changed.
    pub fn planar_mut(&mut self) -> Option<&mut PlaneShape> {
        match self {
            Shape::Plane(shape) => Some(shape),
            Shape::Space(_) => None,
        }
    }

    /// The shape if it is one of space.
    pub fn spatial(&self) -> Option<&SpaceShape> {
        match self {
            Shape::Plane(_) => None,
            Shape::Space(shape) => Some(shape),
        }
    }

    /// The worlds that it belongs to.
    pub fn dimension(&self) -> Dimension {
        match self {
            Shape::Plane(_) => Dimension::Plane,
            Shape::Space(_) => Dimension::Space,
        }
    }

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        match self {
            Shape::Plane(shape) => shape.word(),
            Shape::Space(shape) => shape.word(),
        }
    }

    /// The smallest full size, m: see [`PlaneShape::smallest_size`] and [`SpaceShape::smallest_size`].
    pub fn smallest_size(&self) -> f64 {
        match self {
            Shape::Plane(shape) => shape.smallest_size(),
            Shape::Space(shape) => shape.smallest_size(),
        }
    }

    /// How far it reaches from its own origin, m; nothing for what has no end.
    pub fn reach(&self) -> f64 {
        match self {
            Shape::Plane(shape) => shape.reach(),
            Shape::Space(shape) => shape.reach(),
        }
    }

    /// Whether only a static body may have it.
    pub fn static_only(&self) -> bool {
        match self {
            Shape::Plane(shape) => shape.static_only(),
            Shape::Space(shape) => shape.static_only(),
        }
    }

    /// Whether it has no end: a half-plane or a half-space.
    pub fn is_endless(&self) -> bool {
        match self {
            Shape::Plane(shape) => matches!(shape, PlaneShape::HalfPlane(_)),
            Shape::Space(shape) => matches!(shape, SpaceShape::HalfSpace(_)),
        }
    }

    /// Whether it has a rim that rolls, so that the normal of a contact goes with the way between the bodies.
    pub fn is_round(&self) -> bool {
        match self {
            Shape::Plane(shape) => shape.is_round(),
            Shape::Space(shape) => shape.is_round(),
        }
    }

    /// The same shape of another size: every length times a factor.
    #[must_use]
    pub fn scaled(&self, factor: f64) -> Shape {
        match self {
            Shape::Plane(shape) => Shape::Plane(shape.scaled(factor)),
            Shape::Space(shape) => Shape::Space(shape.scaled(factor)),
        }
    }
}
