//! What an engine answers: frames.

use crate::Pose;
use crate::turn::turned;
use glam::{DQuat, DVec3};

/// The state of one body at one step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BodyState {
    /// Where its centre of mass stands, and how it is turned.
    pub pose: Pose,
    /// Velocity of the centre of mass, m/s.
    pub velocity: DVec3,
    /// Angular velocity in world axes, rad/s.
    pub spin: DVec3,
}

impl BodyState {
    /// A state in the plane: angle in rad, spin about z in rad/s.
    pub fn planar(position: DVec3, angle: f64, velocity: DVec3, spin: f64) -> Self {
        BodyState { pose: Pose::planar(position, angle), velocity, spin: DVec3::new(0.0, 0.0, spin) }
    }

    /// The state of a body that is not there: nothing but not-a-number.
    pub fn absent() -> Self {
        let nan = DVec3::NAN;
        let pose =
            Pose { position: nan, rotation: DQuat::from_xyzw(f64::NAN, f64::NAN, f64::NAN, f64::NAN), angle: f64::NAN };
        BodyState { pose, velocity: nan, spin: nan }
    }

    /// Whether the body is not there: nothing in its state is a number.
    pub fn is_absent(&self) -> bool {
        self.pose.position.x.is_nan() && self.velocity.x.is_nan() && self.spin.z.is_nan() && self.pose.rotation.is_nan()
    }

    /// Where a point of the body is, m; the point is given in its own frame about its centre of mass.
    pub fn place_of(&self, local: DVec3) -> DVec3 {
        self.pose.position + turned(self.pose.rotation, local)
    }

    /// The velocity of such a point, m/s.
    pub fn velocity_of(&self, local: DVec3) -> DVec3 {
        self.velocity + self.spin.cross(turned(self.pose.rotation, local))
    }

    /// Whether every number of the state is finite.
    pub fn is_finite(&self) -> bool {
        self.pose.position.is_finite()
            && self.velocity.is_finite()
            && self.spin.is_finite()
            && self.pose.rotation.is_finite()
            && self.pose.angle.is_finite()
    }
}

/// One contact point as the engine reports it. Gauges treat it as a hint and check it against the states.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Contact {
    /// The two bodies, the smaller id first.
    pub bodies: [usize; 2],
    /// Where, in world coordinates, m.
    pub point: DVec3,
    /// Unit normal from the first body to the second.
    pub normal: DVec3,
    /// Overlap along the normal, m; negative for a gap.
    pub depth: f64,
    /// Normal impulse over the step, N s.
    pub impulse: f64,
    /// How many impacts this notice stands for, 0 for mere pressing; nothing where the engine does not say, and the notice may be a sum.
    pub times: Option<u64>,
}

/// The state of the whole world at one step.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Frame {
    /// Steps done so far; frame 0 is the world as built.
    pub step: u64,
    /// Simulated time, s: the sum of the step lengths so far.
    pub time: f64,
    /// One state per body, in the order of the ids: rigid bodies, then the nodes of soft ones.
    pub bodies: Vec<BodyState>,
    /// Contact points of this step, in the order in which they acted.
    pub contacts: Vec<Contact>,
    /// What sensors noticed since the frame before.
    pub events: Vec<SensorEvent>,
    /// Bodies whose quaternion was not of unit length as the engine told it, and by how much longer than one it was; it stands normalised in `bodies`.
    pub off_unit: Vec<(usize, f64)>,
}

/// Rounding of a quaternion's length that is left as it is.
const UNIT_ROUNDING: f64 = 1e-12;

impl Frame {
    /// Whether every quaternion of a body that is there has unit length, but for rounding.
    pub fn has_unit_rotations(&self) -> bool {
        self.bodies.iter().all(|state| state.is_absent() || !is_off(state))
    }

    /// Makes every quaternion of unit length that is off by more than rounding, and notes by how much it was. One of no length stays as it is.
    pub fn normalise_rotations(&mut self) {
        self.off_unit.clear();
        for (id, state) in self.bodies.iter_mut().enumerate().filter(|(_, state)| !state.is_absent()) {
            let length = state.pose.rotation.length();
            if is_off(state) && length > 0.0 && length.is_finite() {
                state.pose.rotation *= 1.0 / length;
                self.off_unit.push((id, length - 1.0));
            }
        }
    }
}

fn is_off(state: &BodyState) -> bool {
    !((state.pose.rotation.length() - 1.0).abs() <= UNIT_ROUNDING)
}

/// A notice of a sensor.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct SensorEvent {
    /// The step after which it was noticed.
    pub step: u64,
    /// Came in or went out.
    pub kind: SensorEventKind,
    /// Body and part of the sensor.
    pub sensor: [usize; 2],
    /// Body and part that was noticed.
    pub other: [usize; 2],
}

/// Whether something came in or went out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SensorEventKind {
    /// It overlaps now and did not before.
    Enter,
    /// It overlapped before and does not now.
    Leave,
}

impl Frame {
    /// Makes this frame one of the same moment without contacts and events, which gauges do not ask of the frame before.
    pub fn take_motion_of(&mut self, frame: &Frame) {
        (self.step, self.time) = (frame.step, frame.time);
        self.bodies.clone_from(&frame.bodies);
        self.contacts.clear();
        self.events.clear();
    }

    /// The first body with a number that is not finite.
    pub fn first_not_finite(&self) -> Option<usize> {
        self.bodies.iter().position(|b| !b.is_finite())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_body_that_is_not_there_is_none_of_the_finite_and_no_other_is_absent() {
        let there = BodyState::planar(DVec3::X, 0.5, DVec3::Y, 2.0);
        assert!(there.is_finite() && !there.is_absent());
        assert!(BodyState::absent().is_absent() && !BodyState::absent().is_finite());
        // One number that is none is a mistake, and not an absence.
        let broken = BodyState { velocity: DVec3::new(f64::NAN, 0.0, 0.0), ..there };
        assert!(!broken.is_absent() && !broken.is_finite());
        let far = BodyState { spin: DVec3::new(0.0, 0.0, f64::INFINITY), ..there };
        assert!(!far.is_finite());
        let frame = Frame { bodies: vec![there, far, BodyState::absent()], ..Frame::default() };
        assert_eq!(frame.first_not_finite(), Some(1));
    }

    #[test]
    fn the_motion_of_a_frame_is_taken_without_what_was_noticed() {
        let contact =
            Contact { bodies: [0, 1], point: DVec3::ZERO, normal: DVec3::Y, depth: 0.0, impulse: 1.0, times: None };
        let event = SensorEvent { step: 1, kind: SensorEventKind::Enter, sensor: [0, 0], other: [1, 0] };
        let now = Frame {
            off_unit: Vec::new(),
            step: 9,
            time: 0.5,
            bodies: vec![BodyState::planar(DVec3::X, 0.0, DVec3::ZERO, 0.0)],
            contacts: vec![contact],
            events: vec![event],
        };
        let mut kept = Frame { contacts: vec![contact; 3], events: vec![event; 2], ..Frame::default() };
        kept.take_motion_of(&now);
        assert_eq!((kept.step, kept.time, &kept.bodies), (9, 0.5, &now.bodies));
        assert!(kept.contacts.is_empty() && kept.events.is_empty());
    }
}
