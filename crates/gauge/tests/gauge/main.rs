//! Gauges on traces from anywhere: no panic, no silent pass, the same answer however the trace is written.

use ironspin_gauge::{Collider, Derived, FrameCache, GAUGES, QueryResult, Scope, Step, View, judge};
use ironspin_model::{
    Body, BodyKind, BodyState, Bound, Bounds, Contact, DQuat, DVec2, DVec3, Details, Effect, Frame, Inertia, Joint,
    JointFrame, JointKind, Law, Material, Measure, Part, PlaneShape, SensorEvent, SensorEventKind, Verdict, World,
};
use proptest::prelude::*;

mod space;
mod space_gauges;

fn world() -> World {
    let shapes = [
        PlaneShape::HalfPlane(DVec2::Y),
        PlaneShape::Box(DVec2::new(1.0, 0.5)),
        PlaneShape::Disc(0.3),
        PlaneShape::Capsule { length: 0.5, radius: 0.2 },
        PlaneShape::Polygon(vec![DVec2::new(-0.4, -0.3), DVec2::new(0.5, -0.2), DVec2::new(0.0, 0.6)]),
        PlaneShape::Polyline(vec![DVec2::new(-3.0, 0.5), DVec2::new(0.0, 0.0), DVec2::new(3.0, 0.5)]),
    ];
    let body = |shape: &PlaneShape| {
        let still = shape.static_only();
        Body {
            kind: if still { BodyKind::Static } else { BodyKind::Dynamic },
            mass: if still { 0.0 } else { 1.5 },
            inertia: if still { Inertia::planar(0.0) } else { Inertia::planar(0.2) },
            parts: vec![Part::solid(shape.clone(), 0)],
            ..Body::plain("body")
        }
    };
    let mut bodies: Vec<Body> = shapes.iter().map(body).collect();
    // One differs from all others by its layer, one drives, one has a sensor.
    bodies[2].layers = 2;
    bodies[3].collision_mask = 1;
    bodies[4].kind = BodyKind::Kinematic;
    bodies[1].parts.push(Part { sensor: true, ..Part::solid(PlaneShape::Disc(1.0), 0) });
    let spring = JointKind::Spring { stiffness: 10.0, damping: 0.0 };
    let joints = vec![Joint {
        kind: spring,
        bodies: [1, 2],
        frames: JointFrame::pair([DVec3::X, DVec3::ZERO], DVec3::Z, [DQuat::IDENTITY; 2]),
        length: None,
    }];
    World {
        joints,
        gravity: DVec3::new(0.0, -9.81, 0.0),
        bounds: Some(Bounds { min: DVec3::splat(-50.0), max: DVec3::splat(50.0) }),
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.5 }],
        bodies,
        ..World::planar(1.0)
    }
}

/// Numbers that a trace may hold: ordinary ones, and finite ones that are not.
fn number() -> impl Strategy<Value = f64> {
    prop_oneof![
        8 => -5.0..5.0_f64,
        1 => prop_oneof![Just(0.0), Just(-0.0), Just(1e-300), Just(-1e300), Just(f64::MAX), Just(f64::MIN_POSITIVE)],
    ]
}

fn state() -> impl Strategy<Value = BodyState> {
    (number(), number(), number(), number(), number(), number())
        .prop_map(|(x, y, a, vx, vy, w)| BodyState::planar(DVec3::new(x, y, 0.0), a, DVec3::new(vx, vy, 0.0), w))
}

fn contact() -> impl Strategy<Value = Contact> {
    (0..6_usize, 0..6_usize, number(), number(), 0..5_u64).prop_map(|(a, b, depth, impulse, times)| Contact {
        bodies: [a, b],
        point: DVec3::ZERO,
        normal: DVec3::Y,
        depth,
        impulse,
        times: Some(times),
    })
}

fn frames() -> impl Strategy<Value = Vec<Frame>> {
    let one = (
        prop::collection::vec(state(), 6),
        prop::collection::vec(contact(), 0..4),
        prop_oneof![Just(0.0), 1e-9..1.0_f64],
        prop::collection::vec((0..6_usize, 0..3_usize, any::<bool>()), 0..3),
        prop::collection::vec(0..6_usize, 0..2),
    );
    prop::collection::vec(one, 0..12).prop_map(|list| {
        let mut time = 0.0;
        list.into_iter()
            .enumerate()
            .map(|(step, (mut bodies, contacts, dt, notices, gone))| {
                time += dt;
                let notice = |(body, part, enter): (usize, usize, bool)| SensorEvent {
                    step: step as u64,
                    kind: if enter { SensorEventKind::Enter } else { SensorEventKind::Leave },
                    sensor: [1, 1],
                    other: [body, part],
                };
                gone.into_iter().for_each(|body| bodies[body] = BodyState::absent());
                let events = notices.into_iter().map(notice).collect();
                Frame { step: step as u64, time, bodies, contacts, events, ..Frame::default() }
            })
            .collect()
    })
}

fn measure(number: usize, world: &World, frames: &[Frame]) -> ironspin_gauge::Reading {
    let measure = || Measure::new("x / y", |state, _| state.pose.position.x / state.pose.position.y);
    let law = [
        Law::Normal { mean: 0.0, deviation: 1.0 },
        Law::Normal { mean: 0.0, deviation: -1.0 },
        Law::Binomial { tries: 3, chance: 0.5 },
        Law::Uniform { from: 1.0, to: 0.0 },
        Law::Exponential { mean: 0.0 },
    ][frames.len() % 5];
    let details = Details {
        measure: Some(measure()),
        path: Some(vec![measure(), measure()]),
        law: Some(law),
        becomes: Some(measure()),
        ..Details::default()
    };
    // One body for the gauges of one body, several for the others.
    let of = if frames.len().is_multiple_of(3) { vec![1] } else { vec![1, 2, 3, 4] };
    let scope = Scope { of, against: vec![0, 5, 1], details };
    let mut gauge = GAUGES[number].begin(world, &scope);
    let mut cache = FrameCache::new(world);
    let derived = Derived::default();
    let mut before = None;
    for now in frames {
        if GAUGES[number].needs_geometry {
            cache.update(now);
        } else {
            // A gauge that asks for geometry without saying so stops here.
            cache.pass_over();
        }
        let effects = [(1, Effect::Impulse { impulse: DVec3::X, point: Some(DVec3::Y) }), (2, Effect::Remove)];
        let effects = if now.step.is_multiple_of(2) { &effects[..] } else { &[] };
        gauge.observe(&View {
            step: Step { world, before, now, gravity: world.gravity, effects, cache: &cache },
            derived: &derived,
        });
        let off = [(1, now.time), (2, f64::INFINITY)];
        gauge.observe_query(world, &QueryResult::Forecast { ahead: 1.0, off: &off });
        gauge.observe_query(world, &QueryResult::Ray { frame: now, from: DVec3::ZERO, to: DVec3::X, hit: None });
        before = Some(now);
    }
    gauge.reading(world)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]
    /// Whatever finite numbers a trace holds, every gauge answers, and an answer that is not a number passes no bound.
    #[test]
    fn no_gauge_panics_on_any_trace(frames in frames(), gauge in 0..GAUGES.len()) {
        let world = world();
        let reading = measure(gauge, &world, &frames);
        let outcome = judge(&GAUGES[gauge], &reading, &Bound::AtMost(f64::INFINITY));
        if reading.value.is_none_or(f64::is_nan) {
            prop_assert_ne!(outcome.verdict, Verdict::Pass);
        }
    }

    /// The same trace gives the same reading, to the bit.
    #[test]
    fn a_reading_is_repeatable(frames in frames(), gauge in 0..GAUGES.len()) {
        let world = world();
        let (one, two) = (measure(gauge, &world, &frames), measure(gauge, &world, &frames));
        prop_assert_eq!(one.value.map(f64::to_bits), two.value.map(f64::to_bits));
        prop_assert_eq!(one.detail, two.detail);
    }
}

#[test]
fn an_empty_trace_measures_nothing() {
    for (number, gauge) in GAUGES.iter().enumerate() {
        // Of nothing, nothing has escaped; rays and forecasts are not frames.
        if gauge.name != "escape.count" {
            let reading = measure(number, &world(), &[]);
            assert_eq!(reading.value, None, "{}", gauge.name);
        }
    }
}

/// Outlines of a shape at a place.
fn colliders(shape: PlaneShape, x: f64, y: f64, angle: f64) -> Vec<Collider> {
    let state = BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::ZERO, 0.0);
    Collider::of_part(&Part::solid(shape, 0)).iter().map(|collider| collider.placed(&state)).collect()
}

#[test]
fn known_gaps_of_every_shape() {
    let disc = || colliders(PlaneShape::Disc(0.5), 0.0, 2.0, 0.0);
    let quarter = std::f64::consts::FRAC_PI_2;
    let clockwise = vec![DVec2::new(-1.0, 1.0), DVec2::new(1.0, 1.0), DVec2::new(1.0, -1.0), DVec2::new(-1.0, -1.0)];
    for (shape, angle, distance) in [
        (PlaneShape::Disc(1.0), 0.0, 0.5),
        (PlaneShape::Box(DVec2::new(4.0, 1.0)), 0.0, 1.0),
        (PlaneShape::Box(DVec2::new(4.0, 1.0)), quarter, -0.5),
        (PlaneShape::Capsule { length: 2.0, radius: 0.25 }, 0.0, 1.25),
        (PlaneShape::Capsule { length: 2.0, radius: 0.25 }, quarter, 0.25),
        (PlaneShape::Polygon(clockwise), 0.0, 0.5),
        (PlaneShape::HalfPlane(DVec2::Y), 0.0, 1.5),
        (PlaneShape::HalfPlane(DVec2::X), quarter, 1.5),
        (
            PlaneShape::Polyline(vec![DVec2::new(-1.0, 0.0), DVec2::new(1.0, 0.0), DVec2::new(1.0, 1.0)]),
            0.0,
            2.0_f64.sqrt() - 0.5,
        ),
    ] {
        let found = colliders(shape.clone(), 0.0, 0.0, angle)
            .iter()
            .map(|collider| collider.gap_to(&disc()[0]))
            .min_by(|a, b| a.distance.total_cmp(&b.distance))
            .unwrap();
        assert!((found.distance - distance).abs() < 1e-12, "{shape:?} at {angle}: {found:?}");
        assert!((found.normal.length() - 1.0).abs() < 1e-12);
        // The point lies midway between both rims, along the normal.
        let rim = DVec2::new(0.0, 2.0) - found.normal * 0.5;
        assert!((rim - found.normal * (0.5 * distance)).distance(found.point) < 1e-12, "{shape:?}: {found:?}");
    }
}

proptest! {
    /// Far from the origin, turned and mirrored, two outlines have the gap they had.
    #[test]
    fn a_gap_does_not_depend_on_where_it_is_told(x in -3.0..3.0_f64, y in -3.0..3.0_f64, a in 0.0..6.0_f64, b in 0.0..6.0_f64, turn in 0.0..6.0_f64) {
        let one = || PlaneShape::Polygon(vec![DVec2::new(-0.8, -0.3), DVec2::new(0.7, -0.4), DVec2::new(0.9, 0.2), DVec2::new(-0.1, 0.9)]);
        let other = || PlaneShape::Capsule { length: 1.2, radius: 0.3 };
        let here = colliders(one(), 0.0, 0.0, a)[0].gap_to(&colliders(other(), x, y, b)[0]);
        let (sin, cos) = (turn.sin(), turn.cos());
        let away = DVec2::new(1000.0, -500.0);
        let at = away + DVec2::new(cos * x - sin * y, sin * x + cos * y);
        let there = colliders(one(), away.x, away.y, a + turn)[0].gap_to(&colliders(other(), at.x, at.y, b + turn)[0]);
        prop_assert!((here.distance - there.distance).abs() < 1e-9, "{:?} {:?}", here, there);
    }
}
