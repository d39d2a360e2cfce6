//! Shapes of space.

use glam::DVec3;

/// Geometry of a part in space. Full sizes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SpaceShape {
    /// Radius, m.
    Sphere(f64),
    /// Width, height and depth, m, about the centre, along the local axes.
    Box(DVec3),
    /// Outward unit normal of a half-space whose surface goes through the part's position; static only.
    HalfSpace(DVec3),
}

impl SpaceShape {
    /// Every word that names a shape.
    pub const WORDS: [&'static str; 3] = ["sphere", "box", "half_space"];

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        match self {
            SpaceShape::Sphere(_) => "sphere",
            SpaceShape::Box(_) => "box",
            SpaceShape::HalfSpace(_) => "half_space",
        }
    }

    /// The smallest full size, m: a sphere's diameter, a box's shortest edge, infinity for a half-space.
    pub fn smallest_size(&self) -> f64 {
        match self {
            SpaceShape::Sphere(radius) => 2.0 * radius,
            SpaceShape::Box(size) => size.min_element(),
            SpaceShape::HalfSpace(_) => f64::INFINITY,
        }
    }

    /// How far it reaches from its own origin, m; nothing for what has no end.
    pub fn reach(&self) -> f64 {
        match self {
            SpaceShape::Sphere(radius) => *radius,
            SpaceShape::Box(size) => 0.5 * size.length(),
            SpaceShape::HalfSpace(_) => 0.0,
        }
    }

    /// Whether only a static body may have it.
    pub fn static_only(&self) -> bool {
        match self {
            SpaceShape::HalfSpace(_) => true,
            SpaceShape::Sphere(_) | SpaceShape::Box(_) => false,
        }
    }

    /// Whether it has a surface that rolls, so that the normal of a contact goes with the way between the bodies.
    pub fn is_round(&self) -> bool {
        match self {
            SpaceShape::Sphere(_) => true,
            SpaceShape::Box(_) | SpaceShape::HalfSpace(_) => false,
        }
    }

    /// The same shape of another size: every length times a factor.
    #[must_use]
    pub(crate) fn scaled(&self, factor: f64) -> SpaceShape {
        match self {
            SpaceShape::Sphere(radius) => SpaceShape::Sphere(radius * factor),
            SpaceShape::Box(size) => SpaceShape::Box(*size * factor),
            SpaceShape::HalfSpace(normal) => SpaceShape::HalfSpace(*normal),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_full_sizes_and_no_point_lies_beyond_the_reach() {
        for (shape, size, reach) in [
            (SpaceShape::Sphere(0.5), 1.0, 0.5),
            (SpaceShape::Box(DVec3::new(2.0, 1.0, 2.0)), 1.0, 1.5),
            (SpaceShape::HalfSpace(DVec3::Y), f64::INFINITY, 0.0),
        ] {
            assert_eq!((shape.smallest_size(), shape.reach()), (size, reach), "{shape:?}");
            assert_eq!(shape.static_only(), shape.smallest_size().is_infinite());
            assert!(SpaceShape::WORDS.contains(&shape.word()));
            assert_eq!(shape.scaled(4.0).smallest_size(), 4.0 * size);
        }
    }
}
