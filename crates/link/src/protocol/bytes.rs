//! Frames as bytes between two processes of this program. No form for others: both ends are the same program.

use super::message::{contact_from, contact_numbers, state_numbers};
use ironspin_model::{BodyState, DVec3, Frame, Rows, SensorEvent, SensorEventKind};

const EVENT: usize = 6;
const CONTACT: usize = 9;
const STATE: usize = 6;

/// A frame, after the number of its bytes.
pub(super) fn frame_bytes(bytes: &mut Vec<u8>, frame: &Frame) {
    let state: Vec<f64> = frame.bodies.iter().flat_map(state_numbers).collect();
    let contacts: Vec<f64> = frame.contacts.iter().flat_map(contact_numbers).collect();
    rows_bytes(bytes, &Rows { step: frame.step, state: &state, contacts: &contacts, events: &frame.events });
}

/// The same of a frame in rows.
pub(super) fn rows_bytes(bytes: &mut Vec<u8>, rows: &Rows<'_>) {
    let size = 32 + 8 * (rows.state.len() + rows.contacts.len() + EVENT * rows.events.len());
    // Every byte is written below; only what is new has to be made.
    bytes.resize(8 + size, 0);
    let (mut words, _) = bytes.as_chunks_mut::<8>();
    let [bodies, contacts] = [rows.state.len() / STATE, rows.contacts.len() / CONTACT].map(|count| count as u64);
    let head = [size as u64, rows.step, bodies, contacts, rows.events.len() as u64];
    put(&mut words, head.into_iter());
    put(&mut words, rows.state.iter().chain(rows.contacts).map(|number| number.to_bits()));
    let event = |event: &SensorEvent| {
        let kind = u64::from(event.kind == SensorEventKind::Leave);
        let [s, o] = [event.sensor, event.other].map(|end| end.map(|number| number as u64));
        [event.step, kind, s[0], s[1], o[0], o[1]]
    };
    put(&mut words, rows.events.iter().flat_map(event));
}

/// Writes words one after the other, and takes their room off.
fn put(room: &mut &mut [[u8; 8]], words: impl Iterator<Item = u64>) {
    let mut count = 0;
    for (place, word) in room.iter_mut().zip(words) {
        *place = word.to_le_bytes();
        count += 1;
    }
    *room = &mut std::mem::take(room)[count..];
}

/// What is left to be read of a frame.
struct Rest<'a>(&'a [u8]);

impl Rest<'_> {
    fn words<const N: usize>(&mut self) -> Option<[u64; N]> {
        let (row, rest) = self.0.split_at_checked(8 * N)?;
        self.0 = rest;
        let mut words = [0; N];
        for (word, bytes) in words.iter_mut().zip(row.as_chunks::<8>().0) {
            *word = u64::from_le_bytes(*bytes);
        }
        Some(words)
    }

    fn rows<const N: usize, T>(&mut self, count: u64, into: &mut Vec<T>, make: impl Fn([u64; N]) -> T) -> Option<()> {
        into.clear();
        // A count that is a lie ends before there is room for it.
        if count > (self.0.len() / (8 * N)) as u64 {
            return None;
        }
        into.reserve(count as usize);
        for _ in 0..count {
            into.push(make(self.words()?));
        }
        Some(())
    }
}

/// Fills a frame with what some bytes tell; nothing where they are too few. Its time is left as it is.
pub(super) fn read_frame(bytes: &[u8], frame: &mut Frame) -> Option<()> {
    let mut rest = Rest(bytes);
    let [step, bodies, contacts, events] = rest.words()?;
    frame.step = step;
    let state = |row: [u64; STATE]| {
        let [x, y, angle, vx, vy, spin] = row.map(f64::from_bits);
        if row.iter().all(|word| f64::from_bits(*word).is_nan()) {
            return BodyState::absent();
        }
        BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::new(vx, vy, 0.0), spin)
    };
    let contact = |row: [u64; CONTACT]| contact_from(&row.map(f64::from_bits));
    let event = |[step, kind, sensor, part, other, other_part]: [u64; EVENT]| SensorEvent {
        step,
        kind: if kind == 1 { SensorEventKind::Leave } else { SensorEventKind::Enter },
        sensor: [sensor as usize, part as usize],
        other: [other as usize, other_part as usize],
    };
    rest.rows(bodies, &mut frame.bodies, state)?;
    rest.rows(contacts, &mut frame.contacts, contact)?;
    rest.rows(events, &mut frame.events, event)
}
