//! Frames as bytes between two processes of this program. No form for others: both ends are the same program.

use super::shared_memory::Reading;
use ironspin_model::rows::{contact_len, contact_of, push_contact, push_state, state_len, state_of};
use ironspin_model::{Dimension, Frame, Rows, SensorEvent, SensorEventKind};
use std::io::{self, Read};

/// Bytes of dimension, step and counts.
const HEAD: usize = 40;
const EVENT: usize = 6;

/// A frame, after the number of its bytes.
pub(super) fn frame_bytes(dimension: Dimension, bytes: &mut Vec<u8>, frame: &Frame) {
    let (mut state, mut contacts) = (Vec::new(), Vec::new());
    frame.bodies.iter().for_each(|body| push_state(dimension, body, &mut state));
    frame.contacts.iter().for_each(|contact| push_contact(dimension, contact, &mut contacts));
    rows_bytes(
        dimension,
        bytes,
        &Rows { step: frame.step, state: &state, contacts: &contacts, events: &frame.events, place: None },
    );
}

/// Stands where the number of bytes of a frame would, when the place of its rows in shared memory follows.
const ELSEWHERE: u64 = u64::MAX;

/// The same of a frame in rows; of one that stands in shared memory its place and what sensors noticed.
pub(super) fn rows_bytes(dimension: Dimension, bytes: &mut Vec<u8>, rows: &Rows<'_>) {
    let here = if rows.place.is_some() { 8 } else { 8 * (rows.state.len() + rows.contacts.len()) };
    let size = HEAD + here + 8 * EVENT * rows.events.len();
    // Every byte is written below; only what is new has to be made.
    bytes.resize(8 + size, 0);
    let (mut words, _) = bytes.as_chunks_mut::<8>();
    let (bodies, contacts) = (rows.state.len() / state_len(dimension), rows.contacts.len() / contact_len(dimension));
    let head = [u64::from(dimension.number()), rows.step, bodies as u64, contacts as u64, rows.events.len() as u64];
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
    let head = [word()?, word()?, word()?, word()?, word()?];
    let [space, _, bodies, contacts, events] = head;
    let lie =
        || io::Error::other(format!("a frame of {bodies} bodies and {contacts} contacts at {place}, where none is"));
    bytes.extend(head.iter().flat_map(|word| word.to_le_bytes()));
    let dimension = Dimension::of_number(space).ok_or_else(lie)?;
    let [state, contact] = [state_len(dimension), contact_len(dimension)].map(|numbers| numbers as u64);
    let rows = bodies.saturating_mul(state).saturating_add(contacts.saturating_mul(contact));
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

    /// Rows of so many numbers each.
    fn rows<T>(&mut self, count: u64, width: usize, into: &mut Vec<T>, make: impl Fn(&[u64]) -> T) -> Option<()> {
        into.clear();
        // A count that is a lie ends before there is room for it.
        if count > (self.0.len() / (8 * width)) as u64 {
            return None;
        }
        into.reserve(count as usize);
        let mut words = [0; WIDEST];
        for _ in 0..count {
            let (row, rest) = self.0.split_at_checked(8 * width)?;
            self.0 = rest;
            for (word, bytes) in words.iter_mut().zip(row.as_chunks::<8>().0) {
                *word = u64::from_le_bytes(*bytes);
            }
            into.push(make(&words[..width]));
        }
        Some(())
    }
}

/// Most numbers of a row.
const WIDEST: usize = 16;

/// Words as the numbers that they hold.
fn numbers(words: &[u64]) -> [f64; WIDEST] {
    std::array::from_fn(|place| words.get(place).map_or(0.0, |&word| f64::from_bits(word)))
}

/// Fills a frame of a world with what some bytes hold; nothing where they are too few, or of a world of another dimension. Its time is left as
/// it is.
pub(super) fn read_frame(dimension: Dimension, bytes: &[u8], frame: &mut Frame) -> Option<()> {
    let mut rest = Rest(bytes);
    let [space, step, bodies, contacts, events] = rest.words()?;
    if Dimension::of_number(space) != Some(dimension) {
        return None;
    }
    frame.step = step;
    let [state_numbers, contact_numbers] = [state_len(dimension), contact_len(dimension)];
    let event = |row: &[u64]| SensorEvent {
        step: row[0],
        kind: if row[1] == 1 { SensorEventKind::Leave } else { SensorEventKind::Enter },
        sensor: [row[2] as usize, row[3] as usize],
        other: [row[4] as usize, row[5] as usize],
    };
    rest.rows(bodies, state_numbers, &mut frame.bodies, |row| state_of(dimension, &numbers(row)[..state_numbers]))?;
    rest.rows(contacts, contact_numbers, &mut frame.contacts, |row| {
        contact_of(dimension, &numbers(row)[..contact_numbers])
    })?;
    rest.rows(events, EVENT, &mut frame.events, event)
}
