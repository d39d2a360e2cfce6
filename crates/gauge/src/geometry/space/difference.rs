//! The Minkowski difference b - a of two hulls, as far as their support functions tell.

use ironspin_model::DVec3;

/// A corner of the difference, with the corners it comes from.
#[derive(Clone, Copy, Debug)]
pub(super) struct Corner {
    pub(super) at: DVec3,
    pub(super) a: usize,
    pub(super) b: usize,
}

impl Corner {
    pub(super) fn is(&self, other: &Corner) -> bool {
        (self.a, self.b) == (other.a, other.b)
    }
}

/// Two hulls given by their corners.
pub(super) struct Difference<'a> {
    pub(super) a: &'a [DVec3],
    pub(super) b: &'a [DVec3],
    /// The rounding of the coordinates of a corner.
    pub(super) noise: f64,
}

/// The corner furthest along a direction; the first of several.
fn support(corners: &[DVec3], along: DVec3) -> usize {
    let mut best = (0, f64::NEG_INFINITY);
    for (number, corner) in corners.iter().enumerate() {
        let height = corner.dot(along);
        if height > best.1 {
            best = (number, height);
        }
    }
    best.0
}

impl<'a> Difference<'a> {
    pub(super) fn new(a: &'a [DVec3], b: &'a [DVec3]) -> Self {
        let largest = |corners: &[DVec3]| corners.iter().map(|corner| corner.abs().max_element()).fold(0.0, f64::max);
        Difference { a, b, noise: 4.0 * f64::EPSILON * largest(a).max(largest(b)) }
    }

    /// The corner furthest along a direction.
    pub(super) fn support(&self, along: DVec3) -> Corner {
        let (a, b) = (support(self.a, -along), support(self.b, along));
        Corner { at: self.b[b] - self.a[a], a, b }
    }

    /// The points of both hulls that a point of the difference comes from, given by its shares of some corners.
    pub(super) fn sources(&self, corners: &[Corner], shares: &[f64]) -> [DVec3; 2] {
        let sum = |of: &dyn Fn(&Corner) -> DVec3| corners.iter().zip(shares).map(|(c, &share)| of(c) * share).sum();
        [sum(&|corner| self.a[corner.a]), sum(&|corner| self.b[corner.b])]
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
