//! What pictures and plots of a trial are drawn from: a few hundred samples, whatever its length.

use ironspin_gauge::mechanical_energy;
use ironspin_model::{BodyState, Contact, DVec3, Dimension, Frame, Pose, World};

/// Most samples kept over a trial.
const SAMPLES: u64 = 400;
/// Most bodies whose path is kept.
const PATHS: usize = 12;

/// One quantity over time; as long as [`Recording::times`].
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Curve {
    /// What it is: a body or a kind of energy.
    pub name: String,
    /// Values in SI units.
    pub values: Vec<f64>,
}

/// Most states of bodies kept for playing a trial back, fewest and most frames.
const STATES: usize = 6_000;
const FRAMES: [usize; 2] = [12, 240];
/// Most contacts kept of a frame; of more, some spread evenly over them.
const CONTACTS: usize = 256;

/// What a trial is played back from: some of its frames, evenly over its length.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Replay {
    /// Times of the frames, s.
    pub times: Vec<f64>,
    /// Place and rotation of every body, frame after frame; not-a-number for an absent one.
    pub poses: Vec<Pose>,
    /// Whether every body is at rest to the last bit since the frame before: not moved at all and without speed, as what an engine put to sleep is.
    pub at_rest: Vec<bool>,
    /// Contact points of each frame, or some of them.
    pub contacts: Vec<Vec<ReplayContact>>,
}

/// A contact to be drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ReplayContact {
    /// m.
    pub point: DVec3,
    /// Unit vector from the first body to the second.
    pub normal: DVec3,
    /// Of the step, N s.
    pub impulse: f64,
}

impl Replay {
    fn keep(&mut self, frame: &Frame, contacts: Vec<ReplayContact>) {
        let before = self.times.len().checked_sub(1).map_or(&[][..], |last| self.frame(last));
        let resting = frame.bodies.iter().enumerate().map(|(id, body)| {
            let stood = before.get(id).is_some_and(|pose| *pose == body.pose);
            stood && body.velocity == DVec3::ZERO && body.spin == DVec3::ZERO
        });
        let resting: Vec<bool> = resting.collect();
        self.at_rest.extend(resting);
        self.times.push(frame.time);
        self.poses.extend(frame.bodies.iter().map(|body| body.pose));
        self.contacts.push(contacts);
    }

    /// Whether a body is at rest to the last bit in a frame.
    pub fn is_at_rest(&self, frame: usize, body: usize) -> bool {
        let bodies = self.at_rest.len() / self.times.len().max(1);
        body < bodies && self.at_rest.get(frame * bodies + body).is_some_and(|&rests| rests)
    }

    /// The poses of one frame.
    pub fn frame(&self, number: usize) -> &[Pose] {
        let bodies = self.poses.len() / self.times.len().max(1);
        self.poses.get(number * bodies..(number + 1) * bodies).unwrap_or_default()
    }
}

/// Contacts of a frame, or some of them.
fn some_contacts(frame: &Frame) -> impl Iterator<Item = ReplayContact> {
    let some = frame.contacts.iter().step_by(frame.contacts.len().div_ceil(CONTACTS).max(1));
    some.map(|&Contact { point, normal, impulse, .. }| ReplayContact { point, normal, impulse })
}

/// Samples of a trial.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Recording {
    /// Times of the samples, s.
    pub times: Vec<f64>,
    /// Kinetic, potential and total energy of all dynamic bodies, J; height counts from the first sample.
    pub energy: [Curve; 3],
    /// x of some dynamic bodies, m.
    pub x: Vec<Curve>,
    /// y of the same bodies, m.
    pub y: Vec<Curve>,
    /// z of the same bodies, m; empty in the plane.
    pub z: Vec<Curve>,
    /// All bodies in frame 0.
    pub start: Vec<BodyState>,
    /// All bodies in the last frame.
    pub end: Vec<BodyState>,
    /// Time of the last frame, s.
    pub end_time: f64,
    /// What it is played back from.
    pub replay: Replay,
}

/// Makes a recording while frames stream by.
pub(crate) struct Recorder {
    recording: Recording,
    dynamic: Vec<usize>,
    tracked: Vec<usize>,
    stride: u64,
    /// Steps from one frame of the replay to the next.
    pace: u64,
    first_potential: Option<f64>,
    /// Of the frame that was seen last.
    last_contacts: Vec<ReplayContact>,
}

impl Recorder {
    pub(crate) fn new(world: &World, steps: u64) -> Self {
        let dynamic: Vec<usize> = world.dynamic_bodies().collect();
        // Of many bodies, some spread evenly from the first to the last.
        let count = dynamic.len().min(PATHS);
        let tracked: Vec<usize> = (0..count).map(|k| dynamic[k * dynamic.len() / count.max(1)]).collect();
        let curve = |name: &str| Curve { name: name.to_owned(), values: Vec::new() };
        let paths: Vec<Curve> = tracked.iter().map(|&id| curve(&world.bodies[id].name)).collect();
        let recording = Recording {
            energy: ["kinetic", "potential", "total"].map(curve),
            x: paths.clone(),
            z: if world.dimension == Dimension::Space { paths.clone() } else { Vec::new() },
            y: paths,
            ..Recording::default()
        };
        let frames = (STATES / world.bodies.len().max(1)).clamp(FRAMES[0], FRAMES[1]) as u64;
        let stride = steps.div_ceil(SAMPLES).max(1);
        Recorder {
            recording,
            dynamic,
            tracked,
            stride,
            pace: steps.div_ceil(frames).max(1),
            first_potential: None,
            last_contacts: Vec::new(),
        }
    }

    /// Keeps every so many steps for the replay, whatever their number.
    pub(crate) fn set_pace(&mut self, steps: u64) {
        self.pace = steps.max(1);
    }

    /// Keeps what there is to keep of a frame; whether it is one of the samples.
    /// `stored` is the energy that the forces of the scene hold beside, J.
    pub(crate) fn observe(&mut self, world: &World, frame: &Frame, stored: f64) -> bool {
        if self.recording.start.is_empty() {
            self.recording.start.clone_from(&frame.bodies);
        }
        self.last_contacts.clear();
        self.last_contacts.extend(some_contacts(frame));
        if frame.step.is_multiple_of(self.pace) {
            self.recording.replay.keep(frame, self.last_contacts.clone());
        }
        let sampled = frame.step.is_multiple_of(self.stride);
        if sampled {
            self.sample(world, frame, stored);
        }
        sampled
    }

    fn sample(&mut self, world: &World, frame: &Frame, stored: f64) {
        let energy = mechanical_energy(world, frame, &self.dynamic);
        let first = *self.first_potential.get_or_insert(energy.total - energy.kinetic);
        let recording = &mut self.recording;
        recording.times.push(frame.time);
        let with_stored = |energy: f64| if stored == 0.0 { energy } else { energy + stored };
        let height = with_stored(energy.total - energy.kinetic - first);
        let values = [energy.kinetic, height, with_stored(energy.total - first)];
        for (curve, value) in recording.energy.iter_mut().zip(values) {
            curve.values.push(value);
        }
        for (slot, &id) in self.tracked.iter().enumerate() {
            let position = frame.bodies[id].pose.position;
            recording.x[slot].values.push(position.x);
            recording.y[slot].values.push(position.y);
            if let Some(curve) = recording.z.get_mut(slot) {
                curve.values.push(position.z);
            }
        }
    }

    /// Ends with the last frame that was seen.
    pub(crate) fn finish(mut self, world: &World, last: Option<&Frame>, stored: f64) -> Recording {
        if let Some(frame) = last {
            if self.recording.times.last().is_none_or(|&time| time < frame.time) {
                self.sample(world, frame, stored);
            }
            if self.recording.replay.times.last().is_none_or(|&time| time < frame.time) {
                self.recording.replay.keep(frame, self.last_contacts);
            }
            self.recording.end.clone_from(&frame.bodies);
            self.recording.end_time = frame.time;
        }
        self.recording
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn at_rest_is_what_has_no_speed_and_has_not_moved_since_the_frame_before() {
        let (here, along) = (DVec3::new(1.0, 2.0, 0.0), DVec3::new(1e-300, 0.0, 0.0));
        let beside = DVec3::new(1.0_f64.next_up(), 2.0, 0.0);
        let still = BodyState::planar(here, 0.5, DVec3::ZERO, 0.0);
        let frame = |step: u64, bodies: &[BodyState]| Frame { step, bodies: bodies.to_vec(), ..Frame::default() };
        let mut replay = Replay::default();
        replay.keep(&frame(0, &[still; 5]), Vec::new());
        let moved = BodyState::planar(beside, 0.5, DVec3::ZERO, 0.0);
        let turned = BodyState::planar(here, 0.5_f64.next_up(), DVec3::ZERO, 0.0);
        let fast = BodyState::planar(here, 0.5, along, 0.0);
        let spinning = BodyState::planar(here, 0.5, DVec3::ZERO, -1e-300);
        replay.keep(&frame(1, &[still, moved, turned, fast, spinning]), Vec::new());
        replay.keep(&frame(2, &[still, moved, still, still, spinning]), Vec::new());
        let told = |frame: usize| (0..6).map(|body| replay.is_at_rest(frame, body)).collect::<Vec<_>>();
        assert_eq!(told(0), [false; 6]);
        assert_eq!(told(1), [true, false, false, false, false, false]);
        assert_eq!(told(2), [true, true, false, true, false, false]);
    }
}
