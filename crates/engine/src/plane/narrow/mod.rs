//! What happens between two pieces: the one place that chooses by their forms. The kernels for each pair of forms lie below and know
//! nothing of it.
//!
//! | file | duty |
//! |---|---|
//! | `distance.rs` | gap between two convex pieces, or a half-plane and one |
//! | `manifold.rs` | contact points by separating axes and clipping |
//! | `seam.rs` | contact with one segment of a polyline |

mod distance;
mod manifold;
mod seam;

pub(crate) use distance::{Gap, disc_to_convex};
pub(crate) use manifold::Manifold;

use crate::common::scalar::Real;
use crate::plane::shape::{Form, Piece};
use crate::plane::vector::{Pose, Vec2};
use distance::{convex_gap, plane_gap};
use manifold::{convexes, half_plane};

/// Gap of two pieces. When they overlap the gap is negative and its size is that of the best separating face.
pub(crate) fn gap_between<R: Real>(a: &Piece<R>, at: &Pose<R>, b: &Piece<R>, bt: &Pose<R>) -> Gap<R> {
    match (&a.form, &b.form) {
        (Form::Convex(a), Form::Convex(b)) => match (&a.seams, &b.seams) {
            (Some(seams), None) => seam::gap(a, seams, at, b, bt),
            (None, Some(seams)) => {
                let found = seam::gap(b, seams, bt, a, at);
                Gap { normal: -found.normal, ..found }
            }
            _ => convex_gap(a, at, b, bt),
        },
        (Form::HalfPlane { normal, offset }, Form::Convex(convex)) => plane_gap(*normal, *offset, at, convex, bt),
        (Form::Convex(convex), Form::HalfPlane { normal, offset }) => {
            let found = plane_gap(*normal, *offset, bt, convex, at);
            Gap { normal: -found.normal, ..found }
        }
        (Form::HalfPlane { .. }, Form::HalfPlane { .. }) => {
            Gap { gap: R::INFINITY, normal: Vec2::new(R::ONE, R::ZERO), point: Vec2::ZERO }
        }
    }
}

/// Contact points of two pieces with a gap of `margin` at most. Empty when they are further apart. Two pieces that only
/// static bodies may have (half-planes, segments of polylines) never meet, so those pairs are empty on purpose.
pub(crate) fn collide<R: Real>(a: &Piece<R>, at: &Pose<R>, b: &Piece<R>, bt: &Pose<R>, margin: R) -> Manifold<R> {
    match (&a.form, &b.form) {
        (Form::HalfPlane { normal, offset }, Form::Convex(convex)) => {
            half_plane(*normal, *offset, at, convex, bt, margin)
        }
        (Form::Convex(convex), Form::HalfPlane { normal, offset }) => {
            half_plane(*normal, *offset, bt, convex, at, margin).flipped()
        }
        (Form::Convex(a), Form::Convex(b)) => match (&a.seams, &b.seams) {
            (None, None) => convexes(a, at, b, bt, margin),
            (Some(seams), None) => seam::segment(a, seams, at, b, bt, margin),
            (None, Some(seams)) => seam::segment(b, seams, bt, a, at, margin).flipped(),
            (Some(_), Some(_)) => Manifold::default(),
        },
        (Form::HalfPlane { .. }, Form::HalfPlane { .. }) => Manifold::default(),
    }
}
