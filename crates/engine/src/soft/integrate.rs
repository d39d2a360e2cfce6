//! Free motion of a soft body over a sub-step.
//!
//! Source: Hairer, Lubich and Wanner, Geometric Numerical Integration, section I.3, for Verlet and the symplectic Euler method; Kutta (1901) for
//! the classical method. Damping of springs under Verlet enters each half kick by the midpoint rule, damping of nodes by the exact
//! factor on both sides of it, so that the method keeps its order.

use super::forces::NodeDamping;
use super::nodes::{Nodes, Soft};
use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::plane::vector::Vec2;

/// Lists of a sub-step, kept between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Scratch<R> {
    /// Mean velocity of every node over the sub-step, m/s.
    pub(crate) way: Vec<Vec2<R>>,
    slope: Vec<Vec2<R>>,
    place: Vec<Vec2<R>>,
    speed: Vec<Vec2<R>>,
    sum_place: Vec<Vec2<R>>,
    sum_speed: Vec<Vec2<R>>,
}

impl<R: Real> Scratch<R> {
    pub(crate) fn new(count: usize) -> Self {
        let list = || vec![Vec2::ZERO; count];
        Scratch { way: list(), slope: list(), place: list(), speed: list(), sum_place: list(), sum_speed: list() }
    }
}

/// The ways of a soft body's nodes over a sub-step, and their velocities after it as far as they are known before the ways are gone.
pub(super) fn begin<R: Real>(
    soft: &Soft<R>,
    nodes: &mut Nodes<R>,
    gravity: Vec2<R>,
    dt: R,
    integrator: Integrator,
    scratch: &mut Scratch<R>,
) {
    match integrator {
        Integrator::ExplicitEuler | Integrator::SymplecticEuler => {
            let (position, velocity) = (&nodes.position, &nodes.velocity);
            soft.accelerations(nodes, position, velocity, gravity, NodeDamping::Counts, &mut scratch.slope);
            for node in soft.nodes.clone() {
                let old = nodes.velocity[node];
                nodes.velocity[node] += scratch.slope[node] * dt;
                scratch.way[node] = if integrator == Integrator::ExplicitEuler { old } else { nodes.velocity[node] };
            }
        }
        Integrator::Verlet => {
            fade(soft, nodes, dt);
            half_kick(soft, nodes, gravity, dt, scratch);
            for node in soft.nodes.clone() {
                scratch.way[node] = nodes.velocity[node];
            }
        }
        Integrator::Rk4 => classical(soft, nodes, gravity, dt, scratch),
    }
}

/// What is left of the step at the places reached.
pub(super) fn end<R: Real>(
    soft: &Soft<R>,
    nodes: &mut Nodes<R>,
    gravity: Vec2<R>,
    dt: R,
    integrator: Integrator,
    scratch: &mut Scratch<R>,
) {
    if integrator == Integrator::Verlet {
        half_kick(soft, nodes, gravity, dt, scratch);
    }
}

/// Damping of the nodes after contacts have pressed, so that what presses carries the whole weight.
pub(super) fn finish<R: Real>(soft: &Soft<R>, nodes: &mut Nodes<R>, dt: R, integrator: Integrator) {
    if integrator == Integrator::Verlet {
        fade(soft, nodes, dt);
    }
}

/// Damping of the nodes over half a sub-step.
fn fade<R: Real>(soft: &Soft<R>, nodes: &mut Nodes<R>, dt: R) {
    if soft.damping > R::ZERO {
        let share = (-soft.damping * dt * R::HALF).exp();
        for node in soft.nodes.clone() {
            nodes.velocity[node] = nodes.velocity[node] * share;
        }
    }
}

fn half_kick<R: Real>(soft: &Soft<R>, nodes: &mut Nodes<R>, gravity: Vec2<R>, dt: R, scratch: &mut Scratch<R>) {
    let half = dt * R::HALF;
    let place = &nodes.position;
    soft.accelerations(nodes, place, &nodes.velocity, gravity, NodeDamping::Apart, &mut scratch.slope);
    if soft.damped_springs {
        let quarter = half * R::HALF;
        for node in soft.nodes.clone() {
            scratch.speed[node] = nodes.velocity[node] + scratch.slope[node] * quarter;
        }
        soft.accelerations(nodes, place, &scratch.speed, gravity, NodeDamping::Apart, &mut scratch.slope);
    }
    for node in soft.nodes.clone() {
        nodes.velocity[node] += scratch.slope[node] * half;
    }
}

/// The classical method of Runge and Kutta.
fn classical<R: Real>(soft: &Soft<R>, nodes: &mut Nodes<R>, gravity: Vec2<R>, dt: R, scratch: &mut Scratch<R>) {
    let Scratch { way, slope, place, speed, sum_place, sum_speed } = scratch;
    for node in soft.nodes.clone() {
        (place[node], speed[node]) = (nodes.position[node], nodes.velocity[node]);
        (sum_place[node], sum_speed[node]) = (Vec2::ZERO, Vec2::ZERO);
    }
    let (half, sixth) = (dt * R::HALF, R::ONE / R::of(6.0));
    for (weight, reach) in [(R::ONE, half), (R::TWO, half), (R::TWO, dt), (R::ONE, R::ZERO)] {
        soft.accelerations(nodes, place, speed, gravity, NodeDamping::Counts, slope);
        for node in soft.nodes.clone() {
            sum_place[node] += speed[node] * weight;
            sum_speed[node] += slope[node] * weight;
            place[node] = nodes.position[node] + speed[node] * reach;
            speed[node] = nodes.velocity[node] + slope[node] * reach;
        }
    }
    for node in soft.nodes.clone() {
        way[node] = sum_place[node] * sixth;
        nodes.velocity[node] += sum_speed[node] * (dt * sixth);
    }
}
