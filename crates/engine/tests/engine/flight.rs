//! Bodies in free flight, where most of a step is left out, against the same bodies in company.

use crate::worlds::pyramid;
use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{DVec2, DVec3, Effect, Engine, Frame, PlaneShape, World, about_z};

const DT: f64 = 1.0 / 64.0;

/// Bodies that fly and turn and never meet.
fn fliers(gravity: f64) -> World {
    let mut world = world(gravity, 0.5, 0.5);
    for i in 0..20 {
        let shape = if i % 2 == 0 { square(1.0) } else { PlaneShape::Capsule { length: 1.0, radius: 0.2 } };
        let mut body = solid(shape, 10.0 * f64::from(i), 0.0);
        (body.velocity, body.spin) = (DVec3::new(0.0, f64::from(i % 5), 0.0), about_z(0.3 * f64::from(i % 4)));
        world.bodies.push(body);
    }
    world
}

fn frames(world: World, options: &str, steps: u64) -> Vec<Frame> {
    let mut bench = Bench::new(world, options, DT);
    let mut frames = Vec::new();
    bench.run(steps, |frame| frames.push(frame.clone()));
    frames
}

#[test]
fn company_far_away_changes_no_bit_of_a_flight() {
    for integrator in ["explicit-euler", "symplectic-euler", "verlet", "rk4"] {
        let options = format!("integrator={integrator}");
        let alone = frames(fliers(9.81), &options, 200);
        let mut company = fliers(9.81);
        // A pair in contact keeps the whole world out of the short way.
        company.bodies.push(fixed(square(1.0), 0.0, 1e4));
        company.bodies.push(solid(square(1.0), 0.0, 1e4 + 1.0));
        for (a, b) in alone.iter().zip(frames(company, &options, 200)) {
            assert!(a.bodies == b.bodies[..20], "{integrator} at step {}", a.step);
        }
    }
}

#[test]
fn a_flight_is_the_closed_form() {
    let mut last = Frame::default();
    Bench::new(fliers(9.81), "", DT).run(128, |frame| last = frame.clone());
    for (i, state) in last.bodies.iter().enumerate() {
        let (rise, spin) = ((i % 5) as f64, 0.3 * (i % 4) as f64);
        assert!((state.pose.position.y - (rise * 2.0 - 0.5 * 9.81 * 4.0)).abs() < 1e-12);
        assert!((state.pose.angle - spin * 2.0).abs() < 1e-12);
    }
}

#[test]
fn a_ray_sees_bodies_as_they_have_turned_in_flight() {
    let mut world = world(0.0, 0.0, 0.0);
    let mut body = solid(PlaneShape::Box(DVec2::new(2.0, 0.2)), 0.0, 0.0);
    body.spin = about_z(std::f64::consts::FRAC_PI_2);
    world.bodies.push(body);
    let mut bench = Bench::new(world, "", DT);
    let reach = |bench: &mut Bench| {
        let hit = bench.engine.ray(DVec3::new(-5.0, 0.0, 0.0), DVec3::new(5.0, 0.0, 0.0)).unwrap();
        hit.expect("it stands in the way").distance
    };
    assert!((reach(&mut bench) - 4.0).abs() < 1e-12, "lying");
    bench.run(64, |_| {});
    assert!((reach(&mut bench) - 4.9).abs() < 1e-9, "upright after a second");
    // An action in flight finds it as it is, too.
    bench.engine.act(0, &Effect::Spin(about_z(0.0))).unwrap();
    bench.run(64, |_| {});
    assert!((reach(&mut bench) - 4.9).abs() < 1e-9, "and stays so");
}

#[test]
fn who_flies_into_something_is_seen_in_time() {
    // Slow and fast, tiny and large: pairs are found anew before anybody has come further than its margin.
    for (size, speed) in [(0.1, 1.0), (0.1, 3.0), (2.0, 10.0), (0.5, 0.2)] {
        let mut world = world(0.0, 0.0, 1.0);
        world.bodies.push(fixed(square(4.0), 20.0, 0.0));
        let mut ball = solid(PlaneShape::Disc(size), 0.0, 0.0);
        ball.velocity = DVec3::new(speed, 0.0, 0.0);
        world.bodies.push(ball);
        let arrives = (18.0 - size) / speed;
        let mut bench = Bench::new(world, "", DT);
        bench.seconds(arrives + 1.0, |_| {});
        let state = bench.frame.bodies[1];
        assert!((state.velocity.x + speed).abs() < 1e-9, "{size} at {speed}: {}", state.velocity);
        let back = 18.0 - size - speed * (bench.frame.time - arrives);
        assert!((state.pose.position.x - back).abs() < 1e-6, "{size} at {speed}: {} for {back}", state.pose.position.x);
    }
}

/// Large enough that the passes, and not only the search for contacts, are shared.
#[test]
fn a_team_gives_the_bits_of_one_thread() {
    let reported = |threads: u32| {
        let mut world = pyramid(44);
        // An impact keeps the pile busy.
        let mut ball = solid(PlaneShape::Disc(3.0), -5.0, 6.0);
        ball.velocity = DVec3::new(30.0, 0.0, 0.0);
        world.bodies.push(ball);
        let mut bench = Bench::new(world, &format!("threads={threads}"), DT);
        bench.run(10, |_| {});
        assert!(bench.engine.work().0 > 2048, "enough contacts to share");
        bench.frame
    };
    let expected = reported(1);
    for threads in [2, 3] {
        assert!(reported(threads) == expected, "{threads} threads went another way");
    }
}
