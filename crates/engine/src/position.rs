//! Extended position-based dynamics over substeps: places are put right first, and velocities follow from them.
//!
//! Source: Macklin, Müller, Chentanez, "XPBD: Position-Based Simulation of Compliant Constrained Dynamics" (2016) with
//! compliance zero for contacts; Müller, Macklin, Chentanez, Jeschke, Kim, "Detailed Rigid Body Simulation with Extended
//! Position Based Dynamics" (2020), sections 3.4 to 3.6 for friction and velocities.

use crate::bodies::Motion;
use crate::scalar::Real;
use crate::settings::Integrator;
use crate::simulation::Simulation;
use crate::soft::{gap_now, push, response};
use crate::vector::Vec2;

/// Substeps when the setting leaves it at one.
const SUBSTEPS: u32 = 8;

pub(crate) fn step<R: Real>(simulation: &mut Simulation<R>, dt: R) {
    let substeps = if simulation.settings.substeps == 1 { SUBSTEPS } else { simulation.settings.substeps };
    simulation.look(dt);
    let part = dt / R::of(f64::from(substeps));
    let places = places(simulation);
    simulation.start.clone_from(&simulation.bodies.motion);
    let mut total = vec![[R::ZERO; 2]; simulation.contacts.list.len()];
    for _ in 0..substeps {
        substep(simulation, part, &places, &mut total);
    }
    for (contact, impulses) in simulation.contacts.list.iter_mut().zip(&total) {
        for (point, &impulse) in contact.points.iter_mut().zip(impulses) {
            point.normal_impulse = impulse;
        }
    }
    let rate = R::ONE / dt;
    for body in 0..simulation.bodies.len() {
        simulation.bodies.acceleration[body] = simulation.bodies.motion[body].minus(simulation.start[body]).scaled(rate);
    }
    simulation.record_resting();
    simulation.sweep_after(dt, &places);
}

fn places<R: Real>(simulation: &Simulation<R>) -> Vec<(Vec2<R>, R)> {
    simulation.bodies.pose.iter().zip(&simulation.bodies.angle).map(|(pose, &angle)| (pose.position, angle)).collect()
}

fn substep<R: Real>(simulation: &mut Simulation<R>, dt: R, start: &[(Vec2<R>, R)], total: &mut [[R; 2]]) {
    let before = places(simulation);
    simulation.forces.integrate(&mut simulation.bodies, dt, Integrator::SymplecticEuler);
    let predicted = simulation.bodies.motion.clone();
    for body in 0..simulation.bodies.len() {
        if simulation.bodies.travels(body) {
            let way = predicted[body].scaled(dt);
            let position = simulation.bodies.pose[body].position + way.linear;
            simulation.bodies.place(body, position, simulation.bodies.angle[body] + way.spin);
        }
    }
    let pressed = correct(simulation, start, &before);
    if !simulation.joints.is_empty() {
        simulation.joints.project(&mut simulation.bodies, dt);
    }
    // Velocities follow from the ways.
    let rate = R::ONE / dt;
    for body in 0..simulation.bodies.len() {
        if simulation.bodies.inverse[body].moves() && simulation.bodies.present[body] {
            let (position, angle) = before[body];
            simulation.bodies.motion[body] = Motion {
                linear: (simulation.bodies.pose[body].position - position) * rate,
                spin: (simulation.bodies.angle[body] - angle) * rate,
            };
        }
    }
    settle(simulation, &pressed);
    for (sum, pressed) in total.iter_mut().zip(&pressed) {
        for (sum, &pressed) in sum.iter_mut().zip(pressed) {
            *sum += pressed * rate;
        }
    }
}

/// Pushes overlapping points apart and holds them against slipping as far as friction goes; gives the pushes, kg m.
fn correct<R: Real>(simulation: &mut Simulation<R>, start: &[(Vec2<R>, R)], before: &[(Vec2<R>, R)]) -> Vec<[R; 2]> {
    let Simulation { contacts, bodies, .. } = simulation;
    let mut pressed = vec![[R::ZERO; 2]; contacts.list.len()];
    for (contact, pressed) in contacts.list.iter().zip(&mut pressed) {
        let (normal, tangent) = (contact.normal, contact.normal.left());
        for (point, pressed) in contact.points().iter().zip(pressed) {
            let gap = gap_now(bodies, contact, point.arms, point.gap, start);
            if !(gap < R::ZERO) {
                continue;
            }
            let push = -gap / response(bodies, contact, point.arms, normal);
            *pressed = push;
            let moved = |bodies: &mut crate::bodies::Bodies<R>, impulse: Vec2<R>| {
                for (side, sign) in [(0, -R::ONE), (1, R::ONE)] {
                    let body = contact.bodies[side];
                    let kick = bodies.inverse[body].kick(point.arms[side], impulse * sign);
                    if bodies.inverse[body].moves() {
                        bodies.place(body, bodies.pose[body].position + kick.linear, bodies.angle[body] + kick.spin);
                    }
                }
            };
            moved(bodies, normal * push);
            let way = |side: usize| {
                let body = contact.bodies[side];
                let (position, angle) = before[body];
                Motion { linear: bodies.pose[body].position - position, spin: bodies.angle[body] - angle }
                    .at(point.arms[side])
            };
            let slipped = (way(1) - way(0)).dot(tangent);
            let limit = contact.friction * push;
            let hold = (-slipped / response(bodies, contact, point.arms, tangent)).held(-limit, limit);
            moved(bodies, tangent * hold);
        }
    }
    pressed
}

/// A point that was pushed does not part by the push: its normal speed is zero.
fn settle<R: Real>(simulation: &mut Simulation<R>, pressed: &[[R; 2]]) {
    let Simulation { contacts, bodies, .. } = simulation;
    for (contact, pressed) in contacts.list.iter().zip(pressed) {
        for (point, &pressed) in contact.points().iter().zip(pressed) {
            if pressed > R::ZERO {
                let [a, b] = contact.bodies;
                let speed = (bodies.motion[b].at(point.arms[1]) - bodies.motion[a].at(point.arms[0])).dot(contact.normal);
                let change = -speed / response(bodies, contact, point.arms, contact.normal);
                push(bodies, contact, point.arms, contact.normal * change);
            }
        }
    }
}
