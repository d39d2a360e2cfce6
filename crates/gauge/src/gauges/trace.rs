//! Made-up worlds and traces for the tests of gauges: closed forms, and the same with a fault.

use crate::derived::Derived;
use crate::frame_cache::FrameCache;
use crate::gauge::{Reading, Scope, View};
use crate::gauges::find;
use crate::step::Step;
use ironspin_model::{
    Body, BodyKind, BodyState, DVec2, DVec3, Effect, Frame, Inertia, Material, Part, PlaneShape, Pose, World,
};

/// A world under gravity -9.81 with bodies given as name, kind, shape, place.
pub(crate) fn world(bodies: &[(&str, BodyKind, PlaneShape, DVec2)]) -> World {
    World {
        gravity: DVec3::new(0.0, -9.81, 0.0),
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.5 }],
        bodies: bodies
            .iter()
            .map(|(name, kind, shape, at)| {
                let dynamic = *kind == BodyKind::Dynamic;
                Body {
                    kind: *kind,
                    pose: Pose::at(at.extend(0.0)),
                    mass: if dynamic { 2.0 } else { 0.0 },
                    inertia: if dynamic { Inertia::planar(0.5) } else { Inertia::planar(0.0) },
                    parts: vec![Part::solid(shape.clone(), 0)],
                    ..Body::plain(*name)
                }
            })
            .collect(),
        ..World::planar(10.0)
    }
}

/// A planar state without turning.
pub(crate) fn state(x: f64, y: f64, vx: f64, vy: f64) -> BodyState {
    BodyState::planar(DVec3::new(x, y, 0.0), 0.0, DVec3::new(vx, vy, 0.0), 0.0)
}

/// Frames every `dt` until `end`, the states given by a function of time.
pub(crate) fn trace(dt: f64, end: f64, states: impl Fn(f64) -> Vec<BodyState>) -> Vec<Frame> {
    (0..=(end / dt).round() as u64)
        .map(|step| Frame { step, time: step as f64 * dt, bodies: states(step as f64 * dt), ..Frame::default() })
        .collect()
}

/// Measures a trace with the gauge of a name.
pub(crate) fn measure(name: &str, world: &World, of: &[usize], against: &[usize], frames: &[Frame]) -> Reading {
    measure_with(name, world, &Scope { of: of.to_vec(), against: against.to_vec(), ..Scope::default() }, frames)
}

/// Measures a trace with the gauge of a name and everything that a claim may say.
pub(crate) fn measure_with(name: &str, world: &World, scope: &Scope, frames: &[Frame]) -> Reading {
    measure_with_effects(name, world, scope, frames, |_| Vec::new())
}

/// The same with actions before some steps.
pub(crate) fn measure_with_effects(
    name: &str,
    world: &World,
    scope: &Scope,
    frames: &[Frame],
    effects: impl Fn(u64) -> Vec<(usize, Effect)>,
) -> Reading {
    let mut gauge = find(name).expect("a gauge of the table").begin(world, scope);
    let mut cache = FrameCache::new(world);
    let derived = Derived::default();
    let mut before: Option<&Frame> = None;
    for now in frames {
        cache.update(now);
        let effects = before.map_or(Vec::new(), |before| effects(before.step));
        gauge.observe(&View {
            step: Step { world, before, now, gravity: world.gravity, effects: &effects, cache: &cache },
            derived: &derived,
        });
        before = Some(now);
    }
    gauge.reading(world)
}

/// A ball dropped from rest at gap `height` on a floor at 0, with restitution `e`: (height of the gap, speed).
/// Closed form, bounce after bounce.
pub(crate) fn bouncing(height: f64, e: f64, time: f64) -> (f64, f64) {
    let g = 9.81;
    let fall = (2.0 * height / g).sqrt();
    if time < fall {
        return (height - 0.5 * g * time * time, -g * time);
    }
    let mut left = time - fall;
    let mut speed = e * g * fall;
    // Below a micrometre per second the ball lies still.
    while speed > 1e-6 {
        let flight = 2.0 * speed / g;
        if left < flight {
            return (speed * left - 0.5 * g * left * left, speed - g * left);
        }
        left -= flight;
        speed *= e;
    }
    (0.0, 0.0)
}
