//! Forces and their integration over a step, before any contact or joint acts.
//!
//! Source: Hairer, Lubich, Wanner, "Geometric Numerical Integration" (2006), I.1 (explicit and symplectic Euler,
//! Störmer-Verlet); Kutta, "Beitrag zur näherungsweisen Integration totaler Differentialgleichungen" (1901) for the classical
//! method of order 4.

use crate::common::fading::fading;
use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::{Rotation, Vec2};
use ironspin_model::{JointKind, World};

/// A spring between two bodies: a force along the line of its anchors.
#[derive(Clone, Copy, Debug)]
struct Spring<R> {
    bodies: [usize; 2],
    at: [Vec2<R>; 2],
    length: R,
    stiffness: R,
    damping: R,
}

/// Position of a centre, angle and motion: what the equations of motion are about.
#[derive(Clone, Copy, Debug, Default)]
struct State<R> {
    position: Vec2<R>,
    angle: R,
    motion: Motion<R>,
}

/// All forces, and the lists that integration needs; kept between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Forces<R> {
    springs: Vec<Spring<R>>,
    /// Scripted force and torque on each body over the coming step.
    scripted: Vec<Motion<R>>,
    any_scripted: bool,
    damped: bool,
    /// Way that each body would go in the step without contacts: change of position and of angle.
    pub(crate) way: Vec<Motion<R>>,
    states: Vec<State<R>>,
    /// States on the way through the step.
    between: [Vec<State<R>>; 3],
    slopes: [Vec<Motion<R>>; 4],
}

/// The states a step on: each moved by a slope of position and one of motion.
fn moved<R: Real>(
    from: &[State<R>],
    velocity: impl Fn(usize) -> Motion<R>,
    slope: &[Motion<R>],
    dt: R,
    out: &mut Vec<State<R>>,
) {
    let step = |(body, state): (usize, &State<R>)| {
        let way = velocity(body).scaled(dt);
        State {
            position: state.position + way.linear,
            angle: state.angle + way.spin,
            motion: state.motion.plus(slope[body].scaled(dt)),
        }
    };
    out.clear();
    out.extend(from.iter().enumerate().map(step));
}

impl<R: Real> Forces<R> {
    pub(crate) fn new(world: &World, bodies: &Bodies<R>) -> Self {
        let springs = world.joints.iter().filter_map(|joint| match joint.kind {
            JointKind::Spring { stiffness, damping } => {
                let at = joint.frames.map(|frame| Vec2::of(frame.anchor.truncate()));
                let anchor = |k: usize| bodies.pose(joint.bodies[k]).point(at[k]);
                let length = joint.length.map_or_else(|| (anchor(1) - anchor(0)).length(), R::of);
                Some(Spring { bodies: joint.bodies, at, length, stiffness: R::of(stiffness), damping: R::of(damping) })
            }
            _ => None,
        });
        Forces {
            springs: springs.collect(),
            scripted: vec![Motion::default(); bodies.len()],
            any_scripted: false,
            damped: bodies.traits.iter().any(|n| n.linear_damping > R::ZERO || n.angular_damping > R::ZERO),
            way: vec![Motion::default(); bodies.len()],
            states: Vec::new(),
            between: Default::default(),
            slopes: Default::default(),
        }
    }

    /// Adds a force at an arm from the centre, and a torque, for the coming step.
    pub(crate) fn push(&mut self, body: usize, force: Vec2<R>, arm: Vec2<R>, torque: R) {
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

    /// Changes the velocities of all bodies by a step of the forces and works out the way each would go.
    pub(crate) fn integrate(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        if self.springs.is_empty() {
            self.constant(bodies, dt, integrator);
            return;
        }
        // Half before and half after keeps the order of the integrator up to the second (Strang, 1968).
        if self.damped {
            self.damp(bodies, R::HALF * dt);
        }
        self.varying(bodies, dt, integrator);
        if self.damped {
            self.damp(bodies, R::HALF * dt);
        }
    }

    /// No force depends on place or speed: one formula a body.
    fn constant(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        for body in 0..bodies.len() {
            if !bodies.present[body] {
                self.way[body] = Motion::default();
                continue;
            }
            let before = bodies.motion[body];
            let mut change = Motion { linear: bodies.fall[body] * dt, spin: R::ZERO };
            if self.any_scripted {
                change = change.plus(self.by_script(bodies, body).scaled(dt));
            }
            if self.damped
                && let Some(damped) = self.damped_flight(bodies, body, change, dt, integrator)
            {
                self.way[body] = damped;
                continue;
            }
            let after = before.plus(change);
            bodies.motion[body] = after;
            self.way[body] = match integrator {
                Integrator::ExplicitEuler => before.scaled(dt),
                Integrator::SymplecticEuler => after.scaled(dt),
                // Exact: the acceleration does not change.
                Integrator::Verlet | Integrator::Rk4 => before.plus(after).scaled(R::HALF * dt),
            };
        }
    }

    /// Velocity and way of a damped body under a constant push, by the exact solution of v' = -c v + a: v = v0 exp(-c t) + a t
    /// f1(c t), x = v0 t f1(c t) + a t^2 f2(c t). `None` for a body without damping.
    fn damped_flight(
        &self,
        bodies: &mut Bodies<R>,
        body: usize,
        change: Motion<R>,
        dt: R,
        integrator: Integrator,
    ) -> Option<Motion<R>> {
        let traits = &bodies.traits[body];
        let (linear, angular) = (traits.linear_damping * dt, traits.angular_damping * dt);
        if linear == R::ZERO && angular == R::ZERO {
            return None;
        }
        let before = bodies.motion[body];
        let ([l0, l1, l2], [a0, a1, a2]) = (fading(linear), fading(angular));
        let after =
            Motion { linear: before.linear * l0 + change.linear * l1, spin: before.spin * a0 + change.spin * a1 };
        bodies.motion[body] = after;
        Some(match integrator {
            Integrator::ExplicitEuler => before.scaled(dt),
            Integrator::SymplecticEuler => after.scaled(dt),
            Integrator::Verlet | Integrator::Rk4 => Motion {
                linear: (before.linear * l1 + change.linear * l2) * dt,
                spin: (before.spin * a1 + change.spin * a2) * dt,
            },
        })
    }

    fn by_script(&self, bodies: &Bodies<R>, body: usize) -> Motion<R> {
        let (force, inverse) = (self.scripted[body], bodies.inverse[body]);
        Motion { linear: force.linear * inverse.mass, spin: force.spin * inverse.inertia }
    }

    /// Accelerations of all bodies in given states.
    fn accelerations(&self, bodies: &Bodies<R>, states: &[State<R>], out: &mut Vec<Motion<R>>) {
        out.clear();
        out.extend((0..bodies.len()).map(|body| {
            if !bodies.present[body] {
                return Motion::default();
            }
            Motion { linear: bodies.fall[body], spin: R::ZERO }.plus(self.by_script(bodies, body))
        }));
        for spring in self.springs.iter().filter(|spring| spring.bodies.iter().all(|&body| bodies.present[body])) {
            let arms = [0, 1].map(|k| Rotation::by(states[spring.bodies[k]].angle).turn(spring.at[k]));
            let ends = [0, 1].map(|k| states[spring.bodies[k]].position + arms[k]);
            let between = ends[1] - ends[0];
            let distance = between.length();
            let along = between.unit_or(Vec2::new(R::ZERO, R::ONE));
            let rate =
                (states[spring.bodies[1]].motion.at(arms[1]) - states[spring.bodies[0]].motion.at(arms[0])).dot(along);
            let pull = along * (spring.stiffness * (distance - spring.length) + spring.damping * rate);
            for (k, force) in [pull, -pull].into_iter().enumerate() {
                let body = spring.bodies[k];
                out[body] = out[body].plus(bodies.inverse[body].kick(arms[k], force));
            }
        }
    }

    fn varying(&mut self, bodies: &mut Bodies<R>, dt: R, integrator: Integrator) {
        let mut slopes = std::mem::take(&mut self.slopes);
        let mut start = std::mem::take(&mut self.states);
        let mut between = std::mem::take(&mut self.between);
        let [first, second, third] = &mut between;
        start.clear();
        start.extend((0..bodies.len()).map(|body| State {
            position: bodies.position[body],
            angle: bodies.angle[body],
            motion: bodies.motion[body],
        }));
        self.accelerations(bodies, &start, &mut slopes[0]);
        let half = R::HALF * dt;
        match integrator {
            Integrator::ExplicitEuler | Integrator::SymplecticEuler => {
                for body in 0..bodies.len() {
                    let before = start[body].motion;
                    bodies.motion[body] = before.plus(slopes[0][body].scaled(dt));
                    let explicit = integrator == Integrator::ExplicitEuler;
                    self.way[body] = if explicit { before } else { bodies.motion[body] }.scaled(dt);
                }
            }
            Integrator::Verlet => {
                for body in 0..bodies.len() {
                    self.way[body] = start[body].motion.plus(slopes[0][body].scaled(half)).scaled(dt);
                }
                let way = &self.way;
                let rate = R::ONE / dt;
                moved(&start, |body| way[body].scaled(rate), &slopes[0], dt, first);
                self.accelerations(bodies, first, &mut slopes[1]);
                for body in 0..bodies.len() {
                    let mean = slopes[0][body].plus(slopes[1][body]).scaled(half);
                    bodies.motion[body] = start[body].motion.plus(mean);
                }
            }
            Integrator::Rk4 => {
                moved(&start, |body| start[body].motion, &slopes[0], half, first);
                self.accelerations(bodies, first, &mut slopes[1]);
                moved(&start, |body| first[body].motion, &slopes[1], half, second);
                self.accelerations(bodies, second, &mut slopes[2]);
                moved(&start, |body| second[body].motion, &slopes[2], dt, third);
                self.accelerations(bodies, third, &mut slopes[3]);
                let sixth = dt / R::of(6.0);
                for body in 0..bodies.len() {
                    let mean = |one: Motion<R>, two: Motion<R>, three: Motion<R>, four: Motion<R>| {
                        one.plus(two.plus(three).scaled(R::TWO)).plus(four).scaled(sixth)
                    };
                    self.way[body] =
                        mean(start[body].motion, first[body].motion, second[body].motion, third[body].motion);
                    let change = mean(slopes[0][body], slopes[1][body], slopes[2][body], slopes[3][body]);
                    bodies.motion[body] = start[body].motion.plus(change);
                }
            }
        }
        self.slopes = slopes;
        self.between = between;
        self.states = start;
    }

    /// Damping without any push by its exact solution, exp(-c dt).
    fn damp(&mut self, bodies: &mut Bodies<R>, dt: R) {
        for body in 0..bodies.len() {
            let traits = &bodies.traits[body];
            let (linear, angular) = (traits.linear_damping * dt, traits.angular_damping * dt);
            if linear != R::ZERO || angular != R::ZERO {
                let before = bodies.motion[body];
                bodies.motion[body] =
                    Motion { linear: before.linear * (-linear).exp(), spin: before.spin * (-angular).exp() };
            }
        }
    }
}
