//! Which contacts can be solved side by side.
//!
//! Contacts are given colours greedily in the order of the list (graph colouring; Welsh and Powell, 1967), so that those of one
//! colour can be solved in any order, and by any thread, with the same result.

use crate::common::passes::LANES;

/// Colours; contacts that need more are solved one by one after them.
pub(crate) const COLOURS: usize = 64;

/// Where each contact goes.
#[derive(Clone, Debug, Default)]
pub(crate) struct Colouring {
    used: Vec<u64>,
    colour: Vec<u8>,
    /// Bundles before those of each colour; one entry more than colours.
    pub(crate) first_bundle: Vec<u32>,
    next: Vec<u32>,
    /// Bundle and lane of each contact.
    pub(crate) slots: Vec<(u32, u8)>,
}

impl Colouring {
    /// Colours the contacts, given by their bodies, and gives each a lane; contacts past the last colour get bundles of their own.
    pub(crate) fn arrange(
        &mut self,
        contacts: impl Iterator<Item = [usize; 2]>,
        bodies: usize,
        moves: impl Fn(usize) -> bool,
    ) -> usize {
        self.used.clear();
        self.used.resize(bodies, 0);
        self.colour.clear();
        let mut counts = [0_u32; COLOURS + 1];
        for [a, b] in contacts {
            let (moves_a, moves_b) = (moves(a), moves(b));
            let taken = if moves_a { self.used[a] } else { 0 } | if moves_b { self.used[b] } else { 0 };
            let colour = taken.trailing_ones() as usize;
            counts[colour] += 1;
            self.colour.push(colour as u8);
            if colour < COLOURS {
                self.used[a] |= u64::from(moves_a) << colour;
                self.used[b] |= u64::from(moves_b) << colour;
            }
        }
        self.first_bundle.clear();
        self.next.clear();
        let mut bundles = 0;
        for (colour, &count) in counts.iter().enumerate() {
            self.first_bundle.push(bundles);
            self.next.push(0);
            let width = if colour < COLOURS { LANES as u32 } else { 1 };
            bundles += count.div_ceil(width);
        }
        self.first_bundle.push(bundles);
        self.slots.clear();
        for &colour in &self.colour {
            let colour = usize::from(colour);
            let width = if colour < COLOURS { LANES as u32 } else { 1 };
            let place = self.next[colour];
            self.next[colour] += 1;
            self.slots.push((self.first_bundle[colour] + place / width, (place % width) as u8));
        }
        bundles as usize
    }
}
