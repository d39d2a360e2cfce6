//! Shapes of space.

use super::{Hull, TriangleMesh};
use glam::DVec3;
use std::sync::Arc;

/// Geometry of a part in space. Full sizes.
#[derive(Clone, Debug, PartialEq)]
pub enum SpaceShape {
    /// Radius, m.
    Sphere(f64),
    /// Width, height and depth, m, about the centre, along the local axes.
    Box(DVec3),
    /// All points within `radius` of a segment of `length` along the local x axis, m.
    Capsule {
        /// Between the centres of the caps.
        length: f64,
        /// Of the caps.
        radius: f64,
    },
    /// A straight cylinder with flat ends, its axis along the local x axis, m.
    Cylinder {
        /// Between the ends.
        length: f64,
        /// Of the ends.
        radius: f64,
    },
    /// The convex body of some corners.
    Hull(Arc<Hull>),
    /// A surface of triangles without an inside; static only.
    Mesh(Arc<TriangleMesh>),
    /// Outward unit normal of a half-space whose surface goes through the part's position; static only.
    HalfSpace(DVec3),
}

impl SpaceShape {
    /// Every word that names a shape.
    pub const WORDS: [&'static str; 7] = ["sphere", "box", "capsule", "cylinder", "hull", "mesh", "half_space"];

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        match self {
            SpaceShape::Sphere(_) => "sphere",
            SpaceShape::Box(_) => "box",
            SpaceShape::Capsule { .. } => "capsule",
            SpaceShape::Cylinder { .. } => "cylinder",
            SpaceShape::Hull(_) => "hull",
            SpaceShape::Mesh(_) => "mesh",
            SpaceShape::HalfSpace(_) => "half_space",
        }
    }

    /// The smallest full size, m: a sphere's diameter, a box's shortest edge, the smaller of length and diameter of a cylinder, the
    /// diameter of a capsule, the least width of a hull across one of its faces; infinity for a mesh, which has no thickness, and for a half-space.
    pub fn smallest_size(&self) -> f64 {
        match self {
            SpaceShape::Sphere(radius) | SpaceShape::Capsule { radius, .. } => 2.0 * radius,
            SpaceShape::Box(size) => size.min_element(),
            SpaceShape::Cylinder { length, radius } => length.min(2.0 * radius),
            SpaceShape::Hull(hull) => hull.thickness(),
            SpaceShape::Mesh(_) | SpaceShape::HalfSpace(_) => f64::INFINITY,
        }
    }

    /// How far it reaches from its own origin, m; nothing for what has no end.
    pub fn reach(&self) -> f64 {
        let furthest = |points: &[DVec3]| points.iter().map(|point| point.length()).fold(0.0, f64::max);
        match self {
            SpaceShape::Sphere(radius) => *radius,
            SpaceShape::Box(size) => 0.5 * size.length(),
            SpaceShape::Capsule { length, radius } => 0.5 * length + radius,
            SpaceShape::Cylinder { length, radius } => (0.25 * length * length + radius * radius).sqrt(),
            SpaceShape::Hull(hull) => furthest(hull.corners()),
            SpaceShape::Mesh(mesh) => furthest(mesh.points()),
            SpaceShape::HalfSpace(_) => 0.0,
        }
    }

    /// Whether only a static body may have it.
    pub fn static_only(&self) -> bool {
        match self {
            SpaceShape::HalfSpace(_) | SpaceShape::Mesh(_) => true,
            SpaceShape::Sphere(_)
            | SpaceShape::Box(_)
            | SpaceShape::Capsule { .. }
            | SpaceShape::Cylinder { .. }
            | SpaceShape::Hull(_) => false,
        }
    }

    /// Whether it has a surface that rolls, so that the normal of a contact goes with the way between the bodies.
    pub fn is_round(&self) -> bool {
        match self {
            SpaceShape::Sphere(_) | SpaceShape::Capsule { .. } | SpaceShape::Cylinder { .. } => true,
            SpaceShape::Box(_) | SpaceShape::Hull(_) | SpaceShape::Mesh(_) | SpaceShape::HalfSpace(_) => false,
        }
    }

    /// The same shape of another size: every length times a factor.
    #[must_use]
    pub(crate) fn scaled(&self, factor: f64) -> SpaceShape {
        match self {
            SpaceShape::Sphere(radius) => SpaceShape::Sphere(radius * factor),
            SpaceShape::Box(size) => SpaceShape::Box(*size * factor),
            SpaceShape::Capsule { length, radius } => {
                SpaceShape::Capsule { length: length * factor, radius: radius * factor }
            }
            SpaceShape::Cylinder { length, radius } => {
                SpaceShape::Cylinder { length: length * factor, radius: radius * factor }
            }
            SpaceShape::Hull(hull) => SpaceShape::Hull(Arc::new(hull.carried(&|point| point * factor))),
            SpaceShape::Mesh(mesh) => SpaceShape::Mesh(Arc::new(mesh.carried(&|point| point * factor))),
            SpaceShape::HalfSpace(normal) => SpaceShape::HalfSpace(*normal),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_full_sizes_and_no_point_lies_beyond_the_reach() {
        let wedge = [DVec3::ZERO, DVec3::X, 2.0 * DVec3::Y, 0.5 * DVec3::Z];
        let ramp = TriangleMesh::new(wedge[..3].to_vec(), vec![[0, 1, 2]]).unwrap();
        for (shape, size, reach) in [
            (SpaceShape::Sphere(0.5), 1.0, 0.5),
            (SpaceShape::Box(DVec3::new(2.0, 1.0, 2.0)), 1.0, 1.5),
            (SpaceShape::Capsule { length: 2.0, radius: 0.25 }, 0.5, 1.25),
            (SpaceShape::Cylinder { length: 3.0, radius: 2.0 }, 3.0, 2.5),
            (SpaceShape::Cylinder { length: 6.0, radius: 0.5 }, 1.0, 9.25_f64.sqrt()),
            (SpaceShape::Hull(Arc::new(Hull::new(&wedge).unwrap())), 2.0 / 21.0_f64.sqrt(), 2.0),
            (SpaceShape::Mesh(Arc::new(ramp)), f64::INFINITY, 2.0),
            (SpaceShape::HalfSpace(DVec3::Y), f64::INFINITY, 0.0),
        ] {
            assert!(shape.smallest_size() == size || (shape.smallest_size() / size - 1.0).abs() < 1e-15, "{shape:?}");
            assert_eq!(shape.reach(), reach, "{shape:?}");
            assert_eq!(shape.static_only(), shape.smallest_size().is_infinite());
            assert!(SpaceShape::WORDS.contains(&shape.word()));
            let scaled = shape.scaled(4.0);
            assert_eq!((scaled.smallest_size(), scaled.reach()), (4.0 * shape.smallest_size(), 4.0 * reach));
        }
    }
}
