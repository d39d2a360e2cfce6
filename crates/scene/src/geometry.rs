//! How near two bodies stand to each other as they are built: plain geometry for warnings, not for measuring.
//!
//! Source: separating axes for convex polygons (Gottschalk, Lin, Manocha, 1996, in the plane), distances of points from segments.

use ironspin_model::{Body, DVec2, PlaneShape};

/// A part of a body in the world.
pub(crate) enum Outline {
    /// A convex hull of one, two or more points, grown by a radius.
    Hull {
        points: Vec<DVec2>,
        radius: f64,
    },
    HalfPlane {
        normal: DVec2,
        offset: f64,
    },
    Chain(Vec<DVec2>),
}

/// The solid parts of a body where it is built.
pub(crate) fn outlines(body: &Body) -> Vec<Outline> {
    let turned = |v: DVec2, angle: f64| {
        let (sin, cos) = (libm::sin(angle), libm::cos(angle));
        DVec2::new(cos * v.x - sin * v.y, sin * v.x + cos * v.y)
    };
    let centre = body.pose.position.truncate();
    let solid = body.parts.iter().filter(|part| !part.sensor);
    solid
        .map(|part| {
            let angle = body.pose.angle + part.pose.angle;
            let origin = centre + turned(part.pose.xy(), body.pose.angle);
            let place = |v: &DVec2| origin + turned(*v, angle);
            match part.shape.planar() {
                PlaneShape::Disc(radius) => Outline::Hull { points: vec![origin], radius: *radius },
                PlaneShape::Box(size) => {
                    let h = 0.5 * *size;
                    let corners = [-h, DVec2::new(h.x, -h.y), h, DVec2::new(-h.x, h.y)];
                    Outline::Hull { points: corners.iter().map(place).collect(), radius: 0.0 }
                }
                PlaneShape::Polygon(corners) => {
                    let mut points: Vec<DVec2> = corners.iter().map(place).collect();
                    let doubled: f64 = (1..points.len() - 1)
                        .map(|i| (points[i] - points[0]).perp_dot(points[i + 1] - points[0]))
                        .sum();
                    if doubled < 0.0 {
                        points.reverse();
                    }
                    Outline::Hull { points, radius: 0.0 }
                }
                PlaneShape::Capsule { length, radius } => {
                    let half = DVec2::new(0.5 * length, 0.0);
                    Outline::Hull { points: vec![place(&-half), place(&half)], radius: *radius }
                }
                PlaneShape::Polyline(points) => Outline::Chain(points.iter().map(place).collect()),
                PlaneShape::HalfPlane(normal) => {
                    let normal = turned(*normal, angle);
                    Outline::HalfPlane { normal, offset: normal.dot(origin) }
                }
            }
        })
        .collect()
}

impl Outline {
    /// Corners of the box around it; `None` for what has no end.
    pub(crate) fn bounds(&self) -> Option<[DVec2; 2]> {
        let (points, radius) = match self {
            Outline::Hull { points, radius } => (points, *radius),
            Outline::Chain(points) => (points, 0.0),
            Outline::HalfPlane { .. } => return None,
        };
        let low = points.iter().copied().fold(DVec2::INFINITY, DVec2::min);
        let high = points.iter().copied().fold(DVec2::NEG_INFINITY, DVec2::max);
        Some([low - radius, high + radius])
    }
}

/// Gap between two outlines, m; negative for an overlap.
pub(crate) fn gap(a: &Outline, b: &Outline) -> f64 {
    match (a, b) {
        (Outline::Hull { points: p, radius: r }, Outline::Hull { points: q, radius: s }) => hulls(p, q) - r - s,
        (Outline::HalfPlane { normal, offset }, other) | (other, Outline::HalfPlane { normal, offset }) => {
            match other {
                Outline::Hull { points, radius } => {
                    points.iter().map(|p| normal.dot(*p)).fold(f64::INFINITY, f64::min) - offset - radius
                }
                _ => f64::INFINITY,
            }
        }
        (Outline::Chain(chain), Outline::Hull { points, radius })
        | (Outline::Hull { points, radius }, Outline::Chain(chain)) => {
            chain.windows(2).map(|ends| hulls(ends, points)).fold(f64::INFINITY, f64::min) - radius
        }
        (Outline::Chain(_), Outline::Chain(_)) => f64::INFINITY,
    }
}

/// Gap of two convex hulls without radii.
fn hulls(p: &[DVec2], q: &[DVec2]) -> f64 {
    if p.len() >= 3 || q.len() >= 3 {
        let along = furthest_face(p, q).max(furthest_face(q, p));
        if along <= 0.0 {
            return along;
        }
    }
    let mut nearest = f64::INFINITY;
    for (points, others) in [(p, q), (q, p)] {
        for &point in points {
            for (from, to) in edges(others) {
                nearest = nearest.min(from_segment(point, from, to));
            }
        }
    }
    if crosses(p, q) { 0.0 } else { nearest }
}

fn edges(points: &[DVec2]) -> impl Iterator<Item = (DVec2, DVec2)> + '_ {
    let count = if points.len() < 3 { 1 } else { points.len() };
    (0..count).map(|i| (points[i], points[(i + 1) % points.len()]))
}

/// How far the other hull lies outside the face that it lies outside most.
fn furthest_face(p: &[DVec2], q: &[DVec2]) -> f64 {
    if p.len() < 2 {
        return f64::NEG_INFINITY;
    }
    let count = if p.len() == 2 { 2 } else { p.len() };
    (0..count)
        .map(|i| {
            let edge = p[(i + 1) % p.len()] - p[i];
            let normal = DVec2::new(edge.y, -edge.x).normalize_or_zero();
            q.iter().map(|&v| normal.dot(v - p[i])).fold(f64::INFINITY, f64::min)
        })
        .fold(f64::NEG_INFINITY, f64::max)
}

fn from_segment(point: DVec2, from: DVec2, to: DVec2) -> f64 {
    let way = to - from;
    let length = way.length_squared();
    let share = if length > 0.0 { ((point - from).dot(way) / length).clamp(0.0, 1.0) } else { 0.0 };
    point.distance(from + way * share)
}

/// Whether two segments cross.
fn crosses(p: &[DVec2], q: &[DVec2]) -> bool {
    let ([a, b], [c, d]) = (p, q) else { return false };
    let side = |from: DVec2, to: DVec2, v: DVec2| (to - from).perp_dot(v - from);
    side(*a, *b, *c) * side(*a, *b, *d) < 0.0 && side(*c, *d, *a) * side(*c, *d, *b) < 0.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Part, Pose};

    fn at(shape: PlaneShape, x: f64, y: f64, angle: f64) -> Outline {
        let body =
            Body { pose: Pose::flat(DVec2::new(x, y), angle), parts: vec![Part::solid(shape, 0)], ..Body::plain("b") };
        outlines(&body).remove(0)
    }

    #[test]
    fn gaps_are_those_of_plain_geometry() {
        let disc = || PlaneShape::Disc(0.5);
        let square = || PlaneShape::Box(DVec2::ONE);
        let capsule = || PlaneShape::Capsule { length: 2.0, radius: 0.5 };
        let quarter = std::f64::consts::FRAC_PI_4;
        let clockwise = PlaneShape::Polygon(vec![DVec2::new(-1.0, 0.0), DVec2::new(0.0, 1.0), DVec2::new(1.0, 0.0)]);
        for (a, b, expected) in [
            (at(disc(), 0.0, 0.0, 0.0), at(disc(), 3.0, 4.0, 0.0), 4.0),
            (at(square(), 0.0, 0.0, 0.0), at(square(), 0.9, 0.2, 0.0), -0.1),
            (at(square(), 0.0, 0.0, 0.0), at(square(), 1.0, 1.0, 0.0), 0.0),
            (at(square(), 0.0, 0.0, 0.0), at(disc(), 3.5, 4.5, 0.0), 4.5),
            (at(square(), 0.0, 0.0, 0.0), at(disc(), 0.0, 0.3, 0.0), -0.7),
            (at(capsule(), 0.0, 0.0, 0.0), at(disc(), 3.0, 0.0, 0.0), 1.0),
            (at(capsule(), 0.0, 0.0, 0.0), at(capsule(), 0.0, 0.0, 2.0 * quarter), -1.0),
            (at(clockwise, 0.0, 0.0, 0.0), at(square(), 0.0, 1.75, 0.0), 0.25),
            (at(PlaneShape::HalfPlane(DVec2::Y), 5.0, 1.0, 0.0), at(capsule(), 0.0, 4.0, 2.0 * quarter), 1.5),
            (
                at(PlaneShape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::ONE]), 0.0, 0.0, 0.0),
                at(disc(), 0.25, 2.0, 0.0),
                0.75_f64.hypot(1.0) - 0.5,
            ),
        ] {
            assert!((gap(&a, &b) - expected).abs() < 1e-12, "{} for {expected}", gap(&a, &b));
            assert_eq!(gap(&a, &b), gap(&b, &a));
        }
    }
}
