//! Sensors: notices and no push.

use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{DVec2, DVec3, SensorEventKind, World};

fn gate(thickness: f64, speed: f64) -> World {
    let mut world = world(0.0, 0.5, 0.5);
    let mut sensor = fixed(ironspin_model::PlaneShape::Box(DVec2::new(thickness, 4.0)), 0.0, 0.0);
    sensor.parts[0].sensor = true;
    world.bodies.push(sensor);
    let mut body = solid(square(0.5), -2.0, 0.0);
    body.velocity = DVec3::new(speed, 0.0, 0.0);
    world.bodies.push(body);
    world
}

fn notices(world: World, options: &str, seconds: f64) -> Vec<(u64, SensorEventKind)> {
    let mut bench = Bench::new(world, options, 1.0 / 60.0);
    let mut reported: Vec<(u64, SensorEventKind)> =
        bench.frame.events.iter().map(|event| (event.step, event.kind)).collect();
    let speed = bench.velocity(1);
    bench.seconds(seconds, |frame| {
        reported.extend(frame.events.iter().map(|event| (event.step, event.kind)));
        assert!(frame.events.iter().all(|event| event.sensor == [0, 0] && event.other == [1, 0]));
    });
    assert_eq!(bench.velocity(1), speed, "a sensor does not push");
    reported
}

#[test]
fn coming_and_going_are_noticed_at_the_step_they_happen() {
    // Edge to edge: touches after 2 - 0.25 - 0.5 = 1.25 m, leaves after 2 + 0.75 = 2.75 m; at 1.6 m/s.
    let reported = notices(gate(1.0, 1.6), "", 3.0);
    assert_eq!(reported, [(47, SensorEventKind::Enter), (104, SensorEventKind::Leave)]);
}

#[test]
fn a_pass_within_one_step_gives_both_notices() {
    for options in ["", "swept=all"] {
        let reported = notices(gate(0.01, 600.0), options, 0.5);
        assert_eq!(reported, [(1, SensorEventKind::Enter), (1, SensorEventKind::Leave)], "{options}");
    }
}

#[test]
fn an_overlap_as_built_is_an_enter_at_step_zero() {
    let mut world = gate(1.0, 0.0);
    world.bodies[1].pose.position.x = 0.2;
    assert_eq!(notices(world, "", 0.5), [(0, SensorEventKind::Enter)]);
}
