//! Primitives of a joint: a line between the anchors, and a sign of what it does.

use super::Primitive;
use ironspin_model::{DVec2, DVec3, Joint, JointKind};
use serde::{Deserialize, Serialize};

/// Windings of a drawn spring.
const WINDINGS: usize = 6;
/// Half the length of a drawn axis, in sizes of signs.
const AXIS: f64 = 6.0;

/// What a joint looks like wherever its anchors are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct JointSign {
    pub(crate) line: JointLine,
    /// Whether a ring stands around the first and the second anchor.
    pub(crate) rings: [bool; 2],
}

/// The line of a joint.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum JointLine {
    /// From anchor to anchor.
    #[default]
    Straight,
    /// To and fro from anchor to anchor.
    Zigzag,
    /// From the first anchor to the centres of bodies that are far from it.
    Arms,
    /// A cross at the first anchor.
    Cross,
    /// Through the first anchor along a direction in the frame of the first body.
    Axis([f64; 3]),
}

impl JointSign {
    /// The one place that knows what each kind of joint looks like.
    pub(crate) fn of(joint: &Joint) -> JointSign {
        let sign = |line: JointLine, rings: [bool; 2]| JointSign { line, rings };
        match joint.kind {
            JointKind::Rod => sign(JointLine::Straight, [true, true]),
            JointKind::Rope => sign(JointLine::Straight, [false, false]),
            JointKind::Spring { .. } => sign(JointLine::Zigzag, [false, false]),
            JointKind::Hinge { .. } => sign(JointLine::Arms, [true, false]),
            JointKind::Slider { .. } => sign(JointLine::Axis(joint.frames[0].axis.to_array()), [false, true]),
            JointKind::Socket => sign(JointLine::Arms, [true, true]),
            JointKind::Weld => sign(JointLine::Cross, [false, false]),
        }
    }
}

/// A joint between bodies; `place` gives where a point of a body that is there is seen, and `small` is the size of signs, m. Nothing when one of the
/// two is not there.
pub(crate) fn joint_figure(joint: &Joint, place: impl Fn(usize, DVec3) -> Option<DVec2>, small: f64) -> Vec<Primitive> {
    let anchor = |end: usize| place(joint.bodies[end], joint.frames[end].anchor);
    let (Some(a), Some(b)) = (anchor(0), anchor(1)) else { return Vec::new() };
    let sign = JointSign::of(joint);
    let mut drawn = match sign.line {
        JointLine::Straight => vec![Primitive::Line(vec![a, b])],
        JointLine::Zigzag => vec![Primitive::Line(zigzag(a, b, small))],
        JointLine::Arms => {
            let centres = joint.bodies.into_iter().filter_map(|body| place(body, DVec3::ZERO));
            let far = centres.filter(|centre| centre.distance(a) > 4.0 * small);
            far.map(|centre| Primitive::Line(vec![a, centre])).collect()
        }
        JointLine::Axis(axis) => {
            let along = DVec3::from_array(axis) * (AXIS * small);
            let end = |side: f64| place(joint.bodies[0], joint.frames[0].anchor + along * side);
            [end(-1.0), end(1.0)].into_iter().collect::<Option<Vec<_>>>().map(Primitive::Line).into_iter().collect()
        }
        JointLine::Cross => {
            let arm = DVec2::new(small, small);
            vec![Primitive::Line(vec![a - arm, a + arm]), Primitive::Line(vec![a - arm.perp(), a + arm.perp()])]
        }
    };
    let ring = |centre: DVec2| Primitive::Round { centre, radius: small, spoke: None };
    drawn.extend([a, b].into_iter().zip(sign.rings).filter(|(_, ringed)| *ringed).map(|(centre, _)| ring(centre)));
    drawn
}

/// A line that goes to and fro between two points.
fn zigzag(from: DVec2, to: DVec2, wide: f64) -> Vec<DVec2> {
    let across = (to - from).perp().normalize_or_zero() * wide;
    let steps = 2 * WINDINGS;
    let winding = |step: usize| {
        let side = if step.is_multiple_of(2) { 1.0 } else { -1.0 };
        from.lerp(to, (step as f64 + 0.5) / steps as f64) + across * side
    };
    [from].into_iter().chain((0..steps).map(winding)).chain([to]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::JointFrame;

    #[test]
    fn a_joint_is_drawn_where_its_anchors_are_and_not_at_all_without_a_body() {
        let quarter = |x: f64, at: DVec3| DVec2::new(x - at.y, at.x);
        let joint =
            |kind| Joint { kind, bodies: [0, 1], frames: JointFrame::planar([DVec2::X, DVec2::ZERO]), length: None };
        let both = |body: usize, at: DVec3| Some(quarter([0.0, 5.0][body], at));
        let one = |body: usize, at: DVec3| (body == 0).then(|| quarter(0.0, at));
        let rod = joint_figure(&joint(JointKind::Rod), both, 0.1);
        let Primitive::Line(ends) = &rod[0] else { panic!("{rod:?}") };
        assert!(ends[0].distance(DVec2::Y) < 1e-12 && ends[1] == DVec2::new(5.0, 0.0), "{ends:?}");
        let spring = joint_figure(&joint(JointKind::Spring { stiffness: 1.0, damping: 0.0 }), both, 0.1);
        let Primitive::Line(points) = &spring[0] else { panic!("{spring:?}") };
        assert_eq!(points.len(), 2 * WINDINGS + 2);
        assert!(points.iter().all(|point| point.is_finite()));
        for kind in [
            JointKind::Rope,
            JointKind::Socket,
            JointKind::Weld,
            JointKind::Hinge { limits: None },
            JointKind::Slider { limits: None },
        ] {
            assert!(!joint_figure(&joint(kind), both, 0.1).is_empty());
            assert!(joint_figure(&joint(kind), one, 0.1).is_empty());
        }
    }
}
