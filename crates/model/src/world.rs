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
    /// Joints between bodies.
    pub joints: Vec<Joint>,
    /// Pairs of bodies that never touch each other, in either order.
    pub apart: Vec<[usize; 2]>,
    /// Scripted actions, in order of time.
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
    /// An empty planar world without gravity, to be filled.
    pub fn planar(duration: f64) -> World {
        World {
            space: 2,
            gravity: DVec3::ZERO,
            duration,
            bounds: None,
            materials: Vec::new(),
            pairs: Vec::new(),
            bodies: Vec::new(),
            joints: Vec::new(),
            apart: Vec::new(),
            actions: Vec::new(),
        }
    }

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
    /// The speed falls as exp(-c t), 1/s.
    pub linear_damping: f64,
    /// The spin falls as exp(-c t), 1/s.
    pub angular_damping: f64,
    /// The body keeps its angle whatever pushes it.
    pub fixed_turn: bool,
    /// The body asks for swept collision where the engine offers it for marked bodies.
    pub swept: bool,
    /// The layers it is on, one a bit.
    pub layers: u32,
    /// The layers it meets. Two bodies meet when each one's `meets` has a bit of the other's `layers`.
    pub meets: u32,
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
            position: DVec3::ZERO,
            angle: 0.0,
            velocity: DVec3::ZERO,
            spin: 0.0,
            mass: 0.0,
            inertia: 0.0,
            gravity_factor: 1.0,
            linear_damping: 0.0,
            angular_damping: 0.0,
            fixed_turn: false,
            swept: false,
            layers: 1,
            meets: u32::MAX,
            absent: false,
            parts: Vec::new(),
        }
    }

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
    /// It notices what overlaps it and pushes nothing.
    pub sensor: bool,
}

impl Part {
    /// A solid part at the body's centre.
    pub fn solid(shape: Shape, material: usize) -> Part {
        Part { shape, position: DVec2::ZERO, angle: 0.0, material, sensor: false }
    }
}

/// Geometry of a part. Full sizes.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    /// Radius, m.
    Disc(f64),
    /// Width and height, m, about the centre.
    Box(DVec2),
    /// Corners of a convex polygon, m, in either sense.
    Polygon(Vec<DVec2>),
    /// Length between the centres of its caps, along the local x axis, and radius, m.
    Capsule {
        /// Between the centres of the caps.
        length: f64,
        /// Of the caps.
        radius: f64,
    },
    /// A chain of segments, m: two-sided, static only, closed where the last point repeats the first.
    Polyline(Vec<DVec2>),
    /// Outward unit normal of a half-plane whose surface goes through the part's position.
    HalfPlane(DVec2),
}

impl Shape {
    /// Every word that names a shape.
    pub const WORDS: [&'static str; 6] = ["disc", "box", "polygon", "capsule", "polyline", "half_plane"];

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        match self {
            Shape::Disc(_) => "disc",
            Shape::Box(_) => "box",
            Shape::Polygon(_) => "polygon",
            Shape::Capsule { .. } => "capsule",
            Shape::Polyline(_) => "polyline",
            Shape::HalfPlane(_) => "half_plane",
        }
    }

    /// The smallest full size, m: a disc's or capsule's diameter, a box's shorter edge, a polygon's smallest width, a
    /// polyline's shortest segment, infinity for a half-plane.
    pub fn smallest_size(&self) -> f64 {
        match self {
            Shape::Disc(radius) | Shape::Capsule { radius, .. } => 2.0 * radius,
            Shape::Box(size) => size.min_element(),
            Shape::Polygon(corners) => smallest_width(corners),
            Shape::Polyline(points) => {
                points.windows(2).map(|ends| ends[0].distance(ends[1])).fold(f64::INFINITY, f64::min)
            }
            Shape::HalfPlane(_) => f64::INFINITY,
        }
    }

    /// How far it reaches from its own origin, m; nothing for a half-plane, which has no end.
    pub fn reach(&self) -> f64 {
        match self {
            Shape::Disc(radius) => *radius,
            Shape::Box(size) => 0.5 * size.length(),
            Shape::Capsule { length, radius } => 0.5 * length + radius,
            Shape::Polygon(points) | Shape::Polyline(points) => points.iter().map(|p| p.length()).fold(0.0, f64::max),
            Shape::HalfPlane(_) => 0.0,
        }
    }

    /// Whether only a static body may have it.
    pub fn static_only(&self) -> bool {
        matches!(self, Shape::HalfPlane(_) | Shape::Polyline(_))
    }
}

/// Smallest distance between two parallel lines that hold a convex polygon: at one of its edges (rotating calipers,
/// Shamos 1978).
fn smallest_width(corners: &[DVec2]) -> f64 {
    let count = corners.len();
    (0..count)
        .map(|i| {
            let (p, q) = (corners[i], corners[(i + 1) % count]);
            let along = (q - p).normalize_or_zero();
            corners.iter().map(|&c| along.perp_dot(c - p).abs()).fold(0.0, f64::max)
        })
        .fold(f64::INFINITY, f64::min)
}

/// What a joint holds together.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum JointKind {
    /// The two anchors stay at a fixed distance.
    Rod,
    /// The anchors come no further apart than a length.
    Rope,
    /// A force along the line of the anchors: stiffness times stretch, plus damping times its rate.
    Spring {
        /// N/m.
        stiffness: f64,
        /// N s/m.
        damping: f64,
    },
    /// The anchors stay together; the bodies turn freely, between limits of angle_j - angle_i if there are any, rad.
    Hinge {
        /// Smallest and largest angle.
        limits: Option<[f64; 2]>,
    },
    /// The second anchor stays on a line through the first, along an axis fixed in the first body; no turning against each other.
    Slider {
        /// Unit vector in the first body's frame.
        axis: DVec2,
        /// Smallest and largest way along the axis, m.
        limits: Option<[f64; 2]>,
    },
    /// The bodies keep their place and angle to each other.
    Weld,
}

impl JointKind {
    /// Name of the feature an engine must have for it.
    pub fn feature(&self) -> &'static str {
        match self {
            JointKind::Rod => "joint.rod",
            JointKind::Rope => "joint.rope",
            JointKind::Spring { .. } => "joint.spring",
            JointKind::Hinge { .. } => "joint.hinge",
            JointKind::Slider { .. } => "joint.slider",
            JointKind::Weld => "joint.weld",
        }
    }

    /// Whether the bodies it joins do not collide with each other.
    pub fn keeps_apart(&self) -> bool {
        matches!(self, JointKind::Hinge { .. } | JointKind::Slider { .. } | JointKind::Weld)
    }
}

/// A joint between two bodies.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Joint {
    /// What it does.
    pub kind: JointKind,
    /// The bodies, the first and the second.
    pub bodies: [usize; 2],
    /// Anchor in each body's own frame, m.
    pub at: [DVec2; 2],
    /// Length of a rod, rope or spring, m; the distance as built when absent.
    pub length: Option<f64>,
}

/// A scripted action, done just before a step.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Action {
    /// Simulated time at which it is done, s: before the first step that starts at or after it.
    pub at_time: f64,
    /// The body it is done to; of no meaning for gravity.
    pub body: usize,
    /// What is done.
    pub effect: Effect,
}

/// What an [`Action`] does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Effect {
    /// An impulse, N s, at a point in world coordinates, or at the centre.
    Impulse {
        /// N s.
        impulse: DVec3,
        /// m.
        point: Option<DVec3>,
    },
    /// A force over the one step that follows, N, at a point in world coordinates, or at the centre.
    Force {
        /// N.
        force: DVec3,
        /// m.
        point: Option<DVec3>,
    },
    /// A torque about z over the one step that follows, N m.
    Torque(f64),
    /// The velocity is set, m/s.
    Velocity(DVec3),
    /// The spin is set, rad/s.
    Spin(f64),
    /// The body is put elsewhere; its velocity stays.
    Place {
        /// m.
        position: DVec3,
        /// rad.
        angle: f64,
    },
    /// The body is taken out of the world.
    Remove,
    /// A body that was absent comes in, where and as it was built.
    Add,
    /// The body is taken out and others, absent so far, come in at their places relative to it, moving as its pieces moved.
    /// Their built position and angle are read in the frame of the body.
    Split(Vec<usize>),
    /// Gravity changes, m/s².
    Gravity(DVec3),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn materials_mix_by_geometric_mean_and_the_larger_restitution_unless_the_pair_has_its_own() {
        let material = |friction, restitution| Material { name: "m".into(), density: 1.0, friction, restitution };
        let mut world = World { materials: vec![material(0.4, 0.1), material(0.9, 0.7)], ..World::planar(1.0) };
        assert!((world.mixed(0, 1).0 - 0.6).abs() < 1e-15);
        assert_eq!(world.mixed(0, 1), world.mixed(1, 0));
        assert_eq!(world.mixed(0, 1).1, 0.7);
        world.pairs.push(PairMaterial { between: [1, 0], friction: 0.2, restitution: 0.3 });
        assert_eq!((world.mixed(0, 1), world.mixed(1, 0)), ((0.2, 0.3), (0.2, 0.3)));
        assert_eq!(world.mixed(0, 0), (0.4, 0.1));
    }

    #[test]
    fn the_smallest_size_is_a_full_size() {
        let corners = vec![DVec2::new(-2.0, -0.5), DVec2::new(2.0, -0.5), DVec2::new(2.0, 0.5), DVec2::new(-2.0, 0.5)];
        for (shape, size) in [
            (Shape::Disc(0.5), 1.0),
            (Shape::Box(DVec2::new(3.0, 0.25)), 0.25),
            (Shape::Capsule { length: 3.0, radius: 0.2 }, 0.4),
            (Shape::Polygon(corners), 1.0),
            (Shape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::new(1.0, 0.5)]), 0.5),
            (Shape::HalfPlane(DVec2::Y), f64::INFINITY),
        ] {
            assert_eq!(shape.smallest_size(), size, "{shape:?}");
            // No point lies further out than the reach, and the smallest size is no more than twice that.
            assert!(size == f64::INFINITY || size <= 2.0 * shape.reach(), "{shape:?}");
            assert_eq!(shape.static_only(), matches!(shape, Shape::HalfPlane(_) | Shape::Polyline(_)));
        }
    }

    #[test]
    fn bounds_hold_their_edge_and_nothing_that_is_not_a_number() {
        let bounds = Bounds { min: DVec3::splat(-1.0), max: DVec3::ONE };
        assert!(bounds.contains(DVec3::ONE) && bounds.contains(DVec3::ZERO));
        assert!(!bounds.contains(DVec3::new(0.0, 1.1, 0.0)) && !bounds.contains(DVec3::new(f64::NAN, 0.0, 0.0)));
    }

    #[test]
    fn joints_name_their_feature_and_say_whom_they_keep_apart() {
        let hinge = JointKind::Hinge { limits: None };
        assert_eq!((hinge.feature(), hinge.keeps_apart()), ("joint.hinge", true));
        assert_eq!((JointKind::Rope.feature(), JointKind::Rope.keeps_apart()), ("joint.rope", false));
    }
}
