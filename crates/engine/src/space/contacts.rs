//! Contacts that persist from step to step.

use crate::common::carry::Carry;
use crate::common::inner::InnerFaces;
use crate::common::mixed::Mixed;
use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::common::threads::Threads;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::contact::{Contact, ContactPoint, POINTS};
use crate::space::inner::drop_inner;
use crate::space::narrow::{FaceContact, Manifold, Pressed, collide, touch_surface};
use crate::space::shape::{Form, Piece};
use crate::space::vector::{Pose, Vec3};

/// Pairs looked at together.
const PORTION: usize = 8192;

/// How far a point may have gone on the first body from step to step to be taken for the same, as a share of the smaller body's size.
const SAME_POINT: f64 = 0.1;

/// What the next step needs to know of a point.
#[derive(Clone, Copy, Debug, Default)]
struct KnownPoint<R> {
    /// In the frame of the first body.
    place: Vec3<R>,
    normal_impulse: R,
    friction_impulse: Vec3<R>,
    so_far: R,
}

/// What the next step needs to know of a contact.
#[derive(Clone, Copy, Debug, Default)]
struct Memory<R> {
    pieces: (u32, u32),
    face: u32,
    points: [KnownPoint<R>; POINTS],
    count: usize,
}

impl<R: Real> Memory<R> {
    /// Where the load of the step before lay, with the first body where it is now.
    fn pressed(&self, frame: &Pose<R>) -> Pressed<R> {
        let points = &self.points[..self.count];
        let all = points.iter().fold(R::ZERO, |sum, point| sum + point.normal_impulse);
        (all > R::ZERO).then(|| {
            let place = points.iter().fold(Vec3::ZERO, |sum, point| sum + point.place * point.normal_impulse);
            frame.point(place * (R::ONE / all))
        })
    }
}

/// A walk along the memory, which is sorted as the pairs are.
struct Walk<'a, R> {
    memory: &'a [Memory<R>],
    next: usize,
}

impl<'a, R: Real> Walk<'a, R> {
    /// The first that is known of two pieces.
    fn of_pieces(&mut self, pieces: (u32, u32)) -> Option<&'a Memory<R>> {
        while self.memory.get(self.next).is_some_and(|memory| memory.pieces < pieces) {
            self.next += 1;
        }
        self.memory.get(self.next).filter(|memory| memory.pieces == pieces)
    }

    fn of_face(&mut self, pieces: (u32, u32), face: u32) -> Option<&'a Memory<R>> {
        while self.memory.get(self.next).is_some_and(|memory| (memory.pieces, memory.face) < (pieces, face)) {
            self.next += 1;
        }
        self.memory.get(self.next).filter(|memory| (memory.pieces, memory.face) == (pieces, face))
    }
}

/// The contacts of this step, sorted by pieces, and the impulses of the step before.
#[derive(Clone, Debug, Default)]
pub(crate) struct Contacts<R> {
    pub(crate) list: Vec<Contact<R>>,
    memory: Vec<Memory<R>>,
    /// Kept between steps to spare allocations.
    manifolds: Vec<Manifold<R>>,
    surface: Vec<FaceContact<R>>,
    inner: InnerFaces<Vec3<R>>,
    /// A mistake: inner faces are obstacles.
    pub(crate) seams_catch: bool,
}

impl<R: Real> Contacts<R> {
    /// Works out the contacts of all pairs at the present poses; points known from before keep their impulses.
    pub(crate) fn refresh(
        &mut self,
        bodies: &Bodies<R>,
        pairs: &[Pair],
        mixed: &Mixed<R>,
        carry: Carry<R>,
        threads: &Threads,
    ) {
        self.remember(bodies);
        let memory = std::mem::take(&mut self.memory);
        let touch = |pair: &Pair| {
            let (a, b) = pair.both();
            let (first, second) = (&bodies.pieces[a as usize], &bodies.pieces[b as usize]);
            let margin = R::of(SLOP) * first.size.min(second.size);
            match (&first.form, &second.form) {
                // Of surfaces there may be many.
                (Form::Mesh(_), _) | (_, Form::Mesh(_)) => Manifold::default(),
                _ => {
                    let poses = [first, second].map(|piece| bodies.pose(piece.body));
                    let cylinder = match (&first.form, &second.form) {
                        (Form::Cylinder { .. }, _) => Some(first),
                        (_, Form::Cylinder { .. }) => Some(second),
                        _ => None,
                    };
                    let pressed = cylinder.and_then(|cylinder| {
                        let place = memory.partition_point(|known| known.pieces < (a, b));
                        let known = memory.get(place).filter(|known| known.pieces == (a, b));
                        known.and_then(|known| known.pressed(&poses[0])).or_else(|| weight_of(bodies, cylinder))
                    });
                    collide(first, &poses[0], second, &poses[1], margin, pressed)
                }
            }
        };
        self.list.clear();
        let mut old = Walk { memory: &memory, next: 0 };
        let mut manifolds = std::mem::take(&mut self.manifolds);
        for pairs in pairs.chunks(PORTION) {
            threads.map(pairs, touch, &mut manifolds);
            for (&pair, manifold) in pairs.iter().zip(&manifolds) {
                if manifold.count > 0 {
                    self.keep(bodies, pair.both(), (0, manifold), mixed, carry, &mut old);
                } else {
                    self.keep_surface(bodies, pair.both(), mixed, carry, &mut old);
                }
            }
        }
        self.manifolds = manifolds;
        self.memory = memory;
        if !self.seams_catch {
            drop_inner(&mut self.inner, &mut self.list, bodies);
        }
    }

    /// Impulses of the step before for a step of another length.
    pub(crate) fn scale_impulses(&mut self, ratio: R) {
        for point in self.list.iter_mut().flat_map(|contact| &mut contact.points) {
            point.normal_impulse = point.normal_impulse * ratio;
            point.friction_impulse = point.friction_impulse * ratio;
        }
    }

    /// Puts the contacts of a mesh with another piece into the list, if one of a pair is a mesh.
    fn keep_surface(
        &mut self,
        bodies: &Bodies<R>,
        (a, b): (u32, u32),
        mixed: &Mixed<R>,
        carry: Carry<R>,
        old: &mut Walk<'_, R>,
    ) {
        let (first, second) = (&bodies.pieces[a as usize], &bodies.pieces[b as usize]);
        let (mesh, surface, piece, turned) = match (&first.form, &second.form) {
            (Form::Mesh(_), Form::Mesh(_)) => return,
            (Form::Mesh(mesh), _) => (mesh, first, second, false),
            (_, Form::Mesh(mesh)) => (mesh, second, first, true),
            _ => return,
        };
        let margin = R::of(SLOP) * piece.size;
        let pose = surface.pose(&bodies.pose(surface.body));
        let mut found = std::mem::take(&mut self.surface);
        let known = old.of_pieces((a, b)).and_then(|known| known.pressed(&bodies.pose(first.body)));
        let pressed = known.or_else(|| weight_of(bodies, piece));
        touch_surface(mesh, &pose, piece, &bodies.pose(piece.body), (margin, pressed), &mut found);
        for (face, manifold) in &found {
            let manifold = if turned { manifold.turned_round() } else { *manifold };
            self.keep(bodies, (a, b), (*face, &manifold), mixed, carry, old);
        }
        self.surface = found;
    }

    /// Puts a contact into the list, with the impulses it had before.
    fn keep(
        &mut self,
        bodies: &Bodies<R>,
        (a, b): (u32, u32),
        (face, manifold): (u32, &Manifold<R>),
        mixed: &Mixed<R>,
        carry: Carry<R>,
        old: &mut Walk<'_, R>,
    ) {
        let (first, second) = (&bodies.pieces[a as usize], &bodies.pieces[b as usize]);
        let known = old.of_face((a, b), face);
        let (friction, restitution) = mixed.of(first.material, second.material);
        let mut contact = Contact {
            pieces: (a, b),
            face,
            bodies: [first.body, second.body],
            normal: manifold.normal,
            friction,
            restitution,
            size: first.size.min(second.size),
            points: [ContactPoint::default(); POINTS],
            count: manifold.count,
        };
        let centres = contact.bodies.map(|body| bodies.position[body]);
        for (point, found) in contact.points.iter_mut().zip(manifold.points()) {
            point.position = found.position;
            point.arms = centres.map(|centre| found.position - centre);
            point.gap = found.gap;
            point.feature = found.feature;
        }
        if let Some(known) = known {
            carry_over(&mut contact, known, bodies, carry);
        }
        self.list.push(contact);
    }

    fn remember(&mut self, bodies: &Bodies<R>) {
        self.memory.clear();
        self.memory.extend(self.list.iter().map(|contact| {
            let frame = bodies.pose(contact.bodies[0]);
            Memory {
                pieces: contact.pieces,
                face: contact.face,
                points: contact.points.map(|point| KnownPoint {
                    place: frame.point_back(point.position),
                    normal_impulse: point.normal_impulse,
                    friction_impulse: point.friction_impulse,
                    so_far: point.so_far,
                }),
                count: contact.count,
            }
        }));
    }
}

/// Where the weight of a piece's body comes down: what a contact that is not known yet is likely to carry.
fn weight_of<R: Real>(bodies: &Bodies<R>, piece: &Piece<R>) -> Pressed<R> {
    let fall = bodies.fall[piece.body];
    (fall != Vec3::ZERO).then(|| bodies.position[piece.body] + fall.unit_or(Vec3::ZERO) * piece.reach)
}

/// Each point takes the impulses of the nearest known one that no other has taken. A single point, as of a ball, is the same wherever
/// it has rolled.
fn carry_over<R: Real>(contact: &mut Contact<R>, known: &Memory<R>, bodies: &Bodies<R>, carry: Carry<R>) {
    let frame = bodies.pose(contact.bodies[0]);
    let single = contact.count == 1 && known.count == 1;
    let within = R::of(SAME_POINT) * contact.size;
    let mut taken = [false; POINTS];
    for point in &mut contact.points[..contact.count] {
        let place = frame.point_back(point.position);
        let mut nearest: Option<(R, usize)> = None;
        for (number, old) in known.points[..known.count].iter().enumerate().filter(|&(number, _)| !taken[number]) {
            let distance = (old.place - place).length();
            if (single || distance <= within) && nearest.is_none_or(|(least, _)| distance < least) {
                nearest = Some((distance, number));
            }
        }
        let Some((_, number)) = nearest else { continue };
        taken[number] = true;
        let old = &known.points[number];
        point.normal_impulse = old.normal_impulse * carry.ratio;
        // Friction lies in the plane of the contact as it is now.
        let friction = old.friction_impulse * carry.ratio;
        point.friction_impulse = friction - contact.normal * contact.normal.dot(friction);
        point.so_far = if carry.same_step { old.so_far + old.normal_impulse } else { R::ZERO };
    }
}
