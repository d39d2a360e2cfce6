//! What touches in space.

use crate::common::scalar::Real;
use crate::soft::touch::{Side, Touch};
use crate::space::vector::Vec3;

/// One of the two that touch.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Corners<R> {
    /// A point of a rigid body, by its arm from the centre.
    Rigid { body: usize, arm: Vec3<R> },
    /// A point of a triangle, or one node three times with weights 1, 0 and 0.
    Nodes { corners: [usize; 3], weights: [R; 3] },
}

/// A touch of space: friction has any direction across its normal.
pub(super) type SpaceTouch<R> = Touch<Corners<R>, Vec3<R>, Vec3<R>, R>;

impl<R: Real> Side for Corners<R> {
    fn node(node: usize) -> Self {
        Corners::Nodes { corners: [node; 3], weights: [R::ONE, R::ZERO, R::ZERO] }
    }

    fn owner(&self) -> Result<usize, usize> {
        match *self {
            Corners::Rigid { body, .. } => Ok(body),
            Corners::Nodes { corners, weights } => Err(corners[heaviest(weights)]),
        }
    }
}

/// The place of the largest of three weights.
pub(super) fn heaviest<R: Real>(weights: [R; 3]) -> usize {
    (1..3).fold(0, |best, k| if weights[k] > weights[best] { k } else { best })
}
