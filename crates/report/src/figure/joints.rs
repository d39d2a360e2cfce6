//! Primitives of a joint: a line between the anchors, and a sign of what it does.

use super::Primitive;
use ironspin_model::{DVec2, Joint, JointKind};
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
    Axis([f64; 2]),
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
            JointKind::Slider { .. } => {
                let axis = joint.frames[0].axis;
                sign(JointLine::Axis([axis.x, axis.y]), [false, true])
            }
            JointKind::Weld => sign(JointLine::Cross, [false, false]),
        }
    }
}

/// A joint between bodies; `pose` gives the place, m, and the angle, rad, of one that is there, and `small` is the size of signs, m. Nothing
/// when one of the two is not there.
pub(crate) fn joint_figure(joint: &Joint, pose: impl Fn(usize) -> Option<(DVec2, f64)>, small: f64) -> Vec<Primitive> {
    let [Some(first), Some(second)] = joint.bodies.map(&pose) else { return Vec::new() };
    let anchor = |(at, angle): (DVec2, f64), end: usize| at + turned(joint.frames[end].anchor.truncate(), angle);
    let anchors = [anchor(first, 0), anchor(second, 1)];
    let [a, b] = anchors;
    let sign = JointSign::of(joint);
    let mut drawn = match sign.line {
        JointLine::Straight => vec![Primitive::Line(vec![a, b])],
        JointLine::Zigzag => vec![Primitive::Line(zigzag(a, b, small))],
        JointLine::Arms => {
            let far = [first.0, second.0].into_iter().filter(|centre| centre.distance(a) > 4.0 * small);
            far.map(|centre| Primitive::Line(vec![a, centre])).collect()
        }
        JointLine::Axis([x, y]) => {
            let along = turned(DVec2::new(x, y), first.1) * (AXIS * small);
            vec![Primitive::Line(vec![a - along, a + along])]
        }
        JointLine::Cross => {
            let arm = DVec2::new(small, small);
            vec![Primitive::Line(vec![a - arm, a + arm]), Primitive::Line(vec![a - arm.perp(), a + arm.perp()])]
        }
    };
    let ring = |centre: DVec2| Primitive::Round { centre, radius: small, spoke: None };
    drawn.extend(anchors.into_iter().zip(sign.rings).filter(|(_, ringed)| *ringed).map(|(centre, _)| ring(centre)));
    drawn
}

fn turned(v: DVec2, angle: f64) -> DVec2 {
    DVec2::new(libm::cos(angle), libm::sin(angle)).rotate(v)
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
        let pose = |x: f64| Some((DVec2::new(x, 0.0), std::f64::consts::FRAC_PI_2));
        let joint =
            |kind| Joint { kind, bodies: [0, 1], frames: JointFrame::planar([DVec2::X, DVec2::ZERO]), length: None };
        let (both, one) = ([pose(0.0), pose(5.0)], [pose(0.0), None]);
        let rod = joint_figure(&joint(JointKind::Rod), |body| both[body], 0.1);
        let Primitive::Line(ends) = &rod[0] else { panic!("{rod:?}") };
        assert!(ends[0].distance(DVec2::Y) < 1e-12 && ends[1] == DVec2::new(5.0, 0.0), "{ends:?}");
        let spring = joint_figure(&joint(JointKind::Spring { stiffness: 1.0, damping: 0.0 }), |body| both[body], 0.1);
        let Primitive::Line(points) = &spring[0] else { panic!("{spring:?}") };
        assert_eq!(points.len(), 2 * WINDINGS + 2);
        assert!(points.iter().all(|point| point.is_finite()));
        for kind in
            [JointKind::Rope, JointKind::Weld, JointKind::Hinge { limits: None }, JointKind::Slider { limits: None }]
        {
            assert!(!joint_figure(&joint(kind), |body| both[body], 0.1).is_empty());
            assert!(joint_figure(&joint(kind), |body| one[body], 0.1).is_empty());
        }
    }
}
