//! Frames as bytes between two processes of this program, to the last bit. No form for others: both ends are the same program.

use crate::plan::TrialPlan;
use crate::twins::side::{Portions, Side};
use ironspin_model::rows::space;
use ironspin_model::{BodyState, EngineError, Frame, SensorEvent, SensorEventKind};
use std::io::{self, Read, Write};

/// Numbers of a state: a row of space, and the unwrapped turn of the plane behind it.
const NUMBERS: usize = space::STATE + 1;
/// More bodies or notices than this are a broken stream.
const MOST: u64 = 1 << 28;

fn numbers(state: &BodyState) -> impl Iterator<Item = f64> {
    space::state_row(state).into_iter().chain([state.pose.angle])
}

fn state(n: [f64; NUMBERS]) -> BodyState {
    let mut state = space::state_of(&n[..space::STATE]);
    state.pose.angle = n[space::STATE];
    state
}

fn write_frame(out: &mut impl Write, frame: &Frame) -> io::Result<()> {
    let mut bytes = Vec::with_capacity(32 + frame.bodies.len() * NUMBERS * 8);
    for head in [frame.step, frame.time.to_bits(), frame.bodies.len() as u64, frame.events.len() as u64] {
        bytes.extend(head.to_le_bytes());
    }
    for body in &frame.bodies {
        numbers(body).for_each(|number| bytes.extend(number.to_bits().to_le_bytes()));
    }
    for event in &frame.events {
        let kind = u64::from(event.kind == SensorEventKind::Leave);
        let [s, o] = [event.sensor, event.other].map(|end| end.map(|number| number as u64));
        [event.step, kind, s[0], s[1], o[0], o[1]].iter().for_each(|number| bytes.extend(number.to_le_bytes()));
    }
    out.write_all(&bytes)
}

fn word(input: &mut impl Read) -> io::Result<u64> {
    let mut bytes = [0; 8];
    input.read_exact(&mut bytes)?;
    Ok(u64::from_le_bytes(bytes))
}

/// The next frame of a stream.
pub(super) fn read_frame(input: &mut impl Read) -> io::Result<Frame> {
    let (step, time) = (word(input)?, f64::from_bits(word(input)?));
    let (bodies, events) = (word(input)?, word(input)?);
    if bodies > MOST || events > MOST {
        return Err(io::Error::other("a broken stream of frames"));
    }
    let mut frame = Frame { step, time, ..Frame::default() };
    for _ in 0..bodies {
        let mut row = [0.0; NUMBERS];
        for number in &mut row {
            *number = f64::from_bits(word(input)?);
        }
        frame.bodies.push(state(row));
    }
    for _ in 0..events {
        let (step, kind) = (word(input)?, word(input)?);
        let mut end = || -> io::Result<[usize; 2]> { Ok([word(input)? as usize, word(input)? as usize]) };
        let (sensor, other) = (end()?, end()?);
        let kind = if kind == 1 { SensorEventKind::Leave } else { SensorEventKind::Enter };
        frame.events.push(SensorEvent { step, kind, sensor, other });
    }
    Ok(frame)
}

/// Runs a trial and writes all its frames.
///
/// # Errors
/// When the engine fails or the stream breaks.
pub fn write_frames(plan: &TrialPlan, out: &mut impl Write) -> Result<(), EngineError> {
    let mut side = Side::begin(plan, plan.engine.start()?, None, Portions::Usual)?;
    let mut broken = None;
    loop {
        let more = side.go_on(&mut |frame| {
            if broken.is_none() {
                broken = write_frame(out, frame).err();
            }
        })?;
        if let Some(error) = broken.take() {
            return Err(EngineError::Crashed { why: format!("nobody takes its frames: {error}") });
        }
        if !more {
            break;
        }
    }
    out.flush().map_err(|error| EngineError::Crashed { why: format!("nobody takes its frames: {error}") })
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::DVec3;

    #[test]
    fn a_frame_comes_back_as_it_went_to_the_bit() {
        let frame = Frame {
            step: 7,
            time: 0.1 + 0.2,
            bodies: vec![
                BodyState::planar(DVec3::new(1.0 / 3.0, -0.0, 0.0), 0.7, DVec3::X, 5e-324),
                BodyState::absent(),
            ],
            events: vec![SensorEvent { step: 6, kind: SensorEventKind::Leave, sensor: [1, 2], other: [3, 4] }],
            ..Frame::default()
        };
        let mut bytes = Vec::new();
        write_frame(&mut bytes, &frame).unwrap();
        let back = read_frame(&mut bytes.as_slice()).unwrap();
        assert_eq!(format!("{back:?}"), format!("{frame:?}"));
        assert!(read_frame(&mut &bytes[..bytes.len() - 1]).is_err());
    }
}
