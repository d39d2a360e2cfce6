//! Where two pieces touch.

use crate::common::scalar::Real;
use crate::space::vector::Vec3;

/// Most points of a contact: as many as hold a box on a face.
pub(crate) const POINTS: usize = 4;

/// One point of a contact.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct ContactPoint<R> {
    pub(crate) position: Vec3<R>,
    /// From each body's centre to the point.
    pub(crate) arms: [Vec3<R>; 2],
    /// Gap along the normal; negative for overlap.
    pub(crate) gap: R,
    pub(crate) feature: u32,
    /// Impulses of this step, the start for the next.
    pub(crate) normal_impulse: R,
    pub(crate) friction_impulse: Vec3<R>,
    /// Normal impulse over the substeps of this step that have ended.
    pub(crate) so_far: R,
}

/// Where two pieces touch.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Contact<R> {
    /// Lower index first.
    pub(crate) pieces: (u32, u32),
    /// The lowest of the faces of a mesh that it is one of; 0 of others.
    pub(crate) face: u32,
    pub(crate) bodies: [usize; 2],
    /// From the first body to the second.
    pub(crate) normal: Vec3<R>,
    pub(crate) friction: R,
    pub(crate) restitution: R,
    /// Size of the smaller body.
    pub(crate) size: R,
    pub(crate) points: [ContactPoint<R>; POINTS],
    pub(crate) count: usize,
}

impl<R: Real> Contact<R> {
    pub(crate) fn points(&self) -> &[ContactPoint<R>] {
        &self.points[..self.count]
    }
}

/// What happened at a point: an impact, or the pressing of a whole step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Impact<R> {
    pub(crate) bodies: [usize; 2],
    pub(crate) point: Vec3<R>,
    pub(crate) normal: Vec3<R>,
    pub(crate) gap: R,
    pub(crate) impulse: R,
}
