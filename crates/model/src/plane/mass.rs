//! Mass, centre and inertia from geometry.

use super::PlaneShape;
use crate::Part;
use glam::DVec2;
use std::f64::consts::PI;

/// Mass properties of a homogeneous planar piece or of a body of several.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MassProperties {
    /// kg.
    pub mass: f64,
    /// Centre of mass, m, in the frame in which the shape was given.
    pub centre: DVec2,
    /// Moment of inertia about the centre of mass, kg m².
    pub inertia: f64,
}

/// Mass properties of one planar shape; `None` where there is no area (half-plane, polyline).
///
/// Disc m = rho pi r², I = m r²/2; box m = rho w h, I = m (w² + h²)/12; polygon by Green's theorem; capsule as a box and two
/// half discs, each with its centroid 4r/(3 pi) from the flat side. Source: textbook integrals of the area density.
pub fn shape_mass(shape: &PlaneShape, density: f64) -> Option<MassProperties> {
    match shape {
        PlaneShape::Disc(radius) => {
            let mass = density * PI * radius * radius;
            Some(MassProperties { mass, centre: DVec2::ZERO, inertia: 0.5 * mass * radius * radius })
        }
        PlaneShape::Box(size) => {
            let mass = density * size.x * size.y;
            Some(MassProperties { mass, centre: DVec2::ZERO, inertia: mass * size.length_squared() / 12.0 })
        }
        PlaneShape::Polygon(corners) => Some(polygon_mass(corners, density)),
        PlaneShape::Capsule { length, radius } => {
            let (middle, cap) = (density * 2.0 * radius * length, density * 0.5 * PI * radius * radius);
            let flat = 4.0 * radius / (3.0 * PI);
            let own = cap * (0.5 * radius * radius - flat * flat);
            let arm = 0.5 * length + flat;
            let inertia = middle * (length * length + 4.0 * radius * radius) / 12.0 + 2.0 * (own + cap * arm * arm);
            Some(MassProperties { mass: middle + 2.0 * cap, centre: DVec2::ZERO, inertia })
        }
        PlaneShape::HalfPlane(_) | PlaneShape::Polyline(_) => None,
    }
}

/// Sums over the triangles from the first corner, so that a polygon far from the origin loses no digits.
fn polygon_mass(corners: &[DVec2], density: f64) -> MassProperties {
    let Some(&origin) = corners.first() else { return MassProperties::default() };
    let (mut area, mut moment, mut second) = (0.0, DVec2::ZERO, 0.0);
    for ends in corners.windows(2) {
        let (p, q) = (ends[0] - origin, ends[1] - origin);
        let twice = p.perp_dot(q);
        area += 0.5 * twice;
        moment += twice / 6.0 * (p + q);
        second += twice / 12.0 * (p.dot(p) + p.dot(q) + q.dot(q));
    }
    let centre = moment / area;
    // Corners given clockwise give a negative area, and so does the second moment.
    let sign = area.signum();
    MassProperties {
        mass: density * area.abs(),
        centre: origin + centre,
        inertia: density * (sign * second - area.abs() * centre.length_squared()),
    }
}

/// Mass properties of a body of several parts, each with its density; sensors weigh nothing. `None` when a solid part has no
/// area or there is none, or a part is not one of the plane. Source: parallel-axis theorem (Steiner).
pub fn body_mass(parts: &[Part], density: impl Fn(&Part) -> f64) -> Option<MassProperties> {
    let pieces = parts
        .iter()
        .filter(|part| !part.sensor)
        .map(|part| {
            let own = shape_mass(part.shape.planar()?, density(part))?;
            let (sin, cos) = (libm::sin(part.pose.angle), libm::cos(part.pose.angle));
            let turned = DVec2::new(cos * own.centre.x - sin * own.centre.y, sin * own.centre.x + cos * own.centre.y);
            Some(MassProperties { centre: part.pose.xy() + turned, ..own })
        })
        .collect::<Option<Vec<_>>>()?;
    if pieces.is_empty() {
        return None;
    }
    let mass: f64 = pieces.iter().map(|piece| piece.mass).sum();
    let centre = pieces.iter().map(|piece| piece.mass * piece.centre).sum::<DVec2>() / mass;
    let inertia = pieces.iter().map(|piece| piece.inertia + piece.mass * piece.centre.distance_squared(centre)).sum();
    Some(MassProperties { mass, centre, inertia })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Pose;

    /// Sums thin squares: a second, naive way to the same integral.
    fn by_squares(inside: impl Fn(DVec2) -> bool, half: f64) -> MassProperties {
        let n = 1000;
        let side = 2.0 * half / f64::from(n);
        let points = || {
            (0..n).flat_map(move |row| {
                (0..n).map(move |column| DVec2::new(f64::from(column) + 0.5, f64::from(row) + 0.5) * side - half)
            })
        };
        let mass = points().filter(|&p| inside(p)).count() as f64 * side * side;
        let centre = points().filter(|&p| inside(p)).sum::<DVec2>() * side * side / mass;
        let inertia = points().filter(|&p| inside(p)).map(|p| p.distance_squared(centre) * side * side).sum();
        MassProperties { mass, centre, inertia }
    }

    fn agree(exact: MassProperties, naive: MassProperties) {
        assert!((exact.mass / naive.mass - 1.0).abs() < 2e-3, "{exact:?} {naive:?}");
        assert!(exact.centre.distance(naive.centre) < 2e-3, "{exact:?} {naive:?}");
        assert!((exact.inertia / naive.inertia - 1.0).abs() < 4e-3, "{exact:?} {naive:?}");
    }

    #[test]
    fn every_shape_agrees_with_summed_squares() {
        let size = DVec2::new(1.0, 0.5);
        let corners = [DVec2::new(-0.4, -0.3), DVec2::new(0.8, -0.2), DVec2::new(0.1, 0.7)];
        let in_triangle =
            move |p: DVec2| (0..3).all(|i| (corners[(i + 1) % 3] - corners[i]).perp_dot(p - corners[i]) >= 0.0);
        let in_capsule = |p: DVec2| DVec2::new((p.x.abs() - 0.3).max(0.0), p.y).length() <= 0.2;
        let mut clockwise = corners.to_vec();
        clockwise.reverse();
        for (shape, naive) in [
            (PlaneShape::Disc(0.5), by_squares(|p| p.length() <= 0.5, 0.6)),
            (PlaneShape::Box(size), by_squares(|p| p.abs().cmple(0.5 * size).all(), 0.6)),
            (PlaneShape::Polygon(corners.to_vec()), by_squares(in_triangle, 0.9)),
            (PlaneShape::Polygon(clockwise), by_squares(in_triangle, 0.9)),
            (PlaneShape::Capsule { length: 0.6, radius: 0.2 }, by_squares(in_capsule, 0.6)),
        ] {
            agree(shape_mass(&shape, 1.0).unwrap(), naive);
        }
        assert_eq!(shape_mass(&PlaneShape::HalfPlane(DVec2::Y), 1.0), None);
    }

    #[test]
    fn a_compound_is_the_sum_of_its_parts() {
        let part = |x: f64, y: f64, angle: f64| Part {
            pose: Pose::flat(DVec2::new(x, y), angle),
            ..Part::solid(PlaneShape::Box(DVec2::new(0.4, 0.2)), 0)
        };
        let sensor = Part { sensor: true, ..part(9.0, 9.0, 0.0) };
        let exact =
            body_mass(&[part(-0.2, 0.0, 0.0), part(0.1, 0.2, std::f64::consts::FRAC_PI_2), sensor], |_| 1.0).unwrap();
        let inside = |p: DVec2| {
            let first = (p - DVec2::new(-0.2, 0.0)).abs().cmple(DVec2::new(0.2, 0.1)).all();
            first || (p - DVec2::new(0.1, 0.2)).abs().cmple(DVec2::new(0.1, 0.2)).all()
        };
        agree(exact, by_squares(inside, 0.617));
        assert_eq!(body_mass(&[Part::solid(PlaneShape::HalfPlane(DVec2::Y), 0)], |_| 1.0), None);
        assert_eq!(body_mass(&[], |_| 1.0), None);
    }
}
