//! Frames as bytes between two processes: to the bit, and without trust in what a count says.

use super::super::bytes::{frame_bytes, read_bytes, read_frame};
use ironspin_model::{BodyState, Contact, DQuat, DVec3, Dimension, Frame, Pose, SensorEvent, SensorEventKind};
use proptest::prelude::*;

fn frame() -> Frame {
    let contact =
        Contact { bodies: [0, 1], point: DVec3::X, normal: DVec3::Y, depth: -0.0, impulse: f64::INFINITY, times: None };
    Frame {
        step: 7,
        bodies: vec![BodyState::planar(DVec3::new(1.0 / 3.0, -0.0, 0.0), 5e-324, DVec3::Y, -2.0), BodyState::absent()],
        contacts: vec![contact, Contact { times: Some(3), ..contact }],
        events: vec![SensorEvent { step: 6, kind: SensorEventKind::Leave, sensor: [1, 2], other: [0, 5] }],
        ..Frame::default()
    }
}

fn bytes_of(frame: &Frame) -> Vec<u8> {
    let mut bytes = Vec::new();
    frame_bytes(Dimension::Plane, &mut bytes, frame);
    bytes
}

/// What a reader makes of some bytes with their length in front.
fn read(mut input: &[u8], most: u64) -> Result<Option<Vec<u8>>, String> {
    let mut bytes = Vec::new();
    match read_bytes(&mut input, &mut None, &mut bytes, most) {
        Ok(true) => Ok(Some(bytes)),
        Ok(false) => Ok(None),
        Err(error) => Err(error.to_string()),
    }
}

#[test]
fn a_frame_comes_back_to_the_bit() {
    let sent = frame();
    let bytes = read(&bytes_of(&sent), 1 << 20).unwrap().unwrap();
    let mut got = Frame { time: 4.0, ..Frame::default() };
    read_frame(Dimension::Plane, &bytes, &mut got).unwrap();
    assert_eq!(got.time, 4.0, "times are the bench's");
    assert_eq!(format!("{:?}", Frame { time: 0.0, ..got }), format!("{sent:?}"));
    assert_eq!(read(&0_u64.to_le_bytes(), 9), Ok(None), "no frame follows");
}

#[test]
fn a_frame_of_space_comes_back_to_the_bit() {
    let pose = Pose {
        position: DVec3::new(1.0 / 3.0, -0.0, 7.0),
        rotation: DQuat::from_xyzw(0.1, -0.2, 0.3, 0.9),
        angle: 0.0,
    };
    let state = BodyState { pose, velocity: DVec3::new(1.0, 2.0, 3.0), spin: DVec3::new(-4.0, 5.0, -6.0) };
    let contact = Contact { point: DVec3::new(0.1, 0.2, 0.3), normal: DVec3::Z, ..frame().contacts[1] };
    let sent = Frame { bodies: vec![state, BodyState::absent()], contacts: vec![contact], ..frame() };
    let mut bytes = Vec::new();
    frame_bytes(Dimension::Space, &mut bytes, &sent);
    let bytes = read(&bytes, 1 << 20).unwrap().unwrap();
    let mut got = Frame::default();
    read_frame(Dimension::Space, &bytes, &mut got).unwrap();
    assert_eq!(format!("{got:?}"), format!("{sent:?}"));
    assert_eq!(read_frame(Dimension::Plane, &bytes, &mut got), None, "a world of another dimension");
}

#[test]
fn lengths_that_lie_are_told_and_reserve_nothing() {
    let whole = bytes_of(&frame());
    for cut in [1, 7, 9, whole.len() / 2, whole.len() - 1] {
        assert!(read(&whole[..cut], 1 << 20).is_err(), "{cut} bytes of {}", whole.len());
    }
    let mut huge = whole.clone();
    huge[..8].copy_from_slice(&(1_u64 << 60).to_le_bytes());
    assert!(read(&huge, 1 << 20).unwrap_err().contains("bytes of frames"));
    // A place in shared memory where there is none.
    let mut elsewhere = u64::MAX.to_le_bytes().to_vec();
    elsewhere.extend([5_u64, 2, 1, 2, 0, 0].iter().flat_map(|word| word.to_le_bytes()));
    assert!(read(&elsewhere, 1 << 20).unwrap_err().contains("where none is"));
}

#[test]
fn counts_that_lie_make_no_frame() {
    let whole = read(&bytes_of(&frame()), 1 << 20).unwrap().unwrap();
    // Dimension, step, bodies, contacts and events stand in front.
    for (word, count) in [(0, 3_u64), (0, 7), (2, 3), (2, u64::MAX), (3, 9), (3, u64::MAX / 2), (4, 2)] {
        let mut lie = whole.clone();
        lie[8 * word..8 * (word + 1)].copy_from_slice(&count.to_le_bytes());
        assert_eq!(read_frame(Dimension::Plane, &lie, &mut Frame::default()), None, "word {word} says {count}");
    }
    assert_eq!(read_frame(Dimension::Plane, &whole[..32], &mut Frame::default()), None);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    #[test]
    fn no_bytes_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let _ = read(&bytes, 1 << 16);
        let _ = read_frame(Dimension::Plane, &bytes, &mut Frame::default());
    }
}
