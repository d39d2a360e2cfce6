//! Contacts that persist from step to step.

use crate::common::carry::Carry;
use crate::common::inner::InnerFaces;
use crate::common::mixed::Mixed;
use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::common::threads::Threads;
use crate::common::tolerance::SLOP;
use crate::plane::bodies::Bodies;
use crate::plane::contact::{Contact, ContactPoint};
use crate::plane::inner::drop_inner;
use crate::plane::narrow::{Manifold, collide};
use crate::plane::vector::Vec2;

/// Pairs looked at together.
const PORTION: usize = 8192;

/// What the next step needs to know of a contact.
#[derive(Clone, Copy, Debug, Default)]
struct Memory<R> {
    pieces: (u32, u32),
    features: [u32; 2],
    impulses: [[R; 3]; 2],
    count: u32,
}

/// The contacts of this step, sorted by pieces, and the impulses of the step before.
#[derive(Clone, Debug, Default)]
pub(crate) struct Contacts<R> {
    pub(crate) list: Vec<Contact<R>>,
    memory: Vec<Memory<R>>,
    /// Kept between steps to spare allocations.
    manifolds: Vec<Manifold<R>>,
    inner: InnerFaces<Vec2<R>>,
    /// Only for faults: inner faces are obstacles.
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
        self.remember();
        self.find(bodies, pairs, mixed, carry, threads);
    }

    /// Impulses of the step before for a step of another length.
    pub(crate) fn scale_impulses(&mut self, ratio: R) {
        for point in self.list.iter_mut().flat_map(|contact| &mut contact.points) {
            point.normal_impulse = point.normal_impulse * ratio;
            point.tangent_impulse = point.tangent_impulse * ratio;
        }
    }

    fn find(&mut self, bodies: &Bodies<R>, pairs: &[Pair], mixed: &Mixed<R>, carry: Carry<R>, threads: &Threads) {
        let touch = |pair: &Pair| {
            let (a, b) = pair.both();
            let (first, second) = (&bodies.pieces[a as usize], &bodies.pieces[b as usize]);
            let margin = R::of(SLOP) * first.size.min(second.size);
            collide(first, &bodies.pose(first.body), second, &bodies.pose(second.body), margin)
        };
        self.list.clear();
        let mut old = 0;
        let mut manifolds = std::mem::take(&mut self.manifolds);
        // In portions, so that the manifolds of pairs that do not touch take no memory to speak of.
        for pairs in pairs.chunks(PORTION) {
            threads.map(pairs, touch, &mut manifolds);
            for (&pair, manifold) in pairs.iter().zip(&manifolds).filter(|(_, manifold)| manifold.count > 0) {
                self.keep(bodies, pair.both(), manifold, mixed, carry, &mut old);
            }
        }
        self.manifolds = manifolds;
        if !self.seams_catch {
            drop_inner(&mut self.inner, &mut self.list, bodies);
        }
    }

    /// Puts a contact into the list, with the impulses it had before; `old` walks along the memory, which is sorted as the pairs are.
    fn keep(
        &mut self,
        bodies: &Bodies<R>,
        (a, b): (u32, u32),
        manifold: &Manifold<R>,
        mixed: &Mixed<R>,
        carry: Carry<R>,
        old: &mut usize,
    ) {
        let (first, second) = (&bodies.pieces[a as usize], &bodies.pieces[b as usize]);
        while self.memory.get(*old).is_some_and(|memory| memory.pieces < (a, b)) {
            *old += 1;
        }
        let known = self.memory.get(*old).filter(|memory| memory.pieces == (a, b));
        let (friction, restitution) = mixed.of(first.material, second.material);
        let mut contact = Contact {
            pieces: (a, b),
            bodies: [first.body, second.body],
            normal: manifold.normal,
            friction,
            restitution,
            size: first.size.min(second.size),
            points: [ContactPoint::default(); 2],
            count: manifold.count,
        };
        let centres = contact.bodies.map(|body| bodies.position[body]);
        fill(&mut contact, manifold, centres, known, carry);
        self.list.push(contact);
    }

    fn remember(&mut self) {
        self.memory.clear();
        self.memory.extend(self.list.iter().map(|contact| Memory {
            pieces: contact.pieces,
            features: contact.points.map(|point| point.feature),
            impulses: contact.points.map(|point| [point.normal_impulse, point.tangent_impulse, point.so_far]),
            count: contact.count as u32,
        }));
    }
}

fn fill<R: Real>(
    contact: &mut Contact<R>,
    manifold: &Manifold<R>,
    centres: [Vec2<R>; 2],
    known: Option<&Memory<R>>,
    carry: Carry<R>,
) {
    for (point, found) in contact.points.iter_mut().zip(manifold.points()) {
        point.position = found.position;
        point.arms = centres.map(|centre| found.position - centre);
        point.gap = found.gap;
        point.feature = found.feature;
        let twin = known.and_then(|memory| {
            (0..memory.count as usize).find(|&k| memory.features[k] == found.feature).map(|k| memory.impulses[k])
        });
        if let Some([normal, tangent, so_far]) = twin {
            point.normal_impulse = normal * carry.ratio;
            point.tangent_impulse = tangent * carry.ratio;
            point.so_far = if carry.same_step { so_far + normal } else { R::ZERO };
        }
    }
}
