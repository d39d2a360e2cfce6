//! Primitives of a joint: a line between the anchors, and a sign of what it does.

use super::Primitive;
use ironspin_model::{DVec2, DVec3, Dimension, Joint, JointKind, World, turn};
use serde::{Deserialize, Serialize};

/// Windings of a drawn spring.
const WINDINGS: usize = 6;
/// Half the length of a drawn axis, in sizes of signs.
const AXIS: f64 = 6.0;

/// Length of the hand of a hinge and of what limits it, in sizes of signs.
const HAND: f64 = 5.0;
/// Angle between two corners of the arc from one limit to the other, rad.
const CORNER: f64 = 0.2;

/// What a joint looks like wherever its anchors are.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct JointSign {
    pub(crate) line: JointLine,
    /// Whether a ring stands around the first and the second anchor.
    pub(crate) rings: [bool; 2],
    /// Axis and limits. None in files of earlier versions.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) marks: Vec<JointMark>,
}

/// A line that goes along with one of the bodies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct JointMark {
    /// Which of the two.
    pub(crate) end: usize,
    /// From its anchor, in the frame of the body, m.
    at: [f64; 3],
    /// Corners from there, in the frame of the body, in sizes of signs.
    corners: Vec<[f64; 3]>,
}

impl JointMark {
    fn of(end: usize, at: DVec3, corners: impl IntoIterator<Item = DVec3>) -> JointMark {
        let short = |v: DVec3| v.to_array().map(|part| (1e4 * part).round() / 1e4);
        JointMark { end, at: at.to_array(), corners: corners.into_iter().map(short).collect() }
    }
}

/// The axis of a hinge of space; of a hinge with limits the sector that it may turn in, along with the first body, and a hand along with the second, which
/// points at the second body; of a slider with limits a tick at each.
fn marks(joint: &Joint, world: &World) -> Vec<JointMark> {
    let [first, second] = joint.frames;
    let axis = first.axis;
    match joint.kind {
        JointKind::Hinge { limits } => {
            let in_space = world.dimension == Dimension::Space;
            let line = in_space.then(|| JointMark::of(0, DVec3::ZERO, [axis * -AXIS, axis * AXIS]));
            let sector = limits.into_iter().flat_map(|[low, high]| {
                let out = -second.anchor + second.axis * second.axis.dot(second.anchor);
                let hand = out.try_normalize().unwrap_or_else(|| second.axis.any_orthonormal_vector());
                let [one, other] = joint.bodies.map(|body| world.bodies[body].pose.rotation);
                let zero = turn::turned_back(one, turn::turned(other, hand)) * HAND;
                let corners = ((high - low) / CORNER).ceil().clamp(1.0, 100.0) as u32;
                let at = |k: u32| {
                    let angle = low + (high - low) * f64::from(k) / f64::from(corners);
                    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
                    // It stands across the axis.
                    zero * cos + axis.cross(zero) * sin
                };
                let edge = [DVec3::ZERO].into_iter().chain((0..=corners).map(at)).chain([DVec3::ZERO]);
                [JointMark::of(0, DVec3::ZERO, edge), JointMark::of(1, DVec3::ZERO, [DVec3::ZERO, hand * (1.3 * HAND)])]
            });
            line.into_iter().chain(sector).collect()
        }
        JointKind::Slider { limits } => {
            let across = match world.dimension {
                Dimension::Plane => DVec3::Z.cross(axis),
                Dimension::Space => axis.any_orthonormal_vector(),
            };
            let tick = |limit: f64| JointMark::of(0, axis * limit, [across * 2.0, across * -2.0]);
            limits.into_iter().flatten().map(tick).collect()
        }
        _ => Vec::new(),
    }
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
    pub(crate) fn of(joint: &Joint, world: &World) -> JointSign {
        let sign = |line: JointLine, rings: [bool; 2]| JointSign { line, rings, marks: marks(joint, world) };
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
pub(crate) fn joint_figure(
    (joint, world): (&Joint, &World),
    place: impl Fn(usize, DVec3) -> Option<DVec2>,
    small: f64,
) -> Vec<Primitive> {
    let anchor = |end: usize| place(joint.bodies[end], joint.frames[end].anchor);
    let (Some(a), Some(b)) = (anchor(0), anchor(1)) else { return Vec::new() };
    let sign = JointSign::of(joint, world);
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
    let mark = |mark: &JointMark| {
        let start = joint.frames[mark.end].anchor + DVec3::from_array(mark.at);
        let corner = |corner: &[f64; 3]| place(joint.bodies[mark.end], start + DVec3::from_array(*corner) * small);
        mark.corners.iter().map(corner).collect::<Option<Vec<_>>>().map(Primitive::Line)
    };
    drawn.extend(sign.marks.iter().filter_map(mark));
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
    use ironspin_model::{Body, JointFrame, Pose};

    fn two_bodies(dimension: Dimension) -> World {
        let bodies = vec![Body::plain("post"), Body { pose: Pose::at(DVec3::X), ..Body::plain("arm") }];
        World { dimension, bodies, ..World::planar(1.0) }
    }

    #[test]
    fn a_hinge_shows_its_axis_its_sector_and_a_hand_and_a_slider_its_ends() {
        let frames =
            |axis: DVec3| JointFrame::pair([DVec3::ZERO, -DVec3::X], axis, [ironspin_model::DQuat::IDENTITY; 2]);
        let joint = |kind, axis: DVec3| Joint { kind, bodies: [0, 1], frames: frames(axis), length: None };
        let world = two_bodies(Dimension::Space);
        let hinge = JointSign::of(&joint(JointKind::Hinge { limits: Some([-0.5, 1.0]) }, DVec3::Z), &world);
        let [axis, sector, hand] = &hinge.marks[..] else { panic!("{hinge:?}") };
        assert_eq!(axis.corners, [[0.0, 0.0, -AXIS], [0.0, 0.0, AXIS]]);
        let angle = |corner: &[f64; 3]| libm::atan2(corner[1], corner[0]);
        let inner = &sector.corners[1..sector.corners.len() - 1];
        assert!(
            (angle(&inner[0]) + 0.5).abs() < 1e-4 && (angle(&inner[inner.len() - 1]) - 1.0).abs() < 1e-4,
            "{inner:?}"
        );
        assert!(hand.end == 1 && angle(&hand.corners[1]) == 0.0 && hand.corners[1][0] > HAND, "{hand:?}");
        let slider = JointSign::of(&joint(JointKind::Slider { limits: Some([-0.2, 0.3]) }, DVec3::Y), &world);
        let ends: Vec<[f64; 3]> = slider.marks.iter().map(|mark| mark.at).collect();
        assert_eq!(ends, [[0.0, -0.2, 0.0], [0.0, 0.3, 0.0]]);
        let free = JointSign::of(&joint(JointKind::Hinge { limits: None }, DVec3::Z), &two_bodies(Dimension::Plane));
        assert!(free.marks.is_empty());
    }

    #[test]
    fn a_joint_is_drawn_where_its_anchors_are_and_not_at_all_without_a_body() {
        let world = two_bodies(Dimension::Plane);
        let quarter = |x: f64, at: DVec3| DVec2::new(x - at.y, at.x);
        let joint =
            |kind| Joint { kind, bodies: [0, 1], frames: JointFrame::planar([DVec2::X, DVec2::ZERO]), length: None };
        let both = |body: usize, at: DVec3| Some(quarter([0.0, 5.0][body], at));
        let one = |body: usize, at: DVec3| (body == 0).then(|| quarter(0.0, at));
        let rod = joint_figure((&joint(JointKind::Rod), &world), both, 0.1);
        let Primitive::Line(ends) = &rod[0] else { panic!("{rod:?}") };
        assert!(ends[0].distance(DVec2::Y) < 1e-12 && ends[1] == DVec2::new(5.0, 0.0), "{ends:?}");
        let spring = joint_figure((&joint(JointKind::Spring { stiffness: 1.0, damping: 0.0 }), &world), both, 0.1);
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
            assert!(!joint_figure((&joint(kind), &world), both, 0.1).is_empty());
            assert!(joint_figure((&joint(kind), &world), one, 0.1).is_empty());
        }
    }
}
