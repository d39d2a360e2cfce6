//! Boxes along the axes around outlines of space.

use super::collider::SpaceCollider;
use ironspin_model::DVec3;

/// A box along the axes; empty of everything when it holds not-a-number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Cuboid {
    pub(crate) low: DVec3,
    pub(crate) high: DVec3,
}

impl Cuboid {
    pub(crate) const NONE: Cuboid = Cuboid { low: DVec3::INFINITY, high: DVec3::NEG_INFINITY };

    pub(crate) fn of(collider: &SpaceCollider) -> Self {
        if let Some([low, high]) = collider.bounds() {
            return Cuboid { low, high };
        }
        let SpaceCollider::HalfSpace { normal, level } = collider else { return Cuboid::NONE };
        // Only a surface along an axis bounds its solid on that side.
        let (mut low, mut high) = (DVec3::NEG_INFINITY, DVec3::INFINITY);
        for axis in 0..3 {
            let across = (0..3).filter(|&other| other != axis).all(|other| normal[other] == 0.0);
            if across && normal[axis] > 0.0 {
                high[axis] = *level;
            } else if across && normal[axis] < 0.0 {
                low[axis] = -level;
            }
        }
        Cuboid { low, high }
    }

    pub(crate) fn around(self, other: Cuboid) -> Self {
        Cuboid { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// The gap of two that overlap along all axes but one at most, or less; minus infinity for two that overlap.
    pub(crate) fn least_gap(&self, other: &Cuboid) -> f64 {
        let apart = (self.low - other.high).max(other.low - self.high).max_element();
        if apart > 0.0 { apart } else { f64::NEG_INFINITY }
    }

    /// Whether two come within a distance of each other along every axis.
    pub(crate) fn meets(&self, other: &Cuboid, within: f64) -> bool {
        (self.low - within).cmple(other.high).all() && (other.low - within).cmple(self.high).all()
    }
}
