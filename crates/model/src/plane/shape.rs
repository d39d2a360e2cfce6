//! Shapes of the plane.

use glam::DVec2;

/// Geometry of a part in the plane. Full sizes.
#[derive(Clone, Debug, PartialEq)]
pub enum PlaneShape {
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

impl PlaneShape {
    /// Every word that names a shape.
    pub const WORDS: [&'static str; 6] = ["disc", "box", "polygon", "capsule", "polyline", "half_plane"];

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        match self {
            PlaneShape::Disc(_) => "disc",
            PlaneShape::Box(_) => "box",
            PlaneShape::Polygon(_) => "polygon",
            PlaneShape::Capsule { .. } => "capsule",
            PlaneShape::Polyline(_) => "polyline",
            PlaneShape::HalfPlane(_) => "half_plane",
        }
    }

    /// The smallest full size, m: a disc's or capsule's diameter, a box's shorter edge, a polygon's smallest width, a
    /// polyline's shortest segment, infinity for a half-plane.
    pub fn smallest_size(&self) -> f64 {
        match self {
            PlaneShape::Disc(radius) | PlaneShape::Capsule { radius, .. } => 2.0 * radius,
            PlaneShape::Box(size) => size.min_element(),
            PlaneShape::Polygon(corners) => smallest_width(corners),
            PlaneShape::Polyline(points) => {
                points.windows(2).map(|ends| ends[0].distance(ends[1])).fold(f64::INFINITY, f64::min)
            }
            PlaneShape::HalfPlane(_) => f64::INFINITY,
        }
    }

    /// How far it reaches from its own origin, m; nothing for a half-plane, which has no end.
    pub fn reach(&self) -> f64 {
        match self {
            PlaneShape::Disc(radius) => *radius,
            PlaneShape::Box(size) => 0.5 * size.length(),
            PlaneShape::Capsule { length, radius } => 0.5 * length + radius,
            PlaneShape::Polygon(points) | PlaneShape::Polyline(points) => {
                points.iter().map(|p| p.length()).fold(0.0, f64::max)
            }
            PlaneShape::HalfPlane(_) => 0.0,
        }
    }

    /// Whether only a static body may have it.
    pub fn static_only(&self) -> bool {
        match self {
            PlaneShape::HalfPlane(_) | PlaneShape::Polyline(_) => true,
            PlaneShape::Disc(_) | PlaneShape::Box(_) | PlaneShape::Polygon(_) | PlaneShape::Capsule { .. } => false,
        }
    }

    /// The same shape of another size: every length times a factor.
    #[must_use]
    pub(crate) fn scaled(&self, factor: f64) -> PlaneShape {
        let list = |points: &[DVec2]| points.iter().map(|&point| point * factor).collect();
        match self {
            PlaneShape::Disc(radius) => PlaneShape::Disc(radius * factor),
            PlaneShape::Box(size) => PlaneShape::Box(*size * factor),
            PlaneShape::Polygon(corners) => PlaneShape::Polygon(list(corners)),
            PlaneShape::Capsule { length, radius } => {
                PlaneShape::Capsule { length: length * factor, radius: radius * factor }
            }
            PlaneShape::Polyline(points) => PlaneShape::Polyline(list(points)),
            PlaneShape::HalfPlane(normal) => PlaneShape::HalfPlane(*normal),
        }
    }

    /// Whether it has a rim that rolls, so that the normal of a contact goes with the way between the bodies.
    pub fn is_round(&self) -> bool {
        match self {
            PlaneShape::Disc(_) | PlaneShape::Capsule { .. } => true,
            PlaneShape::Box(_) | PlaneShape::Polygon(_) | PlaneShape::Polyline(_) | PlaneShape::HalfPlane(_) => false,
        }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_smallest_size_is_a_full_size() {
        let corners = vec![DVec2::new(-2.0, -0.5), DVec2::new(2.0, -0.5), DVec2::new(2.0, 0.5), DVec2::new(-2.0, 0.5)];
        for (shape, size) in [
            (PlaneShape::Disc(0.5), 1.0),
            (PlaneShape::Box(DVec2::new(3.0, 0.25)), 0.25),
            (PlaneShape::Capsule { length: 3.0, radius: 0.2 }, 0.4),
            (PlaneShape::Polygon(corners), 1.0),
            (PlaneShape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::new(1.0, 0.5)]), 0.5),
            (PlaneShape::HalfPlane(DVec2::Y), f64::INFINITY),
        ] {
            assert_eq!(shape.smallest_size(), size, "{shape:?}");
            // No point lies further out than the reach, and the smallest size is no more than twice that.
            assert!(size == f64::INFINITY || size <= 2.0 * shape.reach(), "{shape:?}");
            assert_eq!(shape.static_only(), matches!(shape, PlaneShape::HalfPlane(_) | PlaneShape::Polyline(_)));
        }
    }
}
