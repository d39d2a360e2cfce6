//! Swept collision: nothing passes.

use crate::worlds::{Dice, passed, range};
use crate::yard::{Bench, fixed, solid, world};
use ironspin_model::{DVec2, DVec3, PlaneShape, about_z};
use proptest::prelude::*;

#[test]
fn no_shot_passes_with_swept_collision_and_many_do_without() {
    // A hundredth of the hundred thousand that `cargo run --release --example accuracy` shoots.
    let mut dice = Dice(7);
    let mut careless = 0;
    for _ in 0..10 {
        let world = range(&mut dice, 100);
        careless += passed(world.clone(), "swept=off");
        assert_eq!(passed(world, "swept=all"), 0);
    }
    assert!(careless > 300, "{careless} of 1000 passed without swept collision");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]
    #[test]
    fn no_shot_passes_whatever_the_seed(seed in any::<u64>()) {
        prop_assert_eq!(passed(range(&mut Dice(seed), 24), "swept=all"), 0);
    }
}

#[test]
fn marked_bodies_are_swept_and_others_are_not() {
    let mut world = world(0.0, 0.0, 0.0);
    for (y, swept) in [(0.0, true), (50.0, false)] {
        world.bodies.push(fixed(PlaneShape::Box(DVec2::new(0.01, 10.0)), 0.0, y));
        let mut shot = solid(PlaneShape::Disc(0.05), -7.0, y);
        (shot.velocity, shot.ccd) = (DVec3::new(600.0, 0.0, 0.0), swept);
        world.bodies.push(shot);
    }
    let mut bench = Bench::new(world, "swept=marked", 1.0 / 60.0);
    bench.run(5, |_| {});
    assert!(bench.position(1).x < 0.0 && bench.position(3).x > 0.0);
}

#[test]
fn a_ball_between_two_closing_walls_bounces_many_times_in_one_step() {
    let mut world = world(0.0, 0.0, 1.0);
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::X), 0.0, 0.0));
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::NEG_X), 1.0, 0.0));
    let mut ball = solid(PlaneShape::Disc(0.1), 0.5, 0.0);
    ball.velocity = DVec3::new(480.0, 0.0, 0.0);
    world.bodies.push(ball);
    let mut bench = Bench::new(world, "swept=all", 1.0 / 60.0);
    let mut impacts = 0;
    bench.seconds(1.0, |frame| impacts += frame.contacts.iter().filter(|contact| contact.impulse > 0.0).count());
    // 480 m at 0.8 m a crossing.
    assert!((impacts as i64 - 600).abs() <= 1, "{impacts}");
    assert!((bench.velocity(2).x.abs() - 480.0).abs() < 1e-9);
}

/// Thirty shots at one plate, which turns at `spin`; which of them were turned aside after 8 steps of 1/60, and which stand beyond it.
fn volley(spin: f64, finer: u32) -> Vec<[bool; 2]> {
    let mut world = world(0.0, 0.0, 0.3);
    let mut plate = fixed(PlaneShape::Box(DVec2::new(0.05, 12.0)), 0.0, 0.0);
    if spin != 0.0 {
        (plate.kind, plate.spin) = (ironspin_model::BodyKind::Kinematic, about_z(spin));
    }
    world.bodies.push(plate);
    for k in 0..30 {
        let mut shot = solid(PlaneShape::Disc(0.04), -8.0 - 0.37 * f64::from(k % 7), 0.3 * f64::from(k) - 4.5);
        (shot.velocity, shot.ccd) = (DVec3::new(90.0, 0.0, 0.0), true);
        world.bodies.push(shot);
    }
    let mut bench = Bench::new(world, "swept=marked", 1.0 / (60.0 * f64::from(finer)));
    bench.run(8 * u64::from(finer), |_| {});
    let aside = |k: usize| (bench.velocity(k) - DVec2::new(90.0, 0.0)).length() > 1e-6;
    (1..=30).map(|k| [aside(k), bench.position(k).x > 0.0]).collect()
}

#[test]
fn many_shots_at_one_plate_are_all_stopped() {
    // A plate that was hit once must still be there for all others.
    assert_eq!(volley(0.0, 1), vec![[true, false]; 30]);
    // One that turns meets those that it meets at a step 32 times finer.
    assert_eq!(volley(9.0, 1), volley(9.0, 32));
}
