//! Inner faces of space: where convex pieces that nothing can push lie level beside each other (`common/inner.rs`). The edges of one mesh are looked at
//! where its faces are (`narrow/surface.rs`).

use crate::common::inner::{InnerFaces, SAME_WAY, Support};
use crate::common::scalar::Real;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::contact::Contact;
use crate::space::narrow::depth_of;
use crate::space::shape::Form;
use crate::space::vector::Vec3;

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
    if of_mesh || !(other.out.dot(support.out) < R::of(SAME_WAY)) {
        return false;
    }
    let slop = R::of(SLOP) * contact.size;
    let (pose, beside_pose) = (bodies.pose(piece.body), bodies.pose(beside.body));
    contact.points().iter().all(|point| {
        // From midway between both surfaces to that of the piece.
        let surface = point.position - support.out * (point.gap * R::HALF);
        depth_of(surface + support.out * slop, beside, &beside_pose) >= -slop
            && depth_of(surface - support.out * slop + other.out * (slop * R::of(4.0)), piece, &pose) <= R::ZERO
    })
}
