//! Numbers as base64 of their bytes, the lower byte first, and flags as bits of numbers.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ironspin_lab::Replay;
use ironspin_model::{BodyKind, World};
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

/// Bits of a number.
pub(super) const BITS: usize = u16::BITS as usize;

/// Bits of the moving bodies that are at rest, frame after frame; nothing where none ever is.
pub(super) fn at_rest(world: &World, replay: &Replay) -> Vec<u16> {
    let rests = |frame: usize, id: usize| {
        world.bodies.get(id).is_some_and(|body| body.kind == BodyKind::Dynamic) && replay.is_at_rest(frame, id)
    };
    let word =
        |frame: usize, first: usize| (0..BITS).fold(0, |word, bit| word | u16::from(rests(frame, first + bit)) << bit);
    let firsts = || (0..world.bodies.len()).step_by(BITS);
    let words: Vec<u16> =
        (0..replay.times.len()).flat_map(|frame| firsts().map(move |first| word(frame, first))).collect();
    if words.iter().any(|&word| word != 0) { words } else { Vec::new() }
}
