//! Springs between bodies: forces along the line of their anchors, and steps of bodies under forces that depend on where they are.
//!
//! Source: Hairer, Lubich, Wanner, "Geometric Numerical Integration" (2006), I.1 (explicit and symplectic Euler, Störmer-Verlet); Kutta (1901) for the
//! method of order 4.

use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::space::bodies::{Bodies, Motion};
use crate::space::flight;
use crate::space::vector::{Quat, Vec3};
use ironspin_model::{BodyKind, JointKind, World};

/// A spring between two bodies.
#[derive(Clone, Debug)]
struct Spring<R> {
    bodies: [usize; 2],
    at: [Vec3<R>; 2],
    length: R,
    stiffness: R,
    damping: R,
}

/// Where a body is and how it moves in the middle of a step.
#[derive(Clone, Copy, Debug)]
struct State<R> {
    position: Vec3<R>,
    rotation: Quat<R>,
    velocity: Vec3<R>,
    momentum: Vec3<R>,
}

/// How a state changes with time.
#[derive(Clone, Copy, Debug)]
struct Slope<R> {
    velocity: Vec3<R>,
    turning: Quat<R>,
    acceleration: Vec3<R>,
    torque: Vec3<R>,
}

/// What a step makes of a body before any contact acts.
#[derive(Clone, Copy, Debug)]
pub(super) struct Stepped<R> {
    pub(super) way: Vec3<R>,
    pub(super) velocity: Vec3<R>,
    /// Change of the angular momentum.
    pub(super) turned: Vec3<R>,
    /// Where a method of its own has turned the body, if it has one.
    pub(super) rotation: Option<Quat<R>>,
}

/// All springs.
#[derive(Clone, Debug, Default)]
pub(crate) struct Springs<R> {
    list: Vec<Spring<R>>,
}

fn spin<R: Real>(bodies: &Bodies<R>, body: usize, state: &State<R>) -> Vec3<R> {
    match bodies.traits[body].kind {
        BodyKind::Dynamic => bodies.own[body].spin(&state.rotation.axes(), state.momentum),
        BodyKind::Static | BodyKind::Kinematic => bodies.motion[body].spin,
    }
}

impl<R: Real> Springs<R> {
    pub(crate) fn new(world: &World, bodies: &Bodies<R>) -> Self {
        let springs = world.joints.iter().filter_map(|joint| match joint.kind {
            JointKind::Spring { stiffness, damping } => {
                let at = joint.frames.map(|frame| Vec3::of(frame.anchor));
                let anchor = |k: usize| bodies.pose(joint.bodies[k]).point(at[k]);
                let length = joint.length.map_or_else(|| (anchor(1) - anchor(0)).length(), R::of);
                Some(Spring { bodies: joint.bodies, at, length, stiffness: R::of(stiffness), damping: R::of(damping) })
            }
            JointKind::Rod
            | JointKind::Rope
            | JointKind::Hinge { .. }
            | JointKind::Slider { .. }
            | JointKind::Socket
            | JointKind::Weld => None,
        });
        Springs { list: springs.collect() }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// How the states of all bodies change: by gravity, forces and torques of the script, and springs.
    fn slopes(&self, bodies: &Bodies<R>, scripted: &[Motion<R>], states: &[State<R>]) -> Vec<Slope<R>> {
        let mut slopes: Vec<Slope<R>> = states
            .iter()
            .enumerate()
            .map(|(body, state)| {
                let spin = spin(bodies, body, state);
                Slope {
                    velocity: state.velocity,
                    turning: Quat { w: R::ZERO, v: spin * R::HALF }.after(state.rotation),
                    acceleration: bodies.fall[body] + scripted[body].linear * bodies.inverse[body].mass,
                    torque: scripted[body].spin,
                }
            })
            .collect();
        for spring in self.list.iter().filter(|spring| spring.bodies.iter().all(|&body| bodies.present[body])) {
            let ends = [0, 1].map(|k| {
                let state = &states[spring.bodies[k]];
                let arm = state.rotation.axes().times(spring.at[k]);
                (arm, state.position + arm, state.velocity + spin(bodies, spring.bodies[k], state).cross(arm))
            });
            let between = ends[1].1 - ends[0].1;
            let along = between.unit_or(Vec3::axis(1));
            let rate = (ends[1].2 - ends[0].2).dot(along);
            let pull = along * (spring.stiffness * (between.length() - spring.length) + spring.damping * rate);
            for (k, force) in [pull, -pull].into_iter().enumerate() {
                let slope = &mut slopes[spring.bodies[k]];
                slope.acceleration += force * bodies.inverse[spring.bodies[k]].mass;
                slope.torque += ends[k].0.cross(force);
            }
        }
        slopes
    }

    /// A step of all bodies.
    pub(super) fn step(
        &self,
        bodies: &Bodies<R>,
        scripted: &[Motion<R>],
        dt: R,
        integrator: Integrator,
    ) -> Vec<Stepped<R>> {
        let start: Vec<State<R>> = (0..bodies.len())
            .map(|body| State {
                position: bodies.position[body],
                rotation: bodies.rotation[body],
                velocity: bodies.motion[body].linear,
                momentum: bodies.momentum[body],
            })
            .collect();
        let first = self.slopes(bodies, scripted, &start);
        let count = 0..bodies.len();
        match integrator {
            Integrator::ExplicitEuler | Integrator::SymplecticEuler => count
                .map(|body| {
                    let velocity = start[body].velocity + first[body].acceleration * dt;
                    let explicit = integrator == Integrator::ExplicitEuler;
                    let way = if explicit { start[body].velocity } else { velocity } * dt;
                    Stepped { way, velocity, turned: first[body].torque * dt, rotation: None }
                })
                .collect(),
            Integrator::Verlet => {
                let half = R::HALF * dt;
                let ways: Vec<Vec3<R>> =
                    count.clone().map(|b| (start[b].velocity + first[b].acceleration * half) * dt).collect();
                let there = |body: usize| State {
                    position: start[body].position + ways[body],
                    rotation: self.turned(bodies, body, &start[body], first[body].torque * half, dt),
                    velocity: start[body].velocity + first[body].acceleration * dt,
                    momentum: start[body].momentum + first[body].torque * dt,
                };
                let states: Vec<State<R>> = count.clone().map(there).collect();
                let second = self.slopes(bodies, scripted, &states);
                let mean = |body: usize| Stepped {
                    way: ways[body],
                    velocity: start[body].velocity + (first[body].acceleration + second[body].acceleration) * half,
                    turned: (first[body].torque + second[body].torque) * half,
                    rotation: None,
                };
                count.map(mean).collect()
            }
            Integrator::Rk4 => self.by_rk4(bodies, scripted, (&start, first), dt),
        }
    }

    /// Where a body is turned to after a step with a momentum that `half` is added to.
    fn turned(&self, bodies: &Bodies<R>, body: usize, state: &State<R>, half: Vec3<R>, dt: R) -> Quat<R> {
        match bodies.traits[body].kind {
            BodyKind::Static => state.rotation,
            BodyKind::Kinematic => Quat::by(bodies.motion[body].spin * dt).after(state.rotation).of_unit_length(),
            BodyKind::Dynamic => {
                flight::turn(state.rotation, state.momentum + half, &bodies.own[body], dt, Integrator::Verlet)
            }
        }
    }

    fn by_rk4(
        &self,
        bodies: &Bodies<R>,
        scripted: &[Motion<R>],
        (start, first): (&[State<R>], Vec<Slope<R>>),
        dt: R,
    ) -> Vec<Stepped<R>> {
        let on = |slopes: &[Slope<R>], time: R| -> Vec<State<R>> {
            let moved = |(state, slope): (&State<R>, &Slope<R>)| State {
                position: state.position + slope.velocity * time,
                rotation: added(state.rotation, slope.turning, time).of_unit_length(),
                velocity: state.velocity + slope.acceleration * time,
                momentum: state.momentum + slope.torque * time,
            };
            start.iter().zip(slopes).map(moved).collect()
        };
        let half = R::HALF * dt;
        let second = self.slopes(bodies, scripted, &on(&first, half));
        let third = self.slopes(bodies, scripted, &on(&second, half));
        let fourth = self.slopes(bodies, scripted, &on(&third, dt));
        let sixth = dt / R::of(6.0);
        let sum = |of: &dyn Fn(&Slope<R>) -> Vec3<R>, body: usize| {
            (of(&first[body]) + (of(&second[body]) + of(&third[body])) * R::TWO + of(&fourth[body])) * sixth
        };
        (0..bodies.len())
            .map(|body| {
                let mut rotation = start[body].rotation;
                for (slopes, weight) in [(&first, R::ONE), (&second, R::TWO), (&third, R::TWO), (&fourth, R::ONE)] {
                    rotation = added(rotation, slopes[body].turning, sixth * weight);
                }
                Stepped {
                    way: sum(&|slope| slope.velocity, body),
                    velocity: start[body].velocity + sum(&|slope| slope.acceleration, body),
                    turned: sum(&|slope| slope.torque, body),
                    rotation: Some(rotation.of_unit_length()),
                }
            })
            .collect()
    }
}

fn added<R: Real>(to: Quat<R>, slope: Quat<R>, time: R) -> Quat<R> {
    Quat { w: to.w + slope.w * time, v: to.v + slope.v * time }
}
