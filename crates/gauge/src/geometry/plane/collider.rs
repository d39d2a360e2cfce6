//! Outlines of parts in the plane.

use ironspin_model::{BodyState, DVec2, Part, PlaneShape};

/// A convex outline in the plane.
#[derive(Clone, Debug, PartialEq)]
pub enum Collider {
    /// All points within `radius` of the hull of `corners` (counter-clockwise; one corner is a disc).
    Hull {
        /// Corners, m.
        corners: Vec<DVec2>,
        /// Radius of the rim, m.
        radius: f64,
    },
    /// All points x with normal·x <= level.
    HalfPlane {
        /// Outward unit normal.
        normal: DVec2,
        /// Distance of the surface from the origin along the normal, m.
        level: f64,
    },
}

/// Rotation by an angle with sine and cosine of one library.
fn turned(v: DVec2, angle: f64) -> DVec2 {
    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
    DVec2::new(cos * v.x - sin * v.y, sin * v.x + cos * v.y)
}

impl Collider {
    /// The convex outlines of a part in its body's frame: one, or for a polyline one a segment.
    pub fn of_part(part: &Part) -> Vec<Collider> {
        let place = |p: DVec2| part.pose.xy() + if part.pose.angle == 0.0 { p } else { turned(p, part.pose.angle) };
        let hull = |corners: &[DVec2], radius: f64| Collider::Hull {
            corners: corners.iter().map(|&c| place(c)).collect(),
            radius,
        };
        // A part of space has no outline in the plane.
        let Some(shape) = part.shape.planar() else { return Vec::new() };
        match shape {
            PlaneShape::Disc(radius) => vec![Collider::Hull { corners: vec![part.pose.xy()], radius: *radius }],
            PlaneShape::Box(size) => {
                let half = 0.5 * *size;
                vec![hull(&[-half, DVec2::new(half.x, -half.y), half, DVec2::new(-half.x, half.y)], 0.0)]
            }
            PlaneShape::Polygon(corners) => {
                let area: f64 = (0..corners.len()).map(|i| corners[i].perp_dot(corners[(i + 1) % corners.len()])).sum();
                let mut corners = corners.clone();
                if area < 0.0 {
                    corners.reverse();
                }
                vec![hull(&corners, 0.0)]
            }
            PlaneShape::Capsule { length, radius } => {
                vec![hull(&[DVec2::new(-0.5 * length, 0.0), DVec2::new(0.5 * length, 0.0)], *radius)]
            }
            PlaneShape::Polyline(points) => points.windows(2).map(|ends| hull(ends, 0.0)).collect(),
            PlaneShape::HalfPlane(normal) => {
                let normal = turned(*normal, part.pose.angle);
                vec![Collider::HalfPlane { normal, level: normal.dot(part.pose.xy()) }]
            }
        }
    }

    /// The outline carried to a place by a body's state.
    pub fn placed(&self, state: &BodyState) -> Collider {
        let mut placed = self.clone();
        self.place_into(state, &mut placed);
        placed
    }

    /// Writes the outline carried to a place over another of the same kind and number of corners.
    fn place_into(&self, state: &BodyState, placed: &mut Collider) {
        let angle = state.pose.angle;
        let (sin, cos) = if angle == 0.0 { (0.0, 1.0) } else { (libm::sin(angle), libm::cos(angle)) };
        self.carry_into(state.pose.position.truncate(), DVec2::new(cos, sin), placed);
    }

    /// Writes the outline, turned until the x axis lies along a unit vector and carried to a place, over another of the same kind and
    /// number of corners.
    pub(crate) fn carry_into(&self, at: DVec2, DVec2 { x: cos, y: sin }: DVec2, placed: &mut Collider) {
        let turn = |v: DVec2| DVec2::new(cos * v.x - sin * v.y, sin * v.x + cos * v.y);
        match (self, placed) {
            (Collider::Hull { corners, .. }, Collider::Hull { corners: placed, .. }) => {
                for (corner, placed) in corners.iter().zip(placed) {
                    *placed = at + turn(*corner);
                }
            }
            (Collider::HalfPlane { normal, level }, Collider::HalfPlane { normal: turned, level: lifted }) => {
                *turned = turn(*normal);
                *lifted = level + turned.dot(at);
            }
            (own, placed) => {
                *placed = own.clone();
                own.carry_into(at, DVec2::new(cos, sin), placed);
            }
        }
    }

    /// The outline moved without turning.
    pub(crate) fn shifted(&self, by: DVec2) -> Collider {
        match self {
            Collider::Hull { corners, radius } => {
                Collider::Hull { corners: corners.iter().map(|&corner| corner + by).collect(), radius: *radius }
            }
            Collider::HalfPlane { normal, level } => {
                Collider::HalfPlane { normal: *normal, level: level + normal.dot(by) }
            }
        }
    }

    /// Greatest distance of any point from the origin of the frame; infinite for a half-plane.
    pub fn reach(&self) -> f64 {
        match self {
            Collider::Hull { corners, radius } => corners.iter().map(|c| c.length()).fold(0.0, f64::max) + radius,
            Collider::HalfPlane { .. } => f64::INFINITY,
        }
    }
}
