//! What no joint may have, whoever built it.

use ironspin_model::{Dimension, EngineError, JointKind, World};

/// # Errors
/// [`EngineError::BadWorld`] for a joint that makes no sense, [`EngineError::Unsupported`] for one that its world does not have.
pub(crate) fn check_joints(world: &World) -> Result<(), EngineError> {
    for joint in &world.joints {
        let bad = |what: &str| Err(EngineError::BadWorld { why: format!("a joint has {what}") });
        if joint.bodies.iter().any(|&body| body >= world.rigid_count()) || joint.bodies[0] == joint.bodies[1] {
            return bad("bodies that are not two of the world's");
        }
        if joint.frames.iter().any(|frame| !frame.anchor.is_finite())
            || joint.length.is_some_and(|length| !(length >= 0.0 && length.is_finite()))
        {
            return bad("an anchor or length that is not finite");
        }
        let sound = |limits: Option<[f64; 2]>| {
            limits.is_none_or(|[low, high]| low <= high && low.is_finite() && high.is_finite())
        };
        let fine = match joint.kind {
            JointKind::Spring { stiffness, damping } => {
                stiffness >= 0.0 && damping >= 0.0 && stiffness.is_finite() && damping.is_finite()
            }
            JointKind::Hinge { limits } => (joint.frames[0].axis.length() - 1.0).abs() < 1e-6 && sound(limits),
            JointKind::Slider { limits } => (joint.frames[0].axis.length() - 1.0).abs() < 1e-6 && sound(limits),
            JointKind::Socket if world.dimension == Dimension::Plane => {
                return Err(EngineError::Unsupported {
                    feature: format!("joint.socket in {}", Dimension::Plane.feature()),
                });
            }
            JointKind::Rod | JointKind::Rope | JointKind::Socket | JointKind::Weld => true,
        };
        if !fine {
            return bad("a stiffness, damping, axis or limit that makes no sense");
        }
    }
    Ok(())
}
