//! Fast bodies against thin ones: none may pass that is swept.

use super::worlds::passed;
use super::yard::{balance, cube, fixed, floor, solid, world};
use crate::yard::Bench;
use ironspin_model::{Body, BodyKind, DVec3, SpaceShape};

#[test]
fn no_swept_shot_passes_and_without_sweeping_most_do() {
    assert_eq!(passed(1000, "swept=all"), [0; 0]);
    assert!(passed(300, "swept=off").len() > 100);
}

#[test]
fn a_ball_thrown_to_and_fro_between_plates_keeps_its_energy() {
    let mut world = world(0.0, 0.0, 1.0);
    for side in [-1.0, 1.0] {
        world.bodies.push(fixed(SpaceShape::Box(DVec3::new(0.002, 4.0, 4.0)), DVec3::new(side, 0.0, 0.0)));
    }
    let ball = solid(SpaceShape::Sphere(0.05), DVec3::new(0.3, 0.0, 0.0));
    world.bodies.push(Body { velocity: DVec3::new(700.0, 0.0, 0.0), ccd: true, ..ball });
    let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
    let before = balance(&world, &bench.frame).2;
    let mut impacts = 0;
    bench.seconds(2.0, |frame| {
        impacts += frame.contacts.len();
        assert!(frame.bodies[2].pose.position.x.abs() < 0.951);
        assert!((balance(&world, frame).2 / before - 1.0).abs() < 1e-12);
    });
    assert!((impacts as f64 - 1400.0 / 1.9).abs() < 4.0, "{impacts}");
}

#[test]
fn a_swept_tower_stands_and_a_swept_ball_bounces_to_its_height() {
    let mut world = super::yard::tower(4);
    world.bodies.push(solid(cube(0.3), DVec3::new(3.0, 0.15, 0.0)));
    let (rms, creep) = crate::worlds::rest(world, "swept=all", 20.0, 10.0);
    assert!(rms < 1e-3 && creep < 1e-6, "{rms} {creep}");
    for dt in [1.0 / 30.0, 1.0 / 60.0] {
        let mut world = super::yard::world(9.81, 0.0, 1.0);
        world.bodies.extend([floor(), solid(SpaceShape::Sphere(0.25), DVec3::new(0.0, 2.25, 0.0))]);
        let mut bench = Bench::new(world.clone(), "swept=all", dt);
        let before = balance(&world, &bench.frame).2;
        let mut worst = 0.0_f64;
        bench.seconds(20.0, |frame| worst = worst.max((balance(&world, frame).2 / before - 1.0).abs()));
        assert!(worst < 1e-5, "dt {dt}: {worst:e}");
    }
}

/// What one ball does to a driven plate is nothing: the times at which others meet it stay true.
#[test]
fn balls_that_meet_a_driven_plate_one_after_another_within_a_step_all_bounce() {
    let mut world = world(0.0, 0.0, 1.0);
    let plate = fixed(SpaceShape::Box(DVec3::new(0.005, 4.0, 4.0)), DVec3::ZERO);
    world.bodies.push(Body { kind: BodyKind::Kinematic, velocity: DVec3::new(3.0, 0.0, 0.0), ..plate });
    for number in 0..4 {
        let place = DVec3::new(0.4 + 0.7 * f64::from(number), f64::from(number) - 1.5, 0.0);
        let ball = solid(SpaceShape::Sphere(0.05), place);
        world.bodies.push(Body { velocity: DVec3::new(-200.0, 0.0, 0.0), ..ball });
    }
    let mut bench = Bench::new(world, "swept=all", 1.0 / 60.0);
    bench.seconds(1.0 / 60.0, |frame| {
        for ball in &frame.bodies[1..] {
            assert!((ball.velocity.x - 206.0).abs() < 1e-9, "{}", ball.velocity.x);
            assert!(ball.pose.position.x > frame.bodies[0].pose.position.x);
        }
    });
}
