//! Directions of the plane in which contacts may push.

use crate::geometry::common::Cone;
use ironspin_model::{DVec2, DVec3};

/// The edges of the cones of all pushes.
#[derive(Clone, Debug, Default)]
pub(crate) struct PlaneCone {
    edges: Vec<DVec2>,
    whole: bool,
}

/// One cone: its normal and its edges; none when it is everywhere.
#[derive(Clone, Copy, Debug)]
pub(crate) struct OneCone {
    normal: DVec2,
    edges: Option<[DVec2; 2]>,
}

/// The edges of all directions within `half` of a normal; none when that is everywhere.
fn edges(normal: DVec2, half: f64) -> Option<[DVec2; 2]> {
    let turn = DVec2::new(libm::cos(half), libm::sin(half));
    (half < std::f64::consts::FRAC_PI_2).then(|| [turn.rotate(normal), DVec2::new(turn.x, -turn.y).rotate(normal)])
}

impl Cone for PlaneCone {
    type One = OneCone;

    fn clear(&mut self) {
        self.edges.clear();
        self.whole = false;
    }

    fn add(&mut self, normal: DVec3, half: f64) {
        match edges(normal.truncate(), half) {
            Some(edges) => self.edges.extend(edges),
            None => self.whole = true,
        }
    }

    fn outside(&self, vector: DVec3) -> f64 {
        let vector = vector.truncate();
        if self.whole {
            return 0.0;
        }
        let (mut left, mut right) = (f64::INFINITY, f64::INFINITY);
        let mut nearest = vector.length();
        for edge in &self.edges {
            let (along, across) = (vector.dot(*edge), vector.perp_dot(*edge));
            if along > 0.0 {
                nearest = nearest.min(across.abs());
            }
            let angle = libm::atan2(across.abs(), along);
            if across >= 0.0 {
                left = left.min(angle);
            }
            if across <= 0.0 {
                right = right.min(angle);
            }
        }
        // Between one edge on each side, less than half a turn apart, lies what both together can give.
        if left + right < std::f64::consts::PI { 0.0 } else { nearest }
    }

    fn one(normal: DVec3, half: f64) -> OneCone {
        let normal = normal.truncate();
        OneCone { normal, edges: edges(normal, half) }
    }

    fn holds(one: &OneCone, vector: DVec3) -> bool {
        let vector = vector.truncate();
        one.edges.is_none_or(|[left, right]| {
            vector.perp_dot(left) >= 0.0 && vector.perp_dot(right) <= 0.0 && vector.dot(one.normal) >= 0.0
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn direction(angle: f64) -> DVec3 {
        DVec2::from_angle(angle).extend(0.0)
    }

    proptest! {
        /// A sum of pushes along the directions lies inside; a vector against all of them lies outside by its length.
        #[test]
        fn what_contacts_add_up_to_is_inside(pushes in prop::collection::vec((0.0..6.2_f64, 0.0..1.0_f64, 0.0..3.0_f64), 1..4)) {
            let mut cone = PlaneCone::default();
            let mut sum = DVec3::ZERO;
            for (angle, half, push) in pushes {
                cone.add(direction(angle), half);
                sum += push * direction(angle + 0.9 * half);
            }
            prop_assert!(cone.outside(sum) < 1e-9, "{}", cone.outside(sum));
        }

        /// A push explains alone what lies in its cone.
        #[test]
        fn one_push_explains_what_lies_in_its_cone(angle in 0.0..6.2_f64, half in 0.0..2.0_f64, off in -3.0..3.0_f64, size in 0.1..9.0_f64) {
            // On the edge itself roundings decide.
            prop_assume!((off.abs() - half).abs() > 1e-9);
            let change = size * direction(angle + off);
            let mut cone = PlaneCone::default();
            cone.add(direction(angle), half);
            let one = PlaneCone::one(direction(angle), half);
            prop_assert_eq!(PlaneCone::holds(&one, change), cone.outside(change) == 0.0);
        }
    }

    #[test]
    fn outside_of_one_cone_the_distance_is_that_of_its_edge() {
        let mut cone = PlaneCone::default();
        cone.add(DVec3::Y, 0.0);
        assert!((cone.outside(DVec3::new(3.0, 4.0, 0.0)) - 3.0).abs() < 1e-15);
        assert_eq!(cone.outside(DVec3::new(0.0, -2.0, 0.0)), 2.0);
        assert_eq!(cone.outside(DVec3::new(0.0, 2.0, 0.0)), 0.0);
        assert_eq!(PlaneCone::default().outside(DVec3::new(3.0, 4.0, 0.0)), 5.0);
    }
}
