//! What is refused, by name, and what must not bring the engine down.

use super::yard::{cube, floor, solid, tower, world};
use crate::yard::Bench;
use ironspin_model::{
    DMat3, DQuat, DVec3, Dimension, EngineError, Inertia, Joint, JointFrame, JointKind, Part, PlaneShape, SpaceShape,
    World,
};

fn refusal(world: World, options: &str) -> EngineError {
    Bench::try_new(world, options, 1.0 / 60.0).err().expect("a refusal")
}

#[test]
fn what_is_not_made_for_space_is_refused_by_its_name() {
    for (options, named) in [
        ("solver=compliant", "solver=compliant"),
        ("solver=position", "solver=position"),
        ("solver=event", "solver=event"),
        ("fault=disc-like-a-ring", "fault=disc-like-a-ring"),
    ] {
        let EngineError::Unsupported { feature } = refusal(tower(2), options) else { panic!("{options}") };
        assert!(feature.contains(named) && feature.contains("3 dimensions"), "{feature}");
    }
    let mut socket = World { dimension: Dimension::Plane, ..tower(2) };
    socket.bodies.clear();
    for name in ["a", "b"] {
        socket.bodies.push(crate::yard::solid(PlaneShape::Disc(0.5), 0.0, 0.0));
        name.clone_into(&mut socket.bodies.last_mut().unwrap().name);
    }
    let frames = JointFrame::pair([DVec3::ZERO; 2], DVec3::Z, [DQuat::IDENTITY; 2]);
    socket.joints.push(Joint { kind: JointKind::Socket, bodies: [0, 1], frames, length: None });
    assert!(matches!(refusal(socket, ""), EngineError::Unsupported { feature } if feature.contains("joint.socket")));
}

#[test]
fn worlds_that_make_no_sense_are_refused() {
    let changed = |change: &dyn Fn(&mut World)| {
        let mut world = tower(1);
        change(&mut world);
        world
    };
    let worlds: [(&str, World); 7] = [
        ("mass", changed(&|w| w.bodies[1].mass = 0.0)),
        ("inertia", changed(&|w| w.bodies[1].inertia = Inertia(DMat3::from_diagonal(DVec3::new(1.0, -1.0, 1.0))))),
        ("rotation", changed(&|w| w.bodies[1].pose.rotation = DQuat::from_xyzw(0.0, 0.0, 0.0, 2.0))),
        ("finite", changed(&|w| w.bodies[1].velocity.z = f64::NAN)),
        ("shape of space", changed(&|w| w.bodies[1].parts[0] = Part::solid(PlaneShape::Disc(1.0), 0))),
        ("sound size", changed(&|w| w.bodies[1].parts[0] = Part::solid(SpaceShape::Sphere(-1.0), 0))),
        ("half-space", changed(&|w| w.bodies[1].parts[0] = Part::solid(SpaceShape::HalfSpace(DVec3::Y), 0))),
    ];
    for (named, world) in worlds {
        let EngineError::BadWorld { why } = refusal(world, "") else { panic!("{named}") };
        assert!(why.contains(named), "{named}: {why}");
    }
    let mut flat = World { dimension: Dimension::Plane, ..tower(1) };
    flat.gravity = DVec3::ZERO;
    assert!(matches!(refusal(flat, ""), EngineError::BadWorld { why } if why.contains("shape of the plane")));
}

#[test]
fn wild_numbers_do_not_bring_it_down() {
    for (mass, speed, dt) in [(1e-300, 1e300, 1e-3), (1e300, 1e-300, 1e3), (1.0, 1e9, 1.0), (1e-9, 1.0, 1e-9)] {
        let mut world = world(9.81, 0.5, 0.5);
        world.bodies.push(floor());
        for i in 0..6 {
            let mut body = solid(cube(0.5), DVec3::new(0.0, 0.3 + f64::from(i) * 0.4, 0.1));
            (body.mass, body.inertia) = (mass, Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 3.0) * mass)));
            (body.velocity, body.spin) = (DVec3::new(speed, -speed, speed), DVec3::splat(speed));
            world.bodies.push(body);
        }
        for options in ["", "precision=f32", "integrator=explicit-euler", "broad=grid", "broad=tree"] {
            let Ok(mut bench) = Bench::try_new(world.clone(), options, dt) else { continue };
            bench.run(10, |_| {});
        }
    }
}

#[test]
fn a_hundred_thousand_bodies_in_one_place_end_with_an_error_and_at_once() {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    world.bodies.extend((0..100_000).map(|_| solid(SpaceShape::Sphere(0.1), DVec3::Y)));
    for options in ["", "broad=tree", "swept=all"] {
        let mut bench = Bench::new(world.clone(), options, 1.0 / 60.0);
        let ended = bench.engine.advance_blind(1.0 / 60.0, 1);
        let Err(EngineError::BadWorld { why }) = ended else { panic!("{options}: {ended:?}") };
        assert!(why.contains("stand in one place"), "{why}");
    }
}
