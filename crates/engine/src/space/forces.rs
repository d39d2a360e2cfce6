//! Gravity, scripted forces and damping over a step, before any contact acts, and where bodies go by them.
//!
//! Source: Hairer, Lubich, Wanner, "Geometric Numerical Integration" (2006), I.1 (explicit and symplectic Euler, Störmer-Verlet); all
//! forces are constant over a step, so that Verlet and the method of order 4 are exact for the way of a centre.

use crate::common::fading::fading;
use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::space::bodies::{Bodies, Motion};
use crate::space::flight;
use crate::space::vector::{Quat, Vec3};
use ironspin_model::BodyKind;

/// Scripted forces, and what the step before contacts makes of each body; kept between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Forces<R> {
    /// Force and torque on each body over the coming step.
    scripted: Vec<Motion<R>>,
    any_scripted: bool,
    damped: bool,
    /// Way that each centre would go in the step without contacts.
    way: Vec<Vec3<R>>,
    /// Angular momentum of each body at the start of the step, damped for half of it.
    momentum: Vec<Vec3<R>>,
}

impl<R: Real> Forces<R> {
    pub(crate) fn new(bodies: &Bodies<R>) -> Self {
        let damped = bodies.traits.iter().any(|n| n.linear_damping > R::ZERO || n.angular_damping > R::ZERO);
        let scripted = vec![Motion::default(); bodies.len()];
        Forces { scripted, any_scripted: false, damped, way: Vec::new(), momentum: Vec::new() }
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
        !self.any_scripted && !self.damped
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
        self.way.clear();
        self.way.resize(bodies.len(), Vec3::ZERO);
        for body in 0..bodies.len() {
            if !bodies.travels(body) {
                continue;
            }
            let (before, traits) = (bodies.motion[body], bodies.traits[body]);
            let push = self.scripted[body];
            let change = (bodies.fall[body] + push.linear * bodies.inverse[body].mass) * dt;
            let [whole, first, second] = fading(traits.linear_damping * dt);
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
        if self.any_scripted {
            for body in (0..bodies.len()).filter(|&body| self.scripted[body].spin != Vec3::ZERO) {
                bodies.momentum[body] += self.scripted[body].spin * dt;
            }
        }
    }

    /// Moves and turns all bodies over the step; `unpressed` holds the motions before contacts pushed. What turned a body over the step has
    /// done half of it by the middle.
    pub(crate) fn travel(&self, bodies: &mut Bodies<R>, unpressed: &[Motion<R>], dt: R, integrator: Integrator) {
        let late: R = integrator.lateness();
        for body in 0..bodies.len() {
            if !bodies.travels(body) {
                continue;
            }
            let pushed = (bodies.motion[body].linear - unpressed[body].linear) * (late * dt);
            let position = bodies.position[body] + (self.way[body] + pushed);
            let rotation = bodies.rotation[body];
            let turned = match bodies.traits[body].kind {
                BodyKind::Static => rotation,
                BodyKind::Kinematic => Quat::by(bodies.motion[body].spin * dt).after(rotation).of_unit_length(),
                BodyKind::Dynamic => {
                    let (from, to) = (self.momentum[body], bodies.momentum[body]);
                    let mean = match integrator {
                        Integrator::ExplicitEuler => from,
                        Integrator::SymplecticEuler => to,
                        Integrator::Verlet | Integrator::Rk4 if from == to => to,
                        Integrator::Verlet | Integrator::Rk4 => (from + to) * R::HALF,
                    };
                    flight::turn(rotation, mean, &bodies.own[body], dt, integrator)
                }
            };
            if integrator == Integrator::ExplicitEuler {
                self.keep_explicit(bodies, body, position, turned, dt);
            } else {
                bodies.place(body, position, turned);
            }
        }
        if self.damped {
            damp(bodies, R::HALF * dt);
        }
    }

    /// Euler's equations by the explicit method: the spin changes by the gyroscopic torque of the start of the step, and the momentum is what
    /// comes of it.
    fn keep_explicit(&self, bodies: &mut Bodies<R>, body: usize, position: Vec3<R>, turned: Quat<R>, dt: R) {
        let spin = bodies.motion[body].spin;
        let gyroscopic = self.momentum[body].cross(bodies.inverse[body].inertia.times(self.momentum[body]));
        let change = bodies.inverse[body].inertia.times(gyroscopic) * dt;
        bodies.place(body, position, turned);
        bodies.set_spin(body, spin + change);
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
