//! Inner faces of space: where convex pieces that nothing can push lie level beside each other (`common/inner.rs`). The edges of one mesh are looked at
//! where its faces are (`narrow/surface.rs`).

use crate::common::inner::{InnerFaces, SAME_WAY, Support};
use crate::common::scalar::Real;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::contact::Contact;
use crate::space::narrow::depth_of;
use crate::space::shape::{Form, Piece};
use crate::space::vector::{Pose, Vec3};

/// Drops the contacts of inner faces from a list.
pub(crate) fn drop_inner<R: Real>(faces: &mut InnerFaces<Vec3<R>>, list: &mut Vec<Contact<R>>, bodies: &Bodies<R>) {
    let moves = |body: usize| bodies.inverse[body].moves();
    faces.drop_from(
        list,
        |contact| (contact.bodies, contact.pieces, contact.bodies.map(moves), contact.normal),
        |contact, support, other| is_inner(contact, support, other, bodies),
    );
}

fn is_inner<R: Real>(
    contact: &Contact<R>,
    support: &Support<Vec3<R>>,
    other: &Support<Vec3<R>>,
    bodies: &Bodies<R>,
) -> bool {
    let (piece, beside) = (&bodies.pieces[support.piece], &bodies.pieces[other.piece]);
    let of_mesh = [piece, beside].iter().any(|piece| matches!(piece.form, Form::Mesh(_)));
    if of_mesh {
        return false;
    }
    let slop = R::of(SLOP) * contact.size;
    let (pose, beside_pose) = (bodies.pose(piece.body), bodies.pose(beside.body));
    let points = contact.points().iter().map(|point| (point.position, point.gap));
    are_level(points, support.out, slop, (piece, &pose), (beside, &beside_pose, other.out))
}

/// Whether all points of a contact, midway between both surfaces, with their gaps and the normal out of a piece, lie where another goes on level.
pub(crate) fn are_level<R: Real>(
    mut points: impl Iterator<Item = (Vec3<R>, R)>,
    out: Vec3<R>,
    slop: R,
    piece: (&Piece<R>, &Pose<R>),
    beside: (&Piece<R>, &Pose<R>, Vec3<R>),
) -> bool {
    points.all(|(midway, gap)| is_level(midway - out * (gap * R::HALF), out, slop, piece, beside))
}

/// Whether a point on a piece, with the normal out of it, lies where another piece goes on level: just outside is the other piece, and this one has no
/// height above it. With the way up, out of the other piece. Its face looks another way, or it is met at an edge while a face of the other bears: what rolls
/// and has sunk in by less than the slop meets that edge a little aslant.
fn is_level<R: Real>(
    surface: Vec3<R>,
    out: Vec3<R>,
    slop: R,
    (piece, pose): (&Piece<R>, &Pose<R>),
    (beside, beside_pose, up): (&Piece<R>, &Pose<R>, Vec3<R>),
) -> bool {
    (up.dot(out) < R::of(SAME_WAY) || (looks_out(beside, beside_pose, up) && !looks_out(piece, pose, out)))
        && depth_of(surface + out * slop, beside, beside_pose) >= -slop
        && depth_of(surface - out * slop + up * (slop * R::of(4.0)), piece, pose) <= R::ZERO
}

/// Whether a face of a piece looks along a direction, as far as its numbers tell.
fn looks_out<R: Real>(piece: &Piece<R>, body: &Pose<R>, along: Vec3<R>) -> bool {
    match &piece.form {
        Form::Block(_, shell) | Form::Hull(shell) => {
            let along = piece.pose(body).axes.times_back(along);
            let near = R::EPSILON.sqrt();
            shell.normals().any(|normal| normal.dot(along) > R::HALF && normal.cross(along).length() < near)
        }
        _ => false,
    }
}
