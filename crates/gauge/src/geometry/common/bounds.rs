//! Between which bounds a gap must lie, from one that is known and from how far both bodies have gone since.
//!
//! A gap, and the depth of an overlap, changes by no more than the points of both bodies move against each other: it is a distance to the
//! Minkowski difference, which is 1-Lipschitz (de Berg et al., Computational Geometry, section 13.3).

use super::room::Room;

/// Rounding of a gap as a share of the coordinates it comes from, with room to spare.
pub(crate) const NOISE: f64 = 1e-12;

/// The least and the greatest that a gap can be, m.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Bounds {
    pub(crate) low: f64,
    pub(crate) high: f64,
}

impl Bounds {
    pub(crate) const UNKNOWN: Bounds = Bounds { low: f64::NEG_INFINITY, high: f64::INFINITY };

    pub(crate) fn at_least(low: f64) -> Self {
        Bounds { low, high: f64::INFINITY }
    }

    /// With so much more room on both sides.
    #[inline]
    pub(crate) fn widened(self, by: f64) -> Self {
        Bounds { low: self.low - by, high: self.high + by }
    }

    pub(crate) fn exactly(gap: f64) -> Self {
        Bounds { low: gap, high: gap }
    }
}

/// Bounds of the gap of two bodies, and where both were.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Anchor<G: Room> {
    pub(crate) bounds: Bounds,
    pub(crate) poses: [G::Pose; 2],
}

impl<G: Room> Anchor<G> {
    pub(crate) const UNKNOWN: Anchor<G> = Anchor { bounds: Bounds::UNKNOWN, poses: [G::NOWHERE; 2] };
}
