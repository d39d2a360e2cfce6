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
        bench.seconds(20.0, |frame| found += frame.contacts.iter().map(|contact| contact.times).sum::<u64>());
        assert_eq!(found, count, "ratio {ratio}");
    }
}

#[test]
fn the_event_solver_says_what_it_cannot_do() {
    let mut falling = world(9.81, 0.0, 0.0);
    falling.bodies.push(floor());
    falling.bodies.push(solid(PlaneShape::Disc(0.5), 0.0, 1.0));
    let mut bench = Bench::new(falling.clone(), "solver=event", 1.0 / 60.0);
    let mut outcome = Ok(());
    for _ in 0..600 {
        outcome = ironspin_model::Engine::advance(&mut bench.engine, &[1.0 / 60.0], &mut |_| {});
        if outcome.is_err() {
            break;
        }
    }
    assert!(outcome.unwrap_err().to_string().contains("come to rest"));
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
