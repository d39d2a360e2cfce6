//! One step, in order.

use crate::bodies::{Bodies, Motion};
use crate::broad::Broad;
use crate::contacts::{Contact, Contacts, Mixed};
use crate::impact::{Pair, Target};
use crate::scalar::Real;
use crate::settings::{Settings, Swept};
use crate::solver::{Solver, StepNumbers};
use crate::sweep::{Blow, SweepNumbers, Sweeper};
use crate::tolerance::SLOP;
use crate::vector::Vec2;
use ironspin_model::{Deed, EngineError, World};

/// Rounds of blows in one step before what still approaches is left to the resting solver.
const BLOW_ROUNDS: usize = 64;

#[derive(Clone, Debug)]
pub(crate) struct Simulation<R> {
    pub(crate) bodies: Bodies<R>,
    settings: Settings,
    mixed: Mixed<R>,
    gravity: R,
    touch: R,
    last_dt: R,
    broad: Broad<R>,
    contacts: Contacts<R>,
    solver: Solver<R>,
    sweeper: Sweeper<R>,
    start: Vec<Motion<R>>,
    /// Blows that may have to be struck: overlap time and number of the contact.
    pending: Vec<(R, usize)>,
    /// What was struck in this step, in order: blows, then resting contacts, then swept blows.
    pub(crate) record: Vec<Blow<R>>,
}

impl<R: Real> Simulation<R> {
    pub(crate) fn new(world: &World, settings: &Settings, touch: f64) -> Result<Self, EngineError> {
        Ok(Simulation {
            bodies: Bodies::new(world)?,
            settings: settings.clone(),
            mixed: Mixed::new(world),
            gravity: R::of(world.gravity.length()),
            touch: R::of(touch),
            last_dt: R::ZERO,
            broad: Broad::default(),
            contacts: Contacts::default(),
            solver: Solver::default(),
            sweeper: Sweeper::default(),
            start: Vec::new(),
            pending: Vec::new(),
            record: Vec::new(),
        })
    }

    pub(crate) fn act(&mut self, body: usize, deed: Deed) {
        let motion = &mut self.bodies.motion[body];
        match deed {
            Deed::Impulse(impulse) => motion.linear += Vec2::of(impulse.truncate()) * self.bodies.inverse[body].mass,
            Deed::Velocity(velocity) => motion.linear = Vec2::of(velocity.truncate()),
        }
    }

    pub(crate) fn step(&mut self, dt: R) {
        self.record.clear();
        if !(dt > R::ZERO) {
            return;
        }
        let rest_speed = R::of(self.settings.rest_speed) * self.gravity * dt;
        let carry = if self.settings.warm_start && self.last_dt > R::ZERO { dt / self.last_dt } else { R::ZERO };
        self.broad.find(&self.bodies, R::of(SLOP));
        self.contacts.refresh(&self.bodies, &self.broad.pairs, &self.mixed, carry);
        self.strike_blows(dt, rest_speed);

        self.start.clone_from(&self.bodies.motion);
        for (motion, fall) in self.bodies.motion.iter_mut().zip(&self.bodies.fall) {
            motion.linear += *fall * dt;
        }
        let iterations = self.settings.iterations;
        let scale = self.speed_scale(dt);
        let numbers = StepNumbers { dt, iterations, rest_speed, scale };
        self.solver.solve(&mut self.bodies, &self.start, &mut self.contacts, numbers);
        self.record_resting();
        self.solver.remove_overlap(&mut self.bodies, &self.contacts, iterations);
        let rate = R::ONE / dt;
        for ((acceleration, end), start) in
            self.bodies.acceleration.iter_mut().zip(&self.bodies.motion).zip(&self.start)
        {
            *acceleration = end.minus(*start).scaled(rate);
        }
        self.move_bodies(dt, rest_speed);
        self.last_dt = dt;
    }

    /// One step of gravity, or without gravity the fastest relative speed at a contact.
    fn speed_scale(&self, dt: R) -> R {
        let fall = self.gravity * dt;
        if fall > R::ZERO {
            return fall;
        }
        let speed = |contact: &Contact<R>| {
            let pair = self.pair(contact);
            contact.points().iter().map(|point| pair.relative(point.arms).length()).fold(R::ZERO, R::max)
        };
        self.contacts.list.iter().map(speed).fold(R::ZERO, R::max)
    }

    fn move_bodies(&mut self, dt: R, rest_speed: R) {
        let mode = self.settings.swept;
        let marked = std::mem::take(&mut self.bodies.marked);
        let moves: Vec<bool> = self.bodies.inverse.iter().map(|inverse| inverse.moves()).collect();
        let swept = |body: usize| moves[body] && (mode == Swept::All || (mode == Swept::Marked && marked[body]));
        if (0..self.bodies.len()).any(swept) {
            let numbers = SweepNumbers { dt, rest_speed, touch: self.touch };
            self.sweeper.run(&mut self.bodies, &self.start, &swept, &self.mixed, numbers, &mut self.record);
        } else {
            for body in (0..self.bodies.len()).filter(|&body| moves[body]) {
                // The mean of both ends: exact where the acceleration does not change.
                let way = self.start[body].plus(self.bodies.motion[body]).scaled(R::HALF * dt);
                self.bodies.place(
                    body,
                    self.bodies.pose[body].position + way.linear,
                    self.bodies.angle[body] + way.spin,
                );
            }
        }
        self.bodies.marked = marked;
    }

    /// Strikes every contact that approaches faster than rest, the earliest first, until none does.
    fn strike_blows(&mut self, dt: R, rest_speed: R) {
        for _ in 0..BLOW_ROUNDS {
            self.pending.clear();
            for (number, contact) in self.contacts.list.iter().enumerate() {
                if let Some(since) = self.blow_time(contact, dt, rest_speed) {
                    self.pending.push((since, number));
                }
            }
            if self.pending.is_empty() {
                return;
            }
            // The blow that lies furthest back comes first; equal times by the number of the contact.
            self.pending.sort_unstable_by(|a, b| b.0.to_f64().total_cmp(&a.0.to_f64()).then(a.1.cmp(&b.1)));
            for turn in 0..self.pending.len() {
                let number = self.pending[turn].1;
                if let Some(since) = self.blow_time(&self.contacts.list[number], dt, rest_speed) {
                    self.strike_blow(number, since, rest_speed);
                }
            }
        }
    }

    /// How long ago a contact was struck, if it touches and approaches faster than rest: the time in which its overlap
    /// grew, at most one step.
    fn blow_time(&self, contact: &Contact<R>, dt: R, rest_speed: R) -> Option<R> {
        let pair = self.pair(contact);
        let mut longest: Option<R> = None;
        for point in contact.points().iter().filter(|point| self.touches(contact, point.gap)) {
            let speed = pair.relative(point.arms).dot(contact.normal);
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

    fn strike_blow(&mut self, number: usize, since: R, rest_speed: R) {
        let contact = self.contacts.list[number];
        let acceleration = self.normal_acceleration(&contact);
        let mut pair = self.pair(&contact);
        let mut targets = [Target { arms: [Vec2::ZERO; 2], wanted: R::ZERO }; 2];
        let mut active = [0; 2];
        let mut count = 0;
        let mut shift_time = since;
        for (index, point) in contact.points().iter().enumerate().filter(|(_, point)| self.touches(&contact, point.gap))
        {
            let speed = pair.relative(point.arms).dot(contact.normal);
            // Speed at the time of the blow, and what it has become since.
            let then = speed - acceleration * since;
            let rebound = -contact.restitution * then;
            let wanted = if rebound > rest_speed { rebound + acceleration * since } else { R::ZERO };
            if !(rebound > rest_speed) && speed < -rest_speed {
                // Without a rebound the body has stayed at the surface since the blow.
                shift_time = shift_time.min((-point.gap).max(R::ZERO) / -speed);
            }
            targets[count] = Target { arms: point.arms, wanted };
            active[count] = index;
            count += 1;
        }
        let before = pair.motion;
        let speeds = contact.points.map(|point| pair.relative(point.arms).dot(contact.normal));
        let pressed = pair.strike(contact.normal, &targets[..count], contact.friction);
        for (k, &body) in contact.bodies.iter().enumerate() {
            if self.bodies.inverse[body].moves() {
                let shift = pair.motion[k].minus(before[k]).scaled(shift_time);
                self.bodies.motion[body] = pair.motion[k];
                self.bodies.place(
                    body,
                    self.bodies.pose[body].position + shift.linear,
                    self.bodies.angle[body] + shift.spin,
                );
            }
        }
        for (k, point) in self.contacts.list[number].points[..contact.count].iter_mut().enumerate() {
            point.gap += (pair.relative(point.arms).dot(contact.normal) - speeds[k]) * shift_time;
        }
        for (&index, impulse) in active[..count].iter().zip(pressed) {
            let point = contact.points[index];
            self.record.push(Blow {
                bodies: contact.bodies,
                point: point.position,
                normal: contact.normal,
                gap: point.gap,
                impulse,
            });
        }
    }

    fn record_resting(&mut self) {
        for contact in &self.contacts.list {
            for point in contact.points() {
                self.record.push(Blow {
                    bodies: contact.bodies,
                    point: point.position,
                    normal: contact.normal,
                    gap: point.gap,
                    impulse: point.normal_impulse,
                });
            }
        }
    }
}
