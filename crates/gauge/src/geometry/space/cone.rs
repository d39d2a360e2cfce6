//! Directions of space in which contacts may push.

use crate::geometry::common::Cone;
use ironspin_model::DVec3;

/// By how much, as a share, a direction may lie in a cone that it should touch: roundings of near tangents.
const TOUCHES: f64 = 1e-9;

/// A round cone with its tip at the origin.
#[derive(Clone, Copy, Debug)]
pub(crate) struct RoundCone {
    normal: DVec3,
    /// Cosine and sine of the angle between the normal and the rim.
    cosine: f64,
    sine: f64,
    whole: bool,
}

impl RoundCone {
    /// The nearest point of the cone. Source: the projection onto a second-order cone (Bauschke, "Projection algorithms and monotone operators", 1996).
    fn nearest(&self, vector: DVec3) -> DVec3 {
        if self.whole {
            return vector;
        }
        let along = vector.dot(self.normal);
        let across = vector - self.normal * along;
        let away = across.length();
        if along >= 0.0 && away * self.cosine <= along * self.sine {
            return vector;
        }
        let rim = along * self.cosine + away * self.sine;
        if rim <= 0.0 || away == 0.0 {
            return DVec3::ZERO;
        }
        (self.normal * self.cosine + across * (self.sine / away)) * rim
    }
}

impl RoundCone {
    /// Whether a vector has no part along any direction of the cone.
    fn is_polar(&self, vector: DVec3) -> bool {
        vector.dot(self.normal) <= (TOUCHES - self.sine) * vector.length()
    }

    /// The directions of unit length that two polar cones have on both their rims.
    fn common_rays(&self, other: &RoundCone) -> [Option<DVec3>; 2] {
        let along = self.normal.dot(other.normal);
        let square = 1.0 - along * along;
        if square <= 1e-18 {
            return [None; 2];
        }
        let (one, two) = ((along * other.sine - self.sine) / square, (along * self.sine - other.sine) / square);
        let within = self.normal * one + other.normal * two;
        let rest = 1.0 - within.length_squared();
        if rest < 0.0 {
            return [None; 2];
        }
        let across = self.normal.cross(other.normal) * (rest / square).sqrt();
        [Some(within + across), Some(within - across)]
    }
}

/// The cones of all pushes.
#[derive(Clone, Debug, Default)]
pub(crate) struct SpaceCone(Vec<RoundCone>);

impl SpaceCone {
    /// Whether a vector has no part along any direction of any cone.
    fn is_polar(&self, vector: DVec3) -> bool {
        self.0.iter().all(|cone| cone.is_polar(vector))
    }
}

impl Cone for SpaceCone {
    type One = RoundCone;

    fn clear(&mut self) {
        self.0.clear();
    }

    fn add(&mut self, normal: DVec3, half: f64) {
        self.0.push(Self::one(normal, half));
    }

    /// The distance from a sum of cones is the length of the nearest point of its polar cone, the intersection of the polar cones (Moreau, 1962). That point lies
    /// on one of them alone, on a ray in which two of them cross, or at the tip.
    fn outside(&self, vector: DVec3) -> f64 {
        if self.0.iter().any(|cone| cone.whole) {
            return 0.0;
        }
        if self.is_polar(vector) {
            return vector.length();
        }
        let mut nearest = DVec3::ZERO;
        let mut try_out = |point: DVec3| {
            if point.distance_squared(vector) < nearest.distance_squared(vector) && self.is_polar(point) {
                nearest = point;
            }
        };
        for (number, cone) in self.0.iter().enumerate() {
            try_out(vector - cone.nearest(vector));
            for other in &self.0[number + 1..] {
                for ray in cone.common_rays(other).into_iter().flatten() {
                    try_out(ray * vector.dot(ray).max(0.0));
                }
            }
        }
        nearest.length()
    }

    fn one(normal: DVec3, half: f64) -> RoundCone {
        let whole = half >= std::f64::consts::FRAC_PI_2;
        RoundCone { normal, cosine: libm::cos(half), sine: libm::sin(half), whole }
    }

    fn holds(one: &RoundCone, vector: DVec3) -> bool {
        let along = vector.dot(one.normal);
        one.whole || along >= 0.0 && (vector - one.normal * along).length() * one.cosine <= along * one.sine
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn unit() -> impl Strategy<Value = DVec3> {
        (-1.0..1.0_f64, -1.0..1.0_f64, -1.0..1.0_f64)
            .prop_map(|(x, y, z)| DVec3::new(x, y, z))
            .prop_filter("a direction", |v| v.length() > 0.1)
            .prop_map(DVec3::normalize)
    }

    proptest! {
        /// A sum of pushes within the cones is explained, and no direction that all cones turn their backs on is.
        #[test]
        fn what_contacts_add_up_to_is_inside(pushes in prop::collection::vec((unit(), unit(), 0.05..1.0_f64, 0.0..3.0_f64), 1..5)) {
            let mut cone = SpaceCone::default();
            let (mut sum, mut most) = (DVec3::ZERO, 0.0);
            for (normal, side, half, push) in pushes {
                cone.add(normal, half);
                let across = normal.cross(side).normalize_or_zero();
                let way = normal * libm::cos(0.9 * half) + across * libm::sin(0.9 * half);
                prop_assert!(SpaceCone::holds(&SpaceCone::one(normal, half), way * push));
                sum += push * way;
                most += push;
            }
            prop_assert!(cone.outside(sum) <= 1e-7 * most, "{} of {}", cone.outside(sum), most);
        }

        /// Never less than what a plane through the origin with all cones behind it keeps away.
        #[test]
        fn what_lies_before_a_plane_stays_outside(normals in prop::collection::vec((unit(), 0.05..0.6_f64), 1..5), plane in unit(), vector in unit()) {
            let mut cone = SpaceCone::default();
            for (normal, half) in normals {
                // Mirrored and leant back until it lies behind the plane.
                let back = if normal.dot(plane) > 0.0 { normal - 2.0 * normal.dot(plane) * plane } else { normal };
                let back = (back - plane * 1.5).normalize();
                if back.dot(plane) <= -libm::sin(half) {
                    cone.add(back, half);
                }
            }
            prop_assert!(cone.outside(vector) >= vector.dot(plane) - 1e-9);
        }
    }

    #[test]
    fn outside_of_one_cone_the_distance_is_that_of_its_rim() {
        let mut cone = SpaceCone::default();
        cone.add(DVec3::Y, 0.0);
        assert!((cone.outside(DVec3::new(3.0, 4.0, 0.0)) - 3.0).abs() < 1e-15);
        assert_eq!(cone.outside(DVec3::new(0.0, -2.0, 0.0)), 2.0);
        assert_eq!(cone.outside(DVec3::new(0.0, 2.0, 0.0)), 0.0);
        assert_eq!(SpaceCone::default().outside(DVec3::new(3.0, 4.0, 12.0)), 13.0);
        // Two walls and a floor give everything between their normals, and nothing beyond.
        for normal in [DVec3::X, DVec3::Z] {
            cone.add(normal, 0.0);
        }
        assert!(cone.outside(DVec3::new(1.0, 2.0, 3.0)) < 1e-12);
        assert!((cone.outside(DVec3::new(1.0, 2.0, -3.0)) - 3.0).abs() < 1e-12);
    }
}
