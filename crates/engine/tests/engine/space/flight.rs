//! Flight of free bodies.

use super::yard::{balance, free, own_momentum, turned, world};
use crate::worlds::DT;
use crate::yard::Bench;
use ironspin_model::{BodyKind, DVec3, Effect, Engine, turn};

#[test]
fn a_free_body_keeps_energy_and_momentum_for_a_minute_about_every_axis_and_tumbling() {
    for spin in [
        DVec3::new(10.0, 0.0, 0.0),
        DVec3::new(0.0, 10.0, 0.0),
        DVec3::new(0.0, 0.0, 10.0),
        DVec3::new(0.01, 9.99, 0.01),
        DVec3::new(6.0, -6.0, 5.0),
    ] {
        let mut world = world(0.0, 0.0, 0.0);
        let body = free(DVec3::new(1.0, 2.0, 3.0), spin);
        world.bodies.push(turned(body, turn::by_vector(DVec3::new(0.3, -0.8, 0.5))));
        let mut bench = Bench::new(world.clone(), "", DT);
        let (_, momentum, energy) = balance(&world, &bench.frame);
        let mut worst = [0.0_f64; 3];
        bench.seconds(60.0, |frame| {
            let (_, now, energy_now) = balance(&world, frame);
            worst[0] = worst[0].max((energy_now / energy - 1.0).abs());
            worst[1] = worst[1].max((now - momentum).length() / momentum.length());
            worst[2] = worst[2].max((frame.bodies[0].pose.rotation.length() - 1.0).abs());
        });
        assert!(worst[0] < 1e-12 && worst[1] < 1e-14 && worst[2] < 1e-15, "{spin}: {worst:?}");
    }
}

#[test]
fn the_usual_way_to_turn_a_body_gains_energy_and_one_of_order_four_hardly_does() {
    let mut world = world(0.0, 0.0, 0.0);
    world.bodies.push(free(DVec3::new(1.0, 2.0, 3.0), DVec3::new(0.01, 5.0, 0.01)));
    let drift = |options: &str| {
        let mut bench = Bench::new(world.clone(), options, DT);
        let before = balance(&world, &bench.frame).2;
        bench.seconds(20.0, |_| {});
        (balance(&world, &bench.frame).2 / before - 1.0).abs()
    };
    assert!(drift("integrator=explicit-euler") > 0.05, "{}", drift("integrator=explicit-euler"));
    assert!(drift("integrator=rk4") < 1e-6, "{}", drift("integrator=rk4"));
}

#[test]
fn a_falling_body_follows_the_parabola_and_a_torque_adds_up() {
    let mut world = world(9.81, 0.0, 0.0);
    let mut body = free(DVec3::new(1.0, 2.0, 3.0), DVec3::ZERO);
    body.velocity = DVec3::new(1.0, 2.0, -3.0);
    world.bodies.push(body);
    let mut bench = Bench::new(world.clone(), "", DT);
    for _ in 0..120 {
        bench.engine.act(0, &Effect::Torque(DVec3::new(0.3, 0.2, -0.1))).unwrap();
        bench.run(1, |_| {});
    }
    let at = DVec3::new(1.0, 2.0, -3.0) * 2.0 - DVec3::Y * (0.5 * 9.81 * 4.0);
    assert!((bench.frame.bodies[0].pose.position - at).length() < 1e-12);
    let momentum = own_momentum(&world, &bench.frame, 0);
    assert!((momentum - DVec3::new(0.6, 0.4, -0.2)).length() < 1e-13, "{momentum}");
}

#[test]
fn damping_falls_exponentially_and_a_driven_body_turns_on_exactly() {
    let mut world = world(0.0, 0.0, 0.0);
    let mut body = free(DVec3::splat(2.0), DVec3::new(0.0, 4.0, 3.0));
    (body.velocity, body.linear_damping, body.angular_damping) = (DVec3::X, 0.5, 0.25);
    world.bodies.push(body);
    let mut driven = free(DVec3::splat(2.0), DVec3::new(0.0, 0.0, 0.7));
    (driven.kind, driven.pose.position) = (BodyKind::Kinematic, DVec3::new(9.0, 0.0, 0.0));
    world.bodies.push(driven);
    let mut bench = Bench::new(world, "", DT);
    bench.seconds(2.0, |_| {});
    let [damped, driven] = [bench.frame.bodies[0], bench.frame.bodies[1]];
    assert!((damped.velocity.x - (-1.0_f64).exp()).abs() < 1e-13);
    assert!((damped.pose.position.x - (1.0 - (-1.0_f64).exp()) / 0.5).abs() < 1e-13);
    assert!((damped.spin.length() - 5.0 * (-0.5_f64).exp()).abs() < 1e-13);
    assert!(turn::angle_between(driven.pose.rotation, turn::about(DVec3::Z, 1.4)) < 1e-14);
    // Half of the damping lies on either side of the turn.
    let angle = turn::angle_between(damped.pose.rotation, ironspin_model::DQuat::IDENTITY);
    let whole = 5.0 * (1.0 - (-0.5_f64).exp()) / 0.25;
    assert!((angle - (whole - std::f64::consts::TAU).abs()).abs() < 1e-4, "{angle} {whole}");
}
