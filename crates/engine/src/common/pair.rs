//! Two pieces as one word.

/// Two pieces, the lower number first, in one word that sorts by the first and then by the second.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Pair(pub(crate) u64);

impl Pair {
    #[inline]
    pub(crate) fn of(a: u32, b: u32) -> Self {
        Pair(u64::from(a.min(b)) << 32 | u64::from(a.max(b)))
    }

    #[inline]
    pub(crate) fn first(self) -> u32 {
        (self.0 >> 32) as u32
    }

    #[inline]
    pub(crate) fn both(self) -> (u32, u32) {
        (self.first(), self.0 as u32)
    }
}
