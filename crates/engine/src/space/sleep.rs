//! Piles that have come to rest are left alone until something touches them.
//!
//! Bodies that touch form an island (disjoint sets; Tarjan, 1975). An island in which everything has been slow for a while
//! is held: nothing pushes it, as if it were static. It wakes when a body that is awake touches it, or on any action.

use crate::common::scalar::Real;
use crate::space::bodies::{Bodies, Inverse, Motion};
use crate::space::contacts::Contacts;
use crate::space::vector::Vec3;

/// Steps for which a body must have been slow.
const SLOW_STEPS: u32 = 30;
/// What counts as slow, as a share of one step of gravity.
const SLOW_SHARE: f64 = 0.05;

#[derive(Clone, Debug, Default)]
pub(crate) struct Sleep<R> {
    /// Steps for which each body has been slow.
    slow: Vec<u32>,
    /// What is asleep: its inverse mass, put aside, and its island.
    asleep: Vec<Option<(Inverse<R>, usize)>>,
    parent: Vec<usize>,
    /// Islands in which something moves.
    restless: Vec<bool>,
}

impl<R: Real> Sleep<R> {
    fn root(&mut self, mut body: usize) -> usize {
        while self.parent[body] != body {
            self.parent[body] = self.parent[self.parent[body]];
            body = self.parent[body];
        }
        body
    }

    /// Counts slow steps and puts islands to sleep.
    pub(crate) fn settle(&mut self, bodies: &mut Bodies<R>, contacts: &Contacts<R>, fall: R) {
        let count = bodies.len();
        self.slow.resize(count, 0);
        self.asleep.resize(count, None);
        self.parent.clear();
        self.parent.extend(0..count);
        for contact in &contacts.list {
            let [a, b] = contact.bodies;
            if bodies.inverse[a].moves() && bodies.inverse[b].moves() {
                let (a, b) = (self.root(a), self.root(b));
                self.parent[a.max(b)] = a.min(b);
            }
        }
        let limit = fall * R::of(SLOW_SHARE);
        let mut restless = std::mem::take(&mut self.restless);
        restless.clear();
        restless.resize(count, false);
        for body in (0..count).filter(|&body| bodies.inverse[body].moves()) {
            let motion = bodies.motion[body];
            let speed = motion.linear.length().max(motion.spin.length() * bodies.reach[body]);
            self.slow[body] = if speed <= limit { self.slow[body] + 1 } else { 0 };
            if self.slow[body] < SLOW_STEPS {
                let root = self.root(body);
                restless[root] = true;
            }
        }
        for body in 0..count {
            let root = self.root(body);
            if bodies.inverse[body].moves() && !restless[root] && limit > R::ZERO {
                self.asleep[body] = Some((bodies.inverse[body], root));
                bodies.inverse[body] = Inverse::default();
                bodies.motion[body] = Motion::default();
                bodies.momentum[body] = Vec3::ZERO;
                bodies.acceleration[body] = Vec3::ZERO;
                bodies.fall[body] = Vec3::ZERO;
            }
        }
        self.restless = restless;
    }

    fn wake(&mut self, bodies: &mut Bodies<R>, island: Option<usize>) -> bool {
        let mut woke = false;
        for body in 0..self.asleep.len() {
            if let Some((inverse, _)) = self.asleep[body].filter(|(_, own)| island.is_none_or(|island| island == *own))
            {
                bodies.inverse[body] = inverse;
                bodies.release(body);
                self.asleep[body] = None;
                self.slow[body] = 0;
                woke = true;
            }
        }
        woke
    }

    /// Wakes everything.
    pub(crate) fn wake_all(&mut self, bodies: &mut Bodies<R>) {
        self.wake(bodies, None);
    }

    /// Wakes the islands that a body awake touches; true when there was one.
    pub(crate) fn wake_touched(&mut self, bodies: &mut Bodies<R>, contacts: &Contacts<R>) -> bool {
        let mut woke = false;
        for contact in &contacts.list {
            for (me, other) in [(contact.bodies[0], contact.bodies[1]), (contact.bodies[1], contact.bodies[0])] {
                let island = self.asleep.get(me).and_then(|asleep| asleep.map(|(_, island)| island));
                if let Some(island) = island.filter(|_| bodies.inverse[other].moves()) {
                    woke |= self.wake(bodies, Some(island));
                }
            }
        }
        woke
    }
}
