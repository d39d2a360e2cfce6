//! What every solver does before and after: contacts and impacts at the start, the record of accelerations and swept bodies at the end.

use crate::common::carry::Carry;
use crate::common::injection::InjectionPoint;
use crate::common::scalar::Real;
use crate::common::settings::{SolverKind, Swept};
use crate::plane::bodies::Motion;
use crate::plane::late_impacts;
use crate::plane::simulation::{Lists, Simulation};
use crate::plane::sweep::SweepNumbers;
use crate::plane::vector::Rotation;
use ironspin_model::BodyKind;

impl<R: Real> Simulation<R> {
    /// Finds what touches now and applies the impacts of the time since the last look.
    pub(crate) fn look(&mut self, dt: R, same_step: bool) {
        let ratio = if !self.settings.warm_start {
            R::ZERO
        } else if self.last_dt > R::ZERO {
            dt / self.last_dt
        } else {
            R::ONE
        };
        if std::mem::take(&mut self.looked_ahead) {
            // The end of the step before is the start of this one.
            if ratio != R::ONE {
                self.contacts.scale_impulses(ratio);
            }
            self.last_dt = dt;
            return;
        }
        self.find_contacts(Carry { ratio, same_step });
        late_impacts::collide(self, dt, self.rest_speed(dt));
        self.last_dt = dt;
    }

    /// Looks at the end of a step, so that an impact is seen in the frame after it and not a step later.
    pub(crate) fn look_ahead(&mut self) {
        let dt = self.last_dt;
        let ratio = if self.settings.warm_start { R::ONE } else { R::ZERO };
        self.find_contacts(Carry { ratio, same_step: false });
        late_impacts::collide(self, dt, self.rest_speed(dt));
        self.looked_ahead = true;
    }

    fn find_contacts(&mut self, carry: Carry<R>) {
        self.know_pairs();
        if !self.broad.pairs.is_empty() {
            self.bodies.turn_axes();
        }
        self.contacts.refresh(&self.bodies, &self.broad.pairs, &self.mixed, carry, &self.threads);
        if self.settings.sleep && self.sleep.wake_touched(&mut self.bodies, &self.contacts) {
            self.bodies.moved = true;
            self.know_pairs();
            self.contacts.refresh(
                &self.bodies,
                &self.broad.pairs,
                &self.mixed,
                Carry { ratio: R::ONE, same_step: true },
                &self.threads,
            );
        }
        if self.settings.injection.is_some() {
            self.lose_pairs();
        }
    }

    /// Keeps the mean acceleration since the start, for the impacts of the next look. Of a body that nothing pushed it is gravity
    /// to the bit, as in flight.
    pub(crate) fn note_acceleration(&mut self, dt: R) {
        let rate = R::ONE / dt;
        self.bodies.only_falling = false;
        let ends = self.bodies.acceleration.iter_mut().zip(&self.bodies.motion);
        if self.settings.solver == SolverKind::Impulse && self.forces.constant_only() {
            let lists = ends.zip(self.bodies.fall.iter().zip(&self.unpressed));
            for ((acceleration, end), (&fall, unpressed)) in lists {
                *acceleration = Motion { linear: fall, spin: R::ZERO }.plus(end.minus(*unpressed).scaled(rate));
            }
        } else {
            for ((acceleration, end), start) in ends.zip(&self.start) {
                *acceleration = end.minus(*start).scaled(rate);
            }
        }
    }

    /// Ends a step of a solver that moves bodies itself.
    pub(crate) fn close_step(&mut self, dt: R, lists: Lists<R>) {
        self.note_acceleration(dt);
        self.lists = lists;
        self.sweep_after(dt);
    }

    /// Which bodies are followed along their path.
    pub(crate) fn note_swept(&mut self) {
        let (mode, bodies) = (self.settings.swept, &self.bodies);
        let wanted = |body: usize| mode == Swept::All || (mode == Swept::Marked && bodies.traits[body].marked);
        let swept = |body: usize| wanted(body) && bodies.inverse[body].moves() && bodies.present[body];
        self.swept.clear();
        self.swept.extend((0..bodies.len()).map(swept));
        if let Some(share) = self.settings.injected(InjectionPoint::SweptNowAndThen) {
            self.leave_out(share);
        }
    }

    /// After a solver that moves bodies itself: swept bodies go again, from where they were, and stop at what they meet.
    fn sweep_after(&mut self, dt: R) {
        if !self.any_swept {
            return;
        }
        self.note_swept();
        let rate = R::ONE / dt;
        self.lists.ends.clone_from(&self.bodies.motion);
        for (body, &(position, angle)) in self.lists.places.iter().enumerate() {
            let way = Motion {
                linear: (self.bodies.position[body] - position) * rate,
                spin: (self.bodies.angle[body] - angle) * rate,
            };
            self.bodies.motion[body] = way;
            self.bodies.angle[body] = angle;
            self.bodies.position[body] = position;
            self.bodies.axes[body] = Rotation::by(angle);
        }
        self.lists.means.clone_from(&self.bodies.motion);
        let means = &self.lists.means;
        let numbers = SweepNumbers { dt, rest_speed: self.rest_speed(dt), touch: self.touch };
        self.sweeper.run(&mut self.bodies, means, &self.swept, &self.mixed, numbers, &mut self.hit_now);
        for body in 0..self.bodies.len() {
            if self.bodies.traits[body].kind == BodyKind::Static || self.bodies.motion[body] == means[body] {
                self.bodies.motion[body] = self.lists.ends[body];
            }
        }
    }
}
