//! Where texts of engines come in, one by one, without a process: for those who throw bytes at them.

use crate::protocol::{answer_of, described_text};
use ironspin_model::{Body, Dimension, World};

/// Reads a line that an engine has answered as the answer to each question in turn, of a world of two bodies in the plane and one in space;
/// whether any of them takes it.
pub fn answer(line: &str) -> bool {
    [Dimension::Plane, Dimension::Space].into_iter().any(|dimension| {
        let bodies = vec![Body::plain("quay".to_owned()), Body::plain("ingot".to_owned())];
        answer_of(line, &World { dimension, bodies, ..World::planar(1.0) })
    })
}

/// Reads the text with which a shared library describes itself; whether it is taken.
pub fn described(text: &str) -> bool {
    described_text(text)
}
