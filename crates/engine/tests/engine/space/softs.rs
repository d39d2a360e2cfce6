//! Soft bodies in space: what they touch, both ways; save and restore; rays; what is refused.

use super::yard::{fixed, solid, world};
use crate::yard::Bench;
use ironspin_model::{
    Action, DVec3, Dimension, Effect, Engine, NodeSpring, NodeTraits, Pin, Pressure, SoftBody, SpaceShape, World,
};

/// Puts an octahedron of springs with gas and a skin into a world, its centre somewhere, moving.
fn with_bladder(world: &mut World, centre: DVec3, velocity: DVec3) {
    let traits = NodeTraits { dimension: Dimension::Space, radius: 0.02, ccd: true, ..NodeTraits::plain("bladder") };
    let axes = [DVec3::X, -DVec3::X, DVec3::Y, -DVec3::Y, DVec3::Z, -DVec3::Z];
    let first = world.bodies.len();
    for (i, axis) in axes.into_iter().enumerate() {
        world.bodies.push(traits.node(&format!("[{i}]"), centre + 0.3 * axis, velocity, 0.2));
    }
    let mut springs = Vec::new();
    for a in 0..6 {
        for b in (a + 1..6).filter(|b| a / 2 != b / 2) {
            springs.push(NodeSpring { ends: [a, b], length: 0.42, stiffness: 300.0, damping: 0.5 });
        }
    }
    let mut faces = Vec::new();
    for (x, y, z) in (0..8).map(|k| (k & 1, 2 + (k >> 1 & 1), 4 + (k >> 2 & 1))) {
        let outward = (x + y + z) % 2 == 0;
        faces.push(if outward { [x, y, z] } else { [x, z, y] });
    }
    world.softs.push(SoftBody {
        name: "bladder".into(),
        nodes: first..first + 6,
        radius: 0.02,
        springs,
        faces,
        pressure: Some(Pressure { amount: 2.0, outside: 0.0 }),
        ..SoftBody::default()
    });
}

fn momentum(world: &World, bench: &Bench) -> DVec3 {
    bench.frame.bodies.iter().zip(&world.bodies).map(|(state, body)| state.velocity * body.mass).sum()
}

#[test]
fn a_bladder_falls_bounces_and_rests_on_the_floor_and_nothing_goes_through() {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(fixed(SpaceShape::HalfSpace(DVec3::Y), DVec3::ZERO));
    with_bladder(&mut world, 0.8 * DVec3::Y, DVec3::ZERO);
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    let mut lowest = f64::INFINITY;
    bench.seconds(3.0, |frame| {
        lowest = frame.bodies[1..].iter().map(|state| state.pose.position.y).fold(lowest, f64::min);
    });
    assert!(lowest > 0.0, "{lowest}");
    let fastest = bench.frame.bodies[1..].iter().map(|state| state.velocity.length()).fold(0.0, f64::max);
    assert!(fastest < 0.5, "{fastest}");
}

#[test]
fn what_a_ball_gives_to_a_bladder_it_loses_itself() {
    let mut world = world(0.0, 0.3, 0.0);
    world.bodies.push(fixed(SpaceShape::Box(DVec3::splat(0.1)), 50.0 * DVec3::X));
    let mut shot = solid(SpaceShape::Sphere(0.1), DVec3::new(-1.0, 0.1, 0.1));
    shot.velocity = 3.0 * DVec3::X;
    world.bodies.push(shot);
    with_bladder(&mut world, DVec3::ZERO, DVec3::ZERO);
    let mut bench = Bench::new(world.clone(), "swept=all", 1.0 / 120.0);
    let before = momentum(&world, &bench);
    bench.seconds(1.0, |_| {});
    assert!((momentum(&world, &bench) - before).length() < 1e-12 * before.length(), "{}", momentum(&world, &bench));
    assert!(bench.frame.bodies[1].velocity.x < 2.5, "the ball was not slowed down");
    let bladder = bench.frame.bodies[2].velocity;
    assert!(bladder.x > 0.0, "{bladder}");
}

#[test]
fn swept_nodes_do_not_pass_a_thin_plate_at_speed() {
    for shape in [SpaceShape::Box(DVec3::new(0.004, 4.0, 4.0)), SpaceShape::HalfSpace(-DVec3::X)] {
        for speed in [5.0, 60.0, 400.0] {
            let mut world = world(0.0, 0.3, 0.0);
            world.bodies.push(fixed(shape.clone(), DVec3::X));
            with_bladder(&mut world, DVec3::ZERO, speed * DVec3::X);
            let mut bench = Bench::new(world, "swept=all", 1.0 / 60.0);
            bench.run(20, |frame| {
                let furthest = frame.bodies[1..].iter().map(|state| state.pose.position.x).fold(f64::MIN, f64::max);
                assert!(furthest < 1.0, "{speed} m/s: {furthest} at {}", frame.time);
            });
        }
    }
}

#[test]
fn a_restored_bladder_goes_the_same_way_and_threads_change_nothing() {
    let mut world = world(9.81, 0.5, 0.2);
    world.bodies.push(fixed(SpaceShape::HalfSpace(DVec3::Y), DVec3::ZERO));
    world.bodies.push(solid(SpaceShape::Box(DVec3::splat(0.3)), DVec3::new(0.1, 0.15, 0.0)));
    with_bladder(&mut world, 0.8 * DVec3::Y, DVec3::X);
    let mut once = Bench::new(world.clone(), "", 1.0 / 60.0);
    once.seconds(1.0, |_| {});
    let mut threaded = Bench::new(world.clone(), "threads=2", 1.0 / 60.0);
    threaded.seconds(1.0, |_| {});
    assert_eq!(once.frame.bodies, threaded.frame.bodies);
    let mut again = Bench::new(world, "", 1.0 / 60.0);
    again.seconds(0.5, |_| {});
    let token = again.engine.save().unwrap();
    again.seconds(0.3, |_| {});
    again.engine.restore(token).unwrap();
    again.seconds(0.5, |_| {});
    assert_eq!(once.frame.bodies, again.frame.bodies);
}

#[test]
fn rays_meet_the_skin_and_what_means_nothing_is_refused() {
    let mut world = world(0.0, 0.3, 0.0);
    world.bodies.push(fixed(SpaceShape::Box(DVec3::splat(0.1)), 50.0 * DVec3::X));
    with_bladder(&mut world, DVec3::ZERO, DVec3::ZERO);
    let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
    let hit = bench.engine.ray(-3.0 * DVec3::X, 3.0 * DVec3::X).unwrap().unwrap();
    // The corner at -0.3, rounded by 0.02.
    assert!((hit.distance - 2.68).abs() < 1e-6 && hit.body == 2 && hit.normal.x < -0.99, "{hit:?}");
    let inside = bench.engine.ray(DVec3::ZERO, 3.0 * DVec3::X).unwrap().unwrap();
    assert_eq!(inside.distance, 0.0);
    assert_eq!(bench.engine.ray(DVec3::new(-3.0, 1.0, 0.0), DVec3::new(3.0, 1.0, 0.0)).unwrap(), None);
    assert!(bench.engine.act(1, &Effect::Torque(DVec3::X)).is_err());
    world.softs[0].pins.push(Pin { node: 0, body: 1, point: DVec3::ZERO });
    let refused = Bench::try_new(world, "", 1.0 / 60.0).err().map(|error| error.to_string());
    assert!(refused.is_some_and(|why| why.contains("a pin to no rigid body")));
}

#[test]
fn a_world_of_soft_bodies_alone_feels_a_gravity_that_changes() {
    let mut world = world(0.0, 0.3, 0.0);
    with_bladder(&mut world, DVec3::ZERO, DVec3::ZERO);
    let effect = Effect::Gravity(-2.0 * DVec3::Z);
    world.actions.push(Action { at_time: 0.5, body: 0, effect });
    let mut bench = Bench::new(world.clone(), "", 1.0 / 64.0);
    bench.seconds(1.5, |_| {});
    let mass: f64 = world.bodies.iter().map(|body| body.mass).sum();
    let speed = momentum(&world, &bench) / mass;
    assert!((speed + 2.0 * DVec3::Z).length() < 1e-9, "{speed}");
}

/// Six times the volume inside the skin, as it is told by the states.
fn enclosed(world: &World, bench: &Bench) -> f64 {
    let at = |node: usize| bench.frame.bodies[node].pose.position;
    world.softs[0].faces.iter().map(|&[a, b, c]| at(a).dot(at(b).cross(at(c)))).sum::<f64>() / 6.0
}

/// Of nodes, springs and gas at one temperature: the work of pressing it together is the logarithm of the volumes.
fn energy(world: &World, bench: &Bench) -> f64 {
    let bodies = || bench.frame.bodies.iter().zip(&world.bodies);
    let soft = &world.softs[0];
    let amount = soft.pressure.map_or(0.0, |gas| gas.amount);
    let moving: f64 = bodies().map(|(state, node)| 0.5 * node.mass * state.velocity.length_squared()).sum();
    let stretched = |spring: &NodeSpring| {
        let [a, b] = spring.ends.map(|end| bench.frame.bodies[end].pose.position);
        0.5 * spring.stiffness * (a.distance(b) - spring.length).powi(2)
    };
    moving + soft.springs.iter().map(stretched).sum::<f64>() - amount * libm::log(enclosed(world, bench))
}

#[test]
fn a_closed_bladder_in_free_space_keeps_energy_and_momentum_for_a_minute() {
    let mut world = world(0.0, 0.0, 0.0);
    with_bladder(&mut world, DVec3::ZERO, DVec3::new(0.3, -0.1, 0.2));
    world.softs[0].springs.iter_mut().for_each(|spring| spring.damping = 0.0);
    // It swings in itself and turns.
    for (number, node) in world.bodies.iter_mut().enumerate() {
        let at = node.pose.position;
        node.velocity += DVec3::Z.cross(at) * 2.0 + at * [0.5, -0.2, 0.3][number / 2];
    }
    let omega = ironspin_model::Net::of(&world.softs[0], &world).omega;
    let size: f64 = world.bodies.iter().map(|body| body.mass * body.velocity.length()).sum();
    for dt in [1.0 / 60.0, 1.0 / 240.0] {
        let mut bench = Bench::new(world.clone(), "", dt);
        let (built, mut worst) = (momentum(&world, &bench), 0.0_f64);
        let mut energies = Vec::new();
        let moving = energy(&world, &bench);
        for _ in 0..(60.0 / dt) as usize {
            bench.seconds(dt, |_| {});
            energies.push(energy(&world, &bench));
            worst = worst.max((momentum(&world, &bench) - built).length() / size);
        }
        let mean = |part: &[f64]| part.iter().sum::<f64>() / part.len() as f64;
        let third = energies.len() / 3;
        let kinetic: f64 = world.bodies.iter().map(|node| 0.5 * node.mass * node.velocity.length_squared()).sum();
        let trend = (mean(&energies[2 * third..]) - mean(&energies[..third])).abs() / kinetic;
        let (low, high) = energies.iter().fold((f64::MAX, f64::MIN), |(l, h), &e| (l.min(e), h.max(e)));
        let (swing, allowed) = ((high - low) / kinetic, (omega * dt / 8.0).powi(2) / 4.0);
        assert!(
            moving.is_finite() && trend < 1e-3 && swing <= allowed && worst < 1e-12,
            "dt {dt}: {trend} {swing} {allowed} {worst}"
        );
    }
}
