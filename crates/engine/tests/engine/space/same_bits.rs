//! What must give the same bits, and what must be the same but for signs.

use super::yard::{crowd, free, tower, wall, world};
use crate::yard::{Bench, conditions, settings};
use ironspin_engine::Builtin;
use ironspin_model::{BodyState, DQuat, DVec3, Engine, Frame, World, rows};

fn bits(frames: &[Frame]) -> Vec<[u64; rows::space::STATE]> {
    frames.iter().flat_map(|f| &f.bodies).map(|body| rows::space::state_row(body).map(f64::to_bits)).collect()
}

fn frames(world: &World, options: &str, steps: u64) -> Vec<Frame> {
    let mut bench = Bench::new(world.clone(), options, 1.0 / 60.0);
    let mut frames = Vec::new();
    bench.run(steps, |frame| frames.push(frame.clone()));
    frames
}

#[test]
fn threads_and_broad_phases_give_the_same_bits() {
    // More than five hundred pairs, so that threads share them.
    let mut large = wall(20, 16);
    for (id, body) in large.bodies.iter_mut().enumerate() {
        body.velocity = DVec3::new(0.0, 0.0, 0.3 * (id % 5) as f64);
    }
    for (world, steps) in [(crowd(), 180), (large, 20)] {
        let first = bits(&frames(&world, "", steps));
        for options in ["threads=2", "threads=3", "broad=all-pairs", "broad=sort", "broad=tree"] {
            assert!(bits(&frames(&world, options, steps)) == first, "{options} went another way");
        }
    }
}

#[test]
fn a_saved_state_goes_on_as_if_nothing_had_been() {
    for world in [crowd(), tower(5)] {
        let mut engine = Builtin::new(settings(""));
        engine.build(&world, &conditions()).unwrap();
        let run = |engine: &mut Builtin, steps: usize| {
            let mut frames = Vec::new();
            engine.advance(&vec![1.0 / 60.0; steps], &mut |frame| frames.push(frame.clone())).unwrap();
            frames
        };
        run(&mut engine, 40);
        let token = engine.save().unwrap();
        let first = run(&mut engine, 40);
        engine.restore(token).unwrap();
        let second = run(&mut engine, 40);
        assert!(bits(&first) == bits(&second));
        assert!(first == second, "contacts and times too");
    }
}

/// Sign of each axis in a mirror across one of them.
fn mirror(axis: usize) -> DVec3 {
    let mut signs = DVec3::ONE;
    signs[axis] = -1.0;
    signs
}

/// A world seen in a mirror: places and velocities change sign along the axis, spins across it.
fn mirrored(world: &World, signs: DVec3) -> World {
    let mut world = world.clone();
    world.gravity *= signs;
    for body in &mut world.bodies {
        (body.pose.position, body.velocity, body.spin) =
            (body.pose.position * signs, body.velocity * signs, body.spin * -signs);
        body.pose.rotation = seen(body.pose.rotation, signs);
    }
    world
}

fn seen(rotation: DQuat, signs: DVec3) -> DQuat {
    let axis = DVec3::new(rotation.x, rotation.y, rotation.z) * -signs;
    DQuat::from_xyzw(axis.x, axis.y, axis.z, rotation.w)
}

fn back(state: &BodyState, signs: DVec3) -> [u64; rows::space::STATE] {
    let mut state = *state;
    state.pose.position *= signs;
    state.velocity *= signs;
    state.spin *= -signs;
    state.pose.rotation = seen(state.pose.rotation, signs);
    // Both zeros are one place.
    rows::space::state_row(&state).map(|x| (x + 0.0).to_bits())
}

#[test]
fn balls_and_free_bodies_are_the_same_to_the_bit_in_the_mirror() {
    let mut balls = crowd();
    balls.bodies.retain(|body| body.parts[0].shape.word() != "box");
    let mut tumbling = world(0.0, 0.0, 0.0);
    tumbling.bodies.push(free(DVec3::new(1.0, 2.0, 3.0), DVec3::new(0.3, 5.0, -0.2)));
    for (name, world) in [("balls", balls), ("tumbling", tumbling)] {
        let plain = frames(&world, "", 300);
        for axis in [0, 2] {
            let signs = mirror(axis);
            let other = frames(&mirrored(&world, signs), "", 300);
            for (one, two) in plain.iter().zip(&other) {
                for (a, b) in one.bodies.iter().zip(&two.bodies) {
                    assert_eq!(back(a, DVec3::ONE).len(), back(b, signs).len());
                    let same = rows::space::state_row(a).map(|x| (x + 0.0).to_bits()) == back(b, signs);
                    assert!(same, "{name}, axis {axis}, step {}: {a:?} {b:?}", one.step);
                }
            }
        }
    }
}

#[test]
fn other_units_by_powers_of_two_give_the_same_mantissas() {
    let (length, mass, time) = (0.25, 8.0, 2.0);
    let world = crowd();
    let mut scaled = world.clone();
    scaled.gravity *= length / (time * time);
    for body in &mut scaled.bodies {
        body.pose.position *= length;
        body.velocity *= length / time;
        body.spin /= time;
        body.mass *= mass;
        body.inertia.0 *= mass * length * length;
        for part in &mut body.parts {
            part.shape = part.shape.scaled(length);
        }
    }
    let plain = frames(&world, "", 200);
    let mut bench = Bench::new(scaled, "", time / 60.0);
    let mut number = 0;
    bench.run(200, |frame| {
        for (a, b) in plain[number].bodies.iter().zip(&frame.bodies) {
            assert_eq!(a.pose.position * length, b.pose.position, "step {}", frame.step);
            assert_eq!((a.velocity * (length / time), a.spin / time), (b.velocity, b.spin));
            assert_eq!(a.pose.rotation, b.pose.rotation);
        }
        number += 1;
    });
}
