//! What of a body's change of velocity nothing but contacts and joints can explain.

use crate::step::Step;
use ironspin_model::{DVec3, Effect};

/// The change of a body's velocity and spin over a step beyond gravity, damping and actions.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Unexplained {
    /// m/s.
    pub(crate) velocity: DVec3,
    /// rad/s.
    pub(crate) spin: DVec3,
    /// Change of the velocity that gravity, damping and actions explain, m/s: the yardstick of what is left.
    pub(crate) explained: f64,
}

/// Velocity and spin of a body after actions, and the forces and torques that act over the step (N, N m).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Driven {
    pub(crate) velocity: DVec3,
    pub(crate) spin: DVec3,
    pub(crate) position: DVec3,
    pub(crate) force: DVec3,
    pub(crate) torque: DVec3,
}

/// What the actions before a step make of a body; `None` in the first frame of a window.
pub(crate) fn driven(step: &Step<'_>, id: usize) -> Option<Driven> {
    let (body, state) = (&step.world.bodies[id], &step.before?.bodies[id]);
    let mut driven = Driven {
        velocity: state.velocity,
        spin: state.spin,
        position: state.pose.position,
        force: DVec3::ZERO,
        torque: DVec3::ZERO,
    };
    let mut rotation = state.pose.rotation;
    let inverse = |of: f64| if of > 0.0 { 1.0 / of } else { 0.0 };
    for (_, effect) in step.effects.iter().filter(|(done_to, _)| *done_to == id) {
        let moment = |point: &Option<DVec3>, push: DVec3| {
            point.map_or(DVec3::ZERO, |point| (point - driven.position).cross(push))
        };
        match effect {
            Effect::Impulse { impulse, point } => {
                let twist = moment(point, *impulse);
                driven.velocity += *impulse * inverse(body.mass);
                driven.spin += step.cache.traits(id).turning.spin_by(rotation, twist);
            }
            Effect::Force { force, point } => {
                driven.torque += moment(point, *force);
                driven.force += *force;
            }
            Effect::Torque(torque) => driven.torque += *torque,
            Effect::Velocity(velocity) => driven.velocity = *velocity,
            Effect::Spin(spin) => driven.spin = *spin,
            Effect::Place(pose) => (driven.position, rotation) = (pose.position, pose.rotation),
            Effect::Shift(way) => driven.position += *way,
            Effect::Hold(true) => driven.velocity = DVec3::ZERO,
            Effect::Remove | Effect::Add | Effect::Split(_) | Effect::Gravity(_) | Effect::Hold(false) => {}
        }
    }
    Some(driven)
}

/// What nothing but contacts and joints can explain of a body's change of velocity over the step.
pub(crate) fn unexplained(step: &Step<'_>, id: usize) -> Option<Unexplained> {
    let (now, span) = (&step.now.bodies[id], step.span());
    if step.cache.is_held(id) {
        return Some(Unexplained { velocity: DVec3::ZERO, spin: DVec3::ZERO, explained: 0.0 });
    }
    if step.effects.is_empty() && step.cache.traits(id).is_free {
        // The same as below, without what would be nothing.
        let (before, given) = (&step.before?.bodies[id], step.fall(id) * span);
        let velocity = now.velocity - (before.velocity + given);
        return Some(Unexplained { velocity, spin: now.spin - before.spin, explained: given.length() });
    }
    let body = &step.world.bodies[id];
    let Driven { velocity, spin, force, torque, .. } = driven(step, id)?;
    let fading = |rate: f64, value: f64| if rate == 0.0 { value } else { value * libm::exp(-rate * span) };
    let share = fading(body.linear_damping, 1.0);
    // A constant push under damping ends between being damped for the whole step and not at all: the middle is taken.
    let push = |rate: f64| 0.5 * (1.0 + fading(rate, 1.0));
    let inverse = |of: f64| if of > 0.0 { 1.0 / of } else { 0.0 };
    let given = (step.fall(id) + force * inverse(body.mass)) * span * push(body.linear_damping);
    let expected = velocity * share + given;
    let turned = spin * fading(body.angular_damping, 1.0)
        + step.cache.traits(id).turning.spin_by(now.pose.rotation, torque) * span * push(body.angular_damping);
    Some(Unexplained {
        velocity: now.velocity - expected,
        spin: if body.fixed_turn { DVec3::ZERO } else { now.spin - turned },
        explained: given.length() + (1.0 - share) * velocity.length(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame_cache::FrameCache;
    use crate::gauges::trace::{state, world};
    use ironspin_model::about_z;
    use ironspin_model::{BodyKind, DVec2, Frame, PlaneShape};

    /// An action to another body takes the long way.
    #[test]
    fn both_ways_find_the_same() {
        let disc = |name| (name, BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO);
        let world = world(&[disc("rivet"), disc("bolt")]);
        let frame = |time: f64, vx: f64, vy: f64, spin: f64| {
            let mut moving = state(0.3, 1.0, vx, vy);
            moving.spin.z = spin;
            Frame { time, bodies: vec![moving, state(0.0, 0.0, 0.0, 0.0)], ..Frame::default() }
        };
        let (before, now) = (frame(0.0, 0.37, -1.1, 0.7), frame(1.0 / 60.0, 0.31, -1.2, 0.9));
        let cache = FrameCache::new(&world);
        let other = [(1, Effect::Torque(about_z(1.0)))];
        let [short, long] = [&[][..], &other[..]].map(|effects| {
            let step = Step {
                world: &world,
                before: Some(&before),
                now: &now,
                gravity: world.gravity,
                effects,
                cache: &cache,
            };
            unexplained(&step, 0).expect("a change")
        });
        assert_eq!(short, long);
        assert!(short.velocity.length() > 0.05 && short.spin.z > 0.1, "{short:?}");
    }
}
