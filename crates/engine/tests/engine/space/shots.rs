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

/// What rolls or slides over level boxes side by side meets their edges from above, sunk in by less than the slop: no edge trips it, swept or not.
#[test]
fn seams_between_level_boxes_trip_nothing_that_is_swept() {
    let shapes = [
        ("sphere", SpaceShape::Sphere(0.1), 0.1),
        ("box", SpaceShape::Box(DVec3::new(0.3, 0.2, 0.2)), 0.1),
        ("capsule", SpaceShape::Capsule { length: 0.2, radius: 0.1 }, 0.1),
    ];
    for (name, shape, height) in shapes {
        for (options, rate) in [
            ("swept=all", 60.0),
            ("swept=all", 97.0),
            ("swept=off", 97.0),
            ("precision=f32", 120.0),
            ("precision=f32", 240.0),
        ] {
            let mut world = world(9.81, 0.0, 0.0);
            for k in 0..32 {
                let at = DVec3::new(-3.75 + 0.5 * f64::from(k % 16), -0.1, 0.5 * f64::from(k / 16) - 0.25);
                world.bodies.push(fixed(SpaceShape::Box(DVec3::new(0.5, 0.2, 0.5)), at));
            }
            let velocity = DVec3::new(3.0, 0.0, 0.06);
            world.bodies.push(Body { velocity, ..solid(shape.clone(), DVec3::new(-3.3, height, -0.1)) });
            let mut bench = Bench::new(world, options, 1.0 / rate);
            bench.seconds(2.0, |frame| {
                let state = frame.bodies.last().expect("the body");
                let off = (state.pose.position.y - height).abs();
                assert!(off < 2e-3 && (state.velocity.x - 3.0).abs() < 2e-3, "{name} {options} {rate}: {state:?}");
            });
        }
    }
}

/// A blade that turns by more than two radians in a step takes along what it has met too often, on the arc and not on its tangent.
#[test]
fn what_a_turning_blade_takes_along_stays_on_its_side() {
    let mut world = world(0.0, 0.2, 0.0);
    let blade = fixed(SpaceShape::Box(DVec3::new(0.02, 1.6, 0.3)), DVec3::ZERO);
    world.bodies.push(Body { kind: BodyKind::Kinematic, spin: DVec3::new(0.0, 0.0, 72.0), ..blade });
    let (sin, cos) = 40.0_f64.to_radians().sin_cos();
    world.bodies.push(Body { ccd: true, ..solid(SpaceShape::Sphere(0.04), DVec3::new(0.5 * cos, 0.5 * sin, 0.05)) });
    let mut bench = Bench::new(world, "", 1.0 / 30.0);
    bench.seconds(0.3, |frame| {
        let [blade, ball] = [0, 1].map(|body| frame.bodies[body].pose);
        // In the blade's frame, as long as it is beside it: it was met by the side that looks along x.
        let seen = blade.rotation.inverse() * ball.position;
        let is_past = seen.y.abs() > 0.8 || frame.step == 0;
        assert!(is_past || seen.x > 0.04, "step {}: {seen:?}", frame.step);
    });
}

/// Plates that fall onto each other press on several others at once: blows one by one come to no end there, and what is held meanwhile must not gather speed.
#[test]
fn a_swept_row_of_plates_falls_and_gains_no_energy() {
    for rate in [60.0, 120.0, 240.0] {
        let mut world = world(9.81, 0.4, 0.0);
        world.bodies.push(floor());
        for k in 0..14 {
            let at = DVec3::new(0.2 * f64::from(k), 0.25, 0.0);
            world.bodies.push(solid(SpaceShape::Box(DVec3::new(0.08, 0.5, 0.3)), at));
        }
        world.bodies[1].velocity.x = 0.35;
        world.bodies[1].spin.z = -1.4;
        let mut bench = Bench::new(world.clone(), "swept=all", 1.0 / rate);
        let before = balance(&world, &bench.frame).2;
        let mut most = 0.0_f64;
        bench.seconds(4.0, |frame| most = most.max(balance(&world, frame).2));
        assert!(most < 1.02 * before, "{rate}: {most} J of {before} J");
        for (number, plate) in bench.frame.bodies.iter().enumerate().skip(1) {
            let up = plate.pose.rotation * DVec3::Y;
            assert!(up.y < 0.9, "{rate}: plate {number} leans by {up}");
        }
    }
}
