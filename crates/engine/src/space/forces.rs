//! Gravity, scripted forces and damping over a step, before any contact acts, and where bodies go by them.
//!
//! Source: Hairer, Lubich, Wanner, "Geometric Numerical Integration" (2006), I.1 (explicit and symplectic Euler, Störmer-Verlet); all
//! forces are constant over a step, so that Verlet and the method of order 4 are exact for the way of a centre.

use crate::common::fading::fading;
use crate::common::passes::Width;
use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::space::bodies::{Bodies, Motion};
use crate::space::flight;
use crate::space::flight_wide::Turns;
use crate::space::leg::Leg;
use crate::space::springs::Springs;
use crate::space::vector::{Quat, Vec3};
use ironspin_model::{BodyKind, World};

/// Scripted forces, and what the step before contacts makes of each body; kept between steps.
#[derive(Clone, Debug)]
pub(crate) struct Forces<R> {
    /// Force and torque on each body over the coming step.
    scripted: Vec<Motion<R>>,
    any_scripted: bool,
    damped: bool,
    /// Way that each centre would go in the step without contacts.
    way: Vec<Vec3<R>>,
    /// Angular momentum of each body at the start of the step, damped for half of it.
    momentum: Vec<Vec3<R>>,
    /// How each was turned then.
    before: Vec<Quat<R>>,
    springs: Springs<R>,
    /// Where each body was turned to by a method of its own, with the momentum that it had then; empty without springs.
    turned: Vec<Option<(Vec3<R>, Quat<R>)>>,
    /// Where each is turned to at the end of the step.
    ends: Vec<Quat<R>>,
    turns: Turns<R>,
    width: Width,
}

impl<R: Real> Forces<R> {
    pub(crate) fn new(world: &World, bodies: &Bodies<R>) -> Self {
        let damped = bodies.traits.iter().any(|n| n.linear_damping > R::ZERO || n.angular_damping > R::ZERO);
        let scripted = vec![Motion::default(); bodies.len()];
        let springs = Springs::new(world, bodies);
        Forces {
            scripted,
            any_scripted: false,
            damped,
            way: Vec::new(),
            momentum: Vec::new(),
            before: Vec::new(),
            springs,
            turned: Vec::new(),
            ends: Vec::new(),
            turns: Turns::none(),
            width: Width::of_this_machine(),
        }
    }

    /// Adds a force at an arm from the centre, and a torque, for the coming step.
    pub(crate) fn push(&mut self, body: usize, force: Vec3<R>, arm: Vec3<R>, torque: Vec3<R>) {
        let scripted = &mut self.scripted[body];
        scripted.linear += force;
        scripted.spin += arm.cross(force) + torque;
        self.any_scripted = true;
    }

    /// Whether nothing but gravity acts in the coming step.
    pub(crate) fn constant_only(&self) -> bool {
        self.springs.is_empty() && !self.any_scripted && !self.damped
    }

    /// Forgets the forces of the step that has ended.
    pub(crate) fn end_step(&mut self) {
        if self.any_scripted {
            self.scripted.fill(Motion::default());
            self.any_scripted = false;
        }
    }

    /// Changes the velocities of all bodies by a step of the forces and works out the way each centre would go.
    pub(crate) fn integrate(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        if self.springs.is_empty() {
            self.constant(bodies, dt, integrator);
        } else {
            self.varying(bodies, dt, integrator);
        }
    }

    /// Forces change with the places of the bodies. Damping comes half before and half after, which keeps the order of the integrator up to the second
    /// (Strang, 1968).
    fn varying(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        if self.damped {
            damp(bodies, R::HALF * dt);
            fade(bodies, R::HALF * dt);
        }
        self.momentum.clone_from(&bodies.momentum);
        self.before.clone_from(&bodies.rotation);
        let steps = self.springs.step(bodies, &self.scripted, dt, integrator);
        self.way.clear();
        self.way.resize(bodies.len(), Vec3::ZERO);
        self.turned.clear();
        self.turned.resize(bodies.len(), None);
        for (body, step) in steps.into_iter().enumerate() {
            if !bodies.travels(body) {
                continue;
            }
            self.way[body] = step.way;
            let spin = bodies.motion[body].spin;
            if bodies.traits[body].kind == BodyKind::Dynamic {
                bodies.momentum[body] += step.turned;
                let turned = bodies.inverse[body].inertia.times(step.turned);
                bodies.motion[body] = Motion { linear: step.velocity, spin: spin + turned };
                self.turned[body] = step.rotation.map(|rotation| (bodies.momentum[body], rotation));
            }
        }
        if self.damped {
            fade(bodies, R::HALF * dt);
        }
    }

    /// No force depends on place or speed: one formula a body.
    fn constant(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        self.way.clear();
        self.way.resize(bodies.len(), Vec3::ZERO);
        for body in 0..bodies.len() {
            if !bodies.travels(body) {
                continue;
            }
            let (before, traits) = (bodies.motion[body], bodies.traits[body]);
            let push = self.scripted[body];
            let change = (bodies.fall[body] + push.linear * bodies.inverse[body].mass) * dt;
            // What is not damped is not worked out.
            let [whole, first, second] =
                if traits.linear_damping > R::ZERO { fading(traits.linear_damping * dt) } else { [R::ONE; 3] };
            let after = if traits.linear_damping > R::ZERO {
                before.linear * whole + change * first
            } else {
                before.linear + change
            };
            self.way[body] = match integrator {
                Integrator::ExplicitEuler => before.linear * dt,
                Integrator::SymplecticEuler => after * dt,
                Integrator::Verlet | Integrator::Rk4 if traits.linear_damping > R::ZERO => {
                    (before.linear * first + change * second) * dt
                }
                Integrator::Verlet | Integrator::Rk4 => (before.linear + after) * (R::HALF * dt),
            };
            let turned =
                if push.spin == Vec3::ZERO { Vec3::ZERO } else { bodies.inverse[body].inertia.times(push.spin * dt) };
            bodies.motion[body] = Motion { linear: after, spin: before.spin + turned };
        }
        // Half of the damping of the spin comes before the turn and half after (Strang, 1968).
        if self.damped {
            damp(bodies, R::HALF * dt);
        }
        self.momentum.clone_from(&bodies.momentum);
        self.before.clone_from(&bodies.rotation);
        if self.any_scripted {
            for body in (0..bodies.len()).filter(|&body| self.scripted[body].spin != Vec3::ZERO) {
                bodies.momentum[body] += self.scripted[body].spin * dt;
            }
        }
    }

    /// The way of the centre of a body over the step; `unpressed` is its motion before contacts pushed. What turned a body over the step has done half
    /// of it by the middle.
    #[inline(always)]
    fn whole_way(&self, bodies: &Bodies<R>, body: usize, unpressed: &Motion<R>, late_time: R) -> Vec3<R> {
        self.way[body] + (bodies.motion[body].linear - unpressed.linear) * late_time
    }

    /// Where all bodies go over the step, once it is known where they are turned to.
    pub(crate) fn legs(
        &self,
        bodies: &Bodies<R>,
        unpressed: &[Motion<R>],
        dt: R,
        integrator: Integrator,
        out: &mut Vec<Leg<R>>,
    ) {
        let late_time = integrator.lateness::<R>() * dt;
        out.clear();
        out.extend((0..bodies.len()).map(|body| {
            if !bodies.travels(body) {
                return Leg::new(Vec3::ZERO, bodies.rotation[body], Vec3::ZERO, Vec3::ZERO);
            }
            let way = self.whole_way(bodies, body, &unpressed[body], late_time);
            let bend = bodies.fall[body] * (R::HALF * dt * dt);
            Leg::new(way, self.ends[body], bodies.motion[body].spin * dt, bend)
        }));
    }

    /// Moves all bodies at once, none of which is swept.
    pub(crate) fn travel(&self, bodies: &mut Bodies<R>, unpressed: &[Motion<R>], dt: R, integrator: Integrator) {
        let late_time = integrator.lateness::<R>() * dt;
        for (body, unpressed) in unpressed.iter().enumerate() {
            if bodies.travels(body) {
                let way = self.whole_way(bodies, body, unpressed, late_time);
                bodies.place(body, bodies.position[body] + way, self.ends[body]);
            }
        }
    }

    /// Works out where all bodies are turned to at the end of the step.
    pub(crate) fn turn(&mut self, bodies: &Bodies<R>, dt: R, integrator: Integrator) {
        let (momentum, width, ends) = (&self.momentum, self.width, &mut self.ends);
        ends.clone_from(&bodies.rotation);
        let mean = |body: usize| {
            let (from, to) = (momentum[body], bodies.momentum[body]);
            match integrator {
                Integrator::ExplicitEuler => from,
                Integrator::SymplecticEuler => to,
                Integrator::Verlet | Integrator::Rk4 if from == to => to,
                Integrator::Verlet | Integrator::Rk4 => (from + to) * R::HALF,
            }
        };
        let alone = |body: usize| flight::turn(bodies.rotation[body], mean(body), &bodies.own[body], dt, integrator);
        let mut take = |body: usize, turned: Option<Quat<R>>| ends[body] = turned.unwrap_or_else(|| alone(body));
        for body in (0..bodies.len()).filter(|&body| bodies.travels(body)) {
            let rotation = bodies.rotation[body];
            if bodies.traits[body].kind == BodyKind::Kinematic {
                take(body, Some(Quat::by(bodies.motion[body].spin * dt).after(rotation).of_unit_length()));
                continue;
            }
            let known = self.turned.get(body).copied().flatten();
            if let Some((_, rotation)) = known.filter(|(momentum, _)| *momentum == bodies.momentum[body]) {
                take(body, Some(rotation));
                continue;
            }
            match bodies.own[body].principal().filter(|_| integrator == Integrator::Verlet) {
                None => take(body, None),
                Some(inverse) => {
                    if self.turns.take(body, rotation, mean(body), inverse) {
                        self.turns.end(width, dt, &mut take);
                    }
                }
            }
        }
        self.turns.end(width, dt, &mut take);
    }

    /// What of the step comes when all bodies have moved; `legs` are those of swept bodies.
    pub(crate) fn end_travel(&self, bodies: &mut Bodies<R>, legs: &[Leg<R>], dt: R, integrator: Integrator) {
        if integrator == Integrator::ExplicitEuler {
            for body in 0..bodies.len() {
                // What was hit on its way has its spin from there.
                let hit = legs.get(body).is_some_and(Leg::was_hit);
                if bodies.traits[body].kind == BodyKind::Dynamic && bodies.present[body] && !hit {
                    self.keep_explicit(bodies, body, dt);
                }
            }
        }
        if self.damped {
            damp(bodies, R::HALF * dt);
        }
    }

    /// Euler's equations by the explicit method: the spin changes by the gyroscopic torque of the start of the step, and the momentum is what
    /// comes of it.
    fn keep_explicit(&self, bodies: &mut Bodies<R>, body: usize, dt: R) {
        let own = &bodies.own[body];
        let before = self.before[body].axes();
        let (spin_before, pushed) = (own.spin(&before, self.momentum[body]), own.spin(&before, bodies.momentum[body]));
        let gyroscopic = self.momentum[body].cross(spin_before);
        let change = own.spin(&before, gyroscopic) * dt;
        bodies.set_spin(body, pushed + change);
    }
}

/// Damping of the velocity by its exact solution, exp(-c dt).
fn fade<R: Real>(bodies: &mut Bodies<R>, dt: R) {
    for body in 0..bodies.len() {
        let linear = bodies.traits[body].linear_damping * dt;
        if linear != R::ZERO {
            bodies.motion[body].linear = bodies.motion[body].linear * (-linear).exp();
        }
    }
}

/// Damping of the spin by its exact solution, exp(-c dt).
fn damp<R: Real>(bodies: &mut Bodies<R>, dt: R) {
    for body in 0..bodies.len() {
        let angular = bodies.traits[body].angular_damping * dt;
        if angular != R::ZERO {
            let share = (-angular).exp();
            bodies.momentum[body] = bodies.momentum[body] * share;
            bodies.motion[body].spin = bodies.motion[body].spin * share;
        }
    }
}
