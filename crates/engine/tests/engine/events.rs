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

/// A ball of radius 0.1 above a floor, and how high its lowest point is.
fn dropped(height: f64, gravity: f64, friction: f64, restitution: f64) -> World {
    let mut world = world(gravity, friction, restitution);
    world.bodies.extend([crate::yard::floor(), solid(PlaneShape::Disc(0.1), 0.0, 0.1 + height)]);
    world
}

/// Height of a ball that bounces: the k-th flight begins with the speed v e^k; lies still when the series has ended.
fn bouncing(height: f64, gravity: f64, restitution: f64, time: f64) -> f64 {
    let fall = (2.0 * height / gravity).sqrt();
    if time <= fall {
        return height - 0.5 * gravity * time * time;
    }
    let (mut since, mut speed) = (fall, gravity * fall * restitution);
    while speed > 1e-12 {
        let span = 2.0 * speed / gravity;
        if time <= since + span {
            let into = time - since;
            return speed * into - 0.5 * gravity * into * into;
        }
        since += span;
        speed *= restitution;
    }
    0.0
}

#[test]
fn a_disc_bounces_to_rest_through_infinitely_many_impacts() {
    for step in 0..200 {
        let height = 0.5 + 9.5 * f64::from(step) / 199.0;
        // All steps and restitutions come about, in turns.
        let dt = [1.0 / 60.0, 1.0 / 240.0, 1.0 / 30.0][step as usize % 3];
        let restitution = [0.63, 0.2, 0.9][(step / 3) as usize % 3];
        let (seconds, gravity) = (if restitution > 0.8 { 60.0 } else { 12.0 }, 3.71);
        let mut bench = Bench::new(dropped(height, gravity, 0.0, restitution), "solver=event", dt);
        let mut impacts = 0;
        let mut worst = 0.0_f64;
        bench.seconds(seconds, |frame| {
            impacts += frame.contacts.iter().map(|contact| contact.times.unwrap_or(1)).sum::<u64>();
            let found = frame.bodies[1].pose.position.y - 0.1;
            worst = worst.max((found - bouncing(height, gravity, restitution, frame.time)).abs());
        });
        assert!(impacts < 1000, "{height} m: {impacts} impacts");
        assert!(worst < 1e-9 * height, "{height} m, {restitution}, {dt}: off by {worst}");
        let end = &bench.frame.bodies[1];
        assert!(end.velocity.length() == 0.0 && end.pose.position.x == 0.0, "{height} m: {end:?}");
    }
}

#[test]
fn what_lies_still_is_pressed_by_its_weight_and_hit_by_nothing() {
    let mut bench = Bench::new(dropped(0.0, 9.81, 0.0, 0.5), "solver=event", 0.01);
    let mass = bench.world.bodies[1].mass;
    bench.run(10, |_| {});
    let [contact] = &bench.frame.contacts[..] else { panic!("{:?}", bench.frame.contacts) };
    assert!((contact.impulse - mass * 9.81 * 0.01).abs() < 1e-12 * contact.impulse, "{contact:?}");
    assert_eq!((contact.bodies, contact.normal, contact.times), ([0, 1], DVec3::Y, Some(0)));
}

#[test]
fn a_disc_that_slips_begins_to_roll_and_rolls_on() {
    // Pushed without spin on a level floor: it rolls at two thirds of its speed from v / (3 mu g) on.
    let (speed, friction, gravity) = (3.0, 0.2, 9.81);
    let mut yard = dropped(0.0, gravity, friction, 0.5);
    yard.bodies[1].velocity = DVec3::new(speed, 0.0, 0.0);
    let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
    let slips = speed / (3.0 * friction * gravity);
    bench.seconds(2.0, |frame| {
        let (body, time) = (&frame.bodies[1], frame.time);
        let slipping = time < slips;
        let now = if slipping { speed - friction * gravity * time } else { 2.0 / 3.0 * speed };
        let before = time.min(slips);
        let way = speed * before - 0.5 * friction * gravity * before * before + 2.0 / 3.0 * speed * (time - before);
        assert!((body.velocity.x - now).abs() < 1e-12, "{time}: {} for {now}", body.velocity.x);
        assert!((body.pose.position.x - way).abs() < 1e-12, "{time}: {} for {way}", body.pose.position.x);
        if !slipping {
            assert!((body.spin.z + now / 0.1).abs() < 1e-11, "{time}: {}", body.spin.z);
        }
    });
}

#[test]
fn a_disc_on_a_slope_rolls_or_slips_as_friction_allows() {
    for (friction, share) in [(1.0, 2.0 / 3.0), (0.05, 1.0 - 0.05 / 0.5_f64.tan()), (0.0, 1.0)] {
        let (angle, gravity) = (0.5_f64, 9.81);
        let mut yard = world(gravity, friction, 0.3);
        let normal = DVec2::new(angle.sin(), angle.cos());
        yard.bodies.push(fixed(PlaneShape::HalfPlane(normal), 0.0, 0.0));
        yard.bodies.push(solid(PlaneShape::Disc(0.1), 0.1 * normal.x, 0.1 * normal.y));
        let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
        bench.seconds(1.5, |_| {});
        let down = bench.velocity(1).length();
        let due = share * gravity * angle.sin() * 1.5;
        assert!((down - due).abs() < 1e-9 * due, "friction {friction}: {down} for {due}");
        assert!(bench.velocity(1).dot(normal).abs() < 1e-12);
    }
}

#[test]
fn a_disc_that_lies_on_a_static_box_falls_off_its_end() {
    let mut yard = world(9.81, 0.0, 0.5);
    yard.bodies.push(fixed(PlaneShape::Box(DVec2::new(2.0, 1.0)), 0.0, -0.5));
    let mut ball = solid(PlaneShape::Disc(0.1), 0.0, 0.1);
    ball.velocity = DVec3::new(4.0, 0.0, 0.0);
    yard.bodies.push(ball);
    let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
    // Faster than sqrt(g r), so that it leaves the corner at once and never touches it again.
    bench.seconds(0.5, |frame| {
        let (x, y) = (frame.bodies[1].pose.position.x, frame.bodies[1].pose.position.y);
        let beyond = ((x - 1.0) / 4.0).max(0.0);
        assert!((x - 4.0 * frame.time).abs() < 1e-12);
        assert!((y - 0.1 + 0.5 * 9.81 * beyond * beyond).abs() < 1e-9, "{x}, {y}");
    });
}

#[test]
fn what_lies_still_can_be_hit_away_and_lies_down_again() {
    let mut yard = dropped(0.0, 9.81, 0.0, 0.5);
    let mut runner = solid(PlaneShape::Disc(0.1), -1.0, 0.1);
    runner.velocity = DVec3::new(2.0, 0.0, 0.0);
    yard.bodies.push(runner);
    let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
    bench.seconds(2.0, |_| {});
    // Equal masses at the same height: (1 - e) / 2 and (1 + e) / 2 of the speed, and neither leaves the floor.
    for (body, due) in [(2, 0.5), (1, 1.5)] {
        assert!((bench.velocity(body) - DVec2::new(due, 0.0)).length() < 1e-12, "{}", bench.velocity(body));
        assert!((bench.position(body).y - 0.1).abs() < 1e-12);
    }
    // Hit from below at a slant it flies and comes back.
    let mut yard = dropped(0.0, 9.81, 0.0, 0.5);
    let mut below = solid(PlaneShape::Disc(0.05), -1.0, 0.05);
    below.velocity = DVec3::new(6.0, 0.0, 0.0);
    yard.bodies.push(below);
    let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
    let mut highest = 0.0_f64;
    bench.seconds(6.0, |frame| highest = highest.max(frame.bodies[1].pose.position.y));
    assert!(highest > 0.11, "{highest}");
    assert!((bench.position(1).y - 0.1).abs() < 1e-12 && bench.velocity(1).y == 0.0, "{}", bench.position(1));
}

#[test]
fn two_faces_hold_a_disc_in_their_corner() {
    let mut yard = world(9.81, 0.0, 0.4);
    let (left, right) = (DVec2::new(0.6, 0.8), DVec2::new(-0.6, 0.8));
    yard.bodies.extend([left, right].map(|normal| fixed(PlaneShape::HalfPlane(normal), 0.0, 0.0)));
    yard.bodies.push(solid(PlaneShape::Disc(0.2), 0.3, 1.0));
    let mut bench = Bench::new(yard, "solver=event", 1.0 / 60.0);
    bench.seconds(20.0, |_| {});
    assert!(bench.velocity(2).length() < 1e-9, "{}", bench.velocity(2));
    assert!((bench.position(2) - DVec2::new(0.0, 0.25)).length() < 1e-6, "{}", bench.position(2));
}

#[test]
fn what_is_not_there_yet_does_not_move_until_it_comes() {
    let mut yard = world(10.0, 0.0, 1.0);
    let mut ball = solid(PlaneShape::Disc(0.5), 5.0, 0.0);
    (ball.velocity, ball.absent) = (DVec3::new(1.0, 0.0, 0.0), true);
    yard.bodies.extend([solid(PlaneShape::Disc(0.5), 0.0, 50.0), ball]);
    let mut bench = Bench::new(yard, "solver=event", 0.1);
    bench.run(3, |frame| assert!(frame.bodies[1].is_absent()));
    bench.engine.act(1, &Effect::Add).unwrap();
    bench.run(1, |_| {});
    // One step after it came in where it was built.
    assert!((bench.position(1) - DVec2::new(5.1, -0.05)).length() < 1e-12, "{}", bench.position(1));
    assert!((bench.velocity(1) - DVec2::new(1.0, -1.0)).length() < 1e-12, "{}", bench.velocity(1));
}

/// A disc that would go on round another, or round a corner, has no closed form there: it is refused in place of endless impacts.
#[test]
fn a_disc_that_comes_to_rest_on_a_round_one_is_refused() {
    for (base, top) in [
        (fixed(PlaneShape::Disc(50.0), 0.0, -50.0), (1.5, 0.478)),
        (fixed(PlaneShape::Disc(1.0), 0.0, -1.0), (0.0, 0.6)),
    ] {
        for restitution in [0.0, 0.5] {
            let mut yard = world(10.0, 0.0, restitution);
            yard.bodies.extend([base.clone(), solid(PlaneShape::Disc(0.5), top.0, top.1)]);
            let mut bench = Bench::new(yard, "solver=event", 0.01);
            let outcome = (0..2000).try_for_each(|_| bench.engine.advance(&[0.01], &mut |_| {}));
            let told = outcome.expect_err(&format!("{top:?} {restitution} {:?}", bench.frame.bodies[1])).to_string();
            assert!(told.contains("come to rest on round ones"), "{told}");
        }
    }
    // One that is fast enough flies off by itself.
    let mut yard = world(10.0, 0.0, 0.0);
    let mut ball = solid(PlaneShape::Disc(0.5), 0.0, 0.5);
    ball.velocity = DVec3::new(5.0, 0.0, 0.0);
    yard.bodies.extend([fixed(PlaneShape::Disc(1.0), 0.0, -1.0), ball]);
    let mut bench = Bench::new(yard, "solver=event", 0.01);
    bench.run(50, |frame| {
        let due = 0.5 - 5.0 * frame.time * frame.time;
        assert!((frame.bodies[1].pose.position.y - due).abs() < 1e-9, "{}", frame.time);
    });
}
