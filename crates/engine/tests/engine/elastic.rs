//! Elastic impacts: energy and momentum.

use crate::worlds::{blocks, gas, swarm};
use crate::yard::{Bench, energy, fixed, floor, momentum, solid, world};
use ironspin_model::{Action, DVec2, DVec3, Effect, PlaneShape, World, about_z};
use proptest::prelude::*;

#[test]
fn a_hundred_elastic_discs_keep_their_energy_for_a_minute() {
    for (options, bound) in [("", 1e-3), ("solver=event", 1e-10)] {
        let mut bench = Bench::new(gas(100, 10.0), options, 1.0 / 60.0);
        let before = bench.energy();
        let world = bench.world.clone();
        let mut worst = 0.0_f64;
        bench.seconds(60.0, |frame| worst = worst.max((energy(&world, frame) / before - 1.0).abs()));
        assert!(worst < bound, "{options}: {worst}");
        for body in 4..104 {
            let at = bench.position(body);
            assert!(at.cmpge(DVec2::ZERO).all() && at.cmple(DVec2::splat(10.0)).all(), "{options}: {body} at {at}");
        }
    }
}

#[test]
fn momentum_and_angular_momentum_are_kept_in_free_space() {
    let world = swarm();
    for options in ["", "swept=all", "solver=compliant", "solver=position"] {
        let mut bench = Bench::new(world.clone(), options, 1.0 / 60.0);
        let (linear, angular, _) = momentum(&bench.world, &bench.frame);
        let mut worst = [0.0_f64; 2];
        let mut touched = 0;
        let built = bench.world.clone();
        bench.seconds(5.0, |frame| {
            let (l, a, size) = momentum(&built, frame);
            worst[0] = worst[0].max((l - linear).length() / size[0]);
            worst[1] = worst[1].max((a - angular).abs() / size[1]);
            touched += frame.contacts.len();
        });
        assert!(touched > 100, "{options}: the bodies never met");
        assert!(worst[0] < 1e-12, "{options}: linear {}", worst[0]);
        // Soft and position solvers move bodies within a step while the arms of the contacts stay those of its start.
        let bound = if matches!(options, "" | "swept=all") { 1e-12 } else { 5e-3 };
        assert!(worst[1] < bound, "{options}: angular {}", worst[1]);
    }
}

#[test]
fn two_blocks_and_a_wall_are_counted_exactly_by_the_event_solver() {
    for (ratio, count) in [(1.0, 3), (100.0, 31), (1e4, 314), (1e8, 31_415), (1e10, 314_159)] {
        let mut bench = Bench::new(blocks(ratio), "solver=event", 1.0 / 60.0);
        let mut found = 0;
        bench.seconds(20.0, |frame| {
            found += frame.contacts.iter().map(|contact| contact.times.unwrap_or(1)).sum::<u64>();
        });
        assert_eq!(found, count, "ratio {ratio}");
    }
}

#[test]
fn the_event_solver_says_what_it_cannot_do() {
    let mut falling = world(9.81, 0.0, 0.0);
    falling.bodies.push(floor());
    // One that comes to rest on another that moves.
    falling.bodies.push(solid(PlaneShape::Disc(0.5), 0.0, 1.0));
    falling.bodies.push(solid(PlaneShape::Disc(0.5), 0.0, 3.0));
    let mut bench = Bench::new(falling.clone(), "solver=event", 1.0 / 60.0);
    let mut outcome = Ok(());
    for _ in 0..600 {
        outcome = ironspin_model::Engine::advance(&mut bench.engine, &[1.0 / 60.0], &mut |_| {});
        if outcome.is_err() {
            break;
        }
    }
    assert!(outcome.unwrap_err().to_string().contains("come to rest"));
    falling.bodies.pop();
    falling.bodies[1] = solid(PlaneShape::Box(DVec2::ONE), 0.0, 1.0);
    let refused =
        |world: &World| Bench::try_new(world.clone(), "solver=event", 1.0 / 60.0).err().map(|error| error.to_string());
    assert!(refused(&falling).is_some_and(|text| text.contains("fixed_turn")));
    falling.bodies[1].fixed_turn = true;
    assert_eq!(refused(&falling), None);
    falling.actions.push(Action { at_time: 0.0, body: 1, effect: Effect::Torque(about_z(1.0)) });
    assert!(refused(&falling).is_some_and(|text| text.contains("forces, torques")));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Discs falling among discs and boxes that do not move: the event solver keeps every ball out of everything.
    #[test]
    fn the_event_solver_lets_nothing_overlap(seed in 0..1000_u32) {
        let mut world = world(9.81, 0.0, 0.95);
        world.bodies.push(floor());
        for i in 0..6 {
            let (x, y) = (f64::from((seed + 7 * i) % 11) - 5.0, 1.5 + 1.5 * f64::from(i));
            let shape = if i % 2 == 0 { PlaneShape::Disc(0.5) } else { PlaneShape::Box(DVec2::new(1.2, 0.4)) };
            world.bodies.push(fixed(shape, x, y));
        }
        for i in 0..5 {
            let mut ball = solid(PlaneShape::Disc(0.3), f64::from(i) * 2.0 - 4.0, 12.0 + f64::from(i));
            ball.velocity = DVec3::new(f64::from((seed + 3 * i) % 7) - 3.0, 0.0, 0.0);
            world.bodies.push(ball);
        }
        let mut bench = Bench::new(world, "solver=event", 1.0 / 60.0);
        let outcome = ironspin_model::Engine::advance(&mut bench.engine, &[1.0 / 60.0; 240], &mut |frame| {
            for i in 7..12 {
                for j in i + 1..12 {
                    let apart = frame.bodies[i].pose.position.distance(frame.bodies[j].pose.position);
                    assert!(apart > 0.6 - 1e-9, "{apart}");
                }
                assert!(frame.bodies[i].pose.position.y > 0.3 - 1e-9);
            }
        });
        prop_assert!(outcome.is_ok(), "{outcome:?}");
    }
}

/// Two discs in free space that meet off-centre; velocities and spins after it.
fn oblique(options: &str, dt: f64, friction: f64, offset: f64) -> [(DVec2, f64); 2] {
    let mut yard = world(0.0, friction, 0.6);
    let mut cue = solid(PlaneShape::Disc(0.2), -1.0, 0.0);
    cue.velocity = DVec3::new(4.0, 0.3, 0.0);
    yard.bodies.extend([cue, solid(PlaneShape::Disc(0.2), 0.0, -offset)]);
    let mut bench = Bench::new(yard, options, dt);
    bench.seconds(1.0, |_| {});
    [0, 1].map(|body| (bench.velocity(body), bench.frame.bodies[body].spin.z))
}

/// What the laws of impact say: the line of centres at first touch, Newton's restitution along it, Coulomb's friction across it.
fn oblique_exactly(friction: f64, offset: f64) -> [(DVec2, f64); 2] {
    let (from, speed) = (DVec2::new(-1.0, 0.0), DVec2::new(4.0, 0.3));
    let (to, reach) = (DVec2::new(0.0, -offset), 0.4);
    let (half, apart) = (speed.dot(from - to), (from - to).length_squared() - reach * reach);
    let time = (-half - (half * half - speed.length_squared() * apart).sqrt()) / speed.length_squared();
    let normal = (to - from - speed * time).normalize();
    let tangent = normal.perp();
    let (push, slip) = (0.5 * 1.6 * speed.dot(normal), speed.dot(tangent));
    // Of the slip of two equal discs two parts go into turning and one into moving.
    let drag = (slip / 6.0).clamp(-friction * push, friction * push);
    let change = normal * push + tangent * drag;
    // The impulse over the mass acts at a radius of the disc, whose inertia is half m r^2.
    let spin = -2.0 * drag / 0.2;
    [(speed - change, -spin), (change, -spin)].map(|(v, w)| (v, -w))
}

#[test]
fn discs_that_meet_off_centre_part_as_the_laws_of_impact_say_swept_or_not() {
    for (friction, offset) in [(0.0, 0.2), (0.0, -0.35), (0.1, 0.2), (2.0, 0.2), (2.0, -0.3)] {
        for dt in [1.0 / 60.0, 1.0 / 240.0, 1.0 / 960.0] {
            for options in ["", "swept=all", "swept=off", "substeps=1"] {
                let found = oblique(options, dt, friction, offset);
                for (body, (found, due)) in found.into_iter().zip(oblique_exactly(friction, offset)).enumerate() {
                    let off = (found.0 - due.0).length().max(0.2 * (found.1 - due.1).abs());
                    let bound = 1e-11;
                    assert!(off < bound, "{options} at {dt}, friction {friction}, disc {body}: {found:?} for {due:?}");
                }
            }
        }
    }
}

#[test]
fn an_impact_is_seen_in_the_first_frame_after_it() {
    // At no frame does a ball stand in the floor, and at each its height is that of the closed form.
    let (gravity, keep, height) = (9.81, 0.8, 2.0);
    for dt in [1.0 / 60.0, 1.0 / 240.0, 1.0 / 960.0] {
        for options in ["", "substeps=1", "swept=off"] {
            let mut yard = world(gravity, 0.0, keep);
            yard.bodies.extend([floor(), solid(PlaneShape::Disc(0.1), 0.0, 0.1 + height)]);
            let mut bench = Bench::new(yard, options, dt);
            let fall = (2.0 * height / gravity).sqrt();
            bench.seconds(1.5, |frame| {
                let found = frame.bodies[1].pose.position.y - 0.1;
                let (mut since, mut speed, mut from) = (0.0, 0.0, height);
                let mut lands = fall;
                while frame.time > lands {
                    (since, from) = (lands, 0.0);
                    speed = if speed == 0.0 { keep * gravity * fall } else { keep * speed };
                    lands += 2.0 * speed / gravity;
                }
                let into = frame.time - since;
                let due = from + speed * into - 0.5 * gravity * into * into;
                assert!((found - due).abs() < 1e-11, "{options} at {dt}, {} s: {found} for {due}", frame.time);
            });
        }
    }
}
