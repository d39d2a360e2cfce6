//! Gauges on traces of space: against closed forms, and wrong engines that they must find out.

use ironspin_gauge::{Derived, FrameCache, GAUGES, Reading, Scope, Step, View, find};
use ironspin_model::{
    Body, BodyKind, BodyState, Bounds, Contact, DMat3, DQuat, DVec3, Details, Dimension, Effect, Frame, Inertia,
    Material, Measure, Part, Pose, SpaceShape, World, turn,
};
use proptest::prelude::*;

const G: f64 = 9.81;

pub(crate) fn world(bodies: &[(&str, BodyKind, SpaceShape, DVec3)]) -> World {
    let body = |&(name, kind, ref shape, at): &(&str, BodyKind, SpaceShape, DVec3)| Body {
        kind,
        pose: Pose::at(at),
        mass: if kind == BodyKind::Dynamic { 2.0 } else { 0.0 },
        inertia: if kind == BodyKind::Dynamic {
            Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 3.0)))
        } else {
            Inertia::ZERO
        },
        parts: vec![Part::solid(shape.clone(), 0)],
        ..Body::plain(name)
    };
    World {
        dimension: Dimension::Space,
        gravity: DVec3::new(0.0, -G, 0.0),
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.5 }],
        bodies: bodies.iter().map(body).collect(),
        ..World::planar(10.0)
    }
}

pub(crate) fn at(position: DVec3, velocity: DVec3) -> BodyState {
    BodyState { pose: Pose::at(position), velocity, spin: DVec3::ZERO }
}

pub(crate) fn turned(rotation: DQuat, spin: DVec3) -> BodyState {
    BodyState { pose: Pose { rotation, ..Pose::IDENTITY }, velocity: DVec3::ZERO, spin }
}

pub(crate) fn trace(dt: f64, until: f64, state: impl Fn(f64) -> Vec<BodyState>) -> Vec<Frame> {
    let steps = (until / dt).round() as u64;
    (0..=steps)
        .map(|step| {
            let time = step as f64 * dt;
            Frame { step, time, bodies: state(time), ..Frame::default() }
        })
        .collect()
}

pub(crate) fn measure_with(
    gauge: &str,
    world: &World,
    scope: &Scope,
    frames: &[Frame],
    effects: &[(u64, usize, Effect)],
) -> Reading {
    let entry = find(gauge).expect(gauge);
    let mut gauge = entry.begin(world, scope);
    let (mut cache, derived) = (FrameCache::new(world), Derived::default());
    let mut before: Option<&Frame> = None;
    for now in frames {
        if entry.needs_geometry {
            cache.update(now);
        } else {
            cache.pass_over();
        }
        let done: Vec<(usize, Effect)> =
            effects.iter().filter(|(step, ..)| step + 1 == now.step).map(|(_, body, e)| (*body, e.clone())).collect();
        let step = Step { world, before, now, gravity: world.gravity, effects: &done, cache: &cache };
        gauge.observe(&View { step, derived: &derived });
        before = Some(now);
    }
    gauge.reading(world)
}

pub(crate) fn measure(gauge: &str, world: &World, of: &[usize], against: &[usize], frames: &[Frame]) -> Reading {
    let scope = Scope { of: of.to_vec(), against: against.to_vec(), ..Scope::default() };
    measure_with(gauge, world, &scope, frames, &[])
}

pub(crate) fn value(gauge: &str, world: &World, of: &[usize], against: &[usize], frames: &[Frame]) -> f64 {
    let reading = measure(gauge, world, of, against, frames);
    reading.value.unwrap_or_else(|| panic!("{gauge}: {reading:?}"))
}

pub(crate) fn ball() -> (&'static str, BodyKind, SpaceShape, DVec3) {
    ("ball", BodyKind::Dynamic, SpaceShape::Sphere(0.5), DVec3::new(0.0, 2.5, 0.0))
}

pub(crate) fn floor() -> (&'static str, BodyKind, SpaceShape, DVec3) {
    ("quay", BodyKind::Static, SpaceShape::HalfSpace(DVec3::Y), DVec3::ZERO)
}

/// A body of moments 1, 2, 3 that turns about its middle axis, and one of equal moments about it, steadily: their momenta stay.
fn steady(rate: f64) -> (World, Vec<Frame>) {
    let mut world = world(&[ball()]);
    world.gravity = DVec3::ZERO;
    let lean = turn::by_vector(DVec3::new(0.4, -0.2, 0.9));
    let axis = turn::turned(lean, DVec3::Y);
    let frames = trace(0.01, 2.0, move |t| vec![turned(turn::product(turn::about(axis, rate * t), lean), axis * rate)]);
    (world, frames)
}

#[test]
fn turning_counts_by_the_whole_matrix_along_the_axes_of_the_body() {
    let (world, frames) = steady(5.0);
    for gauge in ["energy.drift", "energy.gain", "energy.unexplained", "momentum.balance", "angular.balance"] {
        assert!(value(gauge, &world, &[0], &[], &frames) < 1e-13, "{gauge}");
    }
    // Half of I w^2 about the middle axis, whichever way the body leans.
    let energy = ironspin_gauge::mechanical_energy(&world, &frames[7], &[0]);
    assert!((energy.kinetic - 0.5 * 2.0 * 25.0).abs() < 1e-12, "{energy:?}");
}

#[test]
fn an_engine_without_gyroscopic_torque_is_found_out() {
    // The spin stays while the body tumbles: neither energy nor angular momentum does.
    let mut world = world(&[ball()]);
    world.gravity = DVec3::ZERO;
    let spin = DVec3::new(1.0, 2.0, 3.0);
    let frames = trace(0.01, 2.0, |t| vec![turned(turn::by_vector(spin * t), spin)]);
    assert!(value("angular.balance", &world, &[0], &[], &frames) > 0.1);
    // With the moments of another axis the energy would change: that of a constant spin about a fixed axis does not.
    let wobbling = trace(0.01, 2.0, |t| vec![turned(turn::about(DVec3::X, t), DVec3::new(0.0, 2.0, 0.0))]);
    assert!(value("energy.drift", &world, &[0], &[], &wobbling) > 0.1);
}

#[test]
fn an_impulse_beside_the_centre_brings_the_energy_that_it_brings() {
    // Along z at an arm along x: the spin about y grows by r J / Iyy, the velocity by J / m.
    let (push, arm) = (3.0, 0.5);
    let mut world = world(&[ball()]);
    world.gravity = DVec3::ZERO;
    let (speed, rate) = (push / 2.0, -arm * push / 2.0);
    let frames = trace(0.01, 1.0, |t| {
        let after = (t - 0.5).max(0.0);
        let hit = if t > 0.5 { 1.0 } else { 0.0 };
        let pose = Pose {
            position: DVec3::new(0.0, 0.0, speed * after),
            rotation: turn::about(DVec3::Y, rate * after),
            angle: 0.0,
        };
        vec![BodyState { pose, velocity: DVec3::Z * speed * hit, spin: DVec3::Y * rate * hit }]
    });
    let scope = Scope { of: vec![0], ..Scope::default() };
    let effect = Effect::Impulse { impulse: DVec3::Z * push, point: Some(DVec3::X * arm) };
    let done = [(50, 0, effect.clone())];
    assert!(measure_with("energy.drift", &world, &scope, &frames, &done).value.unwrap() < 1e-13);
    // At another point it would have brought another energy.
    let elsewhere = [(50, 0, Effect::Impulse { impulse: DVec3::Z * push, point: Some(DVec3::X * 0.1) })];
    assert!(measure_with("energy.drift", &world, &scope, &frames, &elsewhere).value.unwrap() > 0.01);
}

/// Gap and speed of a ball that bounces with a restitution from a height.
fn bouncing(height: f64, e: f64, time: f64) -> (f64, f64) {
    let mut left = time;
    let mut speed = 0.0;
    let (mut gap, mut fall) = (height, (2.0 * height / G).sqrt());
    while left >= fall {
        left -= fall;
        speed = (speed - G * fall).abs() * e;
        gap = 0.0;
        fall = 2.0 * speed / G;
        if fall < 1e-6 {
            return (0.0, 0.0);
        }
    }
    (gap + speed * left - 0.5 * G * left * left, speed - G * left)
}

#[test]
fn a_bouncing_ball_is_counted_and_its_rebound_measured() {
    let world = world(&[floor(), ball()]);
    let frames = trace(1.0 / 240.0, 3.0, |t| {
        let (gap, speed) = bouncing(2.0, 0.8, t);
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(0.3, gap + 0.5, -0.7), DVec3::Y * speed)]
    });
    assert!((value("rebound.speed", &world, &[1], &[0], &frames) - 0.8).abs() < 1e-9);
    assert!((value("rebound.height", &world, &[1], &[0], &frames) - 0.64).abs() < 1e-6);
    let landings = {
        let first = (4.0 / G).sqrt();
        (0..20).take_while(|&k| first * (1.0 + 2.0 * (1..=k).map(|n| 0.8_f64.powi(n)).sum::<f64>()) < 3.0).count()
    };
    assert_eq!(value("impacts.count", &world, &[1], &[0], &frames), landings as f64);
    assert!(value("energy.gain", &world, &[1], &[], &frames) < 1e-12);
    // One that takes the restitution for a ratio of heights.
    let wrong = trace(1.0 / 240.0, 3.0, |t| {
        let (gap, speed) = bouncing(2.0, 0.8_f64.sqrt(), t);
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(0.3, gap + 0.5, -0.7), DVec3::Y * speed)]
    });
    assert!((value("rebound.speed", &world, &[1], &[0], &wrong) - 0.8).abs() > 0.05);
}

#[test]
fn an_oblique_impact_with_spin_is_measured_at_the_point_of_touch() {
    // A ball flies onto another that stands, beside its middle; restitution 0.6 along the line of centres.
    let anvil = ("anvil", BodyKind::Static, SpaceShape::Sphere(0.5), DVec3::ZERO);
    let mut world = world(&[anvil, ball()]);
    world.gravity = DVec3::ZERO;
    let normal = DVec3::new(0.48, 0.6, 0.64);
    let (coming, touch) = (DVec3::new(1.0, -4.0, -2.0), normal);
    let parting = coming - 1.6 * coming.dot(normal) * normal;
    let frames = trace(0.02, 1.0, |t| {
        let t = t - 0.513;
        let (velocity, spin) = if t < 0.0 { (coming, DVec3::ZERO) } else { (parting, DVec3::new(3.0, -1.0, 2.0)) };
        let mut flying = at(touch + velocity * t, velocity);
        flying.spin = spin;
        vec![at(DVec3::ZERO, DVec3::ZERO), flying]
    });
    let found = value("rebound.speed", &world, &[1], &[0], &frames);
    assert!((found - 0.6).abs() < 1e-9, "{found}");
}

#[test]
fn overlaps_are_as_deep_as_they_are_whichever_way_the_boxes_are_turned() {
    let block = |name| (name, BodyKind::Dynamic, SpaceShape::Box(DVec3::new(1.0, 0.5, 2.0)), DVec3::ZERO);
    let world = world(&[block("one"), block("other")]);
    let lean = turn::by_vector(DVec3::new(0.5, 1.3, -0.4));
    // Both turned alike, the other 0.03 deep in the one along its own y.
    let frames = trace(0.1, 1.0, |_| {
        let mut other = turned(lean, DVec3::ZERO);
        other.pose.position = turn::turned(lean, DVec3::new(0.2, 0.47, -0.3));
        vec![turned(lean, DVec3::ZERO), other]
    });
    assert!((value("overlap.deepest", &world, &[0, 1], &[], &frames) - 0.03).abs() < 1e-14);
    assert!((value("overlap.share", &world, &[0, 1], &[], &frames) - 0.06).abs() < 1e-13);
}

#[test]
fn what_leans_over_or_creeps_no_longer_stands() {
    let block = |name| (name, BodyKind::Dynamic, SpaceShape::Box(DVec3::ONE), DVec3::ZERO);
    let mut pile = world(&[block("still"), block("slides"), block("topples"), block("leans")]);
    let frames = trace(0.01, 1.0, |t| {
        let tilted = |angle: f64| turned(turn::about(DVec3::new(0.6, 0.0, 0.8), angle), DVec3::ZERO);
        vec![at(DVec3::Z * 0.1 * t, DVec3::ZERO), at(DVec3::Z * t, DVec3::ZERO), tilted(-t), tilted(0.5 * t)]
    });
    assert_eq!(value("stands", &pile, &[0, 1, 2, 3], &[], &frames), 0.5);
    assert!((value("creep.rate", &pile, &[0], &[], &frames) - 0.1).abs() < 1e-12);
    assert!((value("jitter.travel", &pile, &[0], &[], &frames) - 0.1).abs() < 1e-15);
    pile.bounds = Some(Bounds { min: DVec3::splat(-0.5), max: DVec3::splat(0.5) });
    assert_eq!(value("escape.count", &pile, &[0, 1, 2, 3], &[], &frames), 1.0, "out along z");
}

#[test]
fn paths_and_values_have_a_third_component() {
    let world = world(&[ball()]);
    let thrown = |t: f64| at(DVec3::new(t, 2.0 * t - 0.5 * G * t * t, -3.0 * t), DVec3::new(1.0, 2.0 - G * t, -3.0));
    let frames = trace(0.25, 1.0, |t| vec![thrown(t)]);
    for (gauge, expected) in [("value.x", 1.0), ("value.z", -3.0), ("value.vz", -3.0), ("value.vy", 2.0 - G)] {
        assert!((value(gauge, &world, &[0], &[], &frames) - expected).abs() < 1e-14, "{gauge}");
    }
    let closed = |z: f64| {
        let path = vec![
            Measure::new("t", |_, t| t),
            Measure::new("2 t - g t^2 / 2", |_, t| 2.0 * t - 0.5 * G * t * t),
            Measure::new("z t", move |_, t| z * t),
        ];
        Scope { of: vec![0], details: Details { path: Some(path), ..Details::default() }, ..Scope::default() }
    };
    assert!(measure_with("path.error", &world, &closed(-3.0), &frames, &[]).value.unwrap() < 1e-14);
    assert!((measure_with("path.error", &world, &closed(-2.0), &frames, &[]).value.unwrap() - 1.0).abs() < 1e-14);
    let spinning = trace(0.25, 1.0, |_| vec![turned(DQuat::IDENTITY, DVec3::new(1.0, 2.0, 3.0))]);
    for (gauge, expected) in [("value.wx", 1.0), ("value.wy", 2.0), ("value.wz", 3.0)] {
        assert_eq!(value(gauge, &world, &[0], &[], &spinning), expected);
    }
}

#[test]
fn gauges_of_the_plane_say_that_they_are_not_made_for_space() {
    let world = world(&[floor(), ball()]);
    let still = trace(0.1, 1.0, |_| vec![at(DVec3::ZERO, DVec3::ZERO); 2]);
    let reading = measure("value.spin", &world, &[1], &[0], &still);
    assert!(reading.unsupported && reading.detail.contains("not made for"), "{reading:?}");
}

/// Numbers that a trace may hold: ordinary ones, and finite ones that are not.
fn number() -> impl Strategy<Value = f64> {
    prop_oneof![
        8 => -3.0..3.0_f64,
        1 => prop_oneof![Just(0.0), Just(-0.0), Just(1e-300), Just(-1e300), Just(f64::MAX), Just(f64::MIN_POSITIVE)],
    ]
}

fn state() -> impl Strategy<Value = BodyState> {
    prop::collection::vec(number(), 13).prop_map(|row| ironspin_model::rows::space::state_of(&row))
}

fn frames() -> impl Strategy<Value = Vec<Frame>> {
    let one = (prop::collection::vec(state(), 4), 1e-3..1.0_f64, any::<bool>(), 0..4_usize);
    prop::collection::vec(one, 0..8).prop_map(|list| {
        let mut time = 0.0;
        list.into_iter()
            .enumerate()
            .map(|(step, (mut bodies, dt, gone, body))| {
                time += dt;
                if gone {
                    bodies[body] = BodyState::absent();
                }
                let contact = Contact {
                    bodies: [0, 1],
                    point: DVec3::ZERO,
                    normal: DVec3::Y,
                    depth: 0.0,
                    impulse: 1.0,
                    times: None,
                };
                Frame { step: step as u64, time, bodies, contacts: vec![contact], ..Frame::default() }
            })
            .collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1000))]
    /// Whatever finite numbers a trace holds, also quaternions that are none, every gauge answers.
    #[test]
    fn no_gauge_panics_on_any_trace_of_space(frames in frames(), gauge in 0..GAUGES.len()) {
        let block = ("block", BodyKind::Dynamic, SpaceShape::Box(DVec3::new(1.0, 0.5, 2.0)), DVec3::ZERO);
        let world = world(&[floor(), ball(), block, ("post", BodyKind::Kinematic, SpaceShape::Sphere(1.0), DVec3::ONE)]);
        let measure = Measure::new("x / y", |state, _| state.pose.position.x / state.pose.position.y);
        let details = Details { measure: Some(measure.clone()), path: Some(vec![measure.clone(); 3]), becomes: Some(measure), ..Details::default() };
        let scope = Scope { of: vec![1, 2, 3], against: vec![0, 1], details };
        let effects = [(0, 1, Effect::Torque(DVec3::X)), (1, 2, Effect::Place(Pose::IDENTITY)), (2, 1, Effect::Remove)];
        let one = measure_with(GAUGES[gauge].name, &world, &scope, &frames, &effects);
        let two = measure_with(GAUGES[gauge].name, &world, &scope, &frames, &effects);
        prop_assert_eq!(one.value.map(f64::to_bits), two.value.map(f64::to_bits));
    }
}
