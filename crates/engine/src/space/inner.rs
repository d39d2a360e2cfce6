//! Inner faces: where pieces that nothing can push lie level beside each other, the face between them is no obstacle. The edges of one mesh are looked at
//! where its faces are (`narrow/surface.rs`).
//!
//! A slider sinks into a floor by less than the slop, and the next plate of the floor then stands that much in its way. A contact is taken
//! for one of an inner face, and dropped, when just outside the face there is another piece that the body touches as well, and the face has no
//! height above that piece.

use crate::common::scalar::Real;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::contact::Contact;
use crate::space::narrow::depth_of;
use crate::space::shape::Form;
use crate::space::vector::Vec3;

/// Normals whose cosine is above this are of one surface.
const SAME_WAY: f64 = 0.7;

/// A contact of a body with a piece that nothing can push, seen from the piece.
#[derive(Clone, Copy, Debug)]
struct Support<R> {
    body: usize,
    contact: usize,
    piece: usize,
    /// Out of the piece.
    out: Vec3<R>,
}

/// Drops contacts of inner faces; keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct InnerFaces<R> {
    supports: Vec<Support<R>>,
    dropped: Vec<bool>,
}

impl<R: Real> InnerFaces<R> {
    /// Drops them from a list of contacts, whose order stays.
    pub(crate) fn drop_from(&mut self, list: &mut Vec<Contact<R>>, bodies: &Bodies<R>) {
        self.supports.clear();
        for (number, contact) in list.iter().enumerate() {
            let [first, second] = contact.bodies.map(|body| bodies.inverse[body].moves());
            let (body, piece, out) = match (first, second) {
                (true, false) => (contact.bodies[0], contact.pieces.1, -contact.normal),
                (false, true) => (contact.bodies[1], contact.pieces.0, contact.normal),
                _ => continue,
            };
            self.supports.push(Support { body, contact: number, piece: piece as usize, out });
        }
        self.supports.sort_unstable_by_key(|support| (support.body, support.contact));
        self.dropped.clear();
        self.dropped.resize(list.len(), false);
        let mut any = false;
        let mut from = 0;
        while from < self.supports.len() {
            let body = self.supports[from].body;
            let to = from + self.supports[from..].iter().take_while(|support| support.body == body).count();
            if to - from > 1 {
                any |= self.look_at(from, to, list, bodies);
            }
            from = to;
        }
        if any {
            let mut number = 0;
            list.retain(|_| {
                number += 1;
                !self.dropped[number - 1]
            });
        }
    }

    /// Marks the contacts of inner faces among those of one body; whether there are any.
    fn look_at(&mut self, from: usize, to: usize, list: &[Contact<R>], bodies: &Bodies<R>) -> bool {
        let mut any = false;
        for number in from..to {
            let support = self.supports[number];
            if matches!(bodies.pieces[support.piece].form, Form::Mesh(_)) {
                continue;
            }
            let inner = self.supports[from..to].iter().any(|other| {
                other.piece != support.piece
                    && other.out.dot(support.out) < R::of(SAME_WAY)
                    && !matches!(bodies.pieces[other.piece].form, Form::Mesh(_))
                    && is_inner(&list[support.contact], support, *other, bodies)
            });
            if inner {
                self.dropped[support.contact] = true;
                any = true;
            }
        }
        any
    }
}

fn is_inner<R: Real>(contact: &Contact<R>, support: Support<R>, other: Support<R>, bodies: &Bodies<R>) -> bool {
    let slop = R::of(SLOP) * contact.size;
    let (piece, beside) = (&bodies.pieces[support.piece], &bodies.pieces[other.piece]);
    let (pose, beside_pose) = (bodies.pose(piece.body), bodies.pose(beside.body));
    contact.points().iter().all(|point| {
        // From midway between both surfaces to that of the piece.
        let surface = point.position - support.out * (point.gap * R::HALF);
        depth_of(surface + support.out * slop, beside, &beside_pose) >= -slop
            && depth_of(surface - support.out * slop + other.out * (slop * R::of(4.0)), piece, &pose) <= R::ZERO
    })
}
