//! Frames as bytes between two processes of this program. No form for others: both ends are the same program.

use super::shared_memory::Reading;
use ironspin_model::rows::plane::{CONTACT, STATE, contact_of, contact_row, state_of, state_row};
use ironspin_model::{Frame, Rows, SensorEvent, SensorEventKind};
use std::io::{self, Read};

/// Bytes of step and counts.
const HEAD: usize = 32;
const EVENT: usize = 6;

/// A frame, after the number of its bytes.
pub(super) fn frame_bytes(bytes: &mut Vec<u8>, frame: &Frame) {
    let state: Vec<f64> = frame.bodies.iter().flat_map(state_row).collect();
    let contacts: Vec<f64> = frame.contacts.iter().flat_map(contact_row).collect();
    rows_bytes(
        bytes,
        &Rows { step: frame.step, state: &state, contacts: &contacts, events: &frame.events, place: None },
    );
}

/// Stands where the number of bytes of a frame would, when the place of its rows in shared memory follows.
const ELSEWHERE: u64 = u64::MAX;

/// The same of a frame in rows; of one that stands in shared memory its place and what sensors noticed.
pub(super) fn rows_bytes(bytes: &mut Vec<u8>, rows: &Rows<'_>) {
    let here = if rows.place.is_some() { 8 } else { 8 * (rows.state.len() + rows.contacts.len()) };
    let size = HEAD + here + 8 * EVENT * rows.events.len();
    // Every byte is written below; only what is new has to be made.
    bytes.resize(8 + size, 0);
    let (mut words, _) = bytes.as_chunks_mut::<8>();
    let [bodies, contacts] = [rows.state.len() / STATE, rows.contacts.len() / CONTACT].map(|count| count as u64);
    let head = [rows.step, bodies, contacts, rows.events.len() as u64];
    match rows.place {
        Some(place) => {
            put(&mut words, [ELSEWHERE, place as u64].into_iter());
            put(&mut words, head.into_iter());
        }
        None => {
            put(&mut words, std::iter::once(size as u64).chain(head));
            put(&mut words, rows.state.iter().chain(rows.contacts).map(|number| number.to_bits()));
        }
    }
    let event = |event: &SensorEvent| {
        let kind = u64::from(event.kind == SensorEventKind::Leave);
        let [s, o] = [event.sensor, event.other].map(|end| end.map(|number| number as u64));
        [event.step, kind, s[0], s[1], o[0], o[1]]
    };
    put(&mut words, rows.events.iter().flat_map(event));
}

/// Writes words one after the other, and takes their room off.
fn put(shared_memory: &mut &mut [[u8; 8]], words: impl Iterator<Item = u64>) {
    let mut count = 0;
    for (place, word) in shared_memory.iter_mut().zip(words) {
        *place = word.to_le_bytes();
        count += 1;
    }
    *shared_memory = &mut std::mem::take(shared_memory)[count..];
}

/// Reads the bytes of a frame, its rows where they stand, into room that is kept; false where none follow.
pub(super) fn read_bytes(
    input: &mut impl Read,
    shared: &mut Option<Reading>,
    bytes: &mut Vec<u8>,
    most: u64,
) -> io::Result<bool> {
    let mut word = || {
        let mut bytes = [0; 8];
        input.read_exact(&mut bytes).map(|()| u64::from_le_bytes(bytes))
    };
    let count = word()?;
    bytes.clear();
    if count == 0 {
        return Ok(false);
    }
    if count != ELSEWHERE {
        exactly(input, count, most, bytes)?;
        return Ok(true);
    }
    let place = word()?;
    let head = [word()?, word()?, word()?, word()?];
    let [_, bodies, contacts, events] = head;
    let lie =
        || io::Error::other(format!("a frame of {bodies} bodies and {contacts} contacts at {place}, where none is"));
    bytes.extend(head.iter().flat_map(|word| word.to_le_bytes()));
    let rows = bodies.saturating_mul(STATE as u64).saturating_add(contacts.saturating_mul(CONTACT as u64));
    let taken = shared.as_mut().and_then(|shared| shared.take(place as usize, rows as usize, bytes));
    taken.ok_or_else(lie)?;
    exactly(input, events.saturating_mul(8 * EVENT as u64), most, bytes)?;
    Ok(true)
}

/// Appends so many bytes.
fn exactly(input: &mut impl Read, count: u64, most: u64, bytes: &mut Vec<u8>) -> io::Result<()> {
    if count > most {
        return Err(io::Error::other(format!("{count} bytes of frames")));
    }
    bytes.reserve(count as usize);
    let read = input.take(count).read_to_end(bytes)? as u64;
    if read != count {
        return Err(io::Error::other(format!("{read} bytes of {count}")));
    }
    Ok(())
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

/// Fills a frame with what some bytes hold; nothing where they are too few. Its time is left as it is.
pub(super) fn read_frame(bytes: &[u8], frame: &mut Frame) -> Option<()> {
    let mut rest = Rest(bytes);
    let [step, bodies, contacts, events] = rest.words()?;
    frame.step = step;
    let state = |row: [u64; STATE]| state_of(&row.map(f64::from_bits));
    let contact = |row: [u64; CONTACT]| contact_of(&row.map(f64::from_bits));
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
