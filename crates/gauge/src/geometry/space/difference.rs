//! The Minkowski difference b - a of two outlines, as far as their support functions tell.

use super::collider::SpaceCollider;
use ironspin_model::DVec3;

/// A corner of the difference, with the points that it comes from.
#[derive(Clone, Copy, Debug)]
pub(super) struct Corner {
    pub(super) at: DVec3,
    on_a: DVec3,
    on_b: DVec3,
}

impl Corner {
    pub(super) fn is(&self, other: &Corner) -> bool {
        (self.on_a, self.on_b) == (other.on_a, other.on_b)
    }
}

/// Two outlines that have an end, without the radii of hulls.
pub(super) struct Difference<'a> {
    a: &'a SpaceCollider,
    b: &'a SpaceCollider,
    /// The rounding of the coordinates of a corner.
    pub(super) noise: f64,
    /// What a plane may lie within the surface to count as touching it: rounding for hulls of corners, a share of the size for what is round.
    pub(super) fine: f64,
    /// Distances of what is round below this are worked out as depths of what is grown, m.
    pub(super) near: f64,
    /// Whether corners are all there is, so that the difference is a polytope.
    pub(super) has_corners: bool,
}

/// A plane counts as touching what is round within this share of the size.
const FINE: f64 = 1e-9;

/// What is round is near within this share of the size.
const NEAR: f64 = 0.01;

impl<'a> Difference<'a> {
    pub(super) fn new(a: &'a SpaceCollider, b: &'a SpaceCollider) -> Self {
        let size = |outline: &SpaceCollider| {
            outline.bounds().map_or(0.0, |[low, high]| low.abs().max(high.abs()).max_element())
        };
        let extent = |outline: &SpaceCollider| outline.bounds().map_or(0.0, |[low, high]| (high - low).max_element());
        let round = |outline: &SpaceCollider| matches!(outline, SpaceCollider::Cylinder { .. });
        let noise = 4.0 * f64::EPSILON * size(a).max(size(b));
        let has_corners = !round(a) && !round(b);
        let largest = extent(a).max(extent(b));
        let fine = if has_corners { noise } else { noise.max(FINE * largest) };
        Difference { a, b, noise, fine, near: NEAR * largest, has_corners }
    }

    /// The corner furthest along a direction.
    pub(super) fn support(&self, along: DVec3) -> Corner {
        let on_a = self.a.support(-along).unwrap_or(DVec3::ZERO);
        let on_b = self.b.support(along).unwrap_or(DVec3::ZERO);
        Corner { at: on_b - on_a, on_a, on_b }
    }

    /// The points of both that a point of the difference comes from, given by its shares of some corners.
    pub(super) fn sources(&self, corners: &[Corner], shares: &[f64]) -> [DVec3; 2] {
        let sum = |of: &dyn Fn(&Corner) -> DVec3| corners.iter().zip(shares).map(|(c, &share)| of(c) * share).sum();
        [sum(&|corner| corner.on_a), sum(&|corner| corner.on_b)]
    }
}

/// The point of the difference nearest to the origin, or the nearest of its rim when the origin lies inside.
#[derive(Clone, Copy, Debug)]
pub(super) struct Nearest {
    /// Negative when the origin lies inside.
    pub(super) distance: f64,
    /// Unit vector by which b would move away from a.
    pub(super) normal: DVec3,
    pub(super) on_a: DVec3,
    pub(super) on_b: DVec3,
}
