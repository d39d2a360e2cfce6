//! Where two pieces touch.

use crate::common::scalar::Real;
use crate::plane::vector::Vec2;

/// One point of a contact.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct ContactPoint<R> {
    pub(crate) position: Vec2<R>,
    /// From each body's centre to the point.
    pub(crate) arms: [Vec2<R>; 2],
    /// Gap along the normal; negative for overlap.
    pub(crate) gap: R,
    pub(crate) feature: u32,
    /// Impulses of this step, the start for the next.
    pub(crate) normal_impulse: R,
    pub(crate) tangent_impulse: R,
    /// Normal impulse over the substeps of this step that have ended.
    pub(crate) so_far: R,
}

/// Where two pieces touch.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Contact<R> {
    /// Lower index first.
    pub(crate) pieces: (u32, u32),
    pub(crate) bodies: [usize; 2],
    /// From the first body to the second.
    pub(crate) normal: Vec2<R>,
    pub(crate) friction: R,
    pub(crate) restitution: R,
    /// Size of the smaller body.
    pub(crate) size: R,
    pub(crate) points: [ContactPoint<R>; 2],
    pub(crate) count: usize,
}

impl<R: Real> Contact<R> {
    pub(crate) fn points(&self) -> &[ContactPoint<R>] {
        &self.points[..self.count]
    }
}
