//! Free motion of a soft body over a sub-step.
//!
//! Source: Hairer, Lubich and Wanner, Geometric Numerical Integration, section I.3, for Verlet and the symplectic Euler method; Kutta (1901) for
//! the classical method. Damping of springs under Verlet enters each half kick by the midpoint rule, damping of nodes by the exact
//! factor on both sides of it, so that the method keeps its order.

use super::forces::NodeDamping;
use super::nodes::{Nodes, Soft};
use super::place::Place;
use super::rows::Rows;
use super::{backward, constrain};
use crate::common::scalar::Real;
use crate::common::settings::{Integrator, Settings, SoftSolver};

/// How soft bodies move.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Method {
    pub(crate) solver: SoftSolver,
    /// Of forces.
    pub(crate) integrator: Integrator,
    /// Over constraints.
    pub(crate) passes: u32,
}

impl Method {
    pub(crate) fn of(settings: &Settings) -> Self {
        Method { solver: settings.soft_solver, integrator: settings.integrator, passes: settings.iterations }
    }

    /// Whether sticks are kept to rounding, apart from springs.
    pub(super) fn keeps_sticks(self) -> bool {
        self.solver != SoftSolver::Position
    }

    /// Whether velocities are only known at the places reached.
    fn is_verlet(self) -> bool {
        self.solver == SoftSolver::Force && self.integrator == Integrator::Verlet
    }
}

/// Lists of a sub-step, kept between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Scratch<V, R> {
    /// Mean velocity of every node over the sub-step, m/s.
    pub(crate) way: Vec<V>,
    pub(super) slope: Vec<V>,
    pub(super) place: Vec<V>,
    pub(super) speed: Vec<V>,
    pub(super) sum_place: Vec<V>,
    pub(super) sum_speed: Vec<V>,
    pub(super) rows: Rows<R>,
}

impl<V: Place<R>, R: Real> Scratch<V, R> {
    pub(crate) fn new(count: usize) -> Self {
        let list = || vec![V::default(); count];
        Scratch {
            way: list(),
            slope: list(),
            place: list(),
            speed: list(),
            sum_place: list(),
            sum_speed: list(),
            rows: Rows::new(count),
        }
    }
}

/// The ways of a soft body's nodes over a sub-step, and their velocities after it as far as they are known before the ways are gone.
pub(super) fn begin<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    method: Method,
    scratch: &mut Scratch<V, R>,
) {
    match method.solver {
        SoftSolver::Force => {}
        SoftSolver::Position => return constrain::begin(soft, nodes, gravity, dt, method.passes, scratch),
        SoftSolver::Implicit => return backward::begin(soft, nodes, gravity, dt, scratch),
    }
    let integrator = method.integrator;
    match integrator {
        Integrator::ExplicitEuler | Integrator::SymplecticEuler => {
            let (position, velocity) = (&nodes.position, &nodes.velocity);
            let Scratch { slope, rows, .. } = &mut *scratch;
            soft.accelerations(nodes, [position, velocity], gravity, NodeDamping::Counts, rows, slope);
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
pub(super) fn end<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    method: Method,
    scratch: &mut Scratch<V, R>,
) {
    if method.is_verlet() {
        half_kick(soft, nodes, gravity, dt, scratch);
    }
}

/// Damping of the nodes after contacts have pressed, so that what presses carries the whole weight.
pub(super) fn finish<V: Place<R>, R: Real>(soft: &Soft<V, R>, nodes: &mut Nodes<V, R>, dt: R, method: Method) {
    if method.is_verlet() {
        fade(soft, nodes, dt);
    }
}

/// Damping of the nodes over half a sub-step.
fn fade<V: Place<R>, R: Real>(soft: &Soft<V, R>, nodes: &mut Nodes<V, R>, dt: R) {
    if soft.damping > R::ZERO {
        let share = (-soft.damping * dt * R::HALF).exp();
        for node in soft.nodes.clone() {
            nodes.velocity[node] = nodes.velocity[node] * share;
        }
    }
}

fn half_kick<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    scratch: &mut Scratch<V, R>,
) {
    let half = dt * R::HALF;
    let place = &nodes.position;
    let Scratch { slope, rows, speed, .. } = scratch;
    soft.accelerations(nodes, [place, &nodes.velocity], gravity, NodeDamping::Apart, rows, slope);
    if soft.damped_springs {
        let quarter = half * R::HALF;
        for node in soft.nodes.clone() {
            speed[node] = nodes.velocity[node] + slope[node] * quarter;
        }
        soft.accelerations(nodes, [place, speed], gravity, NodeDamping::Apart, rows, slope);
    }
    for node in soft.nodes.clone() {
        nodes.velocity[node] += slope[node] * half;
    }
}

/// The classical method of Runge and Kutta.
fn classical<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    scratch: &mut Scratch<V, R>,
) {
    let Scratch { way, slope, place, speed, sum_place, sum_speed, rows } = scratch;
    for node in soft.nodes.clone() {
        (place[node], speed[node]) = (nodes.position[node], nodes.velocity[node]);
        (sum_place[node], sum_speed[node]) = (V::ZERO, V::ZERO);
    }
    let (half, sixth) = (dt * R::HALF, R::ONE / R::of(6.0));
    for (weight, reach) in [(R::ONE, half), (R::TWO, half), (R::TWO, dt), (R::ONE, R::ZERO)] {
        soft.accelerations(nodes, [place, speed], gravity, NodeDamping::Counts, rows, slope);
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
