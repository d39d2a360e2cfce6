//! Mechanical energy of a set of bodies, and what is done to it from outside.

use super::motion::driven;
use super::stores::Stores;
use crate::frame_cache::BodyTraits;
use crate::step::Step;
use ironspin_model::{BodyState, DVec3, Dimension, Effect, Frame, Pose, World};

/// Mechanical energy of some bodies, J; height counts from the origin.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MechanicalEnergy {
    /// Of moving and turning.
    pub kinetic: f64,
    /// Kinetic energy, energy of height and energy of springs.
    pub total: f64,
}

/// Mechanical energy of some bodies in a frame: sum(m v²/2 + w·I w/2 - m g·x), k d²/2 of every spring at
/// one of them, and -amount ln(V/V0) + outside (V - V0) of the gas in every skin of theirs.
pub fn mechanical_energy(world: &World, frame: &Frame, of: &[usize]) -> MechanicalEnergy {
    let members = crate::geometry::Membership::of(world, of);
    let stores = Stores::of(world, |id| members.has(id));
    energy_under(world, frame, of, &stores, world.gravity)
}

/// The same under another gravity, m/s². Bodies that are not there have none.
fn energy_under(world: &World, frame: &Frame, of: &[usize], stores: &Stores, gravity: DVec3) -> MechanicalEnergy {
    let own = |id: usize| body_energy(&BodyTraits::of(world.dimension, &world.bodies[id]), &frame.bodies[id], gravity);
    summed(world, &frame.bodies, of, stores, own)
}

/// Sum of what bodies have of their own, and of springs.
fn summed(
    world: &World,
    states: &[BodyState],
    of: &[usize],
    stores: &Stores,
    own: impl Fn(usize) -> MechanicalEnergy,
) -> MechanicalEnergy {
    let mut sum = MechanicalEnergy::default();
    for own in of.iter().map(|&id| own(id)) {
        sum.kinetic += own.kinetic;
        sum.total += own.total;
    }
    sum.total = stores.added_to(sum.total, world, states);
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
    pub(crate) fn now(&mut self, step: &Step<'_>, of: &[usize], stores: &Stores) -> MechanicalEnergy {
        let asked = Some((step.cache.frame(), step.gravity));
        if self.of != asked {
            self.of = asked;
            self.bodies.clear();
            let states = step.now.bodies.iter().enumerate();
            self.bodies.extend(states.map(|(id, state)| body_energy(step.cache.traits(id), state, step.gravity)));
        }
        summed(step.world, &step.now.bodies, of, stores, |id| self.bodies[id])
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

/// Energy that actions, and a change of gravity, bring to a set of bodies over the step, J.
pub(crate) fn brought(step: &Step<'_>, of: &[usize], stores: &Stores, gravity_before: DVec3) -> f64 {
    let Some(before) = step.before else { return 0.0 };
    let mut sum = 0.0;
    if gravity_before != step.gravity {
        let under = |gravity: DVec3| energy_under(step.world, before, of, stores, gravity).total;
        sum += under(step.gravity) - under(gravity_before);
    }
    if step.effects.is_empty() && step.cache.same_are_there() {
        return sum;
    }
    sum += by_moving_nodes(step, before, stores);
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

/// What putting nodes elsewhere brings to the springs and the gas of soft bodies, and what soft bodies that come and go bring and take, J.
fn by_moving_nodes(step: &Step<'_>, before: &Frame, stores: &Stores) -> f64 {
    if !stores.any_soft() {
        return 0.0;
    }
    let mut moved = before.bodies.clone();
    for (id, effect) in step.effects {
        match effect {
            Effect::Place(pose) => moved[*id].pose.position = pose.position,
            Effect::Shift(way) => moved[*id].pose.position += *way,
            Effect::Remove | Effect::Add if *id >= step.world.rigid_count() => moved[*id] = step.now.bodies[*id],
            _ => {}
        }
    }
    stores.energy(step.world, &moved) - stores.energy(step.world, &before.bodies)
}

/// Work of the actions done to one body over the step, J.
fn done(step: &Step<'_>, was: &BodyState, id: usize) -> f64 {
    let Some(driven) = driven(step, id) else { return 0.0 };
    let moved = step.effects.iter().rev().find_map(|(body, effect)| match effect {
        Effect::Place(pose) if *body == id => Some(*pose),
        Effect::Shift(way) if *body == id => Some(Pose { position: was.pose.position + *way, ..was.pose }),
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
