//! Swept collision: nothing passes.

use crate::yard::{Bench, fixed, solid, world};
use ironspin_model::{BodyKind, DVec2, DVec3, Shape, World};
use proptest::prelude::*;

/// Random numbers from a fixed generator.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, low: f64, high: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        low + (high - low) * (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// Lanes far from each other, each with a plate (resting, moving or turning) and a projectile shot at its middle.
fn range(dice: &mut Dice, lanes: usize) -> World {
    let mut world = world(0.0, 0.3, 0.3);
    for lane in 0..lanes {
        let y = 1e5 * lane as f64;
        let thickness = 10_f64.powf(dice.roll(-3.0, -0.5));
        let mut plate = fixed(Shape::Box(DVec2::new(thickness, 40.0)), 0.0, y);
        match lane % 3 {
            0 => {}
            1 => {
                plate.kind = BodyKind::Kinematic;
                plate.velocity = DVec3::new(dice.roll(-30.0, 30.0), 0.0, 0.0);
            }
            _ => {
                plate.kind = BodyKind::Kinematic;
                plate.spin = dice.roll(-1.0, 1.0);
            }
        }
        let speed = 10_f64.powf(dice.roll(0.5, 4.0));
        let size = dice.roll(0.01, 0.3);
        let shape = match lane % 4 {
            0 => Shape::Disc(size),
            1 => Shape::Box(DVec2::new(size, 0.5 * size)),
            2 => Shape::Capsule { length: size, radius: 0.3 * size },
            _ => Shape::Polygon(vec![DVec2::new(-size, -size), DVec2::new(size, -0.8 * size), DVec2::new(0.0, size)]),
        };
        // Close enough to arrive within a few steps, far enough to be outside.
        let start = dice.roll(1.5, 2.0) + speed * dice.roll(0.0, 0.05);
        let mut shot = solid(shape, -start, y + dice.roll(-0.5, 0.5));
        (shot.velocity, shot.spin) = (DVec3::new(speed, 0.0, 0.0), dice.roll(-50.0, 50.0));
        world.bodies.extend([plate, shot]);
    }
    world
}

/// Shots that ended on the far side of their plate, in the plate's own frame.
fn passed(world: World, options: &str) -> usize {
    let lanes = world.bodies.len() / 2;
    let mut bench = Bench::new(world, options, 1.0 / 30.0);
    let mut through = vec![false; lanes];
    bench.run(4, |frame| {
        for (lane, through) in through.iter_mut().enumerate() {
            let (plate, shot) = (&frame.bodies[2 * lane], &frame.bodies[2 * lane + 1]);
            let away = (shot.position - plate.position).truncate();
            let local = DVec2::from_angle(-plate.angle).rotate(away);
            *through |= local.x > 0.0 && local.y.abs() < 19.0;
        }
    });
    through.into_iter().filter(|&through| through).count()
}

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
        world.bodies.push(fixed(Shape::Box(DVec2::new(0.01, 10.0)), 0.0, y));
        let mut shot = solid(Shape::Disc(0.05), -7.0, y);
        (shot.velocity, shot.swept) = (DVec3::new(600.0, 0.0, 0.0), swept);
        world.bodies.push(shot);
    }
    let mut bench = Bench::new(world, "swept=marked", 1.0 / 60.0);
    bench.run(5, |_| {});
    assert!(bench.position(1).x < 0.0 && bench.position(3).x > 0.0);
}

#[test]
fn a_ball_between_two_closing_walls_bounces_many_times_in_one_step() {
    let mut world = world(0.0, 0.0, 1.0);
    world.bodies.push(fixed(Shape::HalfPlane(DVec2::X), 0.0, 0.0));
    world.bodies.push(fixed(Shape::HalfPlane(DVec2::NEG_X), 1.0, 0.0));
    let mut ball = solid(Shape::Disc(0.1), 0.5, 0.0);
    ball.velocity = DVec3::new(480.0, 0.0, 0.0);
    world.bodies.push(ball);
    let mut bench = Bench::new(world, "swept=all", 1.0 / 60.0);
    let mut blows = 0;
    bench.seconds(1.0, |frame| blows += frame.contacts.iter().filter(|contact| contact.impulse > 0.0).count());
    // 480 m at 0.8 m a crossing.
    assert!((blows as i64 - 600).abs() <= 1, "{blows}");
    assert!((bench.velocity(2).x.abs() - 480.0).abs() < 1e-9);
}
