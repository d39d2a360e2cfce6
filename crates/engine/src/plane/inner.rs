//! Inner faces of the plane: where polygons that nothing can push lie level beside each other (`common/inner.rs`).

use crate::common::inner::{InnerFaces, SAME_WAY, Support};
use crate::common::scalar::Real;
use crate::common::tolerance::SLOP;
use crate::plane::bodies::Bodies;
use crate::plane::contact::Contact;
use crate::plane::narrow::disc_to_convex;
use crate::plane::shape::{Form, Piece};
use crate::plane::vector::{Pose, Vec2};

/// Drops the contacts of inner faces from a list.
pub(crate) fn drop_inner<R: Real>(faces: &mut InnerFaces<Vec2<R>>, list: &mut Vec<Contact<R>>, bodies: &Bodies<R>) {
    let moves = |body: usize| bodies.inverse[body].moves();
    faces.drop_from(
        list,
        |contact| (contact.bodies, contact.pieces, contact.bodies.map(moves), contact.normal),
        |contact, support, other| is_inner(contact, support, other, bodies),
    );
}

fn is_inner<R: Real>(
    contact: &Contact<R>,
    support: &Support<Vec2<R>>,
    other: &Support<Vec2<R>>,
    bodies: &Bodies<R>,
) -> bool {
    if !(other.out.dot(support.out) < R::of(SAME_WAY)) {
        return false;
    }
    let slop = R::of(SLOP) * contact.size;
    let (piece, beside) = (&bodies.pieces[support.piece], &bodies.pieces[other.piece]);
    let (pose, beside_pose) = (bodies.pose(piece.body), bodies.pose(beside.body));
    contact.points().iter().all(|point| {
        // From midway between both surfaces to that of the piece.
        let surface = point.position - support.out * (point.gap * R::HALF);
        is_level(surface, support.out, slop, (piece, &pose), (beside, &beside_pose), Some(other.out))
    })
}

/// Whether a point on the face of a piece, with the face's outward normal, lies where another piece goes on level: just outside the face
/// is the other piece, and the face has no height above it. The way up is that out of the other piece, worked out where it is not given.
pub(crate) fn is_level<R: Real>(
    surface: Vec2<R>,
    out: Vec2<R>,
    slop: R,
    (piece, pose): (&Piece<R>, &Pose<R>),
    (beside, beside_pose): (&Piece<R>, &Pose<R>),
    up: Option<Vec2<R>>,
) -> bool {
    let (depth, upward) = depth_of(surface + out * slop, beside, beside_pose);
    let up = up.unwrap_or(upward);
    depth >= -slop
        && up.dot(out) < R::of(SAME_WAY)
        && depth_of(surface - out * slop + up * (slop * R::of(4.0)), piece, pose).0 <= R::ZERO
}

/// How deep a point lies in a piece (negative outside), and the way out.
fn depth_of<R: Real>(point: Vec2<R>, piece: &Piece<R>, pose: &Pose<R>) -> (R, Vec2<R>) {
    match &piece.form {
        Form::Convex(convex) => {
            let (gap, normal, _) = disc_to_convex(point, convex, pose);
            (-gap, normal)
        }
        Form::HalfPlane { normal, offset } => {
            let normal = pose.rotation.turn(*normal);
            (*offset + normal.dot(pose.position) - normal.dot(point), normal)
        }
    }
}
