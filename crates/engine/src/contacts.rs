//! Contacts that persist from step to step.

use crate::bodies::Bodies;
use crate::manifold::collide;
use crate::scalar::Real;
use crate::tolerance::SLOP;
use crate::vector::Vec2;

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
}

/// Where two pieces touch.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Contact<R> {
    /// Lower index first.
    pub(crate) pieces: (usize, usize),
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

/// Friction and restitution of every pair of materials.
#[derive(Clone, Debug, Default)]
pub(crate) struct Mixed<R> {
    table: Vec<(R, R)>,
    materials: usize,
}

impl<R: Real> Mixed<R> {
    pub(crate) fn new(world: &ironspin_model::World) -> Self {
        let materials = world.materials.len();
        let table = (0..materials * materials)
            .map(|cell| world.mixed(cell / materials, cell % materials))
            .map(|(friction, restitution)| (R::of(friction), R::of(restitution)))
            .collect();
        Mixed { table, materials }
    }

    pub(crate) fn of(&self, a: usize, b: usize) -> (R, R) {
        self.table[a * self.materials + b]
    }
}

/// The contacts of this step, sorted by pieces, and those of the step before.
#[derive(Clone, Debug, Default)]
pub(crate) struct Contacts<R> {
    pub(crate) list: Vec<Contact<R>>,
    before: Vec<Contact<R>>,
}

impl<R: Real> Contacts<R> {
    /// Works out the contacts of all pairs at the present poses. Points known from the step before keep their impulses,
    /// multiplied by `carry` (the ratio of the step lengths, or zero for a cold start).
    pub(crate) fn refresh(&mut self, bodies: &Bodies<R>, pairs: &[(usize, usize)], mixed: &Mixed<R>, carry: R) {
        std::mem::swap(&mut self.list, &mut self.before);
        self.list.clear();
        let mut old = self.before.iter().peekable();
        for &(a, b) in pairs {
            let (first, second) = (&bodies.pieces[a], &bodies.pieces[b]);
            let size = first.size.min(second.size);
            let (at, bt) = (&bodies.pose[first.body], &bodies.pose[second.body]);
            let manifold = collide(first, at, second, bt, R::of(SLOP) * size);
            if manifold.count == 0 {
                continue;
            }
            // Both lists are sorted, so one walk along the old one finds every match.
            while old.next_if(|contact| contact.pieces < (a, b)).is_some() {}
            let known = old.peek().filter(|contact| contact.pieces == (a, b));
            let (friction, restitution) = mixed.of(first.material, second.material);
            let mut contact = Contact {
                pieces: (a, b),
                bodies: [first.body, second.body],
                normal: manifold.normal,
                friction,
                restitution,
                size,
                points: [ContactPoint::default(); 2],
                count: manifold.count,
            };
            for (point, found) in contact.points.iter_mut().zip(manifold.points()) {
                point.position = found.position;
                point.arms = [found.position - at.position, found.position - bt.position];
                point.gap = found.gap;
                point.feature = found.feature;
                if let Some(twin) = known.and_then(|old| old.points().iter().find(|p| p.feature == found.feature)) {
                    point.normal_impulse = twin.normal_impulse * carry;
                    point.tangent_impulse = twin.tangent_impulse * carry;
                }
            }
            self.list.push(contact);
        }
    }
}
