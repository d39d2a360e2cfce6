//! Rectangles along the axes around outlines of the plane.

use super::collider::Collider;
use ironspin_model::DVec2;

/// A rectangle along the axes; empty of everything when it holds not-a-number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Rectangle {
    pub(crate) low: DVec2,
    pub(crate) high: DVec2,
}

impl Rectangle {
    pub(crate) const NONE: Rectangle = Rectangle { low: DVec2::INFINITY, high: DVec2::NEG_INFINITY };

    pub(crate) fn of(collider: &Collider) -> Self {
        match collider {
            Collider::Hull { corners, radius } => {
                let none = Rectangle::NONE;
                let (low, high) = corners
                    .iter()
                    .fold((none.low, none.high), |(low, high), &corner| (low.min(corner), high.max(corner)));
                Rectangle { low: low - *radius, high: high + *radius }
            }
            Collider::HalfPlane { normal, level } => {
                // Only a surface along an axis bounds its solid on that side.
                let (mut low, mut high) = (DVec2::NEG_INFINITY, DVec2::INFINITY);
                match (normal.x, normal.y) {
                    (x, 0.0) if x > 0.0 => high.x = *level,
                    (x, 0.0) if x < 0.0 => low.x = -level,
                    (0.0, y) if y > 0.0 => high.y = *level,
                    (0.0, y) if y < 0.0 => low.y = -level,
                    _ => {}
                }
                Rectangle { low, high }
            }
        }
    }

    pub(crate) fn around(self, other: Rectangle) -> Self {
        Rectangle { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// The gap of two that overlap along one axis at most, or less; minus infinity for two that overlap.
    pub(crate) fn least_gap(&self, other: &Rectangle) -> f64 {
        let apart = (self.low - other.high).max(other.low - self.high).max_element();
        if apart > 0.0 { apart } else { f64::NEG_INFINITY }
    }

    /// Whether two come within a distance of each other along both axes.
    pub(crate) fn meets(&self, other: &Rectangle, within: f64) -> bool {
        self.low.x - within <= other.high.x
            && other.low.x - within <= self.high.x
            && self.low.y - within <= other.high.y
            && other.low.y - within <= self.high.y
    }
}
