//! Inner faces: where pieces that nothing can push lie level beside each other, the face between them is no obstacle.
//!
//! A slider sinks into a floor by less than the slop, and the next plate of the floor then stands that much in its way. A contact is taken
//! for one of an inner face, and dropped, when just outside the face there is another piece that the body touches as well, and the face has no
//! height above that piece.

use std::ops::Neg;

/// Normals whose cosine is above this are of one surface.
pub(crate) const SAME_WAY: f64 = 0.7;

/// A contact of a body with a piece that nothing can push, seen from the piece.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Support<V> {
    body: usize,
    contact: usize,
    pub(crate) piece: usize,
    /// Out of the piece.
    pub(crate) out: V,
}

/// What a contact is between: bodies, pieces, which of the bodies can be pushed, and the normal from the first to the second.
pub(crate) type Between<V> = ([usize; 2], (u32, u32), [bool; 2], V);

/// Drops contacts of inner faces; keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct InnerFaces<V> {
    supports: Vec<Support<V>>,
    dropped: Vec<bool>,
}

impl<V> Default for InnerFaces<V> {
    fn default() -> Self {
        InnerFaces { supports: Vec::new(), dropped: Vec::new() }
    }
}

impl<V: Copy + Neg<Output = V>> InnerFaces<V> {
    /// Drops them from a list of contacts, whose order stays. `is_inner` says of a contact, its support and another support of the same
    /// body whether the contact is of a face inside of both.
    pub(crate) fn drop_from<C>(
        &mut self,
        list: &mut Vec<C>,
        between: impl Fn(&C) -> Between<V>,
        is_inner: impl Fn(&C, &Support<V>, &Support<V>) -> bool,
    ) {
        self.supports.clear();
        for (contact, (bodies, pieces, moves, normal)) in list.iter().map(between).enumerate() {
            let (body, piece, out) = match moves {
                [true, false] => (bodies[0], pieces.1, -normal),
                [false, true] => (bodies[1], pieces.0, normal),
                [true, true] | [false, false] => continue,
            };
            self.supports.push(Support { body, contact, piece: piece as usize, out });
        }
        self.supports.sort_unstable_by_key(|support| (support.body, support.contact));
        self.dropped.clear();
        self.dropped.resize(list.len(), false);
        let mut any = false;
        for supports in self.supports.chunk_by(|a, b| a.body == b.body) {
            for support in supports {
                let beside = |other: &Support<V>| {
                    other.piece != support.piece && is_inner(&list[support.contact], support, other)
                };
                if supports.iter().any(beside) {
                    self.dropped[support.contact] = true;
                    any = true;
                }
            }
        }
        if any {
            let mut dropped = self.dropped.iter();
            list.retain(|_| !dropped.next().is_some_and(|dropped| *dropped));
        }
    }
}
