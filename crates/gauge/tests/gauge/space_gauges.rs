//! The gauges that ask where outlines of space are, and those that only space has: closed forms, and wrong engines that they must find out.

use crate::space::{at, ball, floor, measure, measure_with, trace, turned, value, world};
use ironspin_gauge::{Derived, FrameCache, QueryResult, Scope, find};
use ironspin_model::{
    Body, BodyKind, BodyState, DMat3, DQuat, DVec3, Details, Frame, Inertia, Measure, Part, RayHit, SensorEvent,
    SensorEventKind, SpaceShape, TriangleMesh, turn,
};

const G: f64 = 9.81;

fn plate() -> (&'static str, BodyKind, SpaceShape, DVec3) {
    ("plate", BodyKind::Static, SpaceShape::Box(DVec3::new(0.02, 4.0, 4.0)), DVec3::ZERO)
}

fn rivet() -> (&'static str, BodyKind, SpaceShape, DVec3) {
    ("rivet", BodyKind::Dynamic, SpaceShape::Sphere(0.05), DVec3::new(-2.0, 0.1, 0.2))
}

/// A flight along x at 4 m/s without gravity, which `change` turns round or not.
fn flight(velocity: impl Fn(f64) -> f64, place: impl Fn(f64) -> f64) -> Vec<Frame> {
    trace(0.1, 1.0, |t| vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(place(t), 0.1, 0.2), DVec3::X * velocity(t))])
}

#[test]
fn each_way_through_a_plate_is_told_from_the_others() {
    let mut world = world(&[plate(), rivet()]);
    world.gravity = DVec3::ZERO;
    let through = flight(|_| 4.0, |t| -2.2 + 4.0 * t);
    let of = |gauge: &str, frames: &[Frame]| value(gauge, &world, &[1], &[0], frames);
    assert_eq!((of("tunnel.count", &through), of("tunnel.untouched", &through)), (1.0, 1.0));
    // Slowed at the plate and still through.
    let slowed =
        flight(|t| if t < 0.45 { 4.0 } else { 3.0 }, |t| if t < 0.45 { -2.03 + 4.0 * t } else { -1.58 + 3.0 * t });
    assert_eq!((of("tunnel.touched", &slowed), of("tunnel.untouched", &slowed)), (1.0, 0.0));
    // Turned back.
    let back =
        flight(|t| if t < 0.45 { 4.0 } else { -4.0 }, |t| if t < 0.45 { -2.03 + 4.0 * t } else { 1.57 - 4.0 * t });
    assert_eq!(of("tunnel.count", &back), 0.0);
    // Beside it.
    let beside = trace(0.1, 1.0, |t| {
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(-2.03 + 4.0 * t, 0.1, 2.5), DVec3::X * 4.0)]
    });
    assert_eq!(of("tunnel.count", &beside), 0.0);
}

#[test]
fn a_plate_that_turns_out_of_the_way_lets_pass_and_one_that_turns_into_it_does_not() {
    let mut world = world(&[plate(), rivet()]);
    (world.gravity, world.bodies[0].kind) = (DVec3::ZERO, BodyKind::Kinematic);
    // About z by a quarter within the flight: the plate lies along it when the rivet comes.
    let turning = |angle: fn(f64) -> f64| {
        trace(0.1, 1.0, move |t| {
            vec![
                turned(turn::about(DVec3::Z, angle(t)), DVec3::ZERO),
                at(DVec3::new(-2.03 + 4.0 * t, 0.1, 0.2), DVec3::X * 4.0),
            ]
        })
    };
    let along = turning(|_| std::f64::consts::FRAC_PI_2);
    assert_eq!(value("tunnel.count", &world, &[1], &[0], &along), 0.0);
    let across = turning(|t| 0.3 * t);
    assert_eq!(value("tunnel.count", &world, &[1], &[0], &across), 1.0);
}

#[test]
fn a_face_of_a_mesh_a_floor_without_end_and_a_gap_are_barriers() {
    let (a, b, c, d) = (
        DVec3::new(-2.0, 0.0, -2.0),
        DVec3::new(2.0, 0.0, -2.0),
        DVec3::new(2.0, 0.0, 2.0),
        DVec3::new(-2.0, 0.0, 2.0),
    );
    let mesh = TriangleMesh::new(vec![a, b, c, d], vec![[0, 2, 1], [0, 3, 2]]).unwrap();
    let sheet = ("sheet", BodyKind::Static, SpaceShape::Mesh(mesh.into()), DVec3::ZERO);
    let falls = |x: f64, z: f64| {
        trace(0.1, 1.0, move |t| {
            vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(x, 1.53 - 0.5 * G * t * t, z), DVec3::NEG_Y * (G * t))]
        })
    };
    let over = world(&[sheet, rivet()]);
    assert_eq!(value("tunnel.count", &over, &[1], &[0], &falls(0.5, 0.3)), 1.0);
    // Through the common edge of both faces, and beside both.
    assert_eq!(value("tunnel.count", &over, &[1], &[0], &falls(0.5, 0.5)), 1.0);
    assert_eq!(value("tunnel.count", &over, &[1], &[0], &falls(3.0, 0.5)), 0.0);
    let above = world(&[floor(), rivet()]);
    assert_eq!(value("tunnel.count", &above, &[1], &[0], &falls(0.5, 0.3)), 1.0);
    // Two planks with a slit of 6 cm, and a ball of 10 cm.
    let plank =
        |name, z: f64| (name, BodyKind::Static, SpaceShape::Box(DVec3::new(4.0, 0.1, 1.0)), DVec3::new(0.0, 0.0, z));
    let slit = world(&[plank("left", -0.53), plank("right", 0.53), rivet()]);
    let drop = |z: f64, y: fn(f64) -> f64| {
        trace(0.1, 1.0, move |t| {
            let planks = [-0.53, 0.53].map(|z| at(DVec3::new(0.0, 0.0, z), DVec3::ZERO));
            vec![planks[0], planks[1], at(DVec3::new(0.3, y(t), z), DVec3::NEG_Y * (G * t))]
        })
    };
    let through = drop(0.01, |t| 1.53 - 0.5 * G * t * t);
    assert_eq!(value("tunnel.seam", &slit, &[2], &[0, 1], &through), 1.0);
    // One that lies on the slit, sunk in by a little, does not.
    let lies = drop(0.0, |t| 0.04 + 0.09 - 0.001 * (7.0 * t).sin());
    assert_eq!(value("tunnel.count", &slit, &[2], &[0, 1], &lies), 0.0);
}

#[test]
fn pushes_of_contacts_are_explained_in_space_and_ghosts_are_not() {
    let block = ("block", BodyKind::Dynamic, SpaceShape::Box(DVec3::splat(0.2)), DVec3::new(0.0, 0.1, 0.0));
    let world = world(&[floor(), block]);
    // Sliding along a diagonal with friction 0.5: the push is the normal one and half of it across.
    let way = DVec3::new(0.6, 0.0, -0.8);
    let slide = |lift: f64, push: f64| {
        trace(0.01, 0.5, move |t| {
            let speed = 3.0 - 0.5 * G * t;
            let kicked =
                if t > 0.255 { DVec3::new(0.0, lift, 0.0) + DVec3::new(0.8, 0.0, 0.6) * push } else { DVec3::ZERO };
            let place = way * (3.0 * t - 0.25 * G * t * t) + DVec3::Y * 0.1 + kicked * (t - 0.255).max(0.0);
            vec![at(DVec3::ZERO, DVec3::ZERO), at(place, way * speed + kicked)]
        })
    };
    let clean = slide(0.0, 0.0);
    assert!(
        value("ghost.speed", &world, &[1], &[], &clean) < 1e-9,
        "{:?}",
        measure("ghost.speed", &world, &[1], &[], &clean)
    );
    assert_eq!(value("ghost.count", &world, &[1], &[], &clean), 0.0);
    // A kick to the side that no friction of 0.5 gives: outside the cone about a step of gravity by what its rim leaves.
    let kicked = slide(0.0, 0.2);
    let (across, up, half) = ((0.2_f64.powi(2) + (0.5 * G * 0.01).powi(2)).sqrt(), G * 0.01, 0.5_f64.atan());
    let due = across * half.cos() - up * half.sin();
    let found = value("ghost.speed", &world, &[1], &[], &kicked);
    assert!((found / due - 1.0).abs() < 0.01, "{found} and {due} are due");
    assert_eq!(value("ghost.count", &world, &[1], &[], &kicked), 1.0);
    // In free flight everything is a ghost.
    let flying = trace(0.01, 0.5, |t| {
        let speed = if t > 0.25 { DVec3::new(1.0, 0.0, 0.3) } else { DVec3::X } - DVec3::Y * (G * t);
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(t, 5.0 - 0.5 * G * t * t, 0.3 * (t - 0.25).max(0.0)), speed)]
    });
    assert!((value("ghost.speed", &world, &[1], &[], &flying) - 0.3).abs() < 1e-9);
}

#[test]
fn rays_are_held_against_every_shape() {
    let bar = ("bar", BodyKind::Dynamic, SpaceShape::Capsule { length: 2.0, radius: 0.25 }, DVec3::ZERO);
    let world = world(&[floor(), bar]);
    // Upright at x = 3, its lower cap at 1.0.
    let mut standing = turned(turn::about(DVec3::Z, std::f64::consts::FRAC_PI_2), DVec3::ZERO);
    standing.pose.position = DVec3::new(3.0, 2.25, 0.5);
    let frame = Frame { bodies: vec![at(DVec3::ZERO, DVec3::ZERO), standing], ..Frame::default() };
    let asked = |from: DVec3, to: DVec3, hit: Option<(usize, f64)>| {
        let mut gauge = find("ray.error").unwrap().begin(&world, &Scope { of: vec![1], ..Scope::default() });
        let hit = hit.map(|(body, distance)| RayHit { body, point: from, normal: DVec3::Y, distance });
        gauge.observe_query(&world, &QueryResult::Ray { frame: &frame, from, to, hit });
        gauge.reading(&world).value.unwrap()
    };
    let (from, to) = (DVec3::new(0.0, 2.0, 0.5), DVec3::new(10.0, 2.0, 0.5));
    assert!(asked(from, to, Some((1, 2.75))) < 1e-14);
    assert!((asked(from, to, Some((1, 2.0))) - 0.75).abs() < 1e-14, "an outline as long as the capsule is round");
    assert_eq!(asked(from, to, None), 10.0);
    assert!(asked(DVec3::new(0.0, 4.0, 0.0), DVec3::new(0.0, -4.0, 0.0), Some((0, 4.0))) < 1e-15);
}

#[test]
fn sensors_are_held_against_where_parts_are() {
    let gate = ("gate", BodyKind::Static, SpaceShape::Box(DVec3::new(0.4, 4.0, 4.0)), DVec3::ZERO);
    let mut world = world(&[gate, rivet()]);
    (world.gravity, world.bodies[0].parts[0].sensor) = (DVec3::ZERO, true);
    let passes = |notices: &[(u64, SensorEventKind)], speed: f64| {
        let mut frames = trace(0.1, 1.0, |t| {
            vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(-2.03 + speed * t, 0.1, 0.2), DVec3::X * speed)]
        });
        for &(step, kind) in notices {
            frames[step as usize].events.push(SensorEvent { step, kind, sensor: [0, 0], other: [1, 0] });
        }
        (value("sensor.wrong", &world, &[1], &[], &frames), value("sensor.missed", &world, &[1], &[], &frames))
    };
    use SensorEventKind::{Enter, Leave};
    // At 4 m/s: inside in frames 5 only (-0.03), out in frame 6 (0.37).
    assert_eq!(passes(&[(5, Enter), (6, Leave)], 4.0), (0.0, 0.0));
    assert_eq!(passes(&[(5, Enter)], 4.0).0, 1.0, "never left");
    // At 30 m/s it flies through within a step.
    assert_eq!(passes(&[(1, Enter), (1, Leave)], 30.0), (0.0, 0.0));
    assert_eq!(passes(&[], 30.0), (1.0, 1.0));
}

#[test]
fn quaternions_that_are_not_of_unit_length_are_told() {
    let world = world(&[ball()]);
    let mut frames = trace(0.1, 1.0, |_| vec![at(DVec3::ZERO, DVec3::ZERO)]);
    assert_eq!(value("quaternion.norm", &world, &[0], &[], &frames), 0.0);
    frames[4].bodies[0].pose.rotation = DQuat::from_xyzw(0.0, 0.6, 0.0, 0.8) * 1.25;
    assert!(!frames[4].has_unit_rotations());
    frames[4].normalise_rotations();
    assert!((value("quaternion.norm", &world, &[0], &[], &frames) - 0.25).abs() < 1e-15);
    assert!(frames[4].has_unit_rotations() && (frames[4].bodies[0].pose.rotation.w - 0.8).abs() < 1e-15);
}

/// A symmetric body of moments 1 about x and 2 across, free: its axis goes round its momentum at L / 2.
fn symmetric() -> (ironspin_model::World, f64, impl Fn(f64) -> BodyState) {
    let mut free = world(&[ball()]);
    free.gravity = DVec3::ZERO;
    free.bodies[0].inertia = Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 2.0)));
    let (own, across) = (5.0, 1.5);
    // Momentum (5, 3, 0) along the axes of the body at first: its length over 2 is the rate of precession; the body turns about its own axis by what is left.
    let momentum = DVec3::new(own, 2.0 * across, 0.0);
    let precession = momentum.length() / 2.0;
    let proper = own - own / 2.0;
    let state = move |t: f64| {
        let rotation =
            turn::product(turn::about(momentum.normalize(), precession * t), turn::about(DVec3::X, proper * t));
        let axis = turn::turned(rotation, DVec3::X);
        turned(rotation, momentum.normalize() * precession + axis * proper)
    };
    (free, precession, state)
}

#[test]
fn a_free_symmetric_body_precesses_at_its_exact_rate_and_keeps_its_balance() {
    let (world, precession, state) = symmetric();
    let frames = trace(0.01, 3.0, |t| vec![state(t)]);
    assert!(value("spin.balance", &world, &[0], &[], &frames) < 1e-13);
    assert!((value("precession.rate", &world, &[0], &[], &frames) - precession).abs() < 1e-12);
    let along = Scope {
        of: vec![0],
        details: Details { point: Some(DVec3::X * 3.0), ..Details::default() },
        ..Scope::default()
    };
    assert!((measure_with("precession.rate", &world, &along, &frames, &[]).value.unwrap() - precession).abs() < 1e-12);
    // Without the gyroscopic term the spin stays: the momentum does not, and the axis goes round at another rate.
    let spin = state(0.0).spin;
    let stiff = trace(0.01, 3.0, |t| vec![turned(turn::by_vector(spin * t), spin)]);
    assert!(value("spin.balance", &world, &[0], &[], &stiff) > 0.1);
    assert!((value("precession.rate", &world, &[0], &[], &stiff) - precession).abs() > 0.1);
    // Along other axes the body has products of inertia, and none of its own axes is meant.
    let mut slanted = world.clone();
    slanted.bodies[0].inertia.0.x_axis.y = 0.1;
    slanted.bodies[0].inertia.0.y_axis.x = 0.1;
    let reading = measure("precession.rate", &slanted, &[0], &[], &frames);
    assert!(reading.value.is_none() && reading.detail.contains("`point`"), "{reading:?}");
    // Energy that is fed by a hundredth a second is told as such.
    let fed = trace(0.01, 3.0, |t| {
        let mut now = state(t);
        now.spin *= 1.0 + 0.005 * t;
        vec![now]
    });
    assert!((value("spin.balance", &world, &[0], &[], &fed) - (1.015_f64.powi(2) - 1.0)).abs() < 1e-9);
}

#[test]
fn a_heavy_top_goes_round_the_vertical_by_the_right_hand() {
    let mut top = world(&[ball()]);
    top.bodies[0].inertia = Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 1.0)));
    // Its axis, y, leans by 0.3 and goes round y of the world at 0.7 rad/s, thumb up; its own spin counts for nothing.
    let frames = trace(0.01, 20.0, |t| {
        let rotation = turn::product(turn::about(DVec3::Y, 0.7 * t), turn::about(DVec3::X, 0.3));
        vec![turned(turn::product(rotation, turn::about(DVec3::Y, 40.0 * t)), DVec3::Y)]
    });
    assert!((value("precession.rate", &top, &[0], &[], &frames) - 0.7).abs() < 1e-12);
}

#[test]
fn answers_that_depend_on_the_direction_are_told() {
    let angles: Vec<f64> = (0..16).map(|k| std::f64::consts::TAU * f64::from(k) / 16.0).collect();
    let mut court = world(&vec![ball(); 16]);
    for (k, body) in court.bodies.iter_mut().enumerate() {
        *body =
            Body { name: format!("puck-{k}"), parts: vec![Part::solid(SpaceShape::Sphere(0.1), 0)], ..body.clone() };
    }
    let of: Vec<usize> = (0..16).collect();
    let slid = |ways: fn(f64) -> f64| {
        let angles = angles.clone();
        trace(0.5, 1.0, move |t| {
            angles.iter().map(|a| at(DVec3::new(a.cos(), -0.3, a.sin()) * (ways(*a) * t), DVec3::ZERO)).collect()
        })
    };
    assert!(value("friction.isotropy", &court, &of, &[], &slid(|_| 2.0)) < 1e-12);
    // A pyramid along x and z holds by 1.41 along the diagonals, where the way is as much shorter.
    let pyramid = slid(|a| 2.0 / (a.cos().abs() + a.sin().abs()));
    let found = value("friction.isotropy", &court, &of, &[], &pyramid);
    assert!(found > 0.3 && found < 0.4, "{found}");
    let details = Details { measure: Some(Measure::new("x", |state, _| state.pose.position.x)), ..Details::default() };
    let by_measure = Scope { of, details, ..Scope::default() };
    assert!(measure_with("friction.isotropy", &court, &by_measure, &slid(|_| 2.0), &[]).value.unwrap() > 1.0);
}

#[test]
fn falls_rests_settling_and_swings_are_measured_in_space() {
    let world = world(&[floor(), ball()]);
    let fall = |z: f64| {
        trace(0.01, 0.5, move |t| {
            let way = DVec3::new(0.0, -0.5 * G * t * t, z * t * t);
            vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::Y * 2.5 + way, DVec3::new(0.0, -G * t, 2.0 * z * t))]
        })
    };
    assert!((value("fall.ratio", &world, &[1], &[], &fall(0.0)) - 1.0).abs() < 1e-12);
    let aside = trace(0.01, 0.5, |t| {
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(0.0, 2.5, -0.5 * G * t * t), DVec3::ZERO)]
    });
    assert!(measure("fall.ratio", &world, &[1], &[], &aside).detail.contains("along -z"));
    let rests = trace(0.01, 2.0, |t| {
        vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::Y * 0.5, DVec3::X * if t < 0.505 { 1.0 } else { 0.0 })]
    });
    assert!(value("rest.gap", &world, &[1], &[0], &rests).abs() < 1e-15);
    assert!((value("settle.time", &world, &[1], &[], &rests) - 0.5).abs() < 1e-9);
    let swings = trace(0.001, 4.0, |t| {
        vec![
            at(DVec3::ZERO, DVec3::ZERO),
            at(DVec3::new(0.0, 2.0, (3.0 * t - 0.4).sin()), DVec3::Z * (3.0 * (3.0 * t - 0.4).cos())),
        ]
    });
    let measure_z =
        Details { measure: Some(Measure::new("z", |state, _| state.pose.position.z)), ..Details::default() };
    let scope = Scope { of: vec![1], details: measure_z, ..Scope::default() };
    let period = measure_with("period.mean", &world, &scope, &swings, &[]).value.unwrap();
    assert!((period - std::f64::consts::TAU / 3.0).abs() < 1e-6, "{period}");
    assert!(measure("period.mean", &world, &[1], &[], &swings).unsupported);
    let shakes = value("jitter.frequency", &world, &[1], &[], &swings);
    assert!((shakes - 3.0 / std::f64::consts::TAU).abs() < 0.02, "{shakes}");
}

#[test]
fn pairs_that_may_not_touch_and_answer_and_pairs_that_may_and_do_not_are_told() {
    let free = || {
        let mut world = world(&[plate(), rivet()]);
        world.gravity = DVec3::ZERO;
        world
    };
    let mut excluded = free();
    excluded.excluded_pairs = vec![[0, 1]];
    let through = flight(|_| 4.0, |t| -2.0 + 4.0 * t);
    assert_eq!(value("filter.breaches", &excluded, &[1], &[0], &through), 0.0);
    let back = flight(|t| if t < 0.51 { 4.0 } else { -4.0 }, |t| if t < 0.51 { -2.0 + 4.0 * t } else { 2.0 - 4.0 * t });
    assert_eq!(value("filter.breaches", &excluded, &[1], &[0], &back), 1.0);
    assert_eq!(value("filter.ignored", &free(), &[1], &[0], &through), 1.0);
}

#[test]
fn a_cache_of_space_is_shared_by_all_gauges_of_a_trial() {
    // Two gauges that ask for the same pushes in the same frames find what each finds alone.
    let world = world(&[floor(), ball()]);
    let frames =
        trace(0.01, 0.5, |t| vec![at(DVec3::ZERO, DVec3::ZERO), at(DVec3::new(0.0, 0.5, 0.0), DVec3::X * (0.1 * t))]);
    let alone = value("ghost.speed", &world, &[1], &[], &frames);
    let scope = Scope { of: vec![1], ..Scope::default() };
    let (mut one, mut two) =
        (find("ghost.speed").unwrap().begin(&world, &scope), find("ghost.count").unwrap().begin(&world, &scope));
    let (mut cache, derived) = (FrameCache::new(&world), Derived::default());
    let mut before = None;
    for now in &frames {
        cache.update(now);
        let step =
            ironspin_gauge::Step { world: &world, before, now, gravity: world.gravity, effects: &[], cache: &cache };
        let view = ironspin_gauge::View { step, derived: &derived };
        one.observe(&view);
        two.observe(&view);
        before = Some(now);
    }
    assert_eq!(one.reading(&world).value, Some(alone));
}
