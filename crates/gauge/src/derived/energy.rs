//! Mechanical energy of a set of bodies, and what is done to it from outside.

use super::motion::driven;
use crate::frame_cache::BodyTraits;
use crate::step::Step;
use ironspin_model::{BodyState, DVec2, DVec3, Dimension, Effect, Frame, Joint, JointKind, World};

/// Mechanical energy of some bodies, J; height counts from the origin.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MechanicalEnergy {
    /// Of moving and turning.
    pub kinetic: f64,
    /// Kinetic energy, energy of height and energy of springs.
    pub total: f64,
}

/// Mechanical energy of some bodies in a frame: sum(m v²/2 + w·I w/2 - m g·x), and k d²/2 of every spring at one of them.
pub fn mechanical_energy(world: &World, frame: &Frame, of: &[usize]) -> MechanicalEnergy {
    let springs: Vec<usize> = springs_of(world, |id| of.contains(&id));
    energy_under(world, frame, of, &springs, world.gravity)
}

/// The springs of a world with a body of a set at one end.
pub(crate) fn springs_of(world: &World, counts: impl Fn(usize) -> bool) -> Vec<usize> {
    let held =
        |joint: &Joint| matches!(joint.kind, JointKind::Spring { .. }) && joint.bodies.iter().any(|&id| counts(id));
    (0..world.joints.len()).filter(|&number| held(&world.joints[number])).collect()
}

/// The same under another gravity, m/s². Bodies that are not there have none.
fn energy_under(world: &World, frame: &Frame, of: &[usize], springs: &[usize], gravity: DVec3) -> MechanicalEnergy {
    let own = |id: usize| body_energy(&BodyTraits::of(world.dimension, &world.bodies[id]), &frame.bodies[id], gravity);
    summed(world, &frame.bodies, of, springs, own)
}

/// Sum of what bodies have of their own, and of springs.
fn summed(
    world: &World,
    states: &[BodyState],
    of: &[usize],
    springs: &[usize],
    own: impl Fn(usize) -> MechanicalEnergy,
) -> MechanicalEnergy {
    let mut sum = MechanicalEnergy::default();
    for own in of.iter().map(|&id| own(id)) {
        sum.kinetic += own.kinetic;
        sum.total += own.total;
    }
    for &number in springs {
        sum.total += spring_energy(world, states, &world.joints[number]);
    }
    sum
}

/// Mechanical energies of all bodies in one frame, kept because several gauges of a trial ask for them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Energies {
    /// The number of the frame, and gravity.
    of: Option<(u64, DVec3)>,
    bodies: Vec<MechanicalEnergy>,
}

impl Energies {
    /// The energy of some bodies in the frame now.
    pub(crate) fn now(&mut self, step: &Step<'_>, of: &[usize], springs: &[usize]) -> MechanicalEnergy {
        let asked = Some((step.cache.frame(), step.gravity));
        if self.of != asked {
            self.of = asked;
            self.bodies.clear();
            let states = step.now.bodies.iter().enumerate();
            self.bodies.extend(states.map(|(id, state)| body_energy(step.cache.traits(id), state, step.gravity)));
        }
        summed(step.world, &step.now.bodies, of, springs, |id| self.bodies[id])
    }
}

/// Of one body; nothing for one that is not there.
fn body_energy(body: &BodyTraits, state: &BodyState, gravity: DVec3) -> MechanicalEnergy {
    if state.is_absent() {
        return MechanicalEnergy::default();
    }
    let kinetic = body.kinetic_energy(state.velocity, state);
    let height = body.mass * (gravity * body.gravity_factor).dot(state.pose.position);
    MechanicalEnergy { kinetic, total: kinetic - height }
}

/// Where an anchor of a body is, m.
fn anchor(state: &BodyState, at: DVec2) -> DVec2 {
    let (sin, cos) = (libm::sin(state.pose.angle), libm::cos(state.pose.angle));
    state.pose.position.truncate() + DVec2::new(cos * at.x - sin * at.y, sin * at.x + cos * at.y)
}

fn spring_energy(world: &World, states: &[BodyState], joint: &Joint) -> f64 {
    let JointKind::Spring { stiffness, .. } = joint.kind else { return 0.0 };
    let [i, j] = joint.bodies;
    if states[i].is_absent() || states[j].is_absent() {
        return 0.0;
    }
    let built = |id: usize| {
        let body = &world.bodies[id];
        BodyState::planar(body.pose.position, body.pose.angle, DVec3::ZERO, 0.0)
    };
    let length = |a: &BodyState, b: &BodyState| {
        (anchor(b, joint.frames[1].anchor.truncate()) - anchor(a, joint.frames[0].anchor.truncate())).length()
    };
    let rest = joint.length.unwrap_or_else(|| length(&built(i), &built(j)));
    let stretch = length(&states[i], &states[j]) - rest;
    0.5 * stiffness * stretch * stretch
}

/// Energy that actions, and a change of gravity, bring to a set of bodies over the step, J.
pub(crate) fn brought(step: &Step<'_>, of: &[usize], springs: &[usize], gravity_before: DVec3) -> f64 {
    let Some(before) = step.before else { return 0.0 };
    let mut sum = 0.0;
    if gravity_before != step.gravity {
        let under = |gravity: DVec3| energy_under(step.world, before, of, springs, gravity).total;
        sum += under(step.gravity) - under(gravity_before);
    }
    if step.effects.is_empty() && step.cache.same_are_there() {
        return sum;
    }
    for &id in of {
        let (was, is) = (&before.bodies[id], &step.now.bodies[id]);
        match (was.is_absent(), is.is_absent()) {
            // It brings what it has when it comes, and takes what it had when it goes.
            (true, false) => sum += body_energy(step.cache.traits(id), is, step.gravity).total,
            (false, true) => sum -= body_energy(step.cache.traits(id), was, step.gravity).total,
            (false, false) if step.effects.iter().any(|(body, _)| *body == id) => sum += done(step, was, id),
            _ => {}
        }
    }
    sum
}

/// Work of the actions done to one body over the step, J.
fn done(step: &Step<'_>, was: &BodyState, id: usize) -> f64 {
    let Some(driven) = driven(step, id) else { return 0.0 };
    let moved = step.effects.iter().rev().find_map(|(body, effect)| match effect {
        Effect::Place(pose) if *body == id => Some(*pose),
        _ => None,
    });
    let pose = moved.unwrap_or(was.pose);
    let after = BodyState { pose, velocity: driven.velocity, spin: driven.spin };
    let energy = |state: &BodyState| body_energy(step.cache.traits(id), state, step.gravity).total;
    let now = &step.now.bodies[id];
    energy(&after) - energy(was)
        + driven.force.dot(now.pose.position - pose.position)
        + match step.world.dimension {
            Dimension::Plane => driven.torque.z * (now.pose.angle - pose.angle),
            // Of a turn that is no fixed axis' the work is that of the mean spin, as that of a constant torque is.
            Dimension::Space => driven.torque.dot(0.5 * (driven.spin + now.spin)) * step.span(),
        }
}
