//! Actions, frames and everything else that is said, as JSON, and back.

use super::lists::{self, NumberRows};
use super::number::Number;
use super::vector::{Amount, TurnRow, Vector};
use super::world::is_false;
use ironspin_model::{Contact, DVec3, Dimension, Effect, Frame, Pose, SensorEvent, SensorEventKind, WireIds, rows};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Parameters of `advance`.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Advance {
    pub(crate) dt: Vec<Number>,
    #[serde(default = "one")]
    pub(crate) record: u64,
    #[serde(default)]
    pub(crate) actions: Vec<ActionRow>,
}

fn one() -> u64 {
    1
}

/// One action before one step.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct ActionRow {
    pub(crate) before_step: u64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) body: Option<usize>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) node: Option<usize>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    hold: Option<bool>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    impulse: Option<Vector>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    force: Option<Vector>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    point: Option<Vector>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    torque: Option<Amount>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    velocity: Option<Vector>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    spin: Option<Amount>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    place: Option<PlaceRow>,
    #[serde(default, skip_serializing_if = "is_false")]
    remove: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    add: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    split: Option<Vec<usize>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    gravity: Option<Vector>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
struct PlaceRow {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    position: Option<Vector>,
    #[serde(flatten)]
    turn: TurnRow,
    /// A displacement, of nodes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    by: Option<Vector>,
}

impl ActionRow {
    pub(crate) fn of(dimension: Dimension, ids: &WireIds, before_step: u64, id: usize, effect: &Effect) -> ActionRow {
        let flat = |v: DVec3| Vector::of(dimension, v);
        let (body, node) = ids.outside(id);
        let mut row = ActionRow { before_step, body: Some(body), node, ..ActionRow::default() };
        match effect {
            Effect::Impulse { impulse, point } => (row.impulse, row.point) = (Some(flat(*impulse)), point.map(flat)),
            Effect::Force { force, point } => (row.force, row.point) = (Some(flat(*force)), point.map(flat)),
            Effect::Torque(torque) => row.torque = Some(Amount::axial(dimension, *torque)),
            Effect::Velocity(velocity) => row.velocity = Some(flat(*velocity)),
            Effect::Spin(spin) => row.spin = Some(Amount::axial(dimension, *spin)),
            Effect::Place(pose) => {
                let turn = if node.is_some() { TurnRow::default() } else { TurnRow::of(dimension, pose) };
                row.place = Some(PlaceRow { position: Some(flat(pose.position)), turn, by: None });
            }
            Effect::Shift(way) => {
                row.place = Some(PlaceRow { position: None, turn: TurnRow::default(), by: Some(flat(*way)) });
            }
            Effect::Hold(hold) => row.hold = Some(*hold),
            Effect::Remove => row.remove = true,
            Effect::Add => row.add = true,
            Effect::Split(pieces) => row.split = Some(pieces.clone()),
            Effect::Gravity(gravity) => (row.gravity, row.body) = (Some(flat(*gravity)), None),
        }
        row
    }

    /// The id and the action.
    pub(crate) fn effect(&self, dimension: Dimension, ids: &WireIds) -> Result<(usize, Effect), String> {
        let space = |vector: &Vector| vector.read(dimension);
        if let Some(gravity) = &self.gravity {
            return Ok((0, Effect::Gravity(space(gravity)?)));
        }
        let body = self.body.ok_or("an action without a body")?;
        let id = ids.inside(body, self.node).ok_or_else(|| match self.node {
            Some(node) => format!("an action on node {node} of body {body}, and there is none"),
            None => format!("an action on body {body}, and there are {}", ids.count()),
        })?;
        let is_soft = id >= ids.rigid();
        let point = self.point.as_ref().map(space).transpose()?;
        let effect = if let Some(impulse) = &self.impulse {
            Effect::Impulse { impulse: space(impulse)?, point }
        } else if let Some(force) = &self.force {
            Effect::Force { force: space(force)?, point }
        } else if let Some(torque) = &self.torque {
            Effect::Torque(torque.read_axial(dimension)?)
        } else if let Some(velocity) = &self.velocity {
            Effect::Velocity(space(velocity)?)
        } else if let Some(spin) = &self.spin {
            Effect::Spin(spin.read_axial(dimension)?)
        } else if let Some(place) = &self.place {
            match (&place.by, &place.position) {
                (Some(way), None) if is_soft => Effect::Shift(space(way)?),
                (None, Some(position)) if self.node.is_some() => {
                    Effect::Place(Pose { position: space(position)?, ..Pose::IDENTITY })
                }
                (None, Some(position)) if !is_soft => Effect::Place(place.turn.pose(dimension, position)?),
                _ => return Err("a place that is neither a position nor, for nodes, a way".to_owned()),
            }
        } else if let Some(hold) = self.hold {
            Effect::Hold(hold)
        } else if let Some(pieces) = &self.split {
            Effect::Split(pieces.clone())
        } else if self.remove {
            Effect::Remove
        } else if self.add {
            Effect::Add
        } else {
            return Err("an action that does nothing".to_owned());
        };
        Ok((id, effect))
    }
}

/// The answer to `advance`.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Frames {
    #[serde(default, deserialize_with = "lists::frames")]
    pub(crate) frames: Vec<FrameRow>,
}

/// One frame.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct FrameRow {
    pub(crate) step: u64,
    pub(crate) state: Vec<Number>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    soft: Vec<Number>,
    #[serde(default)]
    contacts: NumberRows,
    #[serde(default)]
    events: Vec<EventRow>,
}

#[derive(Debug, Serialize, Deserialize)]
struct EventRow {
    step: u64,
    kind: String,
    sensor: [usize; 2],
    other: [usize; 2],
}

impl FrameRow {
    pub(crate) fn of(dimension: Dimension, ids: &WireIds, frame: &Frame) -> FrameRow {
        let (rigid, nodes) = frame.bodies.split_at(ids.rigid().min(frame.bodies.len()));
        let mut state = Vec::with_capacity(rows::state_len(dimension) * rigid.len());
        rigid.iter().for_each(|body| rows::push_state(dimension, body, &mut state));
        let mut soft = Vec::with_capacity(rows::node_len(dimension) * nodes.len());
        nodes.iter().for_each(|node| rows::push_node(dimension, node, &mut soft));
        let outside = |contact: &Contact| contact_row(dimension, &ids.contact_outside(contact));
        FrameRow {
            step: frame.step,
            state: state.into_iter().map(Number).collect(),
            soft: soft.into_iter().map(Number).collect(),
            contacts: frame.contacts.iter().map(outside).collect(),
            events: frame
                .events
                .iter()
                .map(|event| ids.event_outside(event))
                .map(|event| EventRow {
                    step: event.step,
                    kind: if event.kind == SensorEventKind::Enter { "enter" } else { "leave" }.to_owned(),
                    sensor: event.sensor,
                    other: event.other,
                })
                .collect(),
        }
    }

    /// The frame, at time 0.
    pub(crate) fn frame(self, dimension: Dimension, ids: &WireIds) -> Result<Frame, String> {
        let (width, count) = (rows::state_len(dimension), ids.rigid());
        if self.state.len() != width * count {
            return Err(format!(
                "{} numbers in the state of frame {}, and {} for {count} bodies are due",
                self.state.len(),
                self.step,
                width * count
            ));
        }
        let node_width = rows::node_len(dimension);
        if self.soft.len() != node_width * ids.nodes() {
            return Err(format!(
                "{} numbers in `soft` of frame {}, and {} for {} nodes are due",
                self.soft.len(),
                self.step,
                node_width * ids.nodes(),
                ids.nodes()
            ));
        }
        let mut row = Vec::with_capacity(width);
        let bodies = self.state.chunks_exact(width).map(|numbers| {
            row.clear();
            row.extend(numbers.iter().map(|number| number.0));
            rows::state_of(dimension, &row)
        });
        let mut bodies: Vec<_> = bodies.collect();
        let numbers: Vec<f64> = self.soft.iter().map(|number| number.0).collect();
        bodies.extend(numbers.chunks_exact(node_width).map(|row| rows::node_of(dimension, row)));
        let mut frame = Frame {
            step: self.step,
            time: 0.0,
            bodies,
            contacts: self.contacts.rows().map(|row| contact_of(dimension, row)).collect::<Result<_, _>>()?,
            events: self.events.iter().map(event_of).collect::<Result<_, _>>()?,
            off_unit: Vec::new(),
        };
        ids.take_in(&mut frame);
        Ok(frame)
    }
}

fn contact_row(dimension: Dimension, contact: &Contact) -> Vec<Number> {
    let mut row = Vec::with_capacity(rows::contact_len(dimension));
    rows::push_contact(dimension, contact, &mut row);
    if contact.times.is_none() {
        row.pop();
    }
    row.into_iter().map(Number).collect()
}

fn contact_of(dimension: Dimension, row: &[Number]) -> Result<Contact, String> {
    let most = rows::contact_len(dimension);
    if !(most - 1..=most).contains(&row.len()) {
        return Err(format!("a contact of {} numbers, and {} are due", row.len(), most - 1));
    }
    let at = |place: usize| row[place].0;
    let whole = |value: f64| (value >= 0.0 && value.fract() == 0.0 && value < 1e15).then_some(value as usize);
    let [i, j] = [whole(at(0)), whole(at(1))];
    let (Some(i), Some(j)) = (i, j) else { return Err("a contact of no bodies".to_owned()) };
    let numbers: Vec<f64> = row.iter().map(|number| number.0).collect();
    Ok(Contact { bodies: [i, j], ..rows::contact_of(dimension, &numbers) })
}

fn event_of(row: &EventRow) -> Result<SensorEvent, String> {
    let kind = match row.kind.as_str() {
        "enter" => SensorEventKind::Enter,
        "leave" => SensorEventKind::Leave,
        other => return Err(format!("an event of the kind `{other}`, and enter or leave is due")),
    };
    Ok(SensorEvent { step: row.step, kind, sensor: row.sensor, other: row.other })
}

/// What an engine says about itself.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Hello {
    pub(crate) protocol: u64,
    pub(crate) engine: EngineRow,
    #[serde(default)]
    pub(crate) spaces: Vec<u8>,
    #[serde(default)]
    pub(crate) scalar: String,
    #[serde(default)]
    pub(crate) shapes: Vec<String>,
    #[serde(default)]
    pub(crate) features: Vec<String>,
    #[serde(default)]
    pub(crate) options: BTreeMap<String, OptionRow>,
}

/// Whether a text describes an engine.
pub(crate) fn described_text(text: &str) -> bool {
    let Ok(mut hello) = serde_json::from_str::<serde_json::Value>(text) else { return false };
    if let Some(hello) = hello.as_object_mut() {
        hello.insert("protocol".to_owned(), super::VERSION.into());
    }
    let hello: Option<Hello> = serde_json::from_value(hello).ok();
    hello.is_some_and(|hello| !hello.engine.name.is_empty())
}

#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct EngineRow {
    pub(crate) name: String,
    #[serde(default)]
    pub(crate) version: String,
}

#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct OptionRow {
    #[serde(default)]
    pub(crate) about: String,
    #[serde(default)]
    pub(crate) default: serde_json::Value,
}

/// The answer to `ray`.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Ray {
    pub(crate) hit: Option<HitRow>,
}

#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct HitRow {
    pub(crate) body: usize,
    pub(crate) point: Vector,
    pub(crate) normal: Vector,
    pub(crate) distance: Number,
}

/// Parameters of `ray`.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct RayAsked {
    pub(crate) from: Vector,
    pub(crate) to: Vector,
}

impl RayAsked {
    pub(crate) fn of(dimension: Dimension, from: DVec3, to: DVec3) -> RayAsked {
        RayAsked { from: Vector::of(dimension, from), to: Vector::of(dimension, to) }
    }

    pub(crate) fn ends(&self, dimension: Dimension) -> Result<[DVec3; 2], String> {
        Ok([self.from.read(dimension)?, self.to.read(dimension)?])
    }
}

impl HitRow {
    pub(crate) fn of(dimension: Dimension, ids: &WireIds, hit: &ironspin_model::RayHit) -> HitRow {
        let [point, normal] = [hit.point, hit.normal].map(|v| Vector::of(dimension, v));
        HitRow { body: ids.outside(hit.body).0, point, normal, distance: Number(hit.distance) }
    }

    pub(crate) fn hit(&self, dimension: Dimension) -> Result<ironspin_model::RayHit, String> {
        Ok(ironspin_model::RayHit {
            body: self.body,
            point: self.point.read(dimension)?,
            normal: self.normal.read(dimension)?,
            distance: self.distance.0,
        })
    }
}
