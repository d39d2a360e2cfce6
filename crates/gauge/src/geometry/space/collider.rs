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
    /// A straight cylinder with flat ends.
    Cylinder {
        /// Its middle, m.
        centre: DVec3,
        /// Unit vector along it.
        axis: DVec3,
        /// Half of its length, m.
        half: f64,
        /// Radius of its ends, m.
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
    /// The convex outlines of a part in its body's frame: one for each face of a mesh, none for a shape of the plane.
    pub fn of_part(part: &Part) -> Vec<SpaceCollider> {
        let Some(shape) = part.shape.spatial() else { return Vec::new() };
        let at = part.pose.position;
        let place = |point: DVec3| at + turn::turned(part.pose.rotation, point);
        vec![match shape {
            SpaceShape::Sphere(radius) => SpaceCollider::Hull { corners: vec![at], radius: *radius },
            SpaceShape::Box(size) => {
                let side = |number: usize, axis: usize| if number >> axis & 1 == 1 { 0.5 } else { -0.5 };
                let corner = |number| DVec3::new(side(number, 0), side(number, 1), side(number, 2)) * *size;
                let corners = (0..8).map(|number| place(corner(number))).collect();
                SpaceCollider::Hull { corners, radius: 0.0 }
            }
            SpaceShape::Capsule { length, radius } => {
                let end = |side: f64| place(DVec3::X * (side * length));
                SpaceCollider::Hull { corners: vec![end(-0.5), end(0.5)], radius: *radius }
            }
            SpaceShape::Cylinder { length, radius } => SpaceCollider::Cylinder {
                centre: at,
                axis: turn::turned(part.pose.rotation, DVec3::X),
                half: 0.5 * length,
                radius: *radius,
            },
            SpaceShape::Hull(hull) => SpaceCollider::Hull {
                corners: hull.corners().iter().map(|&corner| place(corner)).collect(),
                radius: 0.0,
            },
            SpaceShape::Mesh(mesh) => {
                let face = |face| SpaceCollider::Hull { corners: mesh.corners(face).map(place).to_vec(), radius: 0.0 };
                return (0..mesh.faces().len()).map(face).collect();
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
                SpaceCollider::Cylinder { centre, axis, .. },
                SpaceCollider::Cylinder { centre: placed, axis: turned, .. },
            ) => {
                *placed = at + *axes * *centre;
                *turned = *axes * *axis;
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

    /// The outline moved without turning.
    pub(super) fn shifted(&self, by: DVec3) -> SpaceCollider {
        let mut moved = self.clone();
        self.carry_into(by, &DMat3::IDENTITY, &mut moved);
        moved
    }

    /// No point is further from the origin of the frame; infinite for a half-space.
    pub fn reach(&self) -> f64 {
        match self {
            SpaceCollider::Cylinder { centre, half, radius, .. } => {
                centre.length() + (half * half + radius * radius).sqrt()
            }
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
            SpaceCollider::Cylinder { centre, axis, half, radius } => {
                let across = (DVec3::ONE - *axis * *axis).max(DVec3::ZERO);
                let extent =
                    axis.abs() * *half + DVec3::new(across.x.sqrt(), across.y.sqrt(), across.z.sqrt()) * *radius;
                Some([*centre - extent, *centre + extent])
            }
            SpaceCollider::HalfSpace { .. } => None,
        }
    }

    /// The point furthest along a direction, without the rim's radius of a hull; nothing for what has no end.
    pub(super) fn support(&self, along: DVec3) -> Option<DVec3> {
        match self {
            SpaceCollider::Hull { corners, .. } => {
                let mut best: Option<(f64, DVec3)> = None;
                for &corner in corners {
                    let height = corner.dot(along);
                    if best.is_none_or(|(most, _)| height > most) {
                        best = Some((height, corner));
                    }
                }
                best.map(|(_, corner)| corner)
            }
            SpaceCollider::Cylinder { centre, axis, half, radius } => {
                let height = along.dot(*axis);
                // Along the axis what is left is rounding, which has no direction: the middle of the end lies as far.
                let across = along - *axis * height;
                let lost = across.length() <= 1e-12 * along.length();
                let across = if lost { DVec3::ZERO } else { across.normalize() };
                // Of a short one the rounding may lie along the axis.
                let across = (across - *axis * across.dot(*axis)).normalize_or_zero();
                let end = if height > 0.0 { *half } else { -*half };
                Some(*centre + *axis * end + across * *radius)
            }
            SpaceCollider::HalfSpace { .. } => None,
        }
    }
}
