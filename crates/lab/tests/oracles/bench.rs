//! A case run on the built-in engine and measured by gauges.

use ironspin_gauge::{Derived, FrameCache, Scope, Step, View, find};
use ironspin_model::{
    BodyState, DVec2, DVec3, Details, Engine, Frame, Inertia, Joint, JointFrame, JointKind, Measure, PlaneShape, World,
};

use crate::yard::{Bench, fixed, solid};

/// The steps at which every case is run, s, each as it is: a sample time between two frames is met by what both say.
pub(crate) const STEPS: [f64; 3] = [1.0 / 60.0, 1.0 / 240.0, 1.0 / 960.0];

/// Errors of one quantity of one case at [`STEPS`], and what is expected of them.
pub(crate) struct Row {
    pub(crate) case: String,
    pub(crate) quantity: &'static str,
    pub(crate) options: &'static str,
    /// Largest error at each step, as a share of the largest value of the list it belongs to.
    pub(crate) errors: [f64; 3],
    /// Largest error allowed at 1/240.
    pub(crate) bound: f64,
    /// The order of convergence that the method promises; `None` where it is exact at any step, or the answer is yes or no.
    pub(crate) order: Option<f64>,
}

impl Row {
    /// The order seen between the coarsest and the finest step; nothing below rounding.
    pub(crate) fn observed(&self) -> Option<f64> {
        let [coarse, _, fine] = self.errors;
        (fine > 1e-11 && coarse > 0.0).then(|| (coarse / fine).ln() / (STEPS[0] / STEPS[2]).ln())
    }
}

/// All frames of a world until the first at or after a time, as a user runs it: the step is the one that was asked for.
pub(crate) fn frames(world: &World, options: &str, step: f64, until: f64) -> Vec<Frame> {
    let count = (until / step - 1e-9).ceil().max(1.0);
    let mut bench = Bench::new(world.clone(), options, step);
    let mut frames = vec![bench.frame.clone()];
    bench.run(count as u64, |frame| frames.push(frame.clone()));
    frames
}

/// The same, with the last frame put back to the time itself where that lies between two frames: by the cubic that has the places and
/// velocities of both (Hermite), which is what anybody can know who has nothing but the frames.
pub(crate) fn sampled(world: &World, options: &str, step: f64, at: f64) -> Vec<Frame> {
    let mut frames = frames(world, options, step, at);
    let last = frames.len() - 1;
    if (frames[last].time - at).abs() > 1e-9 * step {
        frames[last] = between(&frames[last - 1], &frames[last], at);
    }
    frames
}

fn between(a: &Frame, b: &Frame, at: f64) -> Frame {
    let span = b.time - a.time;
    let s = (at - a.time) / span;
    // The cubic and its slope.
    let cubic = |p: f64, v: f64, q: f64, w: f64| {
        let (rise, v, w) = (q - p, v * span, w * span);
        let (second, third) = (3.0 * rise - 2.0 * v - w, v + w - 2.0 * rise);
        (p + s * (v + s * (second + s * third)), (v + s * (2.0 * second + s * 3.0 * third)) / span)
    };
    let state = |(a, b): (&BodyState, &BodyState)| {
        let (p, q, v, w) = (a.pose.position, b.pose.position, a.velocity, b.velocity);
        let (x, vx) = cubic(p.x, v.x, q.x, w.x);
        let (y, vy) = cubic(p.y, v.y, q.y, w.y);
        let (angle, spin) = cubic(a.pose.angle, a.spin.z, b.pose.angle, b.spin.z);
        BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::new(vx, vy, 0.0), spin)
    };
    Frame { time: at, bodies: a.bodies.iter().zip(&b.bodies).map(state).collect(), ..b.clone() }
}

/// The height of a body that falls and bounces, from the frames before and after: on the parabola of either, whichever is higher, since each
/// goes on below the floor beyond an impact between them.
pub(crate) fn bouncing_height(frames: &[Frame], of: usize, gravity: f64, step: f64, at: f64) -> f64 {
    let [before, after] = &frames[frames.len().saturating_sub(2)..] else { return f64::NAN };
    let on = |frame: &Frame| {
        // The sum of many steps is rounded at each, and a ball is fast.
        let (state, time) = (&frame.bodies[of], at - frame.step as f64 * step);
        state.pose.position.y + state.velocity.y * time - 0.5 * gravity * time * time
    };
    on(before).max(on(after))
}

/// What a gauge measures of some frames; not a number when it measures nothing.
pub(crate) fn measured(gauge: &str, world: &World, of: usize, against: &[usize], frames: &[Frame]) -> f64 {
    measured_with(gauge, world, of, against, Details::default(), frames)
}

pub(crate) fn measured_with(
    gauge: &str,
    world: &World,
    of: usize,
    against: &[usize],
    details: Details,
    frames: &[Frame],
) -> f64 {
    let scope = Scope { of: vec![of], against: against.to_vec(), details };
    let mut gauge = find(gauge).expect("a gauge").begin(world, &scope);
    let mut cache = FrameCache::new(world);
    let derived = Derived::default();
    let mut before = None;
    for now in frames {
        cache.update(now);
        gauge.observe(&View {
            step: Step { world, before, now, gravity: world.gravity, effects: &[], cache: &cache },
            derived: &derived,
        });
        before = Some(now);
    }
    gauge.reading(world).value.unwrap_or(f64::NAN)
}

/// A quantity of a body at the end of some frames, by the gauge of its name.
pub(crate) fn value(what: &str, world: &World, of: usize, frames: &[Frame]) -> f64 {
    measured(&format!("value.{what}"), world, of, &[], frames)
}

/// Any quantity of a body at the end of some frames.
pub(crate) fn value_of(
    world: &World,
    of: usize,
    frames: &[Frame],
    function: impl Fn(&ironspin_model::BodyState, f64) -> f64 + Send + Sync + 'static,
) -> f64 {
    let details = Details { measure: Some(Measure::new("of the case", function)), ..Details::default() };
    measured_with("value.measure", world, of, &[], details, frames)
}

/// Largest difference of two lists as a share of the largest expected value. What is no number is infinitely wrong.
pub(crate) fn error(found: &[f64], expected: &[f64]) -> f64 {
    assert_eq!(found.len(), expected.len());
    let largest = expected.iter().fold(0.0_f64, |most, value| most.max(value.abs()));
    let off = found.iter().zip(expected).map(|(a, b)| if (a - b).is_nan() { f64::INFINITY } else { (a - b).abs() });
    off.fold(0.0, f64::max) / if largest > 0.0 { largest } else { 1.0 }
}

/// The same quantity at all steps.
pub(crate) fn row(
    case: &serde_json::Value,
    quantity: &'static str,
    options: &'static str,
    (bound, order): (f64, Option<f64>),
    at: impl Fn(f64) -> f64,
) -> Row {
    let case = case["id"].as_str().expect("an id").to_owned();
    Row { case, quantity, options, errors: STEPS.map(at), bound, order }
}

/// A disc with a mass of its own and the inertia of a uniform disc.
pub(crate) fn ball(radius: f64, mass: f64, x: f64, y: f64) -> ironspin_model::Body {
    let mut body = solid(PlaneShape::Disc(radius), x, y);
    (body.mass, body.inertia) = (mass, Inertia::planar(0.5 * mass * radius * radius));
    body
}

/// A body without size to speak of, for joints: it turns without moment.
pub(crate) fn point(mass: f64, x: f64, y: f64) -> ironspin_model::Body {
    let mut body = ball(1e-3, mass, x, y);
    (body.layers, body.collision_mask) = (2, 0);
    body
}

pub(crate) fn post(x: f64, y: f64) -> ironspin_model::Body {
    let mut body = fixed(PlaneShape::Disc(1e-3), x, y);
    (body.layers, body.collision_mask) = (2, 0);
    body
}

pub(crate) fn spring(bodies: [usize; 2], length: f64, stiffness: f64, damping: f64) -> Joint {
    Joint {
        kind: JointKind::Spring { stiffness, damping },
        bodies,
        frames: JointFrame::planar([DVec2::ZERO; 2]),
        length: Some(length),
    }
}

pub(crate) fn moving(mut body: ironspin_model::Body, vx: f64, vy: f64) -> ironspin_model::Body {
    body.velocity = DVec3::new(vx, vy, 0.0);
    body
}

/// Steps of a world until a condition on the frame before and now gives a time; not a number when it never does.
pub(crate) fn when(
    world: &World,
    options: &str,
    step: f64,
    until: f64,
    mut at: impl FnMut(&Frame, &Frame) -> Option<f64>,
) -> f64 {
    let mut bench = Bench::new(world.clone(), options, step);
    let mut before = bench.frame.clone();
    while bench.frame.time < until {
        let mut now = Frame::default();
        bench.engine.advance(&[step], &mut |frame| now = frame.clone()).expect("a step");
        if let Some(time) = at(&before, &now) {
            return time;
        }
        bench.frame.clone_from(&now);
        before = now;
    }
    f64::NAN
}
