//! Joints of space against closed forms.

use super::yard::{balance, cube, fixed, solid, turned, world};
use crate::yard::Bench;
use ironspin_model::{Body, DQuat, DVec3, Joint, JointFrame, JointKind, SpaceShape, World, turn};

/// A joint that holds both bodies at a point of the world, about an axis of the world.
pub(crate) fn joint_at(world: &World, kind: JointKind, bodies: [usize; 2], at: DVec3, axis: DVec3) -> Joint {
    let poses = bodies.map(|id| world.bodies[id].pose);
    let anchors = poses.map(|pose| pose.rotation.conjugate() * (at - pose.position));
    let rotations = poses.map(|pose| pose.rotation);
    let frames = JointFrame::pair(anchors, rotations[0].conjugate() * axis, rotations);
    Joint { kind, bodies, frames, length: None }
}

/// A beam of 1 m that hangs by one end from a post, first held out by an angle from below.
fn hanging(kind: JointKind, axis: DVec3, out: f64) -> World {
    let mut world = world(9.81, 0.0, 0.0);
    world.bodies.push(fixed(cube(0.1), DVec3::ZERO));
    let rotation = DQuat::from_axis_angle(axis, out);
    let beam = turned(solid(SpaceShape::Box(DVec3::new(0.1, 1.0, 0.06)), DVec3::ZERO), rotation);
    world.bodies.push(Body {
        pose: ironspin_model::Pose { position: rotation * DVec3::new(0.0, -0.5, 0.0), ..beam.pose },
        ..beam
    });
    let joint = joint_at(&world, kind, [0, 1], DVec3::ZERO, axis);
    world.joints.push(joint);
    world
}

#[test]
fn a_beam_on_a_hinge_swings_with_the_period_of_a_compound_pendulum() {
    let axis = DVec3::new(0.6, 0.0, 0.8);
    let world = hanging(JointKind::Hinge { limits: None }, axis, 0.01);
    let body = &world.bodies[1];
    let about = (turn::turned_inertia(body.pose.rotation, body.inertia).0 * axis).dot(axis) + body.mass * 0.25;
    // Small swings are longer by a sixteenth of the square of the angle.
    let period = std::f64::consts::TAU * (about / (body.mass * 9.81 * 0.5)).sqrt() * (1.0 + 1e-4 / 16.0);
    let mut bench = Bench::new(world.clone(), "", 1.0 / 240.0);
    let (mut last, mut time, mut crossings) = (1.0, 0.0, Vec::new());
    let side = axis.cross(DVec3::Y);
    bench.seconds(8.0, |frame| {
        let out = frame.bodies[1].pose.position.dot(side);
        time += 1.0 / 240.0;
        if last < 0.0 && out >= 0.0 {
            crossings.push(time - out / (out - last) / 240.0);
        }
        last = out;
    });
    let found = (crossings.last().unwrap() - crossings[0]) / (crossings.len() - 1) as f64;
    assert!((found / period - 1.0).abs() < 1e-4, "{found} {period}");
}

#[test]
fn swinging_and_turning_bodies_on_joints_keep_their_energy() {
    for (name, kind) in
        [("hinge", JointKind::Hinge { limits: None }), ("socket", JointKind::Socket), ("rod", JointKind::Rod)]
    {
        let mut world = hanging(kind, DVec3::Z, 1.2);
        if kind == JointKind::Socket {
            world.bodies[1].spin = DVec3::new(0.0, 2.0, 0.0);
            world.bodies[1].velocity = world.bodies[1].spin.cross(world.bodies[1].pose.position);
        }
        if kind == JointKind::Rod {
            world.joints[0].frames[0].anchor = DVec3::new(0.0, 0.3, 0.0);
            world.excluded_pairs.push([0, 1]);
        }
        let mut bench = Bench::new(world.clone(), "", 1.0 / 240.0);
        let before = balance(&world, &bench.frame).2;
        let (mut worst, mut off) = (0.0_f64, 0.0_f64);
        let length = (world.bodies[1].pose.rotation * DVec3::new(0.0, 0.5, 0.0) + world.bodies[1].pose.position
            - world.joints[0].frames[0].anchor)
            .length();
        bench.seconds(20.0, |frame| {
            let pose = frame.bodies[1].pose;
            let end = pose.position + pose.rotation * DVec3::new(0.0, 0.5, 0.0);
            off = off.max(((end - world.joints[0].frames[0].anchor).length() - length).abs());
            worst = worst.max((balance(&world, frame).2 - before).abs());
        });
        let scale = world.bodies[1].mass * 9.81;
        assert!(worst < 2e-3 * scale, "{name}: {:e} of m g", worst / scale);
        assert!(off < 1e-6, "{name}: {off:e}");
    }
}

#[test]
fn a_hinge_stops_at_its_limits_and_counts_whole_turns() {
    let mut world = hanging(JointKind::Hinge { limits: Some([-0.5, 9.0]) }, DVec3::Z, 0.0);
    world.gravity = DVec3::ZERO;
    world.bodies[1].spin = 5.0 * DVec3::Z;
    world.bodies[1].velocity = world.bodies[1].spin.cross(world.bodies[1].pose.position);
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    let (mut angle, mut most, mut last) = (0.0_f64, 0.0_f64, DQuat::IDENTITY);
    bench.seconds(4.0, |frame| {
        let now = frame.bodies[1].pose.rotation;
        angle += (now * last.conjugate()).to_scaled_axis().z;
        last = now;
        most = most.max(angle);
    });
    assert!((most - 9.0).abs() < 1e-3 && (angle - 9.0).abs() < 1e-2, "{most} {angle}");
}

#[test]
fn a_slider_keeps_to_its_line_and_its_limits_and_a_weld_keeps_everything() {
    let axis = DVec3::new(0.0, -0.8, 0.6);
    let mut world = world(9.81, 0.0, 0.0);
    world.bodies.push(fixed(cube(0.1), DVec3::ZERO));
    world.bodies.push(turned(solid(cube(0.4), axis), turn::by_vector(DVec3::new(0.3, 0.2, 0.1))));
    world.bodies.push(solid(SpaceShape::Capsule { length: 1.0, radius: 0.1 }, axis + DVec3::new(0.7, 0.0, 0.0)));
    let slider = joint_at(&world, JointKind::Slider { limits: Some([-0.5, 2.0]) }, [0, 1], axis, axis);
    let weld = joint_at(&world, JointKind::Weld, [1, 2], axis + DVec3::new(0.3, 0.0, 0.0), DVec3::Z);
    world.joints.extend([slider, weld]);
    let start = world.bodies.clone();
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    let mut time = 0.0;
    bench.seconds(3.0, |frame| {
        time += 1.0 / 240.0;
        let [one, two] = [1, 2].map(|id| frame.bodies[id].pose);
        let way = (one.position - axis).dot(axis);
        assert!((one.position - axis - axis * way).length() < 1e-6, "off the line");
        // In the step of the stop itself the passes leave a little.
        let (turned, moved) = if way > 1.99 { (6e-3, 3e-3) } else { (1e-6, 1e-5) };
        assert!(turn::angle_between(one.rotation, start[1].pose.rotation) < turned);
        let due = one.position + DVec3::new(0.7, 0.0, 0.0);
        assert!((two.position - due).length() < moved, "{}", two.position - due);
        let expected = 0.5 * 9.81 * 0.8 * time * time;
        if expected < 1.9 {
            assert!((way - expected).abs() < 1e-3, "{way} {expected}");
        }
        assert!(way < 2.0 + 1e-3);
    });
}

#[test]
fn a_rope_is_slack_and_then_holds() {
    let mut world = world(9.81, 0.0, 0.0);
    world.bodies.push(fixed(cube(0.1), DVec3::ZERO));
    world.bodies.push(solid(SpaceShape::Sphere(0.1), DVec3::new(0.3, -0.2, 0.1)));
    let mut rope = joint_at(&world, JointKind::Rope, [0, 1], DVec3::ZERO, DVec3::Z);
    (rope.frames[1].anchor, rope.length) = (DVec3::ZERO, Some(1.0));
    world.joints.push(rope);
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    let mut longest = 0.0_f64;
    bench.seconds(5.0, |frame| longest = longest.max(frame.bodies[1].pose.position.length()));
    assert!(longest > 0.999 && longest < 1.0 + 1e-3, "{longest}");
}

/// The error of a mass on two springs after a second: order of the method from two steps.
#[test]
fn springs_have_the_order_of_the_integrator() {
    let at = |options: &str, steps: f64| {
        let mut world = world(0.0, 0.0, 0.0);
        world.bodies.push(fixed(cube(0.1), DVec3::new(-1.0, 0.0, 0.0)));
        let mut body = solid(SpaceShape::Box(DVec3::new(0.3, 0.5, 0.4)), DVec3::new(0.4, 0.3, -0.2));
        body.spin = DVec3::new(0.5, -1.0, 2.0);
        world.bodies.push(body);
        let mut spring =
            joint_at(&world, JointKind::Spring { stiffness: 2.0, damping: 0.05 }, [0, 1], DVec3::ZERO, DVec3::Z);
        (spring.frames[1].anchor, spring.length) = (DVec3::new(0.1, 0.25, 0.05), Some(0.4));
        world.joints.push(spring);
        let mut bench = Bench::new(world, options, 1.0 / steps);
        bench.seconds(1.0, |_| {});
        bench.frame.bodies[1].pose
    };
    let truth = at("integrator=rk4,substeps=1", 2048.0);
    for (integrator, order) in [("symplectic-euler", 1.0), ("verlet", 2.0), ("rk4", 4.0)] {
        let options = format!("integrator={integrator},substeps=1");
        let error = |steps: f64| (at(&options, steps).position - truth.position).length();
        let found = (error(64.0) / error(128.0)).log2();
        assert!((found - order).abs() < 0.3, "{integrator}: {found} from {:e} and {:e}", error(64.0), error(128.0));
    }
}
