//! Joints: periods, lengths, limits.

use crate::worlds::{G, bar_pendulum, joint, period};
use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{Body, DVec2, DVec3, Joint, JointKind, PlaneShape, about_z};

#[test]
fn a_compound_pendulum_swings_with_its_period() {
    // I about the end over m g times half the length; the amplitude adds a sixteenth of its square (Huygens' series).
    let amplitude = 0.1_f64;
    let (mass, inertia) = (0.1, 0.1 * (0.01 + 1.0) / 12.0);
    let small = std::f64::consts::TAU * ((inertia + mass * 0.25) / (mass * G * 0.5)).sqrt();
    let exact = small * (1.0 + amplitude * amplitude / 16.0);
    let mut bench = Bench::new(bar_pendulum(amplitude), "", 1.0 / 240.0);
    let found = period(&mut bench, 1, 20.0);
    assert!((found / exact - 1.0).abs() < 1e-3, "{found} and not {exact}");
}

#[test]
fn a_pendulum_keeps_its_energy_and_its_hinge() {
    let mut bench = Bench::new(bar_pendulum(1.0), "", 1.0 / 240.0);
    let before = bench.energy();
    let swing = bench.world.bodies[1].mass * G * 0.5 * (1.0 - 1.0_f64.cos());
    bench.seconds(20.0, |frame| {
        let state = &frame.bodies[1];
        let end = state.pose.position.truncate() + DVec2::from_angle(state.pose.angle).rotate(DVec2::new(0.0, 0.5));
        assert!(end.length() < 1e-6, "the hinge has opened by {}", end.length());
    });
    assert!(((bench.energy() - before) / swing).abs() < 0.02, "{}", (bench.energy() - before) / swing);
}

fn bob(x: f64, y: f64) -> Body {
    solid(PlaneShape::Disc(0.1), x, y)
}

#[test]
fn a_rod_keeps_its_length_and_a_rope_only_holds_when_taut() {
    for (kind, start) in [(JointKind::Rod, (2.0, 0.0)), (JointKind::Rope, (1.0, 0.0))] {
        let mut world = world(G, 0.0, 0.0);
        world.bodies.push(fixed(square(0.1), 0.0, 0.0));
        world.bodies.push(bob(start.0, start.1));
        world.joints.push(Joint { length: Some(2.0), ..joint(kind, [0, 1], [(0.0, 0.0); 2]) });
        let mut bench = Bench::new(world, "", 1.0 / 240.0);
        let mut longest = 0.0_f64;
        let mut shortest = f64::INFINITY;
        bench.seconds(5.0, |frame| {
            longest = longest.max(frame.bodies[1].pose.position.length());
            shortest = shortest.min(frame.bodies[1].pose.position.length());
        });
        assert!(longest < 2.0 + 1e-4, "{kind:?} stretched to {longest}");
        match kind {
            JointKind::Rod => assert!(shortest > 2.0 - 1e-4, "a rod shrank to {shortest}"),
            _ => assert!(shortest < 1.01, "a slack rope pulled: {shortest}"),
        }
    }
}

#[test]
fn a_weld_holds_place_and_angle_under_load() {
    let mut world = world(G, 0.0, 0.0);
    world.bodies.push(fixed(square(0.2), 0.0, 0.0));
    world.bodies.push(solid(PlaneShape::Box(DVec2::new(1.0, 0.2)), 0.6, 0.0));
    world.joints.push(joint(JointKind::Weld, [0, 1], [(0.1, 0.0), (-0.5, 0.0)]));
    for options in ["", "solver=compliant", "solver=position"] {
        let mut bench = Bench::new(world.clone(), options, 1.0 / 60.0);
        bench.seconds(5.0, |_| {});
        assert!(bench.position(1).distance(DVec2::new(0.6, 0.0)) < 1e-3, "{options}: {}", bench.position(1));
        assert!(bench.frame.bodies[1].pose.angle.abs() < 1e-3, "{options}");
    }
}

#[test]
fn a_slider_moves_along_its_axis_to_its_limit_and_does_not_turn() {
    let mut world = world(G, 0.0, 0.0);
    world.bodies.push(fixed(square(0.2), 0.0, 0.0));
    let mut block = solid(square(0.4), 0.0, 1.0);
    block.spin = about_z(3.0);
    block.velocity = DVec3::new(2.0, 0.0, 0.0);
    world.bodies.push(block);
    let kind = JointKind::Slider { limits: Some([-1.5, 2.0]) };
    let mut slider = joint(kind, [0, 1], [(0.0, 0.0); 2]);
    slider.frames.iter_mut().for_each(|frame| frame.axis = DVec3::Y);
    world.joints.push(slider);
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    bench.seconds(0.2, |_| {});
    assert!(
        (bench.position(1).y - (1.0 - 0.5 * G * 0.04)).abs() < 1e-3,
        "falls freely along the axis: {}",
        bench.position(1)
    );
    bench.seconds(4.0, |_| {});
    assert!((bench.position(1) - DVec2::new(0.0, -1.5)).length() < 1e-3, "{}", bench.position(1));
    assert!(bench.frame.bodies[1].pose.angle.abs() < 1e-4);
}

#[test]
fn a_hinge_stops_at_its_limits() {
    let mut world = bar_pendulum(1.0);
    world.joints[0].kind = JointKind::Hinge { limits: Some([-0.2, 2.0]) };
    let mut bench = Bench::new(world, "", 1.0 / 240.0);
    let mut lowest = f64::INFINITY;
    bench.seconds(5.0, |frame| lowest = lowest.min(frame.bodies[1].pose.angle));
    assert!((lowest + 0.2).abs() < 2e-3, "{lowest}");
}

#[test]
fn a_hanging_chain_of_twenty_links_holds() {
    let mut world = world(G, 0.0, 0.0);
    world.bodies.push(fixed(square(0.1), 0.0, 0.0));
    for i in 0..20 {
        world.bodies.push(solid(PlaneShape::Box(DVec2::new(0.5, 0.1)), 0.25 + 0.5 * f64::from(i), 0.0));
        let first = if i == 0 { (0.0, 0.0) } else { (0.25, 0.0) };
        let index = i as usize;
        world.joints.push(joint(JointKind::Hinge { limits: None }, [index, index + 1], [first, (-0.25, 0.0)]));
    }
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    bench.seconds(10.0, |frame| {
        for body in 2..21 {
            let end = |body: usize, x: f64| {
                let state = &frame.bodies[body];
                state.pose.position.truncate() + DVec2::from_angle(state.pose.angle).rotate(DVec2::new(x, 0.0))
            };
            let open = end(body - 1, 0.25).distance(end(body, -0.25));
            assert!(open < 0.02, "link {body} is open by {open} at {} s", frame.time);
        }
    });
}
