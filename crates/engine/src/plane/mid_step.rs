//! What a fault does in the middle of a step. Nothing of this is called in a sound engine.

use crate::common::injection::{InjectionPoint, is_left_out};
use crate::common::scalar::Real;
use crate::plane::bodies::Motion;
use crate::plane::simulation::Simulation;
use crate::plane::sweep::Blind;
use crate::plane::vector::Vec2;
use ironspin_model::{BodyKind, BodyState};
use std::collections::HashMap;

impl<R: Real> Simulation<R> {
    /// Tells the parts of the engine what they do not see.
    pub(crate) fn take_on_mistakes(&mut self) {
        let on = |slip| self.settings.injected(slip).is_some();
        self.bodies.one_way = on(InjectionPoint::OneWayFilter);
        self.bodies.all_agree &= !self.bodies.one_way;
        self.contacts.seams_catch = on(InjectionPoint::SeamsCatch);
        self.sensors.at_end_only = on(InjectionPoint::SensorsAtEnd);
        self.sweeper.blind = Blind::of(&self.settings);
        self.sweeper.impact_twice = self.settings.injected(InjectionPoint::ImpactTwice).map(R::of);
    }

    /// A body is put elsewhere and given another motion.
    pub(crate) fn put(&mut self, body: usize, state: &BodyState) {
        if body >= self.bodies.len() {
            return self.soft.iter_mut().for_each(|soft| soft.room.put(body, state));
        }
        self.looked_ahead = false;
        self.bodies.moved = true;
        self.bodies.only_falling = false;
        self.bodies.place(body, Vec2::of(state.pose.position.truncate()), R::of(state.pose.angle));
        self.bodies.motion[body] = Motion { linear: Vec2::of(state.velocity.truncate()), spin: R::of(state.spin.z) };
    }

    /// Contacts that the engine does not know of.
    pub(crate) fn lose_pairs(&mut self) {
        if self.settings.injected(InjectionPoint::PairsLost).is_some() {
            self.contacts.list.retain(|contact| (contact.pieces.0 + contact.pieces.1) % 10 != 1);
        }
        if self.settings.injected(InjectionPoint::EmptyPair).is_some() {
            let pieces = &self.bodies.pieces;
            self.contacts.list.retain(|contact| {
                let [a, b] = [contact.pieces.0, contact.pieces.1].map(|piece| &pieces[piece as usize]);
                !(a.is_capsule() && b.is_polygon() || a.is_polygon() && b.is_capsule())
            });
        }
    }

    /// Bodies that were moved from some places keep the speed of it, times a rate.
    pub(crate) fn keep_speed_of(&mut self, places: &[Vec2<R>], rate: R) {
        for (body, &place) in places.iter().enumerate().filter(|&(body, _)| self.bodies.inverse[body].moves()) {
            self.bodies.motion[body].linear += (self.bodies.position[body] - place) * rate;
        }
    }

    /// Leaves bodies out of the sweep in a share of their steps.
    pub(crate) fn leave_out(&mut self, share: f64) {
        for (body, swept) in self.swept.iter_mut().enumerate() {
            *swept &= !is_left_out(self.steps, body, share);
        }
    }

    /// What lever arm and response of friction are multiplied by.
    pub(crate) fn injected_grip(&self) -> Option<[R; 2]> {
        let lever = self.settings.injected(InjectionPoint::Lever).map(|missing| [R::ONE - R::of(missing), R::ONE]);
        lever.or_else(|| self.settings.injected(InjectionPoint::FrictionAlong).map(|_| [R::ONE, -R::ONE]))
    }

    /// Takes a share of their motion from driven bodies; what it was.
    pub(crate) fn forget_drivers(&mut self, share: R) -> Vec<(usize, Motion<R>)> {
        let driven = (0..self.bodies.len()).filter(|&body| self.bodies.traits[body].kind == BodyKind::Kinematic);
        let kept: Vec<_> = driven.map(|body| (body, self.bodies.motion[body])).collect();
        for &(body, motion) in &kept {
            self.bodies.motion[body] = motion.scaled(R::ONE - share);
        }
        kept
    }

    /// What an impact changes is not all that it should.
    pub(crate) fn inject_into_impact(&self, motion: &mut [Motion<R>; 2], before: [Motion<R>; 2]) {
        self.settings.inject_into_impact(motion, before);
        if let Some(missing) = self.settings.injected(InjectionPoint::Lever) {
            for (now, before) in motion.iter_mut().zip(before) {
                now.spin += (before.spin - now.spin) * R::of(missing);
            }
        }
    }

    /// Impacts are applied in an order that has nothing to do with the world.
    pub(crate) fn inject_order(&mut self) {
        if self.settings.injected(InjectionPoint::HashOrder).is_some() {
            let bag: HashMap<usize, R> = self.pending.iter().map(|&(since, number)| (number, since)).collect();
            self.pending.clear();
            self.pending.extend(bag.into_iter().map(|(number, since)| (since, number)));
        }
        let threads = self.threads.count();
        if threads > 1 && self.settings.injected(InjectionPoint::ThreadRace).is_some() {
            self.pending.sort_by_key(|&(_, number)| (number % threads, number));
        }
    }
}
