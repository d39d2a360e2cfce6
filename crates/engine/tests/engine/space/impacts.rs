//! Impacts against closed forms.

use super::yard::{balance, cube, fixed, floor, solid, turned, world};
use crate::yard::Bench;
use ironspin_model::{DVec3, SpaceShape, turn};

#[test]
fn a_ball_that_bounces_keeps_its_height_whatever_the_step() {
    for dt in [1.0 / 30.0, 1.0 / 60.0, 1.0 / 240.0] {
        let mut world = world(9.81, 0.0, 1.0);
        world.bodies.extend([floor(), solid(SpaceShape::Sphere(0.25), DVec3::new(0.0, 2.25, 0.0))]);
        let mut bench = Bench::new(world.clone(), "", dt);
        let before = balance(&world, &bench.frame).2;
        let mut worst = 0.0_f64;
        bench.seconds(20.0, |frame| worst = worst.max((balance(&world, frame).2 / before - 1.0).abs()));
        assert!(worst < 1e-12, "dt {dt}: {worst:e}");
    }
}

#[test]
fn an_oblique_impact_of_two_balls_is_that_of_the_closed_form() {
    // Equal balls, elastic, smooth: they exchange the parts of their velocities along the line of centres.
    let mut world = world(0.0, 0.0, 1.0);
    let offset = DVec3::new(0.0, 0.6, 0.0);
    let mut moving = solid(SpaceShape::Sphere(0.5), DVec3::new(-3.0, 0.0, 0.0));
    moving.velocity = DVec3::new(2.0, 0.0, 0.0);
    world.bodies.extend([moving, solid(SpaceShape::Sphere(0.5), offset)]);
    let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
    let before = balance(&world, &bench.frame);
    bench.seconds(3.0, |_| {});
    // Centres are 1 apart and 0.6 off the line: the line of centres is (0.8, 0.6, 0).
    let along = DVec3::new(0.8, 0.6, 0.0);
    let (first, second) = (bench.frame.bodies[0].velocity, bench.frame.bodies[1].velocity);
    assert!((second - along * 1.6).length() < 1e-12, "{second}");
    assert!((first - (DVec3::new(2.0, 0.0, 0.0) - along * 1.6)).length() < 1e-12, "{first}");
    let after = balance(&world, &bench.frame);
    assert!((after.1 - before.1).length() < 1e-12 && (after.2 - before.2).abs() < 1e-12, "{before:?} {after:?}");
}

#[test]
fn an_impact_with_friction_keeps_momentum_and_angular_momentum() {
    let mut world = world(0.0, 0.7, 0.4);
    let mut one = turned(
        solid(SpaceShape::Box(DVec3::new(0.6, 0.4, 0.8)), DVec3::new(-2.0, 0.1, 0.05)),
        turn::by_vector(DVec3::new(0.3, 0.9, -0.4)),
    );
    (one.velocity, one.spin) = (DVec3::new(3.0, 0.1, -0.1), DVec3::new(1.0, -2.0, 0.5));
    let other = turned(solid(cube(0.7), DVec3::ZERO), turn::by_vector(DVec3::new(0.5, 0.2, 0.8)));
    world.bodies.extend([one, other]);
    let mut bench = Bench::new(world.clone(), "", 1.0 / 240.0);
    let before = balance(&world, &bench.frame);
    bench.seconds(2.0, |_| {});
    let after = balance(&world, &bench.frame);
    assert!(bench.frame.bodies[1].velocity.length() > 0.1, "they met");
    assert!((after.0 - before.0).length() < 1e-13, "{before:?} {after:?}");
    // The impact is put back to its own time, and both bodies turn on from there: second order in the step.
    assert!((after.1 - before.1).length() < 2e-3 * before.1.length(), "{before:?} {after:?}");
    assert!(after.2 < before.2, "{before:?} {after:?}");
}

#[test]
fn a_box_dropped_flat_lands_flat_and_bounces_to_the_height_of_its_restitution() {
    let mut world = world(9.81, 0.5, 0.5);
    world.bodies.extend([floor(), solid(SpaceShape::Box(DVec3::new(0.4, 0.2, 0.3)), DVec3::new(0.0, 1.1, 0.0))]);
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    let mut highest = 0.0_f64;
    let mut landed = false;
    bench.seconds(0.85, |frame| {
        let state = &frame.bodies[1];
        landed |= state.velocity.y > 0.0;
        if landed {
            highest = highest.max(state.pose.position.y - 0.1 + 0.5 * state.velocity.y * state.velocity.y / 9.81);
        }
        assert!(state.spin.length() < 1e-12, "{}", state.spin);
    });
    assert!((highest - 0.25).abs() < 1e-9, "{highest}");
}

#[test]
fn every_shape_rests_on_every_ground_in_either_order() {
    let movers = [("sphere", SpaceShape::Sphere(0.3), 0.3), ("box", SpaceShape::Box(DVec3::new(0.8, 0.5, 0.6)), 0.25)];
    let grounds = [
        ("half-space", SpaceShape::HalfSpace(DVec3::Y), 0.0),
        ("box", SpaceShape::Box(DVec3::new(4.0, 1.0, 4.0)), -0.5),
        ("large sphere", SpaceShape::Sphere(50.0), -50.0),
    ];
    for (ground_name, ground, at) in grounds {
        for (name, mover, height) in &movers {
            for mover_first in [false, true] {
                let mut world = world(9.81, 0.8, 0.0);
                let base = fixed(ground.clone(), DVec3::new(0.0, at, 0.0));
                let falling = solid(mover.clone(), DVec3::new(0.0, height + 0.3, 0.0));
                let (first, second) = if mover_first { (falling, base) } else { (base, falling) };
                world.bodies.extend([first, second]);
                let mut bench = Bench::new(world, "", 1.0 / 60.0);
                bench.seconds(3.0, |_| {});
                let state = &bench.frame.bodies[usize::from(!mover_first)];
                let told = format!("{name} on {ground_name} {mover_first}: {state:?}");
                assert!((state.pose.position - DVec3::new(0.0, *height, 0.0)).length() < 0.01, "{told}");
                assert!(state.velocity.length() < 0.02, "{told}");
            }
        }
    }
}

#[test]
fn two_hundred_elastic_balls_in_a_box_keep_their_energy() {
    let world = super::worlds::gas_of(200);
    let mut bench = Bench::new(world.clone(), "", 1.0 / 60.0);
    let before = balance(&world, &bench.frame).2;
    let mut worst = 0.0_f64;
    bench.seconds(20.0, |frame| worst = worst.max((balance(&world, frame).2 / before - 1.0).abs()));
    assert!(worst < 1e-6, "{worst:e}");
}
