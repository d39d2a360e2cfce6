//! The state of bodies between two frames, to the order of what is known: place and velocity at both ends. Places are of fourth order in the step,
//! velocities of third; of an engine whose places do not follow from its velocities they are of second.

use super::motion::driven;
use crate::step::Step;
use ironspin_model::{BodyState, DVec3, Dimension, Pose, turn};

/// A change of velocity this many times larger than those of the steps before is a blow and no force.
const BLOW: f64 = 4.0;
/// And this share of the velocity at least.
const NOTICED: f64 = 1e-9;

/// States between the frames of a step. A body that only forces act on moves along the cubic through both ends (Hermite's); one that was hit flies as before until
/// the blow and as after from it, the blow being where both flights meet.
#[derive(Clone, Debug, Default)]
pub(crate) struct Between {
    /// The bodies that are looked at; all where nothing is said.
    watched: Option<Vec<usize>>,
    /// Change of each body's velocity beyond its fall in the two steps before, m/s.
    changes: Vec<[f64; 2]>,
    /// Steps that were noted.
    noted: u64,
}

/// How a body goes through a step.
#[derive(Clone, Copy, Debug)]
enum Course {
    Absent,
    Smooth,
    /// Hit at this share of the step.
    Hit(f64),
}

impl Between {
    /// Of some bodies; of all where nothing is said.
    pub(crate) fn of(watched: Option<Vec<usize>>) -> Between {
        Between { watched, ..Between::default() }
    }

    /// Does something for each body that is looked at, of so many.
    fn each(watched: Option<&[usize]>, count: usize, mut look: impl FnMut(usize)) {
        match watched {
            Some(ids) => ids.iter().copied().filter(|&id| id < count).for_each(look),
            None => (0..count).for_each(&mut look),
        }
    }

    /// The state of a body at a share of the step, from 0 to 1.
    pub(crate) fn state(&self, step: &Step<'_>, id: usize, share: f64) -> BodyState {
        let now = &step.now.bodies[id];
        let Some(start) = start(step, id).filter(|_| share < 1.0) else { return *now };
        let (span, dimension) = (step.span(), step.world.dimension);
        match self.course(step, id) {
            Course::Absent => BodyState::absent(),
            Course::Smooth => {
                let lately = self.changes.get(id).map_or(0.0, |known| known[0].max(known[1]));
                smooth(dimension, [&start, now], span, share, lately)
            }
            Course::Hit(at) => {
                let fall = pull(step, id);
                let (from, time) = if share < at { (&start, share * span) } else { (now, (share - 1.0) * span) };
                flown(dimension, from, fall, time)
            }
        }
    }

    /// The states of the bodies at a share of the step, by their ids; of those that are not looked at, any.
    pub(crate) fn fill(&self, step: &Step<'_>, share: f64, states: &mut Vec<BodyState>) {
        let count = step.now.bodies.len();
        states.resize(count, BodyState::absent());
        Between::each(self.watched.as_deref(), count, |id| states[id] = self.state(step, id, share));
    }

    /// The share of the step at which a body was hit, if it was, and by how much its velocity changed, m/s.
    pub(crate) fn blow(&self, step: &Step<'_>, id: usize) -> Option<(f64, DVec3)> {
        match self.course(step, id) {
            Course::Hit(at) => Some((at, change(step, id)?)),
            Course::Absent | Course::Smooth => None,
        }
    }

    /// Notes a step, before the next one is asked about.
    pub(crate) fn note(&mut self, step: &Step<'_>) {
        if step.before.is_none() {
            (self.noted, self.changes) = (0, vec![[0.0; 2]; step.now.bodies.len()]);
            return;
        }
        self.noted += 1;
        let changes = &mut self.changes;
        Between::each(self.watched.as_deref(), changes.len(), |id| {
            changes[id] = [change(step, id).map_or(0.0, DVec3::length), changes[id][0]];
        });
    }

    fn course(&self, step: &Step<'_>, id: usize) -> Course {
        let Some(start) = start(step, id) else { return Course::Absent };
        let now = &step.now.bodies[id];
        if start.is_absent() || now.is_absent() {
            return Course::Absent;
        }
        let (Some(change), true) = (change(step, id), self.noted > 0) else { return Course::Smooth };
        let usual = self
            .changes
            .get(id)
            .map_or(f64::INFINITY, |known| if self.noted > 1 { known[0].min(known[1]) } else { known[0] });
        let size = change.length();
        if size <= BLOW * usual || size <= NOTICED * (start.velocity.length() + now.velocity.length()) {
            return Course::Smooth;
        }
        // Where the flight from the start and the flight to the end are nearest: their distance changes evenly.
        let (span, fall) = (step.span(), pull(step, id));
        let apart = start.pose.position - (now.pose.position - now.velocity * span + 0.5 * fall * span * span);
        Course::Hit((apart.dot(change) / (size * size * span)).clamp(0.0, 1.0))
    }
}

/// The state of a body after the actions before the step; none in the first frame.
fn start(step: &Step<'_>, id: usize) -> Option<BodyState> {
    let before = &step.before?.bodies[id];
    if !step.effects.iter().any(|(body, _)| *body == id) || before.is_absent() {
        return Some(*before);
    }
    let driven = driven(step, id)?;
    let pose = Pose { position: driven.position, ..before.pose };
    Some(BodyState { pose, velocity: driven.velocity, spin: driven.spin })
}

/// Acceleration of a body by gravity and by forces that act over the step, m/s².
fn pull(step: &Step<'_>, id: usize) -> DVec3 {
    let mass = step.cache.traits(id).mass;
    let force = match driven(step, id).filter(|_| !step.effects.is_empty() && mass > 0.0) {
        Some(driven) => driven.force / mass,
        None => DVec3::ZERO,
    };
    // What is not dynamic does not fall.
    if mass > 0.0 { step.fall(id) + force } else { DVec3::ZERO }
}

/// Change of a body's velocity over the step beyond gravity and actions, m/s.
fn change(step: &Step<'_>, id: usize) -> Option<DVec3> {
    let start = start(step, id)?;
    let change = step.now.bodies[id].velocity - start.velocity - pull(step, id) * step.span();
    change.is_finite().then_some(change)
}

/// A slope of the cubic that is off the mean of both ends by more than this share of their difference, or of that in the steps before, is no curve but
/// another rule of moving: by the velocity at the end of the step it is off by half.
const FITTING: f64 = 0.1;

/// The slope of the cubic through both ends at a share of the step; even in time where places do not follow from the velocities. `lately` is how much the
/// velocity changed in the steps before: where it is largest it changes by nothing.
fn slope(way: DVec3, [from, to]: [DVec3; 2], span: f64, share: f64, lately: f64) -> DVec3 {
    let even = from * (1.0 - share) + to * share;
    let bulge = way / span - 0.5 * (from + to);
    if bulge.length() <= FITTING * (to - from).length().max(lately) {
        even + bulge * (6.0 * share * (1.0 - share))
    } else {
        even
    }
}

/// Along the cubic through both ends.
fn smooth(dimension: Dimension, [start, now]: [&BodyState; 2], span: f64, share: f64, lately: f64) -> BodyState {
    let (s, rest) = (share, 1.0 - share);
    let cubic = |a: DVec3, va: DVec3, b: DVec3, vb: DVec3| {
        a + (b - a) * (s * s * (3.0 - 2.0 * s)) + va * (span * s * rest * rest) - vb * (span * s * s * rest)
    };
    let position = cubic(start.pose.position, start.velocity, now.pose.position, now.velocity);
    let way = now.pose.position - start.pose.position;
    let velocity = slope(way, [start.velocity, now.velocity], span, share, lately);
    let way = match dimension {
        Dimension::Plane => DVec3::new(0.0, 0.0, now.pose.angle - start.pose.angle),
        Dimension::Space => turn::vector(turn::product(now.pose.rotation, start.pose.rotation.conjugate())),
    };
    let spin = slope(way, [start.spin, now.spin], span, share, 0.0);
    let pose = match dimension {
        Dimension::Plane => {
            let z = |angle: f64| DVec3::new(0.0, 0.0, angle);
            Pose::planar(position, cubic(z(start.pose.angle), start.spin, z(now.pose.angle), now.spin).z)
        }
        Dimension::Space => {
            let turned = cubic(DVec3::ZERO, start.spin, way, now.spin);
            Pose {
                position,
                rotation: turn::product(turn::by_vector(turned), start.pose.rotation).normalize(),
                angle: 0.0,
            }
        }
    };
    BodyState { pose, velocity, spin }
}

/// A flight under an even pull, forwards or backwards in time, s.
fn flown(dimension: Dimension, from: &BodyState, fall: DVec3, time: f64) -> BodyState {
    let position = from.pose.position + from.velocity * time + 0.5 * fall * time * time;
    let pose = match dimension {
        Dimension::Plane => Pose::planar(position, from.pose.angle + from.spin.z * time),
        Dimension::Space => Pose {
            position,
            rotation: turn::product(turn::by_vector(from.spin * time), from.pose.rotation),
            angle: 0.0,
        },
    };
    BodyState { pose, velocity: from.velocity + fall * time, spin: from.spin }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame_cache::FrameCache;
    use crate::gauges::trace::{bouncing, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, Frame, PlaneShape, World};

    /// The largest error of the place, and of the velocity, at shares of every step of a trace.
    fn errors(world: &World, frames: &[Frame], exact: impl Fn(f64) -> (DVec3, DVec3)) -> (f64, f64) {
        let cache = FrameCache::new(world);
        let (mut between, mut worst) = (Between::default(), (0.0_f64, 0.0_f64));
        let mut before: Option<&Frame> = None;
        for now in frames {
            let step = Step { world, before, now, gravity: world.gravity, effects: &[], cache: &cache };
            for share in [0.1, 0.5, 0.77].into_iter().filter(|_| before.is_some()) {
                let time = now.time - (1.0 - share) * step.span();
                let (place, velocity) = exact(time);
                let found = between.state(&step, 0, share);
                worst.0 = worst.0.max(found.pose.position.distance(place));
                worst.1 = worst.1.max(found.velocity.distance(velocity));
            }
            between.note(&step);
            before = Some(now);
        }
        worst
    }

    fn ball() -> World {
        world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)])
    }

    #[test]
    fn a_bounce_within_a_step_is_found_as_if_there_were_no_steps() {
        let exact = |t: f64| {
            let (gap, speed) = bouncing(1.0, 0.7, t);
            (DVec3::new(0.0, gap, 0.0), DVec3::new(0.0, speed, 0.0))
        };
        let frames = trace(1.0 / 60.0, 1.4, |t| {
            let (place, velocity) = exact(t);
            vec![state(0.0, place.y, 0.0, velocity.y)]
        });
        let (place, velocity) = errors(&ball(), &frames, exact);
        assert!(place < 1e-12 && velocity < 1e-11, "{place:e} {velocity:e}");
    }

    #[test]
    fn an_orbit_is_followed_to_the_fourth_order_in_place_and_the_third_in_velocity() {
        let exact = |t: f64| {
            let (sin, cos) = (libm::sin(3.0 * t), libm::cos(3.0 * t));
            (DVec3::new(cos, sin, 0.0), DVec3::new(-3.0 * sin, 3.0 * cos, 0.0))
        };
        let mut free = ball();
        free.gravity = DVec3::ZERO;
        let error = |dt: f64| {
            let frames = trace(dt, 2.0, |t| {
                let (place, velocity) = exact(t);
                vec![state(place.x, place.y, velocity.x, velocity.y)]
            });
            errors(&free, &frames, exact)
        };
        let (coarse, fine) = (error(0.04), error(0.02));
        let order = |coarse: f64, fine: f64| libm::log2(coarse / fine);
        assert!((order(coarse.0, fine.0) - 4.0).abs() < 0.1, "{coarse:?} {fine:?}");
        assert!((order(coarse.1, fine.1) - 3.0).abs() < 0.1, "{coarse:?} {fine:?}");
    }

    #[test]
    fn a_turn_of_space_is_followed_evenly() {
        let axis = DVec3::new(1.0, 2.0, -2.0) / 3.0;
        let turned = |t: f64| {
            let pose = Pose { position: DVec3::ZERO, rotation: turn::about(axis, 5.0 * t), angle: 0.0 };
            BodyState { pose, velocity: DVec3::ZERO, spin: 5.0 * axis }
        };
        let half = smooth(Dimension::Space, [&turned(0.0), &turned(0.1)], 0.1, 0.5, 0.0);
        assert!(half.pose.rotation.dot(turn::about(axis, 0.25)) > 1.0 - 1e-12);
    }
}
