//! One step, in order.

use crate::common::injection::InjectionPoint;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, SolverKind};
use crate::common::tolerance::CONVERGED;
use crate::plane::bodies::Motion;
use crate::plane::simulation::Simulation;
use crate::plane::solver::StepNumbers;
use crate::plane::sweep::SweepNumbers;
use crate::plane::{compliant, position};
use crate::soft::{Touching, Turn};
use ironspin_model::{EngineError, World};

impl<R: Real> Simulation<R> {
    /// A world ready for its first step.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] when it cannot be built.
    pub(crate) fn begin(world: &World, settings: &Settings, touch: f64, threads: usize) -> Result<Self, EngineError> {
        let mut simulation = Simulation::new(world, settings, touch, threads)?;
        if settings.injection.is_some() {
            simulation.take_on_mistakes();
        }
        simulation.sensors.begin(&simulation.bodies);
        simulation.sensors.end(&simulation.bodies, 0);
        Ok(simulation)
    }

    /// One step. `note` sees it when its contacts have been pressed and before what touches then is found anew.
    pub(crate) fn step(&mut self, dt: R, note: &mut dyn FnMut(&Self)) {
        self.hit_now.clear();
        self.pressed = false;
        self.steps += 1;
        if !(dt > R::ZERO) {
            note(self);
            return;
        }
        self.sensors.begin(&self.bodies);
        if let Some(soft) = &mut self.soft {
            soft.begin_step(&mut self.bodies);
        }
        // Soft bodies and rigid ones take turns, unless a number of substeps is asked for: what one does the other then feels at once.
        let takes_turns = self.soft.is_some() && self.settings.substeps == 0;
        let turns = if takes_turns { self.settings.soft_substeps } else { 1 };
        match self.settings.solver {
            SolverKind::Compliant | SolverKind::Position => {
                let part = dt / R::of(f64::from(turns));
                for number in 0..turns {
                    match self.settings.solver {
                        SolverKind::Compliant => compliant::step(self, part, number > 0),
                        _ => position::step(self, part, number > 0),
                    }
                    self.soften(number + 1, turns, dt);
                }
            }
            SolverKind::Impulse | SolverKind::Event => {
                let substeps = self.settings.substeps_in_force().max(turns);
                let part = dt / R::of(f64::from(substeps));
                for number in 0..substeps {
                    self.substep(part, number > 0);
                    self.soften(number + 1, substeps, dt);
                }
            }
        }
        self.pressed = true;
        self.forces.end_step();
        if self.settings.sleep {
            self.sleep.settle(&mut self.bodies, &self.contacts, self.gravity * dt);
            // What sleeps meets nothing that does not move.
            self.bodies.moved = true;
        }
        note(self);
        self.look_ahead();
        self.sensors.end(&self.bodies, self.steps);
    }

    fn substep(&mut self, dt: R, same_step: bool) {
        let rest_speed = self.rest_speed(dt);
        let carry = if self.last_dt > R::ZERO && self.settings.warm_start { dt / self.last_dt } else { R::ZERO };
        self.look(dt, same_step);
        if self.contacts.list.is_empty() && self.joints.is_empty() && !self.any_swept && self.forces.constant_only() {
            self.bodies.fly(dt, self.settings.integrator);
            return;
        }
        self.bodies.turn_axes();
        self.start.clone_from(&self.bodies.motion);
        self.forces.integrate(&mut self.bodies, dt, self.settings.integrator);
        let free = std::mem::take(&mut self.forces.way);
        let scale = self.speed_scale(dt);
        let late: R = self.settings.integrator.lateness();
        let push_time = (R::ONE - late) * dt;
        let grip = self.injected_grip();
        let numbers = StepNumbers { dt, iterations: self.settings.iterations, rest_speed, scale, push_time, grip };
        self.unpressed.clone_from(&self.bodies.motion);
        self.joints.prepare(&mut self.bodies, dt, carry);
        let driven = self.settings.injected(InjectionPoint::NoCarry).map(|share| self.forget_drivers(R::of(share)));
        self.solver.solve(&mut self.bodies, &self.start, &mut self.contacts, &mut self.joints, numbers, &self.threads);
        for (body, motion) in driven.into_iter().flatten() {
            self.bodies.motion[body] = motion;
        }
        let spoilt =
            self.settings.injected(InjectionPoint::OverlapIntoSpeed).map(|share| (share, self.bodies.position.clone()));
        self.solver.remove_overlap(&mut self.bodies, &self.contacts);
        if let Some((share, places)) = spoilt {
            self.keep_speed_of(&places, R::of(share) / dt);
        }
        self.note_acceleration(dt);
        self.move_bodies(dt, rest_speed, &free);
        self.forces.way = free;
        if !self.joints.is_empty() && self.settings.injected(InjectionPoint::JointDrift).is_none() {
            self.hold_joints(dt, scale);
        }
    }

    /// The sub-steps of the soft bodies that are due once a part of the step is done by the rigid ones.
    fn soften(&mut self, part: u32, parts: u32, dt: R) {
        let Some(mut soft) = self.soft.take() else { return };
        let rest_speed = self.rest_speed(dt / R::of(f64::from(self.settings.soft_substeps)));
        let turn = Turn { part, parts, dt, rest_speed };
        let touched = soft.soften(turn, &mut self.bodies, &self.mixed, &self.settings);
        if touched {
            self.bodies.moved = true;
            self.bodies.only_falling = false;
            self.looked_ahead = false;
            self.bodies.turn_axes();
            if self.settings.sleep {
                self.sleep.wake_all(&mut self.bodies);
            }
        }
        self.soft = Some(soft);
    }

    /// Takes the drift out of the joints, gives the velocities what that moved, and makes them fit the joints again. Source: Andersen,
    /// "Rattle: a velocity version of the Shake algorithm" (1983): so joints keep the order and the energy of the integrator.
    fn hold_joints(&mut self, dt: R, scale: R) {
        self.joints.project(&mut self.bodies, dt, true);
        self.joints.fit(&mut self.bodies, dt, self.settings.iterations, R::of(CONVERGED) * scale);
    }

    /// Takes out of the joints what impacts have moved; no speed comes of it.
    pub(crate) fn close_joints(&mut self, dt: R) {
        if !self.joints.is_empty() && self.settings.injected(InjectionPoint::JointDrift).is_none() {
            let scale = self.speed_scale(dt);
            self.joints.project(&mut self.bodies, dt, false);
            self.joints.fit(&mut self.bodies, dt, self.settings.iterations, R::of(CONVERGED) * scale);
        }
    }

    /// One step of gravity, or without gravity the fastest relative speed at a contact or joint.
    fn speed_scale(&self, dt: R) -> R {
        let fall = self.gravity * dt;
        if fall > R::ZERO {
            return fall;
        }
        let moving = self.bodies.motion.iter().map(|motion| motion.linear.length());
        moving.fold(R::ZERO, R::max)
    }

    fn move_bodies(&mut self, dt: R, rest_speed: R, free: &[Motion<R>]) {
        if self.any_swept {
            self.note_swept();
            let numbers = SweepNumbers { dt, rest_speed, touch: self.touch };
            self.sweeper.run(&mut self.bodies, &self.start, &self.swept, &self.mixed, numbers, &mut self.hit_now);
            return;
        }
        let late: R = self.settings.integrator.lateness();
        for body in 0..self.bodies.len() {
            if !self.bodies.travels(body) {
                continue;
            }
            let pushed = self.bodies.motion[body].minus(self.unpressed[body]).scaled(late * dt);
            let way = free[body].plus(pushed);
            self.bodies.place(body, self.bodies.position[body] + way.linear, self.bodies.angle[body] + way.spin);
        }
    }
}
