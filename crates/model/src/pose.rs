//! Where something stands and how it is turned, and how it resists turning.

use glam::{DMat3, DQuat, DVec2, DVec3};

/// A place and a rotation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pose {
    /// m.
    pub position: DVec3,
    /// From the own axes to those outside; a unit quaternion.
    pub rotation: DQuat,
    /// In the plane the angle about z, counted on through whole turns, rad, which the rotation alone cannot tell; 0 in space.
    pub angle: f64,
}

impl Pose {
    /// At the origin, not turned.
    pub const IDENTITY: Pose = Pose { position: DVec3::ZERO, rotation: DQuat::IDENTITY, angle: 0.0 };

    /// A pose in the plane, turned about z by an angle, rad.
    pub fn planar(position: DVec3, angle: f64) -> Pose {
        // Built by hand so that the sine comes from the same library on every platform.
        let (sin, cos) = (libm::sin(0.5 * angle), libm::cos(0.5 * angle));
        Pose { position, rotation: DQuat::from_xyzw(0.0, 0.0, sin, cos), angle }
    }

    /// The same from a point of the plane.
    pub fn flat(position: DVec2, angle: f64) -> Pose {
        Pose::planar(position.extend(0.0), angle)
    }

    /// Not turned.
    pub fn at(position: DVec3) -> Pose {
        Pose { position, ..Pose::IDENTITY }
    }

    /// Turns it to an angle about z, rad.
    pub fn turn_to(&mut self, angle: f64) {
        *self = Pose::planar(self.position, angle);
    }

    /// The position in the plane, m.
    pub fn xy(&self) -> DVec2 {
        self.position.truncate()
    }
}

/// A turning speed or torque of the plane as a vector: along z.
pub fn about_z(amount: f64) -> DVec3 {
    DVec3::new(0.0, 0.0, amount)
}

/// Inertia about the centre of mass in the body's own axes: the symmetric matrix, kg m². In the plane only its zz counts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Inertia(pub DMat3);

impl Inertia {
    /// That of a body that nothing turns.
    pub const ZERO: Inertia = Inertia(DMat3::ZERO);

    /// Of a body of the plane: the moment about z, kg m².
    pub fn planar(moment: f64) -> Inertia {
        Inertia(DMat3::from_diagonal(DVec3::new(0.0, 0.0, moment)))
    }

    /// The moment about z, kg m².
    #[inline]
    pub fn zz(&self) -> f64 {
        self.0.z_axis.z
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::{FRAC_PI_2, TAU};

    #[test]
    fn a_planar_pose_turns_x_to_y_and_counts_whole_turns() {
        let pose = Pose::planar(DVec3::X, FRAC_PI_2 + TAU);
        assert!((pose.rotation * DVec3::X).distance(DVec3::Y) < 1e-15);
        assert_eq!((pose.angle, pose.xy()), (FRAC_PI_2 + TAU, DVec2::X));
        assert_eq!(Pose::planar(DVec3::ZERO, 0.0), Pose::IDENTITY);
    }

    #[test]
    fn the_moment_of_a_planar_body_is_kept_to_the_bit() {
        assert_eq!(Inertia::planar(0.1).zz(), 0.1);
        assert_eq!(Inertia::planar(0.0), Inertia::ZERO);
    }
}
