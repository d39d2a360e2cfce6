//! The description of a world: what an engine is asked to build.

use glam::{DVec2, DVec3};
use serde::Serialize;

/// A world as handed to an engine and to the gauges. SI units, full sizes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct World {
    /// 2 for a planar world (z = 0, turning about z), 3 for space.
    pub space: u8,
    /// Acceleration of free fall, m/s².
    pub gravity: DVec3,
    /// Simulated time of the trial, s.
    pub duration: f64,
    /// Where bodies are expected to stay; a body outside has escaped.
    pub bounds: Option<Bounds>,
    /// Materials that parts refer to by index.
    pub materials: Vec<Material>,
    /// Friction and restitution of particular material pairs, instead of the mixed values.
    pub pairs: Vec<PairMaterial>,
    /// Bodies; a body's index here is its id everywhere.
    pub bodies: Vec<Body>,
    /// Scripted deeds, in order of time.
    pub actions: Vec<Action>,
}

/// An axis-aligned region, m.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Bounds {
    /// Lower corner.
    pub min: DVec3,
    /// Upper corner.
    pub max: DVec3,
}

impl Bounds {
    /// Whether a point lies inside; a point that is not a number does not.
    pub fn contains(&self, point: DVec3) -> bool {
        point.cmpge(self.min).all() && point.cmple(self.max).all()
    }
}

/// Surface and bulk properties of a material.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Material {
    /// Name in the scene file.
    pub name: String,
    /// Mass per area (planar), kg/m², or per volume (space), kg/m³.
    pub density: f64,
    /// Coulomb friction coefficient; two materials mix by geometric mean.
    pub friction: f64,
    /// Newton's restitution, a ratio of speeds; two materials mix by the larger value.
    pub restitution: f64,
}

/// Friction and restitution of one pair of materials.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct PairMaterial {
    /// Indices of the two materials, in either order.
    pub between: [usize; 2],
    /// Coulomb friction coefficient of the pair.
    pub friction: f64,
    /// Restitution of the pair, a ratio of speeds.
    pub restitution: f64,
}

impl World {
    /// Friction and restitution where materials `a` and `b` meet: the pair's own values where given, else the
    /// geometric mean of the frictions and the larger restitution.
    pub fn mixed(&self, a: usize, b: usize) -> (f64, f64) {
        let listed = self.pairs.iter().find(|p| p.between == [a, b] || p.between == [b, a]);
        listed.map_or_else(
            || {
                let (a, b) = (&self.materials[a], &self.materials[b]);
                ((a.friction * b.friction).sqrt(), a.restitution.max(b.restitution))
            },
            |p| (p.friction, p.restitution),
        )
    }

    /// The ids of all bodies that can move by forces.
    pub fn dynamic_bodies(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.bodies.len()).filter(|&id| self.bodies[id].kind == BodyKind::Dynamic)
    }
}

/// How a body takes part in the motion.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum BodyKind {
    /// Never moves.
    Static,
    /// Moves at its own velocity; nothing pushes it.
    Kinematic,
    /// Moves by forces, impulses and contacts.
    Dynamic,
}

/// One rigid body.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Body {
    /// Name as selectors know it, such as `ingot[3]`.
    pub name: String,
    /// Static, kinematic or dynamic.
    pub kind: BodyKind,
    /// Centre of mass at the start, m.
    pub position: DVec3,
    /// Angle about z at the start, rad.
    pub angle: f64,
    /// Velocity at the start, m/s.
    pub velocity: DVec3,
    /// Turning speed about z at the start, rad/s.
    pub spin: f64,
    /// Mass, kg; 0 for static and kinematic bodies.
    pub mass: f64,
    /// Moment of inertia about the centre, kg m²; 0 for static and kinematic bodies.
    pub inertia: f64,
    /// Multiplies gravity for this body.
    pub gravity_factor: f64,
    /// The body keeps its angle whatever pushes it.
    pub fixed_turn: bool,
    /// The body asks for swept collision where the engine offers it for marked bodies.
    pub swept: bool,
    /// Solid pieces, placed about the centre of mass.
    pub parts: Vec<Part>,
}

impl Body {
    /// The smallest full size of any part, m; the natural yardstick for overlap and creep.
    pub fn smallest_size(&self) -> f64 {
        self.parts.iter().map(|p| p.shape.smallest_size()).fold(f64::INFINITY, f64::min)
    }
}

/// One convex piece of a body.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Part {
    /// Its geometry.
    pub shape: Shape,
    /// Offset of the shape's own origin from the body's centre, in the body's frame, m.
    pub position: DVec2,
    /// Angle of the shape in the body's frame, rad.
    pub angle: f64,
    /// Index into [`World::materials`].
    pub material: usize,
}

/// Geometry of a part. Full sizes.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    /// Radius, m.
    Disc(f64),
    /// Width and height, m, about the centre.
    Box(DVec2),
    /// Outward unit normal of a half-plane whose surface goes through the part's position.
    HalfPlane(DVec2),
}

impl Shape {
    /// The smallest full size, m: a disc's diameter, a box's shorter edge, infinity for a half-plane.
    pub fn smallest_size(&self) -> f64 {
        match self {
            Shape::Disc(radius) => 2.0 * radius,
            Shape::Box(size) => size.min_element(),
            Shape::HalfPlane(_) => f64::INFINITY,
        }
    }
}

/// A scripted deed, done just before a step.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Action {
    /// Simulated time at which it is done, s: before the first step that starts at or after it.
    pub at_time: f64,
    /// The body it is done to.
    pub body: usize,
    /// What is done.
    pub deed: Deed,
}

/// What an [`Action`] does.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Deed {
    /// An impulse, N s, at the body's centre.
    Impulse(DVec3),
    /// The velocity is set, m/s.
    Velocity(DVec3),
}
