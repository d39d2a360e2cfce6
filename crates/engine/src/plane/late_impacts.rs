//! Impacts: contacts that approach faster than gravity explains happened within the last step, at a time that follows from
//! their overlap. Each is applied at its own time and the motion since is put right, so that a single impact under constant
//! acceleration is exact and no energy appears or vanishes.

use crate::common::scalar::Real;
use crate::plane::contact::Contact;
use crate::plane::impact::{Pair, Target};
use crate::plane::simulation::Simulation;
use crate::plane::solver::arms_at_push;
use crate::plane::sweep::Impact;
use crate::plane::vector::Vec2;

/// Rounds of impacts in one step before what still approaches is left to the resting solver.
const BLOW_ROUNDS: u32 = 64;

/// Strikes every contact that approaches faster than rest, the earliest first, until none does.
pub(crate) fn collide<R: Real>(simulation: &mut Simulation<R>, dt: R, rest_speed: R) {
    let struck_before = simulation.hit_now.len();
    simulation.apply_impacts(dt, rest_speed);
    if simulation.hit_now.len() > struck_before {
        let positions = &simulation.bodies.position;
        for contact in &mut simulation.contacts.list {
            let centres = contact.bodies.map(|body| positions[body]);
            for point in &mut contact.points[..contact.count] {
                point.arms = centres.map(|centre| point.position - centre);
            }
        }
    }
}

impl<R: Real> Simulation<R> {
    /// Strikes every contact that approaches faster than rest, the earliest first, until none does. After the first round only
    /// contacts of bodies that were hit in the round before can have become one of these.
    fn apply_impacts(&mut self, dt: R, rest_speed: R) {
        self.hit.clear();
        self.hit.resize(self.bodies.len(), 0);
        for round in 1..=BLOW_ROUNDS {
            self.pending.clear();
            for (number, contact) in self.contacts.list.iter().enumerate() {
                let concerned = round == 1 || contact.bodies.iter().any(|&body| self.hit[body] + 1 == round);
                if let Some(since) = concerned.then(|| self.impact_time(contact, dt, rest_speed)).flatten() {
                    self.pending.push((since, number));
                }
            }
            if self.pending.is_empty() {
                return;
            }
            // The impact that lies furthest back comes first; equal times by the number of the contact.
            self.pending.sort_unstable_by(|a, b| b.0.to_f64().total_cmp(&a.0.to_f64()).then(a.1.cmp(&b.1)));
            if self.settings.injection.is_some() {
                self.inject_order();
            }
            for turn in 0..self.pending.len() {
                let number = self.pending[turn].1;
                if let Some(since) = self.impact_time(&self.contacts.list[number], dt, rest_speed) {
                    self.apply_impact(number, since, rest_speed);
                    for body in self.contacts.list[number].bodies {
                        if self.bodies.inverse[body].moves() {
                            self.hit[body] = round;
                        }
                    }
                }
            }
        }
    }

    /// How long ago a contact was hit, if it touches and approaches faster than rest: the time in which its overlap
    /// grew, at most one step.
    fn impact_time(&self, contact: &Contact<R>, dt: R, rest_speed: R) -> Option<R> {
        let pair = self.pair(contact);
        let mut longest: Option<R> = None;
        for (index, point) in contact.points().iter().enumerate().filter(|(_, point)| self.touches(contact, point.gap))
        {
            let speed = pair.relative(self.arms_now(contact, index)).dot(contact.normal);
            if speed < -rest_speed {
                let acceleration = self.normal_acceleration(contact);
                let overlap = (-point.gap).max(R::ZERO);
                // Root of overlap = -speed t + acceleration t^2 / 2, going back in time.
                let square = speed * speed + R::TWO * acceleration * overlap;
                let time = if square > R::ZERO { R::TWO * overlap / (square.sqrt() - speed) } else { overlap / -speed };
                let time = time.min(dt);
                longest = Some(longest.map_or(time, |other| other.max(time)));
            }
        }
        longest
    }

    fn touches(&self, contact: &Contact<R>, gap: R) -> bool {
        gap <= self.touch * contact.size
    }

    fn pair(&self, contact: &Contact<R>) -> Pair<R> {
        Pair {
            motion: contact.bodies.map(|body| self.bodies.motion[body]),
            inverse: contact.bodies.map(|body| self.bodies.inverse[body]),
        }
    }

    /// Relative acceleration along the normal over the last step, apart being positive.
    fn normal_acceleration(&self, contact: &Contact<R>) -> R {
        let [a, b] = contact.bodies.map(|body| self.bodies.acceleration[body].linear);
        (b - a).dot(contact.normal)
    }

    /// From where each centre was at the time of the impact to where the point was: with these the angular momentum is kept when
    /// the bodies are then moved on.
    fn arms_then(&self, contact: &Contact<R>, point: usize, since: R) -> [Vec2<R>; 2] {
        let moving = contact.bodies.map(|body| self.bodies.travels(body));
        arms_at_push(contact.bodies, self.arms_now(contact, point), &self.bodies.motion, moving, -since)
    }

    /// From where each centre is now, after earlier impacts have moved it, to the point.
    fn arms_now(&self, contact: &Contact<R>, point: usize) -> [Vec2<R>; 2] {
        contact.bodies.map(|body| contact.points[point].position - self.bodies.position[body])
    }

    fn apply_impact(&mut self, number: usize, since: R, rest_speed: R) {
        let contact = self.contacts.list[number];
        let acceleration = self.normal_acceleration(&contact);
        let mut pair = self.pair(&contact);
        let mut targets = [Target { arms: [Vec2::ZERO; 2], wanted: R::ZERO }; 2];
        let mut active = [0; 2];
        let mut count = 0;
        let mut shift_time = since;
        for (index, point) in contact.points().iter().enumerate().filter(|(_, point)| self.touches(&contact, point.gap))
        {
            let arms = self.arms_then(&contact, index, since);
            let speed = pair.relative(arms).dot(contact.normal);
            // Speed at the time of the impact, and what it has become since.
            let then = speed - acceleration * since;
            let rebound = -contact.restitution * then;
            let wanted = if rebound > rest_speed { rebound + acceleration * since } else { R::ZERO };
            if !(rebound > rest_speed) && speed < -rest_speed {
                // Without a rebound the body has stayed at the surface since the impact.
                shift_time = shift_time.min((-point.gap).max(R::ZERO) / -speed);
            }
            targets[count] = Target { arms, wanted };
            active[count] = index;
            count += 1;
        }
        let before = pair.motion;
        let speeds = contact.points.map(|point| pair.relative(point.arms).dot(contact.normal));
        let pressed = pair.collide(contact.normal, &targets[..count], contact.friction);
        if self.settings.injection.is_some() {
            self.inject_into_impact(&mut pair.motion, before);
        }
        for (k, &body) in contact.bodies.iter().enumerate() {
            if self.bodies.inverse[body].moves() {
                let shift = pair.motion[k].minus(before[k]).scaled(shift_time);
                self.bodies.motion[body] = pair.motion[k];
                self.bodies.place(
                    body,
                    self.bodies.position[body] + shift.linear,
                    self.bodies.angle[body] + shift.spin,
                );
            }
        }
        for (k, point) in self.contacts.list[number].points[..contact.count].iter_mut().enumerate() {
            point.gap += (pair.relative(point.arms).dot(contact.normal) - speeds[k]) * shift_time;
        }
        for (&index, impulse) in active[..count].iter().zip(pressed) {
            let point = contact.points[index];
            self.hit_now.push(Impact {
                bodies: contact.bodies,
                point: point.position,
                normal: contact.normal,
                gap: point.gap,
                impulse,
                times: 1,
            });
        }
    }
}
