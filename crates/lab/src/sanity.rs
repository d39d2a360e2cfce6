//! What no sound engine answers.

use ironspin_model::{Contact, Dimension, Effect, EngineError, Frame, JointKind, SensorEvent, World, turn};
use ironspin_scene::Setup;

/// Kinetic energy beyond this many times all that a trial can bring is an explosion.
const BLOWN_UP: f64 = 1e4;

/// A quaternion shorter than this, or without a length, tells no rotation.
const LEAST_LENGTH: f64 = 1e-6;

/// Checks frames as they come.
pub(crate) struct Sanity {
    /// Bodies that an action may take out or bring in.
    may_be_absent: Vec<bool>,
    /// Kinetic energy above which the trial has blown up, J; infinite when nothing in the scene moves anything.
    most_energy: f64,
}

/// Bodies that are absent at the start, or that an action takes out.
fn may_be_absent(setup: &Setup) -> Vec<bool> {
    let mut may: Vec<bool> = setup.world.bodies.iter().map(|body| body.absent).collect();
    for (body, effect) in effects(setup) {
        if matches!(effect, Effect::Remove | Effect::Split(_)) {
            setup.world.meant_by(body).for_each(|body| may[body] = true);
        }
    }
    may
}

fn effects(setup: &Setup) -> impl Iterator<Item = (usize, &Effect)> {
    let scripted = setup.world.actions.iter().map(|action| (action.body, &action.effect));
    let waiting = setup.triggers.iter().flat_map(|trigger| trigger.effects.iter().map(|effect| (trigger.body, effect)));
    scripted.chain(waiting)
}

/// A bound from above of the kinetic energy that start, gravity, actions, drivers and springs can bring, J.
fn energy_brought(setup: &Setup) -> f64 {
    let world = &setup.world;
    let mut gravity = world.gravity.length();
    // Speed that actions can give each body, m/s, and the fastest anything is scripted to move.
    let mut given = vec![0.0_f64; world.bodies.len()];
    let mut fastest = world.bodies.iter().map(|body| body.velocity.length()).fold(0.0, f64::max);
    for (id, effect) in effects(setup) {
        let meant = world.meant_by(id);
        let mass = meant.clone().map(|body| world.bodies[body].mass).sum::<f64>().max(f64::MIN_POSITIVE);
        let mut give = |speed: f64| meant.clone().for_each(|body| given[body] += speed);
        match effect {
            Effect::Impulse { impulse, .. } => give(impulse.length() / mass),
            Effect::Force { force, .. } => give(force.length() * world.duration / mass),
            Effect::Velocity(velocity) => fastest = fastest.max(velocity.length()),
            Effect::Gravity(changed) => gravity = gravity.max(changed.length()),
            _ => {}
        }
    }
    let moving = world.bodies.iter().zip(&given).map(|(body, given)| {
        let speed = fastest + given + gravity * body.gravity_factor.abs() * world.duration;
        0.5 * body.mass * speed * speed
            + 0.5 * body.spin.dot(turn::turned_inertia(body.pose.rotation, body.inertia).0 * body.spin)
    });
    let springs = world.joints.iter().map(|joint| match joint.kind {
        JointKind::Spring { stiffness, .. } => {
            let [a, b] = joint.bodies.map(|id| world.bodies[id].pose.position);
            let span = a.distance(b)
                + joint.frames[0].anchor.length()
                + joint.frames[1].anchor.length()
                + joint.length.unwrap_or(0.0);
            0.5 * stiffness * span * span
        }
        _ => 0.0,
    });
    moving.sum::<f64>() + springs.sum::<f64>()
}

impl Sanity {
    pub(crate) fn new(setup: &Setup) -> Self {
        let brought = energy_brought(setup);
        // A net that explodes is for the gauges to tell, with where it began; only what is not finite ends its trial. What forces that follow the
        // state can bring is not known beforehand.
        let most_energy = if brought > 0.0 && setup.world.softs.is_empty() && setup.forces.is_empty() {
            BLOWN_UP * brought
        } else {
            f64::INFINITY
        };
        Sanity { may_be_absent: may_be_absent(setup), most_energy }
    }

    /// What is wrong with a frame, with the first step and body.
    pub(crate) fn check(&self, world: &World, before: Option<&Frame>, frame: &Frame) -> Option<EngineError> {
        let bad = |why: String| Some(EngineError::BadAnswer { why });
        let bodies = &world.bodies;
        if frame.bodies.len() != bodies.len() {
            return bad(format!(
                "{} bodies in frame {} of a world of {}",
                frame.bodies.len(),
                frame.step,
                bodies.len()
            ));
        }
        let expected = before.map_or(0, |before| before.step + 1);
        if frame.step != expected {
            return bad(format!("frame {} where frame {expected} is due", frame.step));
        }
        let (step, time) = (frame.step, frame.time);
        for (body, state) in frame.bodies.iter().enumerate() {
            let name = &bodies[body].name;
            if state.is_absent() && !self.may_be_absent[body] {
                return bad(format!(
                    "`{name}` is lost at step {step} ({time:.4} s): it has no state, and nothing took it out"
                ));
            }
            if !state.is_absent() && !state.is_finite() {
                let net = if body >= world.rigid_count() { ": its net has exploded" } else { "" };
                return bad(format!("the state of `{name}` is not finite at step {step} ({time:.4} s){net}"));
            }
            if world.dimension == Dimension::Space && !state.is_absent() {
                // One of another length is told by a gauge of its own, and taken as the rotation that it means.
                let length = state.pose.rotation.length();
                if !(length >= LEAST_LENGTH && length.is_finite()) {
                    return bad(format!(
                        "the quaternion of `{name}` has the length {length:.1e} at step {step} ({time:.4} s): it tells no rotation"
                    ));
                }
            }
        }
        if self.most_energy.is_finite()
            && let Some(why) = self.blown_up(world, frame)
        {
            return bad(why);
        }
        frame
            .contacts
            .iter()
            .find_map(|contact| malformed(contact, world))
            .or_else(|| frame.events.iter().find_map(|event| unknown_part(event, world)))
            .and_then(|why| bad(format!("{why} at step {step} ({time:.4} s)")))
    }

    fn blown_up(&self, world: &World, frame: &Frame) -> Option<String> {
        let energy = |id: usize| {
            let (body, state) = (&world.bodies[id], &frame.bodies[id]);
            if state.is_absent() { 0.0 } else { 0.5 * body.mass * state.velocity.length_squared() }
        };
        let mut most = (0, 0.0);
        let mut sum = 0.0;
        for id in 0..world.bodies.len() {
            let own = energy(id);
            sum += own;
            if own > most.1 {
                most = (id, own);
            }
        }
        (sum > self.most_energy).then(|| {
            format!(
                "it blew up: `{}` moves at {:.3e} m/s at step {} ({:.4} s)",
                world.bodies[most.0].name,
                frame.bodies[most.0].velocity.length(),
                frame.step,
                frame.time
            )
        })
    }
}

/// What is wrong with an event: its sensor and what it noticed are parts of bodies of this world.
fn unknown_part(event: &SensorEvent, world: &World) -> Option<String> {
    [event.sensor, event.other].into_iter().find_map(|[body, part]| {
        let Some(known) = world.bodies.get(body) else { return Some(format!("an event of body {body}")) };
        // A soft body is one part.
        let parts = if body < world.rigid_count() { known.parts.len() } else { 1 };
        (part >= parts).then(|| format!("an event of part {part} of `{}`, which has {parts}", known.name))
    })
}

/// How far from 1 the length of a normal may be: engines of single precision are a thousand times nearer.
const NORMAL: f64 = 1e-3;

/// What is wrong with a contact by the contract of every way in: its bodies are there, the first has the smaller number, the normal is a unit vector, and
/// all numbers are numbers.
fn malformed(contact: &Contact, world: &World) -> Option<String> {
    let [first, second] = contact.bodies;
    if first.max(second) >= world.bodies.len() {
        return Some(format!("a contact of bodies {:?}", contact.bodies));
    }
    let pair = format!("the contact of `{}` and `{}`", world.bodies[first].name, world.bodies[second].name);
    // Nodes of soft bodies are found by the bench, in whatever order.
    if second < world.rigid_count() && first >= second {
        return Some(format!("{pair} has its bodies in the order {first}, {second}: the smaller number comes first"));
    }
    if !contact.point.is_finite() || !contact.depth.is_finite() || !contact.impulse.is_finite() {
        return Some(format!("{pair} has a place, depth or impulse that is no number"));
    }
    let length = contact.normal.length();
    let unit = (length - 1.0).abs() <= NORMAL;
    (!unit).then(|| {
        format!("{pair} has a normal of the length {length:.6}: it is a unit vector from the first to the second")
    })
}
