//! Bodies in free flight, and how far they have come since pairs were found.

use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Rotation;

impl<R: Real> Bodies<R> {
    /// A step in which nothing touches and nothing pulls but gravity: all bodies fly, by the same arithmetic as when others touch.
    /// Turned axes are left for when somebody asks ([`Bodies::turn_axes`]).
    pub(crate) fn fly(&mut self, dt: R, integrator: Integrator) {
        if !self.only_falling {
            self.begin_flight();
        }
        let done = self.fly_blocks(dt, integrator);
        self.fly_plain(done, dt, integrator);
        self.axes_behind |= self.any_turns;
        self.flying_share += self.falling_share * dt;
        self.flown += self.flying_share * dt;
        self.moved |= !(self.flown + self.furthest <= R::ONE);
    }

    /// From here on nothing but gravity changes a velocity, so that what the fastest body uses up of its margin needs no look at the
    /// bodies in every step.
    fn begin_flight(&mut self) {
        self.only_falling = true;
        self.any_turns = false;
        self.same_fall = self.fall.windows(2).all(|two| two[0] == two[1]);
        (self.flying_share, self.falling_share) = (R::ZERO, R::ZERO);
        for body in 0..self.len() {
            let fall = Motion { linear: self.fall[body], spin: R::ZERO };
            self.acceleration[body] = fall;
            if self.present[body] {
                // Never a negative zero, which the first sum would lose.
                self.motion[body].spin += R::ZERO;
                let motion = self.motion[body];
                self.any_turns |= motion.spin != R::ZERO;
                self.flying_share = self.margin_use[body].share(motion).max(self.flying_share);
                self.falling_share = self.margin_use[body].share(fall).max(self.falling_share);
            }
        }
    }

    /// All bodies after the first `done`.
    fn fly_plain(&mut self, done: usize, dt: R, integrator: Integrator) {
        let half = R::HALF * dt;
        match integrator {
            Integrator::ExplicitEuler => self.fly_by(done, dt, |before, _| before.scaled(dt)),
            Integrator::SymplecticEuler => self.fly_by(done, dt, |_, after| after.scaled(dt)),
            Integrator::Verlet | Integrator::Rk4 => {
                self.fly_by(done, dt, |before, after| before.plus(after).scaled(half));
            }
        }
    }

    #[inline]
    fn fly_by(&mut self, done: usize, dt: R, way: impl Fn(Motion<R>, Motion<R>) -> Motion<R>) {
        let count = self.motion.len();
        let (motion, fall, position) = (&mut self.motion[..count], &self.fall[..count], &mut self.position[..count]);
        let (angle, present) = (&mut self.angle[..count], &self.present[..count]);
        // One fall for all spares reading a list.
        let same = if count > 0 { fall[0] * dt } else { return };
        for body in done..count {
            if !self.everyone && !present[body] {
                continue;
            }
            let before = motion[body];
            let change = if self.same_fall { same } else { fall[body] * dt };
            let after = Motion { linear: before.linear + change, spin: before.spin };
            motion[body].linear = after.linear;
            let way = way(before, after);
            position[body] += way.linear;
            angle[body] += way.spin;
        }
    }

    /// Brings the axes of bodies that turned in flight up to their angles.
    pub(crate) fn turn_axes(&mut self) {
        if !self.axes_behind {
            return;
        }
        for ((axes, motion), &angle) in self.axes.iter_mut().zip(&self.motion).zip(&self.angle) {
            if motion.spin != R::ZERO {
                *axes = Rotation::by(angle);
            }
        }
        self.axes_behind = false;
    }

    /// Notes that a body went some way other than in flight.
    pub(crate) fn note_way(&mut self, body: usize, way: Motion<R>) {
        let share = self.margin_use[body].share(way);
        let travel = self.travel[body] + if share > R::ZERO { share } else { R::ZERO };
        self.travel[body] = travel;
        self.furthest = travel.max(self.furthest);
        self.moved |= !(self.flown + travel <= R::ONE);
    }

    /// Pairs have been found: from here on the ways of the bodies count.
    pub(crate) fn pairs_are_known(&mut self) {
        self.travel.fill(R::ZERO);
        (self.flown, self.furthest) = (R::ZERO, R::ZERO);
        self.everyone = self.present.iter().all(|&present| present);
        self.moved = false;
        self.only_falling = false;
    }
}
