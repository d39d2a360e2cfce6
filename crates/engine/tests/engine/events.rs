//! The event solver beside the others and closed forms.

use crate::worlds::{Dice, gas};
use crate::yard::{Bench, energy, fixed, momentum, solid, square, world};
use ironspin_model::{DVec2, DVec3, Effect, Engine, PlaneShape, World, about_z};

/// Discs that fly at each other in free space, few enough that nothing is chaotic yet.
fn meeting(friction: f64, turning: f64) -> World {
    let mut world = world(0.0, friction, 0.8);
    let mut dice = Dice(7);
    for i in 0..6 {
        let angle = std::f64::consts::TAU * f64::from(i) / 6.0;
        let at = DVec2::from_angle(angle) * (3.0 + dice.roll(0.0, 1.0));
        let mut disc = solid(PlaneShape::Disc(0.3), at.x, at.y);
        let aim = DVec2::new(dice.roll(-0.2, 0.2), dice.roll(-0.2, 0.2)) - at;
        disc.velocity = aim.extend(0.0) * dice.roll(0.4, 0.6);
        disc.spin = about_z(turning * dice.roll(-3.0, 3.0));
        world.bodies.push(disc);
    }
    world
}

#[test]
fn discs_go_where_swept_collision_at_a_fine_step_sends_them() {
    // An impact in the last moments of a step is left to the next one when it would sink in by less than half a slop, 1.5e-4 m here, and its
    // normal is then that of the sunken discs. Each glancing impact multiplies what that makes wrong.
    for (friction, turning) in [(0.0, 0.0), (0.0, 1.0), (0.4, 1.0)] {
        let end = |options: &str, dt: f64| {
            let mut bench = Bench::new(meeting(friction, turning), options, dt);
            bench.seconds(2.0, |_| {});
            bench.frame
        };
        let (exact, stepped) = (end("solver=event", 1.0 / 60.0), end("swept=all", 1.0 / 240.0));
        for (a, b) in exact.bodies.iter().zip(&stepped.bodies) {
            let apart = (a.pose.position - b.pose.position).length();
            assert!(apart < 1e-3, "friction {friction}: {} against {}", a.pose.position, b.pose.position);
        }
    }
}

#[test]
fn momenta_and_the_loss_of_energy_are_those_of_newtons_law() {
    let mut bench = Bench::new(meeting(0.4, 1.0), "solver=event", 1.0 / 60.0);
    let (linear, angular, _) = momentum(&bench.world, &bench.frame);
    let mut last = bench.energy();
    let (world, first) = (bench.world.clone(), last);
    bench.seconds(3.0, |frame| {
        let (l, a, size) = momentum(&world, frame);
        assert!((l - linear).length() < 1e-12 * size[0] && (a - angular).abs() < 1e-12 * size[1]);
        let now = energy(&world, frame);
        assert!(now <= last * (1.0 + 1e-12), "impacts only take energy");
        last = now;
    });
    assert!(last < 0.99 * first, "something met");
}

#[test]
fn the_order_of_the_bodies_does_not_matter_to_elastic_discs() {
    let mut turned = gas(12, 6.0);
    let walls = 4;
    turned.bodies[walls..].reverse();
    let run = |world: World| {
        let mut bench = Bench::new(world, "solver=event", 1.0 / 60.0);
        bench.seconds(2.0, |_| {});
        bench.frame.bodies[walls..].to_vec()
    };
    let (forth, mut back) = (run(gas(12, 6.0)), run(turned));
    back.reverse();
    for (a, b) in forth.iter().zip(&back) {
        assert!((a.pose.position - b.pose.position).length() < 1e-6, "{} against {}", a.pose.position, b.pose.position);
    }
}

#[test]
fn bodies_come_and_go_between_impacts() {
    let mut world = world(0.0, 0.0, 1.0);
    world.bodies.push(fixed(square(1.0), 5.0, 0.0));
    let mut ball = solid(PlaneShape::Disc(0.5), 0.0, 0.0);
    ball.velocity = DVec3::new(1.0, 0.0, 0.0);
    world.bodies.push(ball);
    let mut bench = Bench::new(world, "solver=event", 0.5);
    bench.run(4, |_| {});
    // Without the wall it goes on; with it back in the way it turns round at 4 m.
    bench.engine.act(0, &Effect::Remove).unwrap();
    bench.run(2, |_| {});
    assert!((bench.frame.bodies[1].pose.position.x - 3.0).abs() < 1e-12);
    bench.engine.act(0, &Effect::Add).unwrap();
    bench.run(6, |_| {});
    assert!((bench.frame.bodies[1].velocity.x + 1.0).abs() < 1e-12);
    assert!((bench.frame.bodies[1].pose.position.x - 2.0).abs() < 1e-12, "{}", bench.frame.bodies[1].pose.position);
    assert!(bench.engine.act(1, &Effect::Torque(about_z(1.0))).is_err(), "lasting forces are refused");
}
