//! Compliant contact rows over substeps, with a relaxing pass.
//!
//! Source: Catto, "Soft Constraints" (2011) for the coefficients of a compliant row; Macklin, Storey, Lu, Terdiman, Chentanez,
//! Jeschke, Müller, "Small Steps in Physics Simulation" (2019) for few passes over many substeps. Contacts are found once a
//! step; within it their gaps follow from the ways of the bodies.

use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::contact::Contact;
use crate::plane::simulation::Simulation;
use crate::plane::vector::Vec2;

/// Damping ratio of a contact.
const DAMPING: f64 = 10.0;
/// Frequency of a contact times the length of a substep.
const STIFFNESS: f64 = 0.785;
/// Most that a contact parts in a substep, as a share of the smaller size.
const PARTING: f64 = 0.02;

/// Coefficients of a compliant row: all pure numbers, the rate per substep.
struct Softness<R> {
    rate: R,
    mass: R,
    leak: R,
}

impl<R: Real> Softness<R> {
    fn new() -> Self {
        let damped = 2.0 * DAMPING + STIFFNESS;
        let product = STIFFNESS * damped;
        Softness {
            rate: R::of(STIFFNESS / damped),
            mass: R::of(product / (1.0 + product)),
            leak: R::of(1.0 / (1.0 + product)),
        }
    }
}

pub(crate) fn step<R: Real>(simulation: &mut Simulation<R>, dt: R, same_step: bool) {
    let substeps = simulation.settings.substeps_in_force();
    simulation.look(dt, same_step);
    leave_impacts(simulation, simulation.rest_speed(dt));
    let part = dt / R::of(f64::from(substeps));
    let mut lists = std::mem::take(&mut simulation.lists);
    simulation.bodies.places_into(&mut lists.places);
    simulation.start.clone_from(&simulation.bodies.motion);
    scale_impulses(simulation, R::ONE / R::of(f64::from(substeps)));
    let softness = Softness::new();
    let late: R = simulation.settings.integrator.lateness();
    for _ in 0..substeps {
        let integrator = simulation.settings.integrator;
        simulation.forces.integrate(&mut simulation.bodies, part, integrator);
        simulation.unpressed.clone_from(&simulation.bodies.motion);
        for contact in &simulation.contacts.list {
            warm_start(contact, &mut simulation.bodies);
        }
        simulation.joints.prepare(&mut simulation.bodies, part, R::ONE);
        pass(simulation, part, &lists.places, Some(&softness));
        for body in 0..simulation.bodies.len() {
            if simulation.bodies.travels(body) {
                let pushed = simulation.bodies.motion[body].minus(simulation.unpressed[body]).scaled(late * part);
                let way = simulation.forces.way[body].plus(pushed);
                let (position, angle) = (simulation.bodies.position[body], simulation.bodies.angle[body]);
                simulation.bodies.place(body, position + way.linear, angle + way.spin);
            }
        }
        pass(simulation, part, &lists.places, None);
        if !simulation.joints.is_empty() {
            simulation.joints.project(&mut simulation.bodies, part, false);
        }
    }
    scale_impulses(simulation, R::of(f64::from(substeps)));
    simulation.close_step(dt, lists);
}

fn scale_impulses<R: Real>(simulation: &mut Simulation<R>, factor: R) {
    for contact in &mut simulation.contacts.list {
        for point in &mut contact.points[..contact.count] {
            point.normal_impulse = point.normal_impulse * factor;
            point.tangent_impulse = point.tangent_impulse * factor;
        }
    }
}

pub(crate) fn push<R: Real>(bodies: &mut Bodies<R>, contact: &Contact<R>, arms: [Vec2<R>; 2], impulse: Vec2<R>) {
    let [a, b] = contact.bodies;
    bodies.motion[a] = bodies.motion[a].minus(bodies.inverse[a].kick(arms[0], impulse));
    bodies.motion[b] = bodies.motion[b].plus(bodies.inverse[b].kick(arms[1], impulse));
}

fn warm_start<R: Real>(contact: &Contact<R>, bodies: &mut Bodies<R>) {
    let tangent = contact.normal.left();
    for point in contact.points() {
        push(bodies, contact, point.arms, contact.normal * point.normal_impulse + tangent * point.tangent_impulse);
    }
}

/// Leaves out points that do not touch yet and approach faster than rest: they are impacts of the next step.
pub(crate) fn leave_impacts<R: Real>(simulation: &mut Simulation<R>, rest_speed: R) {
    let Simulation { contacts, bodies, .. } = simulation;
    for contact in &mut contacts.list {
        let [a, b] = contact.bodies;
        let mut kept = 0;
        for index in 0..contact.count {
            let point = contact.points[index];
            let speed = (bodies.motion[b].at(point.arms[1]) - bodies.motion[a].at(point.arms[0])).dot(contact.normal);
            if !(point.gap > R::ZERO && -speed > rest_speed) {
                contact.points[kept] = point;
                kept += 1;
            }
        }
        contact.count = kept;
    }
}

/// Inverse mass seen along a direction at a point.
pub(crate) fn response<R: Real>(bodies: &Bodies<R>, contact: &Contact<R>, arms: [Vec2<R>; 2], along: Vec2<R>) -> R {
    let [a, b] = contact.bodies.map(|body| bodies.inverse[body]);
    let turns = [arms[0].cross(along), arms[1].cross(along)];
    a.mass + b.mass + a.inertia * turns[0] * turns[0] + b.inertia * turns[1] * turns[1]
}

/// The gap of a point now, from its gap at the start of the step and the ways of both bodies since.
pub(crate) fn gap_now<R: Real>(
    bodies: &Bodies<R>,
    contact: &Contact<R>,
    arms: [Vec2<R>; 2],
    gap: R,
    places: &[(Vec2<R>, R)],
) -> R {
    let way = |side: usize| {
        let body = contact.bodies[side];
        let (position, angle) = places[body];
        Motion { linear: bodies.position[body] - position, spin: bodies.angle[body] - angle }.at(arms[side])
    };
    gap + (way(1) - way(0)).dot(contact.normal)
}

fn pass<R: Real>(simulation: &mut Simulation<R>, dt: R, places: &[(Vec2<R>, R)], softness: Option<&Softness<R>>) {
    let Simulation { contacts, bodies, joints, .. } = simulation;
    joints.iterate(&mut bodies.motion, &bodies.inverse, &bodies.present);
    for contact in &mut contacts.list {
        let (normal, tangent) = (contact.normal, contact.normal.left());
        for index in 0..contact.count {
            let point = contact.points[index];
            let gap = gap_now(bodies, contact, point.arms, point.gap, places);
            let response = response(bodies, contact, point.arms, normal);
            let relative = |bodies: &Bodies<R>| {
                let [a, b] = contact.bodies;
                bodies.motion[b].at(point.arms[1]) - bodies.motion[a].at(point.arms[0])
            };
            let (mut bias, mut mass, mut leak) = (R::ZERO, R::ONE, R::ZERO);
            if gap > R::ZERO {
                bias = gap / dt;
            } else if let Some(compliant) = softness {
                bias = (compliant.rate * gap).max(-R::of(PARTING) * contact.size) / dt;
                (mass, leak) = (compliant.mass, compliant.leak);
            }
            let speed = relative(bodies).dot(normal);
            let change = -(speed + bias) * mass / response - leak * point.normal_impulse;
            let total = (point.normal_impulse + change).max(R::ZERO);
            push(bodies, contact, point.arms, normal * (total - point.normal_impulse));
            contact.points[index].normal_impulse = total;
            let slip = relative(bodies).dot(tangent);
            let limit = contact.friction * total;
            let along = self::response(bodies, contact, point.arms, tangent);
            let drag = (point.tangent_impulse - slip / along).held(-limit, limit);
            push(bodies, contact, point.arms, tangent * (drag - point.tangent_impulse));
            contact.points[index].tangent_impulse = drag;
        }
    }
}
