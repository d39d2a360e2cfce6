//! Boxes around pieces.

use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::plane::vector::Vec2;

/// Box of one piece, grown by a margin.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Bound<S> {
    pub(crate) low: Vec2<S>,
    pub(crate) high: Vec2<S>,
    pub(crate) piece: u32,
}

impl<S: Real> Bound<S> {
    /// The pieces of both.
    #[inline]
    pub(crate) fn pair(&self, other: &Self) -> Pair {
        Pair::of(self.piece, other.piece)
    }

    /// The longer side.
    #[inline]
    pub(crate) fn size(&self) -> S {
        let (width, height) = (self.high.x - self.low.x, self.high.y - self.low.y);
        if width > height { width } else { height }
    }

    /// Coordinates are rounded to the nearest, which keeps their order, so that boxes that overlap still do.
    #[inline]
    pub(crate) fn rounded<R: Real>(low: Vec2<R>, high: Vec2<R>, piece: u32) -> Self {
        let rounded = |v: Vec2<R>| Vec2::new(S::of(v.x.to_f64()), S::of(v.y.to_f64()));
        Bound { low: rounded(low), high: rounded(high), piece }
    }

    #[inline]
    pub(crate) fn meets(&self, other: &Self) -> bool {
        // No branch between the four, which nobody could foresee.
        (self.low.x <= other.high.x)
            & (other.low.x <= self.high.x)
            & (self.low.y <= other.high.y)
            & (other.low.y <= self.high.y)
    }
}

/// What all boxes together cover: the least of some numbers of each, where a negated number stands for a greatest one. What is not a number
/// changes nothing.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Around<S> {
    /// Lower corner, and the same negated.
    corner: [S; 4],
    /// Size, and the same negated.
    size: [S; 2],
}

impl<S: Real> Around<S> {
    pub(crate) const NOTHING: Self = Around { corner: [S::INFINITY; 4], size: [S::INFINITY; 2] };

    #[inline]
    pub(crate) fn add(&mut self, bound: &Bound<S>) {
        let less = |a: S, b: S| if a < b { a } else { b };
        let (x, y, size) = (bound.low.x, bound.low.y, bound.size());
        let [a, b, c, d] = self.corner;
        self.corner = [less(x, a), less(y, b), less(-x, c), less(-y, d)];
        self.size = [less(size, self.size[0]), less(-size, self.size[1])];
    }

    /// Least lower corner.
    pub(crate) fn low(&self) -> Vec2<S> {
        Vec2::new(self.corner[0], self.corner[1])
    }

    /// Greatest lower corner.
    pub(crate) fn high(&self) -> Vec2<S> {
        Vec2::new(-self.corner[2], -self.corner[3])
    }

    /// The least size, the longer side of a box.
    pub(crate) fn smallest(&self) -> S {
        self.size[0]
    }

    pub(crate) fn largest(&self) -> S {
        -self.size[1]
    }

    /// The largest coordinate of any corner, or more.
    pub(crate) fn furthest(&self) -> S {
        let corner = self.corner.iter().fold(S::ZERO, |most, side| most.max(side.abs()));
        corner + self.largest()
    }
}
