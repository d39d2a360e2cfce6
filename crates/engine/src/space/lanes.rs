//! Vectors side by side, one for each lane of a bundle.

use crate::common::passes::Lanes;
use crate::space::vector::Vec3;

/// A component of all lanes after the other.
pub(super) type Vectors<R> = [Lanes<R>; 3];

/// The vector of a lane.
#[inline(always)]
pub(super) fn vector<R: Copy>(of: &Vectors<R>, lane: usize) -> Vec3<R> {
    Vec3 { x: of[0][lane], y: of[1][lane], z: of[2][lane] }
}

/// Gives a lane a vector.
#[inline(always)]
pub(super) fn put<R: Copy>(lanes: &mut Vectors<R>, lane: usize, v: Vec3<R>) {
    (lanes[0][lane], lanes[1][lane], lanes[2][lane]) = (v.x, v.y, v.z);
}
