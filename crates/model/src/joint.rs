//! Joints between bodies.

use glam::{DQuat, DVec2, DVec3};

/// What a joint holds together. Its anchors and its axis are those of its [`JointFrame`]s.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum JointKind {
    /// The two anchors stay at a fixed distance.
    Rod,
    /// The anchors come no further apart than a length.
    Rope,
    /// A force along the line of the anchors: stiffness times stretch, plus damping times its rate.
    Spring {
        /// N/m.
        stiffness: f64,
        /// N s/m.
        damping: f64,
    },
    /// The anchors stay together and the axes stay common; the bodies turn about them, between limits of the angle by which the second
    /// body has turned against the first if there are any, rad. In the plane the limits bound angle_j - angle_i.
    Hinge {
        /// Smallest and largest angle.
        limits: Option<[f64; 2]>,
    },
    /// The second anchor stays on the line through the first along the axis; no turning against each other.
    Slider {
        /// Smallest and largest way along the axis, m.
        limits: Option<[f64; 2]>,
    },
    /// The anchors stay together, and the bodies turn freely; in space.
    Socket,
    /// The bodies keep their place and angle to each other.
    Weld,
}

impl JointKind {
    /// Name of the feature an engine must have for it.
    pub fn feature(&self) -> &'static str {
        match self {
            JointKind::Rod => "joint.rod",
            JointKind::Rope => "joint.rope",
            JointKind::Spring { .. } => "joint.spring",
            JointKind::Hinge { .. } => "joint.hinge",
            JointKind::Slider { .. } => "joint.slider",
            JointKind::Socket => "joint.socket",
            JointKind::Weld => "joint.weld",
        }
    }

    /// The word that names it in scenes and in the engine protocol.
    pub fn word(&self) -> &'static str {
        self.feature().trim_start_matches("joint.")
    }

    /// Whether the bodies it joins do not collide with each other.
    pub fn keeps_apart(&self) -> bool {
        match self {
            JointKind::Hinge { .. } | JointKind::Slider { .. } | JointKind::Socket | JointKind::Weld => true,
            JointKind::Rod | JointKind::Rope | JointKind::Spring { .. } => false,
        }
    }
}

/// Where a joint holds on to a body, in the body's own frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct JointFrame {
    /// m.
    pub anchor: DVec3,
    /// Unit vector: the axis of a hinge, the line of a slider; of no meaning for other kinds.
    pub axis: DVec3,
}

impl JointFrame {
    /// The frames of a joint of the plane that turns about z or has no axis of its own.
    pub fn planar(anchors: [DVec2; 2]) -> [JointFrame; 2] {
        anchors.map(|anchor| JointFrame { anchor: anchor.extend(0.0), axis: DVec3::Z })
    }

    /// The frames of a joint between two bodies that stand as built: `axis` is given in the frame of the first, and the second gets the
    /// direction that coincides with it.
    pub fn pair(anchors: [DVec3; 2], axis: DVec3, rotations: [DQuat; 2]) -> [JointFrame; 2] {
        // What turns about z alone leaves it where it is, to the bit.
        let planar = rotations.iter().all(|rotation| rotation.x == 0.0 && rotation.y == 0.0);
        let alike = rotations[0] == rotations[1] || (axis == DVec3::Z && planar);
        let second = if alike { axis } else { rotations[1].conjugate() * (rotations[0] * axis) };
        [JointFrame { anchor: anchors[0], axis }, JointFrame { anchor: anchors[1], axis: second }]
    }
}

/// A joint between two bodies.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Joint {
    /// What it does.
    pub kind: JointKind,
    /// The bodies, the first and the second.
    pub bodies: [usize; 2],
    /// Where it holds on to each of them.
    pub frames: [JointFrame; 2],
    /// Length of a rod, rope or spring, m; the distance as built when absent.
    pub length: Option<f64>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn joints_name_their_feature_and_say_whom_they_keep_apart() {
        let hinge = JointKind::Hinge { limits: None };
        assert_eq!((hinge.feature(), hinge.keeps_apart()), ("joint.hinge", true));
        assert_eq!((JointKind::Rope.feature(), JointKind::Rope.keeps_apart()), ("joint.rope", false));
    }

    #[test]
    fn the_axis_of_a_joint_coincides_on_both_bodies_as_built() {
        let rotations = [DQuat::from_rotation_z(0.3), DQuat::from_rotation_z(-1.1)];
        let [first, second] = JointFrame::pair([DVec3::ZERO; 2], DVec3::X, rotations);
        assert!((rotations[0] * first.axis).distance(rotations[1] * second.axis) < 1e-15);
        assert_eq!(JointFrame::pair([DVec3::X; 2], DVec3::Z, rotations)[1].axis, DVec3::Z);
    }
}
