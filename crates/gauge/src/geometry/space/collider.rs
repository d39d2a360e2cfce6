//! Outlines of parts in space.

use ironspin_model::{BodyState, DMat3, DVec3, Part, SpaceShape, turn};

/// A convex outline in space.
#[derive(Clone, Debug, PartialEq)]
pub enum SpaceCollider {
    /// All points within `radius` of the hull of `corners` (one corner is a ball).
    Hull {
        /// Corners, m.
        corners: Vec<DVec3>,
        /// Radius of the rim, m.
        radius: f64,
    },
    /// All points x with normal·x <= level.
    HalfSpace {
        /// Outward unit normal.
        normal: DVec3,
        /// Distance of the surface from the origin along the normal, m.
        level: f64,
    },
}

impl SpaceCollider {
    /// The convex outlines of a part in its body's frame; none for a shape of the plane.
    pub fn of_part(part: &Part) -> Vec<SpaceCollider> {
        let Some(shape) = part.shape.spatial() else { return Vec::new() };
        let at = part.pose.position;
        vec![match shape {
            SpaceShape::Sphere(radius) => SpaceCollider::Hull { corners: vec![at], radius: *radius },
            SpaceShape::Box(size) => {
                let side = |number: usize, axis: usize| if number >> axis & 1 == 1 { 0.5 } else { -0.5 };
                let corner = |number| DVec3::new(side(number, 0), side(number, 1), side(number, 2)) * *size;
                let corners = (0..8).map(|number| at + turn::turned(part.pose.rotation, corner(number))).collect();
                SpaceCollider::Hull { corners, radius: 0.0 }
            }
            SpaceShape::HalfSpace(normal) => {
                let normal = turn::turned(part.pose.rotation, *normal);
                SpaceCollider::HalfSpace { normal, level: normal.dot(at) }
            }
        }]
    }

    /// The outline carried to a place by a body's state.
    pub fn placed(&self, state: &BodyState) -> SpaceCollider {
        let mut placed = self.clone();
        self.carry_into(state.pose.position, &turn::matrix(state.pose.rotation), &mut placed);
        placed
    }

    /// Writes the outline, turned by a rotation matrix and carried to a place, over another of the same kind and number of corners.
    pub(super) fn carry_into(&self, at: DVec3, axes: &DMat3, placed: &mut SpaceCollider) {
        match (self, placed) {
            (SpaceCollider::Hull { corners, .. }, SpaceCollider::Hull { corners: placed, .. }) => {
                for (corner, placed) in corners.iter().zip(placed) {
                    *placed = at + *axes * *corner;
                }
            }
            (
                SpaceCollider::HalfSpace { normal, level },
                SpaceCollider::HalfSpace { normal: turned, level: lifted },
            ) => {
                *turned = *axes * *normal;
                *lifted = level + turned.dot(at);
            }
            (own, placed) => {
                *placed = own.clone();
                own.carry_into(at, axes, placed);
            }
        }
    }

    /// Greatest distance of any point from the origin of the frame; infinite for a half-space.
    pub fn reach(&self) -> f64 {
        match self {
            SpaceCollider::Hull { corners, radius } => corners.iter().map(|c| c.length()).fold(0.0, f64::max) + radius,
            SpaceCollider::HalfSpace { .. } => f64::INFINITY,
        }
    }

    /// Corners of the box along the axes around it; nothing for what has no end.
    pub fn bounds(&self) -> Option<[DVec3; 2]> {
        match self {
            SpaceCollider::Hull { corners, radius } => {
                let lowest = corners.iter().copied().fold(DVec3::INFINITY, DVec3::min);
                let highest = corners.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
                Some([lowest - *radius, highest + *radius])
            }
            SpaceCollider::HalfSpace { .. } => None,
        }
    }
}
