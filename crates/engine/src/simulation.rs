//! One step, in order.

use crate::bodies::{Bodies, Motion};
use crate::broad::Broad;
use crate::contacts::{Carry, Contacts, Mixed};
use crate::faults::InjectionPoint;
use crate::forces::Forces;
use crate::joints::Joints;
use crate::late_impacts;
use crate::scalar::Real;
use crate::sensors::{Place, Sensors};
use crate::settings::{Settings, SolverKind, Swept};
use crate::sleep::Sleep;
use crate::solver::{Solver, StepNumbers};
use crate::sweep::{Impact, SweepNumbers, Sweeper};
use crate::threads::Threads;
use crate::tolerance::{CONVERGED, SLOP};
use crate::vector::{Rotation, Vec2};
use crate::{compliant, position};
use ironspin_model::{BodyKind, Effect, EngineError, World};

/// Everything about a world that is stepped.
#[derive(Clone, Debug)]
pub(crate) struct Simulation<R> {
    pub(crate) bodies: Bodies<R>,
    pub(crate) settings: Settings,
    pub(crate) mixed: Mixed<R>,
    pub(crate) gravity: R,
    pub(crate) touch: R,
    last_dt: R,
    pub(crate) steps: u64,
    broad: Broad<R>,
    pub(crate) contacts: Contacts<R>,
    pub(crate) joints: Joints<R>,
    pub(crate) forces: Forces<R>,
    pub(crate) solver: Solver<R>,
    pub(crate) sensors: Sensors<R>,
    sleep: Sleep<R>,
    pub(crate) threads: Threads,
    pub(crate) sweeper: Sweeper<R>,
    /// Whether any body may have to be followed along its path.
    any_swept: bool,
    /// Motion of every body before contacts and joints push it.
    pub(crate) unpressed: Vec<Motion<R>>,
    /// Motion of every body at the start of the step, after impacts.
    pub(crate) start: Vec<Motion<R>>,
    /// Lists of the solvers that move bodies themselves, kept between steps.
    pub(crate) lists: Lists<R>,
    /// Which bodies are followed along their path in this step.
    pub(crate) swept: Vec<bool>,
    /// Impacts that may have to be applied: overlap time and number of the contact.
    pub(crate) pending: Vec<(R, usize)>,
    /// The last round of impacts in which each body was hit.
    pub(crate) hit: Vec<u32>,
    /// What was hit in this step, in order: impacts, and what swept bodies met.
    pub(crate) hit_now: Vec<Impact<R>>,
    /// Whether the contacts were pressed in this step.
    pressed: bool,
}

/// What a solver that moves bodies itself remembers within a step.
#[derive(Clone, Debug, Default)]
pub(crate) struct Lists<R> {
    /// Places at the start of the step.
    pub(crate) places: Vec<Place<R>>,
    /// Places at the start of the substep, and where the bodies would go from there.
    pub(crate) before: Vec<Place<R>>,
    pub(crate) predicted: Vec<Place<R>>,
    /// Pushes on the points of each contact in this substep and in the whole step.
    pub(crate) pressed: Vec<[R; 2]>,
    pub(crate) total: Vec<[R; 2]>,
    /// Motion at the end of the step and on the way through it.
    ends: Vec<Motion<R>>,
    means: Vec<Motion<R>>,
}

impl<R: Real> Simulation<R> {
    pub(crate) fn new(world: &World, settings: &Settings, touch: f64, threads: usize) -> Result<Self, EngineError> {
        check_joints(world)?;
        let bodies = Bodies::new(world)?;
        let any_swept = match settings.swept {
            Swept::Off => false,
            Swept::Marked => bodies.traits.iter().any(|traits| traits.marked),
            Swept::All => true,
        };
        let mut simulation = Simulation {
            any_swept,
            unpressed: Vec::new(),
            settings: settings.clone(),
            mixed: Mixed::new(world, settings),
            gravity: R::of(world.gravity.length()),
            touch: R::of(touch),
            last_dt: R::ZERO,
            steps: 0,
            broad: Broad::new(&bodies, R::of(SLOP)),
            contacts: Contacts::default(),
            joints: Joints::new(world, &bodies),
            forces: Forces::new(world, &bodies),
            solver: Solver::default(),
            sensors: Sensors::default(),
            sleep: Sleep::default(),
            threads: Threads::new(threads),
            sweeper: Sweeper::default(),
            start: Vec::new(),
            lists: Lists::default(),
            swept: Vec::new(),
            pending: Vec::new(),
            hit: Vec::new(),
            hit_now: Vec::new(),
            pressed: false,
            bodies,
        };
        if settings.fault.is_some() {
            simulation.take_on_mistakes();
        }
        simulation.sensors.begin(&simulation.bodies);
        simulation.sensors.end(&simulation.bodies, 0);
        Ok(simulation)
    }

    pub(crate) fn act(&mut self, body: usize, effect: &Effect) {
        self.bodies.moved = true;
        self.bodies.only_falling = false;
        self.bodies.turn_axes();
        if self.settings.sleep {
            self.sleep.wake_all(&mut self.bodies);
        }
        match effect {
            Effect::Impulse { impulse, point } => {
                let arm = self.arm(body, point.map(|p| Vec2::of(p.truncate())));
                let kick = self.bodies.inverse[body].kick(arm, Vec2::of(impulse.truncate()));
                self.bodies.motion[body] = self.bodies.motion[body].plus(kick);
            }
            Effect::Force { force, point } => {
                let arm = self.arm(body, point.map(|p| Vec2::of(p.truncate())));
                self.forces.push(body, Vec2::of(force.truncate()), arm, R::ZERO);
            }
            Effect::Torque(torque) => self.forces.push(body, Vec2::ZERO, Vec2::ZERO, R::of(torque.z)),
            Effect::Velocity(velocity) => self.bodies.motion[body].linear = Vec2::of(velocity.truncate()),
            Effect::Spin(spin) => self.bodies.motion[body].spin = R::of(spin.z),
            Effect::Place(pose) => self.bodies.place(body, Vec2::of(pose.xy()), R::of(pose.angle)),
            Effect::Remove => self.bodies.present[body] = false,
            Effect::Add => self.bodies.present[body] = true,
            Effect::Split(pieces) => self.split(body, pieces),
            Effect::Gravity(gravity) => {
                self.gravity = R::of(gravity.length());
                self.bodies.set_gravity(Vec2::of(gravity.truncate()));
            }
        }
    }

    fn arm(&self, body: usize, point: Option<Vec2<R>>) -> Vec2<R> {
        point.map_or(Vec2::ZERO, |point| point - self.bodies.position[body])
    }

    /// Each piece takes its place in the frame of the whole and moves as that place moved, so that momentum, angular
    /// momentum and energy stay what they were.
    fn split(&mut self, body: usize, pieces: &[usize]) {
        let (whole, motion, angle) = (self.bodies.pose(body), self.bodies.motion[body], self.bodies.angle[body]);
        for &piece in pieces {
            let place = whole.point(self.bodies.position[piece]);
            let turned = angle + self.bodies.angle[piece];
            self.bodies.place(piece, place, turned);
            let lost = self.settings.injected(InjectionPoint::SplitLosesTurning).map_or(R::ZERO, R::of);
            let arm = (place - whole.position) * (R::ONE - lost);
            self.bodies.motion[piece] = Motion { linear: motion.at(arm), spin: motion.spin };
            self.bodies.acceleration[piece] = self.bodies.acceleration[body];
            self.bodies.present[piece] = true;
        }
        self.bodies.present[body] = false;
    }

    pub(crate) fn step(&mut self, dt: R) {
        self.hit_now.clear();
        self.pressed = false;
        self.steps += 1;
        if !(dt > R::ZERO) {
            return;
        }
        self.sensors.begin(&self.bodies);
        match self.settings.solver {
            SolverKind::Compliant => compliant::step(self, dt),
            SolverKind::Position => position::step(self, dt),
            SolverKind::Impulse | SolverKind::Event => {
                let substeps = self.settings.substeps_in_force();
                let part = dt / R::of(f64::from(substeps));
                for number in 0..substeps {
                    self.substep(part, number > 0);
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
        self.sensors.end(&self.bodies, self.steps);
    }

    pub(crate) fn find_pairs(&mut self) -> usize {
        self.bodies.turn_axes();
        self.broad.find(&self.bodies, self.settings.broad);
        self.broad.pairs.len()
    }

    /// Finds pairs anew when any body has gone too far for those that are known.
    fn know_pairs(&mut self) {
        if self.bodies.moved {
            self.bodies.turn_axes();
            self.broad.find(&self.bodies, self.settings.broad);
            self.bodies.pairs_are_known();
        }
    }

    /// Finds what touches now and applies the impacts of the time since the last look.
    pub(crate) fn look(&mut self, dt: R, same_step: bool) {
        let ratio = if !self.settings.warm_start {
            R::ZERO
        } else if self.last_dt > R::ZERO {
            dt / self.last_dt
        } else {
            R::ONE
        };
        self.know_pairs();
        if !self.broad.pairs.is_empty() {
            self.bodies.turn_axes();
        }
        self.contacts.refresh(&self.bodies, &self.broad.pairs, &self.mixed, Carry { ratio, same_step }, &self.threads);
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
        if self.settings.fault.is_some() {
            self.lose_pairs();
        }
        late_impacts::collide(self, dt, self.rest_speed(dt));
        self.last_dt = dt;
    }

    pub(crate) fn rest_speed(&self, dt: R) -> R {
        let natural = R::of(self.settings.rest_speed) * self.gravity * dt;
        self.settings.injected(InjectionPoint::FixedRestSpeed).map_or(natural, |fixed| natural.max(R::of(fixed)))
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

    /// Takes the drift out of the joints, gives the velocities what that moved, and makes them fit the joints again. Source: Andersen,
    /// "Rattle: a velocity version of the Shake algorithm" (1983): so joints keep the order and the energy of the integrator.
    fn hold_joints(&mut self, dt: R, scale: R) {
        self.joints.project(&mut self.bodies, dt, true);
        self.joints.fit(&mut self.bodies, dt, self.settings.iterations, R::of(CONVERGED) * scale);
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

    /// Keeps the mean acceleration since the start, for the impacts of the next look. Of a body that nothing pushed it is gravity
    /// to the bit, as in flight.
    fn note_acceleration(&mut self, dt: R) {
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
    fn note_swept(&mut self) {
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

    /// The impacts of this step, and then the resting contacts.
    pub(crate) fn record(&self) -> impl Iterator<Item = Impact<R>> {
        let pressed = self.contacts.list.iter().filter(|_| self.pressed).flat_map(|contact| {
            contact.points().iter().map(|point| Impact {
                bodies: contact.bodies,
                point: point.position,
                normal: contact.normal,
                gap: point.gap,
                impulse: point.so_far + point.normal_impulse,
                times: 1,
            })
        });
        self.hit_now.iter().copied().chain(pressed)
    }
}

fn check_joints(world: &World) -> Result<(), EngineError> {
    use ironspin_model::JointKind;
    for joint in &world.joints {
        let bad = |what: &str| Err(EngineError::BadWorld { why: format!("a joint has {what}") });
        if joint.bodies.iter().any(|&body| body >= world.bodies.len()) || joint.bodies[0] == joint.bodies[1] {
            return bad("bodies that are not two of the world's");
        }
        if joint.frames.iter().any(|frame| !frame.anchor.is_finite())
            || joint.length.is_some_and(|length| !(length >= 0.0 && length.is_finite()))
        {
            return bad("an anchor or length that is not finite");
        }
        let sound = |limits: Option<[f64; 2]>| {
            limits.is_none_or(|[low, high]| low <= high && low.is_finite() && high.is_finite())
        };
        let fine = match joint.kind {
            JointKind::Spring { stiffness, damping } => {
                stiffness >= 0.0 && damping >= 0.0 && stiffness.is_finite() && damping.is_finite()
            }
            JointKind::Hinge { limits } => sound(limits),
            JointKind::Slider { limits } => (joint.frames[0].axis.length() - 1.0).abs() < 1e-6 && sound(limits),
            JointKind::Rod | JointKind::Rope | JointKind::Weld => true,
        };
        if !fine {
            return bad("a stiffness, damping, axis or limit that makes no sense");
        }
    }
    Ok(())
}
