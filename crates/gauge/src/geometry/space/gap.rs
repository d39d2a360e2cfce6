//! Gap or overlap of two outlines of space.

use super::collider::SpaceCollider;
use super::difference::{Difference, Nearest};
use super::distance::Found;
use super::{depth, distance, round_depth};
use crate::geometry::common::Gap;
use ironspin_model::DVec3;

impl SpaceCollider {
    /// Gap from this outline to another. Two half-spaces have none: infinity.
    pub fn gap_to(&self, other: &SpaceCollider) -> Gap {
        self.gap_within(other, f64::INFINITY)
    }

    /// As [`SpaceCollider::gap_to`]; may be infinity at once when the gap is certainly above `within`.
    pub fn gap_within(&self, other: &SpaceCollider, within: f64) -> Gap {
        match (self, other) {
            (SpaceCollider::HalfSpace { .. }, SpaceCollider::HalfSpace { .. }) => Gap::FAR,
            (SpaceCollider::HalfSpace { normal, level }, _) => above(*normal, *level, other),
            (_, SpaceCollider::HalfSpace { normal, level }) => above(*normal, *level, self).turned_round(),
            (
                SpaceCollider::Hull { .. } | SpaceCollider::Cylinder { .. },
                SpaceCollider::Hull { .. } | SpaceCollider::Cylinder { .. },
            ) => between(self, other, within),
        }
    }

    /// The radius by which an outline is larger than what its support function tells, m.
    fn rim(&self) -> f64 {
        match self {
            SpaceCollider::Hull { radius, .. } => *radius,
            SpaceCollider::Cylinder { .. } | SpaceCollider::HalfSpace { .. } => 0.0,
        }
    }

    fn only_corner(&self) -> Option<DVec3> {
        match self {
            SpaceCollider::Hull { corners, .. } if corners.len() == 1 => Some(corners[0]),
            SpaceCollider::Hull { .. } | SpaceCollider::Cylinder { .. } | SpaceCollider::HalfSpace { .. } => None,
        }
    }
}

/// From a surface up to an outline.
fn above(normal: DVec3, level: f64, outline: &SpaceCollider) -> Gap {
    let Some(lowest) = outline.support(-normal) else { return Gap::FAR };
    let radius = outline.rim();
    let distance = normal.dot(lowest) - level - radius;
    Gap { distance, normal, point: lowest - normal * (radius + 0.5 * distance) }
}

fn between(a: &SpaceCollider, b: &SpaceCollider, within: f64) -> Gap {
    let (ra, rb) = (a.rim(), b.rim());
    if let (Some(p), Some(q)) = (a.only_corner(), b.only_corner()) {
        let between = q - p;
        let length = between.length();
        let normal = if length > 0.0 { between / length } else { DVec3::Y };
        let distance = length - ra - rb;
        return Gap { distance, normal, point: p + normal * (ra + 0.5 * distance) };
    }
    let difference = Difference::new(a, b);
    let nearest = match distance::find(&difference, within + ra + rb) {
        Found::Far => return Gap::FAR,
        // So near the distance of what is round has no digits left for the direction.
        Found::Apart(nearest) if !difference.has_corners && nearest.distance < difference.near => {
            round_depth::find(&difference, 2.0 * difference.near)
        }
        Found::Apart(nearest) => nearest,
        Found::Inside if !difference.has_corners => round_depth::find(&difference, 2.0 * difference.near),
        // A difference without volume has no way out but across it, and that is nothing.
        Found::Inside => depth::find(&difference).unwrap_or_else(|| {
            let on = difference.support(DVec3::Y);
            let [on_a, on_b] = difference.sources(&[on], &[1.0]);
            Nearest { distance: 0.0, normal: across(a, b), on_a, on_b }
        }),
    };
    let distance = nearest.distance - ra - rb;
    let middle = 0.5 * ((nearest.on_a + nearest.normal * ra) + (nearest.on_b - nearest.normal * rb));
    Gap { distance, normal: nearest.normal, point: middle }
}

/// A direction across two outlines that cross each other and have no volume together: of two segments, across both.
fn across(a: &SpaceCollider, b: &SpaceCollider) -> DVec3 {
    let along = |outline: &SpaceCollider| match outline {
        SpaceCollider::Hull { corners, .. } if corners.len() > 1 => corners[1] - corners[0],
        SpaceCollider::Hull { .. } | SpaceCollider::Cylinder { .. } | SpaceCollider::HalfSpace { .. } => DVec3::ZERO,
    };
    let (p, q) = (along(a), along(b));
    let longer = if p.length_squared() > q.length_squared() { p } else { q };
    p.cross(q).try_normalize().or_else(|| longer.try_normalize().map(DVec3::any_orthonormal_vector)).unwrap_or(DVec3::Y)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{BodyState, Part, Pose, SpaceShape, turn};
    use proptest::prelude::*;

    fn collider(shape: SpaceShape, at: DVec3, rotation: DVec3) -> SpaceCollider {
        let pose = Pose { position: at, rotation: turn::by_vector(rotation), angle: 0.0 };
        let state = BodyState { pose, velocity: DVec3::ZERO, spin: DVec3::ZERO };
        SpaceCollider::of_part(&Part::solid(shape, 0))[0].placed(&state)
    }

    #[test]
    fn known_gaps() {
        let unit = collider(SpaceShape::Box(DVec3::ONE), DVec3::ZERO, DVec3::ZERO);
        let cube = |at: DVec3| collider(SpaceShape::Box(DVec3::ONE), at, DVec3::ZERO);
        let ball = |at: DVec3, radius: f64| collider(SpaceShape::Sphere(radius), at, DVec3::ZERO);
        for (other, distance, normal) in [
            (cube(DVec3::new(2.0, 0.0, 0.0)), 1.0, DVec3::X),
            (cube(DVec3::new(0.0, 0.9, 0.0)), -0.1, DVec3::Y),
            (cube(DVec3::new(0.2, 0.1, -0.95)), -0.05, DVec3::NEG_Z),
            (ball(DVec3::new(1.5, 0.0, 0.0), 0.25), 0.75, DVec3::X),
            (ball(DVec3::new(0.5, -3.5, 4.5), 1.0), 4.0, DVec3::new(0.0, -0.6, 0.8)),
            (ball(DVec3::new(0.0, 0.4, 0.0), 0.25), -0.35, DVec3::Y),
            (SpaceCollider::HalfSpace { normal: DVec3::Y, level: -1.0 }, 0.5, DVec3::NEG_Y),
        ] {
            let gap = unit.gap_to(&other);
            assert!((gap.distance - distance).abs() < 1e-15, "{other:?}: {gap:?}");
            assert!((gap.normal - normal).length() < 1e-15, "{other:?}: {gap:?}");
            let back = other.gap_to(&unit);
            assert!((back.distance - distance).abs() < 1e-15 && (back.normal + normal).length() < 1e-15, "{back:?}");
        }
        // What just touches has no gap.
        for at in [DVec3::X, DVec3::new(1.0, 0.3, 0.0), DVec3::new(1.0, 1.0, 0.2), DVec3::ONE] {
            assert!(unit.gap_to(&cube(at)).distance.abs() < 1e-15, "{at}");
        }
    }

    fn vector(reach: f64) -> impl Strategy<Value = DVec3> {
        (-reach..reach, -reach..reach, -reach..reach).prop_map(|(x, y, z)| DVec3::new(x, y, z))
    }

    fn solid() -> impl Strategy<Value = SpaceShape> {
        prop_oneof![
            (0.1..1.0_f64).prop_map(SpaceShape::Sphere),
            (0.2..2.0_f64, 0.2..2.0_f64, 0.2..2.0_f64).prop_map(|(x, y, z)| SpaceShape::Box(DVec3::new(x, y, z))),
        ]
    }

    /// The furthest that an outline reaches along a direction.
    fn support(collider: &SpaceCollider, along: DVec3) -> f64 {
        let SpaceCollider::Hull { corners, radius } = collider else { return f64::INFINITY };
        corners.iter().map(|corner| corner.dot(along)).fold(f64::NEG_INFINITY, f64::max) + radius
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(3000))]
        /// The gap is the largest over all directions of what separates there (the definition, also of the depth): no direction separates
        /// more, and that of the normal does so by just as much.
        #[test]
        fn no_direction_separates_more_than_the_normal(
            one in solid(), other in solid(), at in vector(1.8), a in vector(3.0), b in vector(3.0), tries in prop::collection::vec(vector(1.0), 40), level in any::<bool>(),
        ) {
            // On a coarse grid faces meet faces and edges edges.
            let (a, b) = if level { (DVec3::ZERO, DVec3::ZERO) } else { (a, b) };
            let at = if level { (at * 4.0).round() / 4.0 } else { at };
            let (first, second) = (collider(one, DVec3::ZERO, a), collider(other, at, b));
            let gap = first.gap_to(&second);
            let separates = |along: DVec3| -support(&second, -along) - support(&first, along);
            prop_assert!((gap.normal.length() - 1.0).abs() < 1e-12);
            prop_assert!((separates(gap.normal) - gap.distance).abs() < 1e-12, "{:?} and {}", gap, separates(gap.normal));
            let faces = [a, b].map(|turn| turn::matrix(turn::by_vector(turn)));
            let axes = faces.iter().flat_map(|m| [m.x_axis, m.y_axis, m.z_axis]);
            let crossed = faces[0].transpose().to_cols_array_2d();
            let edges = crossed.iter().flat_map(|_| {
                [faces[0].x_axis, faces[0].y_axis, faces[0].z_axis]
                    .into_iter()
                    .flat_map(|u| [faces[1].x_axis, faces[1].y_axis, faces[1].z_axis].map(|v| u.cross(v)))
            });
            for along in tries.into_iter().chain(axes).chain(edges).filter(|v| v.length() > 0.01).map(DVec3::normalize) {
                for along in [along, -along] {
                    prop_assert!(separates(along) <= gap.distance + 1e-12, "{along} separates by {}, {:?}", separates(along), gap);
                }
            }
            let back = second.gap_to(&first);
            prop_assert!((back.distance - gap.distance).abs() < 1e-12);
            let near = first.gap_within(&second, 0.3);
            prop_assert!(near.distance == gap.distance || (gap.distance > 0.3 && near.distance == f64::INFINITY));
            // The point lies midway between both rims along the normal.
            let half = 0.5 * gap.distance;
            let heights = [support(&first, gap.normal), -support(&second, -gap.normal)];
            let height = gap.point.dot(gap.normal);
            prop_assert!((height - heights[0] - half).abs() < 1e-9 && (heights[1] - height - half).abs() < 1e-9, "{:?}", gap);
        }
    }
}
