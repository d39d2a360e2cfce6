//! Mixing of materials, pairs of their own, gravity factors, uneven steps.

use crate::worlds::{G, stack};
use crate::yard::{Bench, conditions, floor, settings, solid, square, world};
use ironspin_engine::Builtin;
use ironspin_model::{DVec2, DVec3, Engine, Frame, Inertia, Material, PairMaterial, Part, PlaneShape, Pose, World};

/// A ball of one material dropped on a floor of another.
fn drop(e_floor: f64, e_ball: f64) -> World {
    let mut world = world(G, 0.5, e_floor);
    world.materials.push(Material { name: "steel".into(), density: 1.0, friction: 0.5, restitution: e_ball });
    world.bodies.push(floor());
    let mut ball = solid(PlaneShape::Disc(0.5), 0.0, 3.0);
    ball.parts[0].material = 1;
    world.bodies.push(ball);
    world
}

/// Speed just after the first bounce over that before it, at heights made equal by energy.
fn rebound(world: World, options: &str) -> f64 {
    let mut bench = Bench::new(world, options, 1.0 / 240.0);
    let (mut fastest, mut summit, mut bounced) = (0.0_f64, 0.0_f64, false);
    bench.seconds(1.6, |frame| {
        let speed = frame.bodies[1].velocity.y;
        bounced |= speed > 0.0;
        if bounced {
            summit = summit.max(frame.bodies[1].pose.position.y - 0.5);
        } else {
            fastest = fastest.max(-speed);
        }
    });
    // From the height it came from and the height it reached.
    (summit / 2.5).sqrt()
}

#[test]
fn restitution_mixes_as_the_setting_says() {
    for (mixing, expected) in
        [("standard", 0.8), ("average", 0.6), ("product", 0.32), ("smaller", 0.4), ("larger", 0.8)]
    {
        let found = rebound(drop(0.4, 0.8), &format!("mixing={mixing}"));
        assert!((found - expected).abs() < 1e-3, "{mixing}: {found}");
    }
}

#[test]
fn a_pair_of_its_own_beats_every_mixing_rule_in_either_order() {
    for between in [[0, 1], [1, 0]] {
        for mixing in ["standard", "product", "smaller"] {
            let mut world = drop(0.4, 0.8);
            world.pairs.push(PairMaterial { between, friction: 0.5, restitution: 0.55 });
            let found = rebound(world, &format!("mixing={mixing}"));
            assert!((found - 0.55).abs() < 1e-3, "{mixing} {between:?}: {found}");
        }
    }
}

#[test]
fn mass_does_not_matter_in_free_fall_and_the_gravity_factor_does() {
    let mut world = world(G, 0.0, 0.0);
    for (mass, factor) in [(1e-3, 1.0), (1e6, 1.0), (1.0, 0.0), (1.0, -2.0)] {
        let mut body = solid(square(1.0), 10.0 * world.bodies.len() as f64, 0.0);
        (body.mass, body.inertia, body.gravity_factor) = (mass, Inertia::planar(mass), factor);
        world.bodies.push(body);
    }
    for options in ["", "solver=compliant", "solver=position"] {
        let mut bench = Bench::new(world.clone(), options, 1.0 / 64.0);
        bench.seconds(2.0, |_| {});
        for (body, fall) in [(0, -0.5 * G * 4.0), (1, -0.5 * G * 4.0), (2, 0.0), (3, G * 4.0)] {
            assert!((bench.position(body).y - fall).abs() < 1e-11, "{options}: {body} at {}", bench.position(body));
        }
    }
}

/// Steps that change their length from one to the next, between half and twice a sixtieth.
fn uneven(count: usize) -> Vec<f64> {
    (0..count).map(|i| [0.5, 1.3, 0.8, 2.0, 1.0, 0.6][i % 6] / 60.0).collect()
}

#[test]
fn uneven_steps_keep_free_flight_exact_and_a_stack_standing() {
    let mut flight = world(G, 0.0, 0.0);
    let mut body = solid(square(1.0), 0.0, 0.0);
    body.velocity = DVec3::new(3.0, 4.0, 0.0);
    flight.bodies.push(body);
    let mut engine = Builtin::new(settings(""));
    engine.build(&flight, &conditions()).unwrap();
    engine
        .advance(&uneven(300), &mut |frame: &Frame| {
            let t = frame.time;
            let expected = DVec2::new(3.0 * t, 4.0 * t - 0.5 * G * t * t);
            let off = frame.bodies[0].pose.position.truncate().distance(expected);
            assert!(off < 1e-10, "off by {off} at {t}");
        })
        .unwrap();

    let pile = stack(8);
    let mut engine = Builtin::new(settings(""));
    engine.build(&pile, &conditions()).unwrap();
    let mut last = Frame::default();
    engine.advance(&uneven(1200), &mut |frame: &Frame| last.clone_from(frame)).unwrap();
    for (body, state) in pile.bodies.iter().zip(&last.bodies) {
        assert!((state.pose.position - body.pose.position).length() < 0.01, "{} at {}", body.name, state.pose.position);
        assert!(state.velocity.length() < 1e-3);
    }
}

#[test]
fn parts_of_one_body_keep_materials_of_their_own() {
    // A sledge with one sticky and one smooth runner: pushed along, only the sticky one brakes. The runners are round, so that each
    // carries its load at one point and the loads are determined.
    let mut world = world(G, 0.0, 0.0);
    world.materials.push(Material { name: "rubber".into(), density: 1.0, friction: 1.0, restitution: 0.0 });
    world.pairs.push(PairMaterial { between: [0, 1], friction: 0.4, restitution: 0.0 });
    world.bodies.push(floor());
    let runner = |x: f64, material: usize| Part {
        pose: Pose::flat(DVec2::new(x, 0.0), 0.0),
        ..Part::solid(PlaneShape::Disc(0.1), material)
    };
    let mut sledge = solid(square(0.2), 0.0, 0.1);
    sledge.parts = vec![runner(-1.0, 0), runner(1.0, 1)];
    (sledge.mass, sledge.inertia, sledge.velocity) = (2.0, Inertia::planar(2.0), DVec3::new(4.0, 0.0, 0.0));
    world.bodies.push(sledge);
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    bench.seconds(1.0, |_| {});
    // Front friction F at height 0.1 below the centre shifts the load: N_front = m g / 2 + 0.1 F / 2, F = 0.4 N_front.
    let front = 0.5 * 2.0 * G / (1.0 - 0.4 * 0.1 / 2.0);
    let expected = 4.0 - 0.4 * front / 2.0;
    assert!((bench.velocity(1).x / expected - 1.0).abs() < 0.01, "{} and not {expected}", bench.velocity(1).x);
}
