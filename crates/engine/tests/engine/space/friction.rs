//! Coulomb friction: a round cone.

use super::worlds::incline;
use super::yard::{cube, floor, solid, world};
use crate::worlds::{DT, G};
use crate::yard::Bench;
use ironspin_model::{DVec3, SpaceShape, turn};

#[test]
fn a_box_holds_and_slides_at_the_same_slope_in_sixty_four_directions() {
    let friction = 0.5_f64;
    for number in 0..64 {
        let direction = f64::from(number) * std::f64::consts::TAU / 64.0;
        for (share, slides) in [(0.999, false), (1.001, true)] {
            let slope = (friction * share).atan();
            let mut bench = Bench::new(incline(friction, slope, direction), "", DT);
            bench.seconds(4.0, |_| {});
            let state = &bench.frame.bodies[1];
            let expected = if slides { G * (slope.sin() - friction * slope.cos()) * 4.0 } else { 0.0 };
            let speed = state.velocity.length();
            assert!(
                (speed - expected).abs() < 2e-4 * G,
                "direction {number}, share {share}: {speed} m/s, and {expected} due"
            );
        }
    }
}

#[test]
fn a_sliding_box_slows_by_mu_g_and_stays_on_its_line() {
    let mut world = world(G, 0.3, 0.0);
    world.bodies.push(floor());
    let mut body = solid(SpaceShape::Box(DVec3::new(1.0, 0.2, 1.0)), DVec3::new(0.0, 0.1, 0.0));
    body.velocity = DVec3::new(3.0, 0.0, 4.0);
    world.bodies.push(body);
    let mut bench = Bench::new(world, "", DT);
    bench.seconds(1.0, |_| {});
    let state = &bench.frame.bodies[1];
    let speed = 5.0 - 0.3 * G;
    assert!((state.velocity - DVec3::new(0.6, 0.0, 0.8) * speed).length() < 2e-3, "{}", state.velocity);
}

#[test]
fn a_sliding_ball_rolls_in_the_end_at_five_sevenths_of_its_speed() {
    let mut world = world(G, 0.2, 0.0);
    world.bodies.push(floor());
    let mut ball = solid(SpaceShape::Sphere(0.5), DVec3::new(0.0, 0.5, 0.0));
    ball.velocity = DVec3::new(4.2, 0.0, 0.0);
    // And it spins about an axis of its own as well: the part about the normal stays.
    ball.spin = DVec3::new(0.0, 3.0, 0.0);
    world.bodies.push(ball);
    let mut bench = Bench::new(world, "", DT);
    bench.seconds(4.0, |_| {});
    let state = &bench.frame.bodies[1];
    assert!((state.velocity - DVec3::new(3.0, 0.0, 0.0)).length() < 1e-6, "{}", state.velocity);
    assert!((state.spin - DVec3::new(0.0, 3.0, -6.0)).length() < 1e-5, "{}", state.spin);
}

#[test]
fn a_turned_cube_rests_on_a_leaning_floor() {
    let mut world = incline(0.6, 0.4, 0.9);
    world.bodies[1] = super::yard::turned(solid(cube(0.5), DVec3::new(0.0, 0.25, 0.0)), turn::about(DVec3::Y, 0.7));
    let mut bench = Bench::new(world, "", DT);
    bench.seconds(10.0, |_| {});
    assert!(bench.frame.bodies[1].velocity.length() < 1e-6, "{}", bench.frame.bodies[1].velocity);
}
