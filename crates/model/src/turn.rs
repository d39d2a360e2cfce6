//! Rotations of space. Sines come from one library, so that a turn has the same bits on every platform.

use crate::Inertia;
use glam::{DMat3, DQuat, DVec3};

/// The rotation by an angle about an axis of unit length, rad, by the right-hand rule.
pub fn about(axis: DVec3, angle: f64) -> DQuat {
    let (sin, cos) = (libm::sin(0.5 * angle), libm::cos(0.5 * angle));
    DQuat::from_xyzw(axis.x * sin, axis.y * sin, axis.z * sin, cos)
}

/// The rotation by a vector whose length is the angle, rad.
pub fn by_vector(vector: DVec3) -> DQuat {
    let angle = vector.length();
    // Below, the sine is the angle to the last digit, and the axis of nothing is none.
    if angle < 1e-9 {
        let half = 0.5 * vector;
        return DQuat::from_xyzw(half.x, half.y, half.z, 1.0);
    }
    about(vector / angle, angle)
}

/// The vector of a rotation: its axis, as long as its angle, rad, up to half a turn.
pub fn vector(rotation: DQuat) -> DVec3 {
    let sign = if rotation.w < 0.0 { -1.0 } else { 1.0 };
    let axis = DVec3::new(rotation.x, rotation.y, rotation.z) * sign;
    let sine = axis.length();
    if sine < 1e-9 {
        return 2.0 * axis;
    }
    axis * (2.0 * libm::atan2(sine, rotation.w.abs()) / sine)
}

/// The product of two rotations: first `second`, then `first`. Written out, so that it has the same bits with every vector unit.
pub fn product(first: DQuat, second: DQuat) -> DQuat {
    let (a, b) = (first, second);
    DQuat::from_xyzw(
        a.w * b.x + a.x * b.w + (a.y * b.z - a.z * b.y),
        a.w * b.y + a.y * b.w + (a.z * b.x - a.x * b.z),
        a.w * b.z + a.z * b.w + (a.x * b.y - a.y * b.x),
        a.w * b.w - (a.x * b.x + a.y * b.y + a.z * b.z),
    )
}

/// A vector turned by a rotation: q v q*.
pub fn turned(rotation: DQuat, v: DVec3) -> DVec3 {
    let axis = DVec3::new(rotation.x, rotation.y, rotation.z);
    let twice = 2.0 * axis.cross(v);
    v + rotation.w * twice + axis.cross(twice)
}

/// A vector turned back by a rotation: q* v q.
pub fn turned_back(rotation: DQuat, v: DVec3) -> DVec3 {
    turned(rotation.conjugate(), v)
}

/// The columns of the matrix of a rotation: where it turns the axes.
pub fn matrix(rotation: DQuat) -> DMat3 {
    DMat3::from_cols(turned(rotation, DVec3::X), turned(rotation, DVec3::Y), turned(rotation, DVec3::Z))
}

/// Inertia along turned axes: R I Rᵀ, kg m². What is alike in all directions stays so to the bit.
pub fn turned_inertia(rotation: DQuat, inertia: Inertia) -> Inertia {
    let Inertia(own) = inertia;
    if own == DMat3::from_diagonal(DVec3::splat(own.x_axis.x)) || rotation == DQuat::IDENTITY {
        return inertia;
    }
    let m = matrix(rotation);
    Inertia(m * own * m.transpose())
}

/// The angle between two rotations, rad, from 0 to pi, whatever the signs of their quaternions.
pub fn angle_between(a: DQuat, b: DQuat) -> f64 {
    let way = product(a.conjugate(), b);
    let sine = DVec3::new(way.x, way.y, way.z).length();
    2.0 * libm::atan2(sine, way.w.abs())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::{FRAC_PI_2, PI};

    #[test]
    fn turns_follow_the_right_hand_rule_and_come_one_after_the_other() {
        let (about_y, about_x) = (about(DVec3::Y, FRAC_PI_2), about(DVec3::X, FRAC_PI_2));
        assert!(turned(about_y, DVec3::Z).distance(DVec3::X) < 1e-15);
        // First about y, then about x.
        let both = product(about_x, about_y);
        assert!(turned(both, DVec3::X).distance(turned(about_x, turned(about_y, DVec3::X))) < 1e-15);
        assert!(turned_back(both, turned(both, DVec3::new(1.0, 2.0, 3.0))).distance(DVec3::new(1.0, 2.0, 3.0)) < 1e-14);
        assert!(by_vector(DVec3::new(0.0, FRAC_PI_2, 0.0)).abs_diff_eq(about_y, 1e-15));
        assert_eq!(by_vector(DVec3::ZERO), DQuat::IDENTITY);
    }

    #[test]
    fn the_angle_between_two_turns_does_not_mind_signs() {
        let (a, b) = (about(DVec3::X, 0.3), about(DVec3::X, 1.1));
        assert!((angle_between(a, b) - 0.8).abs() < 1e-15 && (angle_between(a, -b) - 0.8).abs() < 1e-15);
        assert!((angle_between(a, about(DVec3::X, 0.3 + PI)) - PI).abs() < 1e-15);
        // Small angles keep their digits.
        assert!((angle_between(a, product(about(DVec3::Y, 1e-12), a)) / 1e-12 - 1.0).abs() < 1e-3);
    }

    #[test]
    fn inertia_turns_with_its_axes() {
        let own = Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 3.0)));
        let Inertia(turned) = turned_inertia(about(DVec3::Z, FRAC_PI_2), own);
        assert!(turned.abs_diff_eq(DMat3::from_diagonal(DVec3::new(2.0, 1.0, 3.0)), 1e-15));
        let alike = Inertia(DMat3::from_diagonal(DVec3::splat(0.1)));
        assert_eq!(turned_inertia(about(DVec3::Z, 1.0), alike), alike);
    }
}
