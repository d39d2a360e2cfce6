//! Frames as bytes between two processes of this program. No form for others: both ends are the same program.

use super::message::{contact_numbers, state_numbers};
use ironspin_model::{BodyState, Contact, DVec3, Frame, SensorEvent, SensorEventKind};

const EVENT: usize = 6;
const CONTACT: usize = 9;
const STATE: usize = 6;

/// Puts a frame to others.
pub(super) fn push_frame(bytes: &mut Vec<u8>, frame: &Frame) {
    let counts = [frame.step, frame.bodies.len() as u64, frame.contacts.len() as u64, frame.events.len() as u64];
    bytes.reserve(32 + 8 * (STATE * frame.bodies.len() + CONTACT * frame.contacts.len() + EVENT * frame.events.len()));
    counts.iter().for_each(|count| bytes.extend(count.to_le_bytes()));
    let mut put = |number: f64| bytes.extend(number.to_bits().to_le_bytes());
    frame.bodies.iter().flat_map(state_numbers).for_each(&mut put);
    frame.contacts.iter().flat_map(contact_numbers).for_each(&mut put);
    for event in &frame.events {
        let kind = u64::from(event.kind == SensorEventKind::Leave);
        let [s, o] = [event.sensor, event.other].map(|end| end.map(|number| number as u64));
        [event.step, kind, s[0], s[1], o[0], o[1]].iter().for_each(|number| bytes.extend(number.to_le_bytes()));
    }
}

/// Reads frames one after the other.
pub(super) struct Frames<'a>(pub(super) &'a [u8]);

impl Frames<'_> {
    fn words<const N: usize>(&mut self) -> Option<[u64; N]> {
        let (row, rest) = self.0.split_at_checked(8 * N)?;
        self.0 = rest;
        let mut words = [0; N];
        for (word, bytes) in words.iter_mut().zip(row.as_chunks::<8>().0) {
            *word = u64::from_le_bytes(*bytes);
        }
        Some(words)
    }

    fn rows<const N: usize, T>(&mut self, count: u64, make: impl Fn([u64; N]) -> T) -> Option<Vec<T>> {
        // A count that is a lie ends with the bytes.
        (0..count).map(|_| self.words().map(&make)).collect()
    }

    /// The next frame, at time 0; nothing at the end or where the bytes are short.
    pub(super) fn next(&mut self) -> Option<Frame> {
        let [step, bodies, contacts, events] = self.words()?;
        let state = |row: [u64; STATE]| {
            let [x, y, angle, vx, vy, spin] = row.map(f64::from_bits);
            if row.iter().all(|word| f64::from_bits(*word).is_nan()) {
                return BodyState::absent();
            }
            BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::new(vx, vy, 0.0), spin)
        };
        let contact = |row: [u64; CONTACT]| {
            let n = row.map(f64::from_bits);
            Contact {
                bodies: [n[0] as usize, n[1] as usize],
                point: DVec3::new(n[2], n[3], 0.0),
                normal: DVec3::new(n[4], n[5], 0.0),
                depth: n[6],
                impulse: n[7],
                times: n[8] as u64,
            }
        };
        let event = |[step, kind, sensor, part, other, other_part]: [u64; EVENT]| SensorEvent {
            step,
            kind: if kind == 1 { SensorEventKind::Leave } else { SensorEventKind::Enter },
            sensor: [sensor as usize, part as usize],
            other: [other as usize, other_part as usize],
        };
        Some(Frame {
            step,
            time: 0.0,
            bodies: self.rows(bodies, state)?,
            contacts: self.rows(contacts, contact)?,
            events: self.rows(events, event)?,
        })
    }
}
