//! Everything about a world that is stepped, and one step, in order.

use crate::common::carry::Carry;
use crate::common::injection::InjectionPoint;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, Swept};
use crate::common::threads::Threads;
use crate::common::tolerance::CONVERGED;
use crate::soft::{SpaceSofts, Touching, Turn};
use crate::space::bodies::{Bodies, Motion};
use crate::space::broad::Broad;
use crate::space::contact::Impact;
use crate::space::contacts::Contacts;
use crate::space::forces::Forces;
use crate::space::joints::Joints;
use crate::space::leg::Leg;
use crate::space::overlap;
use crate::space::sensors::Sensors;
use crate::space::sleep::Sleep;
use crate::space::solver::{Solver, StepNumbers};
use crate::space::sweep::{SweepNumbers, Sweeper};
use crate::space::vector::{Mat3, Quat, Vec3};
use ironspin_model::{Effect, EngineError, World};

/// Everything about a world that is stepped.
#[derive(Clone, Debug)]
pub(crate) struct Simulation<R: Real> {
    pub(crate) bodies: Bodies<R>,
    pub(crate) soft: Option<Box<SpaceSofts<R>>>,
    pub(crate) settings: Settings,
    mixed: Mixed<R>,
    gravity: R,
    /// Gap up to which pieces count as touching, as a share of the smaller one's size.
    pub(crate) touch: R,
    last_dt: R,
    broad: Broad<R>,
    pub(crate) contacts: Contacts<R>,
    forces: Forces<R>,
    pub(crate) joints: Joints<R>,
    pub(crate) solver: Solver<R>,
    overlap: overlap::Remover<R>,
    threads: Threads,
    /// Motion of every body at the start of the step, after impacts, and before contacts push it.
    start: Vec<Motion<R>>,
    unpressed: Vec<Motion<R>>,
    /// The last round of impacts in which each body was hit.
    pub(crate) hit: Vec<u32>,
    /// What was hit in this step, in order.
    pub(crate) hit_now: Vec<Impact<R>>,
    pub(crate) sensors: Sensors<R>,
    sleep: Sleep<R>,
    pub(crate) sweeper: Sweeper<R>,
    /// Ways of all bodies over the step, and which are swept.
    legs: Vec<Leg<R>>,
    pub(crate) marked: Vec<bool>,
    /// Steps begun so far.
    pub(crate) steps: u64,
    /// Whether so many bodies stood in one place that their pairs could not be held.
    pub(crate) crowded: bool,
    /// Whether the contacts are those of the bodies as they stand now, with their impacts applied.
    pub(crate) looked_ahead: bool,
    /// Axes of all bodies as built; only for a mistake.
    pub(crate) built_axes: Vec<Mat3<R>>,
}

impl<R: Real> Simulation<R> {
    /// Of a world that was checked.
    fn new(world: &World, settings: &Settings, touch: f64, threads: usize) -> Result<Self, EngineError> {
        let bodies = Bodies::new(world);
        Ok(Simulation {
            soft: SpaceSofts::new(world, settings)?.map(Box::new),
            settings: settings.clone(),
            mixed: Mixed::new(world, settings),
            gravity: R::of(world.gravity.length()),
            touch: R::of(touch),
            last_dt: R::ZERO,
            broad: Broad::new(&bodies),
            contacts: Contacts::default(),
            forces: Forces::new(world, &bodies),
            joints: Joints::new(world, &bodies),
            solver: Solver::default(),
            overlap: overlap::Remover::default(),
            threads: Threads::new(threads),
            start: Vec::new(),
            unpressed: Vec::new(),
            hit: Vec::new(),
            hit_now: Vec::new(),
            looked_ahead: false,
            sensors: Sensors::default(),
            sleep: Sleep::default(),
            sweeper: Sweeper::default(),
            legs: Vec::new(),
            marked: Vec::new(),
            steps: 0,
            crowded: false,
            built_axes: Vec::new(),
            bodies,
        })
    }

    /// Of a world that was checked, ready for its first step.
    ///
    /// # Errors
    /// For soft bodies that cannot be built.
    pub(crate) fn begin(world: &World, settings: &Settings, touch: f64, threads: usize) -> Result<Self, EngineError> {
        let mut simulation = Self::new(world, settings, touch, threads)?;
        simulation.take_on_mistakes();
        simulation.sensors.begin(&simulation.bodies);
        simulation.sensors.end(&simulation.bodies, 0);
        Ok(simulation)
    }

    /// One step. `note` sees it when its contacts have been pressed and before what touches then is found anew.
    pub(crate) fn step(&mut self, dt: R, note: &mut dyn FnMut(&Self)) {
        self.hit_now.clear();
        self.steps += 1;
        if !(dt > R::ZERO) {
            note(self);
            return;
        }
        self.sensors.begin(&self.bodies);
        if let Some(soft) = &mut self.soft {
            soft.begin_step(&mut self.bodies);
        }
        // As many turns as the soft bodies have, unless it is said otherwise.
        let takes_turns = self.soft.is_some() && self.settings.substeps == 0;
        let turns = if takes_turns { self.settings.soft_substeps } else { 1 };
        let substeps = self.settings.substeps_in_force().max(turns);
        let part = dt / R::of(f64::from(substeps));
        for number in 0..substeps {
            self.substep(part, number > 0);
            self.soften(number + 1, substeps, dt);
        }
        self.forces.end_step();
        if self.settings.sleep {
            self.sleep.settle(&mut self.bodies, &self.contacts, self.gravity * dt);
            // What sleeps meets nothing that does not move.
            self.bodies.moved = true;
        }
        note(self);
        if self.crowded {
            return;
        }
        self.look_ahead();
        self.sensors.end(&self.bodies, self.steps);
    }

    /// The sub-steps of the soft bodies that are due once a part of the step is done by the rigid ones.
    fn soften(&mut self, part: u32, parts: u32, dt: R) {
        let Some(mut soft) = self.soft.take() else { return };
        let rest_speed = self.rest_speed(dt / R::of(f64::from(self.settings.soft_substeps)));
        let turn = Turn { part, parts, dt, rest_speed };
        let touched = soft.soften(turn, &mut self.bodies, &self.mixed, &self.settings);
        if touched {
            self.bodies.moved = true;
            self.looked_ahead = false;
            if self.settings.sleep {
                self.sleep.wake_all(&mut self.bodies);
            }
        }
        self.soft = Some(soft);
    }

    fn substep(&mut self, dt: R, same_step: bool) {
        let carry = if self.last_dt > R::ZERO && self.settings.warm_start { dt / self.last_dt } else { R::ZERO };
        self.look(dt, same_step);
        if self.crowded {
            return;
        }
        self.start.clone_from(&self.bodies.motion);
        let integrator = self.settings.integrator;
        self.forces.integrate(&mut self.bodies, dt, integrator);
        self.unpressed.clone_from(&self.bodies.motion);
        let scale = self.speed_scale(dt);
        if !self.contacts.list.is_empty() || !self.joints.is_empty() {
            let late: R = integrator.lateness();
            let driven = self.forget_drivers();
            let numbers = StepNumbers {
                dt,
                iterations: self.settings.iterations,
                rest_speed: self.rest_speed(dt),
                scale,
                carry,
                push_time: (R::ONE - late) * dt,
                pyramid: self.settings.injected(InjectionPoint::FrictionPyramid).map_or(R::ZERO, R::of),
            };
            let pressed = self.solver.solve(
                &self.bodies,
                &self.start,
                &mut self.contacts,
                &mut self.joints,
                numbers,
                &self.threads,
            );
            for (body, &motion) in pressed.iter().enumerate() {
                if self.bodies.inverse[body].moves() {
                    self.bodies.take_motion(body, motion);
                }
            }
            for (body, motion) in driven {
                self.bodies.motion[body] = motion;
            }
            self.overlap.remove(&mut self.bodies, &self.contacts, dt);
        }
        self.note_acceleration(dt);
        let turning = self.turning_before();
        self.move_bodies(dt);
        if let Some(before) = turning {
            self.turn_wrongly(&before, dt);
        }
        if !self.joints.is_empty() && self.joints_hold() {
            self.joints.project(&mut self.bodies, dt, true);
            self.joints.fit(&mut self.bodies, dt, self.settings.iterations, R::of(CONVERGED) * scale);
        }
    }

    fn move_bodies(&mut self, dt: R) {
        let integrator = self.settings.integrator;
        self.forces.turn(&self.bodies, dt, integrator);
        let mut legs = std::mem::take(&mut self.legs);
        legs.clear();
        let mode = self.settings.swept;
        let bodies = &self.bodies;
        let wanted = |body: usize| mode == Swept::All || (mode == Swept::Marked && bodies.traits[body].marked);
        self.marked.clear();
        self.marked
            .extend((0..bodies.len()).map(|body| wanted(body) && bodies.inverse[body].moves() && bodies.present[body]));
        self.leave_out();
        if self.marked.iter().any(|marked| *marked) {
            self.forces.legs(&self.bodies, &self.unpressed, dt, integrator, &mut legs);
            let numbers = SweepNumbers { dt, rest_speed: self.rest_speed(dt), touch: self.touch };
            let (marked, mixed) = (&self.marked, &self.mixed);
            for (leg, &rotation) in legs.iter_mut().zip(&self.bodies.rotation) {
                leg.work_out(rotation);
            }
            self.sweeper.run(&mut self.bodies, &mut legs, marked, mixed, numbers, &mut self.hit_now);
        } else {
            self.forces.travel(&mut self.bodies, &self.unpressed, dt, integrator);
        }
        self.forces.end_travel(&mut self.bodies, &legs, dt, integrator);
        self.legs = legs;
    }

    /// Whether what comes apart at a joint is put right.
    fn joints_hold(&self) -> bool {
        self.settings.injected(InjectionPoint::JointDrift).is_none()
    }

    /// Takes out of the joints what impacts have moved; no speed comes of it.
    pub(crate) fn close_joints(&mut self, dt: R) {
        if !self.joints.is_empty() && self.joints_hold() && dt > R::ZERO {
            let scale = self.speed_scale(dt);
            self.joints.project(&mut self.bodies, dt, false);
            self.joints.fit(&mut self.bodies, dt, self.settings.iterations, R::of(CONVERGED) * scale);
        }
    }

    /// Keeps the mean acceleration over the step, for the impacts of the next look. Of a body that nothing pushed it is gravity to the
    /// bit.
    fn note_acceleration(&mut self, dt: R) {
        let rate = R::ONE / dt;
        let constant = self.forces.constant_only();
        for body in 0..self.bodies.len() {
            let (end, fall) = (self.bodies.motion[body].linear, self.bodies.fall[body]);
            self.bodies.acceleration[body] = if constant {
                fall + (end - self.unpressed[body].linear) * rate
            } else {
                (end - self.start[body].linear) * rate
            };
        }
    }

    /// Finds what touches now and applies the impacts of the time since the last look.
    fn look(&mut self, dt: R, same_step: bool) {
        let ratio = if !self.settings.warm_start {
            R::ZERO
        } else if self.last_dt > R::ZERO {
            dt / self.last_dt
        } else {
            R::ONE
        };
        self.last_dt = dt;
        if std::mem::take(&mut self.looked_ahead) {
            // The end of the step before is the start of this one.
            if ratio != R::ONE {
                self.contacts.scale_impulses(ratio);
            }
            return;
        }
        self.find_contacts(Carry { ratio, same_step });
        self.apply_impacts(dt, self.rest_speed(dt));
    }

    /// Looks at the end of a step, so that an impact is seen in the frame after it and not a step later.
    fn look_ahead(&mut self) {
        let dt = self.last_dt;
        let ratio = if self.settings.warm_start { R::ONE } else { R::ZERO };
        self.find_contacts(Carry { ratio, same_step: false });
        self.apply_impacts(dt, self.rest_speed(dt));
        self.looked_ahead = true;
    }

    fn find_contacts(&mut self, carry: Carry<R>) {
        if self.bodies.moved {
            self.find_pairs();
        }
        self.contacts.refresh(&self.bodies, &self.broad.pairs, &self.mixed, carry, &self.threads);
        if self.settings.sleep && self.sleep.wake_touched(&mut self.bodies, &self.contacts) {
            self.find_pairs();
            let carry = Carry { ratio: R::ONE, same_step: true };
            self.contacts.refresh(&self.bodies, &self.broad.pairs, &self.mixed, carry, &self.threads);
        }
        self.lose_contacts();
    }

    /// Finds the pairs that may touch, anew, and counts them.
    pub(crate) fn find_pairs(&mut self) -> usize {
        self.crowded |= !self.broad.find(&self.bodies, self.settings.broad);
        self.bodies.pairs_are_known();
        self.broad.pairs.len()
    }

    fn rest_speed(&self, dt: R) -> R {
        let natural = R::of(self.settings.rest_speed) * self.gravity * dt;
        self.settings.injected(InjectionPoint::FixedRestSpeed).map_or(natural, |fixed| natural.max(R::of(fixed)))
    }

    /// One step of gravity, or without gravity the fastest motion.
    fn speed_scale(&self, dt: R) -> R {
        let fall = self.gravity * dt;
        if fall > R::ZERO {
            return fall;
        }
        self.bodies.motion.iter().map(|motion| motion.linear.length()).fold(R::ZERO, R::max)
    }

    pub(crate) fn act(&mut self, body: usize, effect: &Effect) {
        self.looked_ahead = false;
        if self.settings.sleep {
            self.sleep.wake_all(&mut self.bodies);
        }
        if body >= self.bodies.len()
            && !matches!(effect, Effect::Gravity(_))
            && let Some(soft) = &mut self.soft
        {
            return soft.room.act(body, effect);
        }
        match effect {
            Effect::Impulse { impulse, point } => {
                let arm = self.arm(body, point.map(Vec3::of));
                let kick = self.bodies.inverse[body].kick(arm, Vec3::of(*impulse));
                let motion = self.bodies.motion[body].plus(kick);
                self.bodies.take_motion(body, motion);
            }
            Effect::Force { force, point } => {
                let arm = self.arm(body, point.map(Vec3::of));
                self.forces.push(body, Vec3::of(*force), arm, Vec3::ZERO);
            }
            Effect::Torque(torque) => self.forces.push(body, Vec3::ZERO, Vec3::ZERO, Vec3::of(*torque)),
            Effect::Velocity(velocity) => self.bodies.motion[body].linear = Vec3::of(*velocity),
            Effect::Spin(spin) => self.bodies.set_spin(body, Vec3::of(*spin)),
            Effect::Place(pose) => self.put_at(body, Vec3::of(pose.position), Quat::of(pose.rotation)),
            Effect::Remove => self.bodies.present[body] = false,
            Effect::Add => self.bodies.present[body] = true,
            Effect::Split(pieces) => self.split(body, pieces),
            // Of nodes alone.
            Effect::Shift(_) | Effect::Hold(_) => {}
            Effect::Gravity(gravity) => {
                self.gravity = R::of(gravity.length());
                self.bodies.set_gravity(Vec3::of(*gravity));
                if let Some(soft) = &mut self.soft {
                    soft.room.set_gravity(Vec3::of(*gravity));
                }
            }
        }
        self.bodies.moved = true;
    }

    /// Puts a body elsewhere with its velocity and its spin.
    pub(crate) fn put_at(&mut self, body: usize, position: Vec3<R>, rotation: Quat<R>) {
        let spin = self.bodies.motion[body].spin;
        self.bodies.place(body, position, rotation);
        self.bodies.set_spin(body, spin);
        self.bodies.moved = true;
    }

    fn arm(&self, body: usize, point: Option<Vec3<R>>) -> Vec3<R> {
        point.map_or(Vec3::ZERO, |point| point - self.bodies.position[body])
    }

    /// Each piece takes its place in the frame of the whole and moves as that place moved, so that momentum, angular
    /// momentum and energy stay what they were.
    fn split(&mut self, body: usize, pieces: &[usize]) {
        let (whole, motion, rotation) = (self.bodies.pose(body), self.bodies.motion[body], self.bodies.rotation[body]);
        for &piece in pieces {
            let place = whole.point(self.bodies.position[piece]);
            let turned = rotation.after(self.bodies.rotation[piece]).of_unit_length();
            self.bodies.place(piece, place, turned);
            let lost = self.settings.injected(InjectionPoint::SplitLosesTurning).map_or(R::ZERO, R::of);
            let moved = motion.at(place - whole.position);
            self.bodies.motion[piece].linear = moved + (motion.linear - moved) * lost;
            self.bodies.set_spin(piece, motion.spin);
            self.bodies.acceleration[piece] = self.bodies.acceleration[body];
            self.bodies.present[piece] = true;
        }
        self.bodies.present[body] = false;
    }

    /// The impacts of this step so far, and then the resting contacts that were pressed in it.
    pub(crate) fn record(&self) -> impl Iterator<Item = Impact<R>> {
        let pressed = self.contacts.list.iter().flat_map(|contact| {
            contact.points().iter().map(|point| Impact {
                bodies: contact.bodies,
                point: point.position,
                normal: contact.normal,
                gap: point.gap,
                impulse: point.so_far + point.normal_impulse,
            })
        });
        self.hit_now.iter().copied().chain(pressed)
    }
}
