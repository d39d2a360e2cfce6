//! Nodes that are held to points of rigid bodies, in plane and space: no momentum comes of it, gaps stay closed, and what hangs swings as it must.

use crate::space::yard as space;
use crate::yard::{self, Bench};
use ironspin_model::{
    Body, BodyKind, DVec2, DVec3, Dimension, NodeSpring, NodeTraits, Pin, PlaneShape, SoftBody, SpaceShape, World, turn,
};

/// A chain of three nodes of 0.1 kg between two bodies of a world, pinned to a point of each.
fn with_chain(world: &mut World, ends: [(usize, DVec3); 2], masses: [f64; 3]) {
    // It touches nothing: contacts are for other tests.
    let traits = NodeTraits { dimension: world.dimension, collision_mask: 0, ..NodeTraits::plain("chain") };
    let place = |(body, point): (usize, DVec3)| world.bodies[body].pose.position + point;
    let [from, to] = ends.map(place);
    let first = world.bodies.len();
    for (i, mass) in masses.into_iter().enumerate() {
        let at = from + (to - from) * (i as f64 / 2.0);
        world.bodies.push(traits.node(&format!("[{i}]"), at, DVec3::ZERO, mass));
    }
    let length = 0.5 * from.distance(to);
    let spring = |a: usize| NodeSpring { ends: [a, a + 1], length, stiffness: 60.0, damping: 0.0 };
    let pin = |node: usize, (body, point): (usize, DVec3)| Pin { node, body, point };
    world.softs.push(SoftBody {
        name: "chain".into(),
        nodes: first..first + 3,
        springs: vec![spring(0), spring(1)],
        pins: vec![pin(0, ends[0]), pin(2, ends[1])],
        ..SoftBody::default()
    });
}

fn moving(body: Body, at: DVec3, velocity: DVec3, spin: DVec3) -> Body {
    Body { pose: ironspin_model::Pose::at(at), velocity, spin, ..body }
}

/// Two blocks that drift and spin with a chain between them.
fn pair(dimension: Dimension) -> World {
    let (speed, spin) = (DVec3::new(-0.2, 0.5, 0.0), DVec3::new(0.0, 0.0, 1.5));
    let mut world = match dimension {
        Dimension::Plane => yard::world(0.0, 0.0, 0.0),
        Dimension::Space => space::world(0.0, 0.0, 0.0),
    };
    let block = || match dimension {
        Dimension::Plane => yard::solid(PlaneShape::Box(DVec2::new(1.0, 0.5)), 0.0, 0.0),
        Dimension::Space => space::solid(SpaceShape::Box(DVec3::new(1.0, 0.5, 0.7)), DVec3::ZERO),
    };
    let aside = if dimension == Dimension::Space { DVec3::new(1.0, -0.7, 0.0) } else { DVec3::ZERO };
    world.bodies.push(moving(block(), DVec3::ZERO, speed, spin + aside));
    world.bodies.push(moving(block(), DVec3::new(3.0, 0.0, 0.0), -0.5 * speed, -0.5 * spin));
    with_chain(&mut world, [(0, DVec3::new(0.5, 0.25, 0.0)), (1, DVec3::new(-0.5, 0.25, 0.0))], [0.1; 3]);
    world
}

/// Linear and angular momentum about the origin, and energy.
fn balance(world: &World, bench: &Bench) -> (DVec3, DVec3, f64) {
    let mut total = (DVec3::ZERO, DVec3::ZERO, 0.0);
    for (body, state) in world.bodies.iter().zip(&bench.frame.bodies) {
        let linear = body.mass * state.velocity;
        let own = match world.dimension {
            Dimension::Plane => body.inertia.0 * state.spin,
            Dimension::Space => turn::turned_inertia(state.pose.rotation, body.inertia).0 * state.spin,
        };
        total.0 += linear;
        total.1 += state.pose.position.cross(linear) + own;
        total.2 += 0.5 * linear.dot(state.velocity) + 0.5 * own.dot(state.spin);
    }
    let soft = &world.softs[0];
    for spring in &soft.springs {
        let [a, b] = spring.ends.map(|end| bench.frame.bodies[soft.nodes.start + end].pose.position);
        total.2 += 0.5 * spring.stiffness * (a.distance(b) - spring.length).powi(2);
    }
    total
}

/// The widest gap between a pinned node and its point, m.
fn gap(world: &World, bench: &Bench) -> f64 {
    let soft = &world.softs[0];
    let one = |pin: &Pin| {
        let carrier = &bench.frame.bodies[pin.body].pose;
        let point = carrier.position + turn::turned(carrier.rotation, pin.point);
        bench.frame.bodies[soft.nodes.start + pin.node].pose.position.distance(point)
    };
    soft.pins.iter().map(one).fold(0.0, f64::max)
}

#[test]
fn two_blocks_on_a_chain_keep_momentum_and_energy_and_the_pins_stay_closed() {
    for dimension in Dimension::BOTH {
        // Only half of the way of a method of order 1 is right to the second order.
        // Under the classical method a node's way is not its velocity, and a pull has a moment of the third order in the step.
        for (options, bound, moment) in [
            ("", 1e-4, 1e-11),
            ("substeps=2", 1e-3, 1e-11),
            ("integrator=rk4", 1e-3, 1e-5),
            ("integrator=symplectic-euler", 0.05, 1e-11),
        ] {
            let world = pair(*dimension);
            let mut bench = Bench::new(world.clone(), options, 1.0 / 240.0);
            let (linear, angular, _) = balance(&world, &bench);
            // The first step gives nodes the velocities of their points, which costs energy.
            bench.seconds(0.1, |_| {});
            let energy = balance(&world, &bench).2;
            let (mut lost, mut turned, mut widest) = (0.0_f64, 0.0_f64, 0.0_f64);
            for _ in 0..40 {
                bench.seconds(0.1, |_| {});
                let now = balance(&world, &bench);
                lost = lost.max((now.0 - linear).length());
                turned = turned.max((now.1 - angular).length());
                widest = widest.max(gap(&world, &bench));
            }
            assert!(lost < 1e-11 && turned < moment, "{dimension:?} {options} {lost} {turned}");
            assert!(widest < 1e-6, "{dimension:?} {options} {widest}");
            let now = balance(&world, &bench).2;
            assert!((now - energy).abs() < bound * energy, "{dimension:?} {options} {energy} {now}");
        }
    }
}

#[test]
fn a_held_node_goes_with_a_kinematic_body_and_a_free_one_too() {
    for dimension in Dimension::BOTH {
        for masses in [[0.0, 0.1, 0.1], [0.1; 3]] {
            let mut world = pair(*dimension);
            world.softs.clear();
            world.bodies.truncate(2);
            world.bodies[0] = Body {
                kind: BodyKind::Kinematic,
                velocity: DVec3::new(0.0, 1.0, 0.0),
                spin: DVec3::ZERO,
                ..world.bodies[0].clone()
            };
            with_chain(&mut world, [(0, DVec3::new(0.5, 0.0, 0.0)), (1, DVec3::new(-0.5, 0.0, 0.0))], masses);
            let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
            bench.seconds(1.0, |_| {});
            assert!(gap(&world, &bench) < 1e-9);
            assert!((bench.frame.bodies[2].velocity - DVec3::new(0.0, 1.0, 0.0)).length() < 1e-9);
            // The other block is drawn along.
            assert!(
                bench.frame.bodies[1].velocity.y > world.bodies[1].velocity.y + 1e-3,
                "{dimension:?} {:?}",
                bench.frame.bodies[1].velocity
            );
        }
    }
}

/// A block that hangs by a point over its centre on a node of mass 0 is a pendulum: T = 2 pi sqrt((I + m l^2) / (m g l)).
#[test]
fn a_body_that_hangs_on_a_held_node_swings_as_a_pendulum() {
    let (lever, g) = (0.8, 9.81);
    for dimension in Dimension::BOTH {
        let mut world = pair(*dimension);
        world.softs.clear();
        world.bodies.truncate(1);
        world.gravity = DVec3::new(0.0, -g, 0.0);
        let spin = DVec3::new(0.0, 0.0, 0.02);
        let block = world.bodies[0].clone();
        world.bodies[0] = Body { spin, velocity: spin.cross(-lever * DVec3::Y), ..block };
        let traits = NodeTraits { dimension: *dimension, ..NodeTraits::plain("hook") };
        world.bodies.push(traits.node("[0]", lever * DVec3::Y, DVec3::ZERO, 0.0));
        world.softs.push(SoftBody {
            name: "hook".into(),
            nodes: 1..2,
            pins: vec![Pin { node: 0, body: 0, point: lever * DVec3::Y }],
            ..SoftBody::default()
        });
        let body = &world.bodies[0];
        let inertia = body.inertia.0.z_axis.z + body.mass * lever * lever;
        let period = std::f64::consts::TAU * (inertia / (body.mass * g * lever)).sqrt();
        let mut bench = Bench::new(world.clone(), "", 1.0 / 240.0);
        let (mut crossings, mut last) = (Vec::new(), bench.frame.clone());
        bench.seconds(8.0, |frame| {
            let [before, now] = [&last, frame].map(|frame| frame.bodies[0].spin.z);
            if before > 0.0 && now <= 0.0 {
                crossings.push(last.time + (frame.time - last.time) * before / (before - now));
            }
            last = frame.clone();
        });
        let measured = (crossings[crossings.len() - 1] - crossings[0]) / (crossings.len() - 1) as f64;
        assert!((measured / period - 1.0).abs() < 1e-4, "{dimension:?} {measured} {period}");
        assert!(gap(&world, &bench) < 1e-9);
    }
}
