//! Pairs of pieces in the order in which a broad phase finds them, and their sorting.

use crate::common::pair::Pair;

/// Pairs with the same first piece that are still sorted by insertion.
const SHORT: u32 = 16;

/// Boxes compared at once.
pub(crate) const BLOCK: usize = 8;

/// Pairs found; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Found {
    /// Longer than what it holds.
    list: Vec<Pair>,
    count: usize,
    /// Where the pairs of each first piece start.
    starts: Vec<u32>,
}

impl Found {
    pub(crate) fn clear(&mut self) {
        self.count = 0;
    }

    /// How many there are.
    pub(crate) fn len(&self) -> usize {
        self.count
    }

    pub(crate) fn push(&mut self, pair: Pair) {
        self.make_room(1);
        self.list[self.count] = pair;
        self.count += 1;
    }

    #[inline]
    pub(crate) fn make_room(&mut self, more: usize) {
        if self.list.len() < self.count + more {
            self.grow(more);
        }
    }

    #[cold]
    #[inline(never)]
    fn grow(&mut self, more: usize) {
        self.list.resize(2 * (self.count + more), Pair::default());
    }

    /// Writes down a pair if its boxes overlap. It is written in any case, and counted only when they do: whether they will cannot be
    /// foreseen, so that a branch would cost more than a needless write.
    #[inline]
    pub(crate) fn note(&mut self, a: u32, b: u32, overlap: bool) {
        self.make_room(1);
        self.list[self.count] = Pair::of(a, b);
        self.count += usize::from(overlap);
    }

    /// The same of many, of which there are `most` at most.
    #[inline(always)]
    pub(crate) fn note_all(&mut self, most: usize, pairs: impl Iterator<Item = (Pair, bool)>) {
        self.make_room(most);
        let room = &mut self.list[self.count..];
        let mut count = 0;
        for (pair, overlap) in pairs {
            room[count] = pair;
            count += usize::from(overlap);
        }
        self.count += count;
    }

    /// Compares a box with others.
    #[inline]
    pub(crate) fn gather<B>(
        &mut self,
        a: &B,
        others: &[B],
        pair: impl Fn(&B, &B) -> Pair,
        meets: impl Fn(&B, &B) -> bool,
    ) {
        self.note_all(others.len(), others.iter().map(|b| (pair(a, b), meets(a, b))));
    }

    /// Writes down the first `count` of a block, for which there is room.
    #[cfg(target_arch = "x86_64")]
    #[inline(always)]
    pub(crate) fn put_block(&mut self, pairs: [[u64; BLOCK / 2]; 2], count: u32) {
        let room = &mut self.list[self.count..self.count + BLOCK];
        let [[a, b, c, d], [e, f, g, h]] = pairs;
        room.copy_from_slice(&[Pair(a), Pair(b), Pair(c), Pair(d), Pair(e), Pair(f), Pair(g), Pair(h)]);
        self.count += count as usize;
    }

    pub(crate) fn retain(&mut self, keep: impl Fn(Pair) -> bool) {
        let mut kept = 0;
        for place in 0..self.count {
            self.list[kept] = self.list[place];
            kept += usize::from(keep(self.list[place]));
        }
        self.count = kept;
    }

    /// Sorts the pairs: by counting for the first piece, by insertion for the few seconds of each.
    pub(crate) fn sort_into(&mut self, pairs: &mut Vec<Pair>, pieces: usize) {
        let found = &self.list[..self.count];
        if found.len() < 64 {
            pairs.clear();
            pairs.extend_from_slice(found);
            pairs.sort_unstable();
            return;
        }
        self.starts.clear();
        self.starts.resize(pieces + 1, 0);
        let starts = &mut self.starts[..];
        for &pair in found {
            starts[pair.first() as usize + 1] += 1;
        }
        let longest = starts.iter().copied().max().unwrap_or(0);
        let mut sum = 0;
        for start in &mut *starts {
            sum += *start;
            *start = sum;
        }
        pairs.resize(found.len(), Pair::default());
        for &pair in found {
            let place = &mut starts[pair.first() as usize];
            pairs[*place as usize] = pair;
            *place += 1;
        }
        if longest > SHORT {
            // Each start has moved to the end of its own run.
            let mut from = 0;
            for &to in &starts[..pieces] {
                pairs[from..to as usize].sort_unstable();
                from = to as usize;
            }
            return;
        }
        // Pairs only change places within the run of their first piece. Whether two must cannot be foreseen: once along them without a
        // branch puts most in place.
        let last = pairs.len() - 1;
        let mut carried = pairs[0];
        for place in 0..last {
            (pairs[place], carried) = (carried.min(pairs[place + 1]), carried.max(pairs[place + 1]));
        }
        pairs[last] = carried;
        for next in 1..pairs.len() {
            let mut place = next;
            while place > 0 && pairs[place - 1] > pairs[place] {
                pairs.swap(place - 1, place);
                place -= 1;
            }
        }
    }
}
