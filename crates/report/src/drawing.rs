//! What a trial is drawn from, once it is over: kept beside results, so that reports can be made again.

use crate::picture::Scenery;
use ironspin_lab::{Curve, Replay, TrialRecord};
use ironspin_model::{Body, BodyKind, DVec2, Part, Shape};
use serde::{Deserialize, Serialize};

/// Bodies whose way is drawn, and points of each curve.
const PATHS: usize = 6;
const POINTS: usize = 160;
/// A place that is none.
const NOWHERE: u16 = u16::MAX;
/// Largest number of a place within the range that is told.
const STEPS: f64 = 65_000.0;
/// How far beyond the picture bodies are followed, in pictures.
const BEYOND: f64 = 1.0;

/// One trial's pictures and curves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawing {
    /// What the scene is about.
    pub about: String,
    pub(crate) times: Vec<f64>,
    pub(crate) energy: Vec<DrawnCurve>,
    /// The axis along which most happens.
    pub(crate) axis: char,
    pub(crate) paths: Vec<DrawnCurve>,
    /// Whether other bodies move too.
    pub(crate) more_paths: bool,
    pub(crate) replay: DrawnReplay,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnCurve {
    name: String,
    values: Vec<Option<f64>>,
}

impl DrawnCurve {
    fn of(curve: &Curve, stride: usize) -> DrawnCurve {
        let values = curve.values.iter().step_by(stride).map(|&value| value.is_finite().then(|| short(value)));
        DrawnCurve { name: curve.name.clone(), values: values.collect() }
    }

    pub(crate) fn curve(&self) -> Curve {
        let values = self.values.iter().map(|value| value.unwrap_or(f64::NAN));
        Curve { name: self.name.clone(), values: values.collect() }
    }
}

/// A trial to be played back. Places are whole numbers between the corners of `range`, and angles shares of a turn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnReplay {
    /// Left, bottom, right and top of the picture, m.
    view: [f64; 4],
    /// The same of the places that can be told.
    range: [f64; 4],
    bodies: Vec<DrawnBody>,
    times: Vec<f64>,
    /// x, y and angle of every body, frame after frame.
    #[serde(with = "packed")]
    states: Vec<u16>,
    /// x, y and impulse of every contact, as a share of the largest.
    #[serde(with = "packed")]
    contacts: Vec<u16>,
    contact_counts: Vec<u16>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnBody {
    name: String,
    kind: BodyKindWord,
    parts: Vec<DrawnPart>,
}

#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum BodyKindWord {
    Static,
    Kinematic,
    Dynamic,
}

/// A part in the frame of its body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnPart {
    #[serde(flatten)]
    shape: DrawnShape,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    sensor: bool,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum DrawnShape {
    /// x, y, radius.
    Disc([f64; 3]),
    Polygon(Vec<[f64; 2]>),
    Line(Vec<[f64; 2]>),
    /// Both ends and the radius.
    Capsule([f64; 5]),
}

/// Numbers as base64 of their bytes, the lower byte first.
mod packed {
    use base64::Engine;
    use base64::engine::general_purpose::STANDARD;
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub(super) fn serialize<S: Serializer>(numbers: &[u16], serializer: S) -> Result<S::Ok, S::Error> {
        let bytes: Vec<u8> = numbers.iter().flat_map(|number| number.to_le_bytes()).collect();
        serializer.serialize_str(&STANDARD.encode(bytes))
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<u16>, D::Error> {
        let text = String::deserialize(deserializer)?;
        let bytes = STANDARD.decode(text).map_err(D::Error::custom)?;
        Ok(bytes.as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair)).collect())
    }
}

/// Six digits are more than a picture shows.
fn short(value: f64) -> f64 {
    format!("{value:.5e}").parse().unwrap_or(value)
}

impl Drawing {
    /// What a trial is drawn from; nothing when it came to no frame.
    pub fn of(record: &TrialRecord) -> Option<Drawing> {
        let recording = &record.recording;
        if recording.times.is_empty() {
            return None;
        }
        let stride = recording.times.len().div_ceil(POINTS).max(1);
        let still = recording.energy[1].values.iter().all(|v| *v == 0.0);
        let energy = if still { &recording.energy[..1] } else { &recording.energy[..] };
        let (axis, paths) =
            if range(&recording.x) > range(&recording.y) { ('x', &recording.x) } else { ('y', &recording.y) };
        let some = paths.len().min(PATHS);
        let chosen = (0..some).map(|k| &paths[k * paths.len() / some.max(1)]);
        Some(Drawing {
            about: record.plan.setup.about.clone(),
            times: recording.times.iter().step_by(stride).map(|&time| short(time)).collect(),
            energy: energy.iter().map(|curve| DrawnCurve::of(curve, stride)).collect(),
            axis,
            paths: chosen.map(|curve| DrawnCurve::of(curve, stride)).collect(),
            more_paths: some < record.world().dynamic_bodies().count(),
            replay: DrawnReplay::of(record),
        })
    }

    /// How many places its replay has: of bodies and contacts.
    pub(crate) fn places(&self) -> usize {
        (self.replay.states.len() + self.replay.contacts.len()) / 3
    }

    /// The replay with about so many places at most, but two frames at least.
    pub(crate) fn replay_within(&self, places: usize) -> DrawnReplay {
        let a_frame = self.places() / self.replay.times.len().max(1);
        self.replay.thinned((places / a_frame.max(1)).max(2))
    }
}

/// Largest way that any of the curves covers.
fn range(curves: &[Curve]) -> f64 {
    let width = |curve: &Curve| {
        let (low, high) =
            curve.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), &v| (l.min(v), h.max(v)));
        high - low
    };
    curves.iter().map(width).fold(0.0, f64::max)
}

impl DrawnReplay {
    fn of(record: &TrialRecord) -> DrawnReplay {
        let (world, recording) = (record.world(), &record.recording);
        let (low, high) = Scenery::of(world, &recording.start, &recording.end).corners();
        let air = (high - low) * BEYOND;
        let (from, to) = (low - air, high + air);
        let far = 4.0 * (high - low).max_element();
        let replay: &Replay = &recording.replay;
        let place = |value: f64, from: f64, to: f64| {
            if value.is_nan() {
                NOWHERE
            } else {
                (STEPS * ((value - from) / (to - from)).clamp(0.0, 1.0)).round() as u16
            }
        };
        let turn = |angle: f64| {
            let turns = angle / std::f64::consts::TAU;
            if turns.is_finite() { (STEPS * (turns - turns.floor())).round() as u16 } else { 0 }
        };
        let states = replay
            .states
            .iter()
            .flat_map(|&[x, y, angle]| [place(x, from.x, to.x), place(y, from.y, to.y), turn(angle)]);
        let largest = replay.contacts.iter().flatten().map(|contact| contact[2]).fold(0.0, f64::max);
        let contacts = replay.contacts.iter().flatten().flat_map(|&[x, y, impulse]| {
            let share = if largest > 0.0 { (impulse / largest).clamp(0.0, 1.0) } else { 0.0 };
            [place(x, from.x, to.x), place(y, from.y, to.y), (STEPS * share).round() as u16]
        });
        DrawnReplay {
            view: [low.x, low.y, high.x, high.y].map(short),
            range: [from.x, from.y, to.x, to.y],
            bodies: world.bodies.iter().map(|body| drawn_body(body, far)).collect(),
            times: replay.times.iter().map(|&time| short(time)).collect(),
            states: states.collect(),
            contacts: contacts.collect(),
            contact_counts: replay.contacts.iter().map(|contacts| contacts.len() as u16).collect(),
        }
    }

    /// Some of the frames, the first and the last among them.
    fn thinned(&self, frames: usize) -> DrawnReplay {
        let all = self.times.len();
        if all <= frames || frames < 2 {
            return self.clone();
        }
        let chosen: Vec<usize> = (0..frames).map(|k| k * (all - 1) / (frames - 1)).collect();
        let row = 3 * self.bodies.len();
        let mut ends = vec![0];
        for &count in &self.contact_counts {
            ends.push(ends[ends.len() - 1] + 3 * usize::from(count));
        }
        DrawnReplay {
            times: chosen.iter().map(|&frame| self.times[frame]).collect(),
            states: chosen
                .iter()
                .flat_map(|&frame| self.states[frame * row..(frame + 1) * row].iter().copied())
                .collect(),
            contacts: chosen
                .iter()
                .flat_map(|&frame| self.contacts[ends[frame]..ends[frame + 1]].iter().copied())
                .collect(),
            contact_counts: chosen.iter().map(|&frame| self.contact_counts[frame]).collect(),
            ..self.clone()
        }
    }
}

fn drawn_body(body: &Body, far: f64) -> DrawnBody {
    DrawnBody {
        name: body.name.clone(),
        kind: match body.kind {
            BodyKind::Static => BodyKindWord::Static,
            BodyKind::Kinematic => BodyKindWord::Kinematic,
            BodyKind::Dynamic => BodyKindWord::Dynamic,
        },
        parts: body.parts.iter().map(|part| DrawnPart { shape: drawn_shape(part, far), sensor: part.sensor }).collect(),
    }
}

fn drawn_shape(part: &Part, far: f64) -> DrawnShape {
    let turn = DVec2::from_angle(part.angle);
    let at = |p: DVec2| {
        let p = part.position + turn.rotate(p);
        [short(p.x), short(p.y)]
    };
    match &part.shape {
        Shape::Disc(radius) => DrawnShape::Disc([part.position.x, part.position.y, *radius].map(short)),
        Shape::Box(size) => {
            let half = 0.5 * *size;
            let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
            DrawnShape::Polygon(corners.iter().map(|&(x, y)| at(half * DVec2::new(x, y))).collect())
        }
        Shape::Polygon(corners) => DrawnShape::Polygon(corners.iter().map(|&corner| at(corner)).collect()),
        Shape::Polyline(points) => DrawnShape::Line(points.iter().map(|&point| at(point)).collect()),
        Shape::Capsule { length, radius } => {
            let half = DVec2::new(0.5 * length, 0.0);
            let ([a, b], [c, d]) = (at(-half), at(half));
            DrawnShape::Capsule([a, b, c, d, short(*radius)])
        }
        Shape::HalfPlane(normal) => {
            let (along, deep) = (normal.perp() * far, -*normal * far);
            DrawnShape::Polygon([along, -along, deep - along, deep + along].iter().map(|&p| at(p)).collect())
        }
    }
}
