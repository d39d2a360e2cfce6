//! Extended position-based dynamics over substeps: places are put right first, and velocities follow from them.
//!
//! Source: Macklin, Müller, Chentanez, "XPBD: Position-Based Simulation of Compliant Constrained Dynamics" (2016) with
//! compliance zero for contacts; Müller, Macklin, Chentanez, Jeschke, Kim, "Detailed Rigid Body Simulation with Extended
//! Position Based Dynamics" (2020), sections 3.4 to 3.6 for friction and velocities.

use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::compliant::{gap_now, leave_impacts, push, response};
use crate::plane::contact::Contact;
use crate::plane::impact::two_points;
use crate::plane::sensors::Place;
use crate::plane::simulation::{Lists, Simulation};
use crate::plane::vector::Vec2;

pub(crate) fn step<R: Real>(simulation: &mut Simulation<R>, dt: R, same_step: bool) {
    let substeps = simulation.settings.substeps_in_force();
    simulation.look(dt, same_step);
    leave_impacts(simulation, simulation.rest_speed(dt));
    let part = dt / R::of(f64::from(substeps));
    let mut lists = std::mem::take(&mut simulation.lists);
    simulation.bodies.places_into(&mut lists.places);
    simulation.start.clone_from(&simulation.bodies.motion);
    lists.total.clear();
    lists.total.resize(simulation.contacts.list.len(), [R::ZERO; 2]);
    for _ in 0..substeps {
        substep(simulation, part, &mut lists);
    }
    for (contact, impulses) in simulation.contacts.list.iter_mut().zip(&lists.total) {
        for (point, &impulse) in contact.points.iter_mut().zip(impulses) {
            point.normal_impulse = impulse;
        }
    }
    simulation.close_step(dt, lists);
}

fn substep<R: Real>(simulation: &mut Simulation<R>, dt: R, lists: &mut Lists<R>) {
    simulation.bodies.places_into(&mut lists.before);
    let integrator = simulation.settings.integrator;
    simulation.forces.integrate(&mut simulation.bodies, dt, integrator);
    for contact in &simulation.contacts.list {
        for body in contact.bodies {
            // What touches goes by its new velocity, so that at rest the push of a substep gives back just what the force of the
            // substep gave; what flies keeps the way of its integrator.
            simulation.forces.way[body] = simulation.bodies.motion[body].scaled(dt);
        }
    }
    for body in 0..simulation.bodies.len() {
        if simulation.bodies.travels(body) {
            let way = simulation.forces.way[body];
            let position = simulation.bodies.position[body] + way.linear;
            simulation.bodies.place(body, position, simulation.bodies.angle[body] + way.spin);
        }
    }
    simulation.bodies.places_into(&mut lists.predicted);
    correct(simulation, &lists.places, &lists.before, &mut lists.pressed);
    if !simulation.joints.is_empty() {
        simulation.joints.project(&mut simulation.bodies, dt, false);
    }
    // Velocities follow from what was put right.
    let rate = R::ONE / dt;
    for body in 0..simulation.bodies.len() {
        if simulation.bodies.inverse[body].moves() && simulation.bodies.present[body] {
            let (position, angle) = lists.predicted[body];
            let change = Motion {
                linear: (simulation.bodies.position[body] - position) * rate,
                spin: (simulation.bodies.angle[body] - angle) * rate,
            };
            simulation.bodies.motion[body] = simulation.bodies.motion[body].plus(change);
        }
    }
    settle(simulation, &lists.pressed);
    for (sum, pressed) in lists.total.iter_mut().zip(&lists.pressed) {
        for (sum, &pressed) in sum.iter_mut().zip(pressed) {
            *sum += pressed * rate;
        }
    }
}

/// Change of normal speed at one point by a unit impulse at the other.
fn coupling<R: Real>(bodies: &Bodies<R>, contact: &Contact<R>) -> R {
    let side = |side: usize| {
        let inverse = bodies.inverse[contact.bodies[side]];
        let turns = [0, 1].map(|k| contact.points[k].arms[side].cross(contact.normal));
        inverse.mass + inverse.inertia * turns[0] * turns[1]
    };
    side(0) + side(1)
}

/// Pushes along the normal that give the points of a contact what they miss, as a linear complementarity problem of two.
fn pushes<R: Real>(bodies: &Bodies<R>, contact: &Contact<R>, missing: [R; 2], takes_part: [bool; 2]) -> [R; 2] {
    let arms = contact.points.map(|point| point.arms);
    let own = |k: usize| response(bodies, contact, arms[k], contact.normal);
    match takes_part {
        [false, false] => [R::ZERO; 2],
        [true, false] => [missing[0] / own(0), R::ZERO],
        [false, true] => [R::ZERO, missing[1] / own(1)],
        [true, true] => two_points(own(0), coupling(bodies, contact), own(1), missing[0], missing[1]),
    }
}

/// Impulses that bring the normal speeds of touching points to zero, whichever way they go.
fn stopping<R: Real>(bodies: &Bodies<R>, contact: &Contact<R>, speeds: [R; 2], touching: [bool; 2]) -> [R; 2] {
    let arms = contact.points.map(|point| point.arms);
    let own = |k: usize| response(bodies, contact, arms[k], contact.normal);
    match touching {
        [false, false] => [R::ZERO; 2],
        [true, false] => [speeds[0] / own(0), R::ZERO],
        [false, true] => [R::ZERO, speeds[1] / own(1)],
        [true, true] => {
            let (k11, k22, k12) = (own(0), own(1), coupling(bodies, contact));
            let determinant = k11 * k22 - k12 * k12;
            if determinant > R::of(1e-5) * k11 * k22 {
                [(k22 * speeds[0] - k12 * speeds[1]) / determinant, (k11 * speeds[1] - k12 * speeds[0]) / determinant]
            } else {
                let each = R::HALF * (speeds[0] + speeds[1]) / (k11 + k12);
                [each, each]
            }
        }
    }
}

fn shift<R: Real>(bodies: &mut Bodies<R>, contact: &Contact<R>, arms: [Vec2<R>; 2], impulse: Vec2<R>) {
    for (side, sign) in [(0, -R::ONE), (1, R::ONE)] {
        let body = contact.bodies[side];
        if bodies.inverse[body].moves() {
            let kick = bodies.inverse[body].kick(arms[side], impulse * sign);
            bodies.place(body, bodies.position[body] + kick.linear, bodies.angle[body] + kick.spin);
        }
    }
}

/// Pushes overlapping points apart and holds them against slipping as far as friction goes; gives the pushes, kg m.
fn correct<R: Real>(
    simulation: &mut Simulation<R>,
    start: &[Place<R>],
    before: &[Place<R>],
    pressed: &mut Vec<[R; 2]>,
) {
    let Simulation { contacts, bodies, .. } = simulation;
    pressed.clear();
    pressed.resize(contacts.list.len(), [R::ZERO; 2]);
    for (contact, pressed) in contacts.list.iter().zip(pressed) {
        let (normal, tangent) = (contact.normal, contact.normal.left());
        let mut gaps = [R::ZERO; 2];
        for (gap, point) in gaps.iter_mut().zip(contact.points()) {
            *gap = gap_now(bodies, contact, point.arms, point.gap, start);
        }
        // A point with a gap takes part too: pushing its neighbour must not press it in.
        let any = gaps[..contact.count].iter().any(|&gap| gap < R::ZERO);
        if !any {
            continue;
        }
        let push =
            pushes(bodies, contact, gaps.map(|gap| -gap), [true, contact.count == 2]).map(|push| push.max(R::ZERO));
        *pressed = push;
        for (point, &push) in contact.points().iter().zip(&push) {
            shift(bodies, contact, point.arms, normal * push);
        }
        for (point, &push) in contact.points().iter().zip(&push) {
            let way = |side: usize| {
                let body = contact.bodies[side];
                let (position, angle) = before[body];
                Motion { linear: bodies.position[body] - position, spin: bodies.angle[body] - angle }
                    .at(point.arms[side])
            };
            let slipped = (way(1) - way(0)).dot(tangent);
            let limit = contact.friction * push;
            let hold = (-slipped / response(bodies, contact, point.arms, tangent)).held(-limit, limit);
            shift(bodies, contact, point.arms, tangent * hold);
        }
    }
}

/// Points that were pushed do not part by the push: their normal speed is zero.
fn settle<R: Real>(simulation: &mut Simulation<R>, pressed: &[[R; 2]]) {
    let Simulation { contacts, bodies, .. } = simulation;
    for (contact, pressed) in contacts.list.iter().zip(pressed) {
        let [a, b] = contact.bodies;
        let mut speeds = [R::ZERO; 2];
        for (speed, point) in speeds.iter_mut().zip(contact.points()) {
            *speed = (bodies.motion[b].at(point.arms[1]) - bodies.motion[a].at(point.arms[0])).dot(contact.normal);
        }
        let touching = pressed.map(|pressed| pressed > R::ZERO);
        let change = stopping(bodies, contact, speeds, touching);
        for (point, &change) in contact.points().iter().zip(&change) {
            push(bodies, contact, point.arms, contact.normal * -change);
        }
    }
}
