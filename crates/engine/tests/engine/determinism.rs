//! The same bits: broad phases, chunks, threads, units, mass, tempo, bystanders.

use crate::worlds::heap;
use crate::yard::{Bench, conditions, settings, solid, square};
use ironspin_engine::Builtin;
use ironspin_model::{DVec3, Engine, Frame, PlaneShape, World};

fn run(world: &World, options: &str, dt: f64, steps: u64) -> Vec<Frame> {
    let mut bench = Bench::new(world.clone(), options, dt);
    let mut frames = Vec::new();
    bench.run(steps, |frame| frames.push(frame.clone()));
    frames
}

const DT: f64 = 1.0 / 64.0;

#[test]
fn every_broad_phase_gives_the_same_bits() {
    let expected = run(&heap(), "broad=all-pairs", DT, 300);
    for broad in ["sort", "grid", "tree"] {
        assert!(run(&heap(), &format!("broad={broad}"), DT, 300) == expected, "{broad} went another way");
    }
}

#[test]
fn any_number_of_threads_gives_the_same_bits() {
    let expected = run(&heap(), "threads=1", DT, 200);
    for threads in [2, 5] {
        assert!(run(&heap(), &format!("threads={threads}"), DT, 200) == expected, "{threads} threads went another way");
    }
}

#[test]
fn chunks_of_steps_make_no_difference() {
    let expected = run(&heap(), "", DT, 200);
    let mut engine = Builtin::new(settings(""));
    engine.build(&heap(), &conditions()).unwrap();
    let mut frames = Vec::new();
    for chunk in [1, 49, 100, 50] {
        engine.advance(&vec![DT; chunk], &mut |frame| frames.push(frame.clone())).unwrap();
    }
    assert!(frames == expected);
}

/// Every length, mass and time times a power of two.
fn in_units(world: &World, length: f64, mass: f64, time: f64) -> World {
    let mut world = world.clone();
    let speed = length / time;
    world.gravity *= length / (time * time);
    for body in &mut world.bodies {
        body.pose.position *= length;
        body.velocity *= speed;
        body.spin /= time;
        body.mass *= mass;
        body.inertia.0 *= mass * length * length;
        for part in &mut body.parts {
            part.pose.position *= length;
            match part.shape.planar_mut().unwrap() {
                PlaneShape::Disc(radius) => *radius *= length,
                PlaneShape::Box(size) => *size *= length,
                PlaneShape::Capsule { length: l, radius } => {
                    *l *= length;
                    *radius *= length;
                }
                PlaneShape::Polygon(points) | PlaneShape::Polyline(points) => {
                    points.iter_mut().for_each(|p| *p *= length);
                }
                PlaneShape::HalfPlane(_) => {}
            }
        }
    }
    for joint in &mut world.joints {
        joint.frames.iter_mut().for_each(|frame| frame.anchor *= length);
    }
    world
}

#[test]
fn units_mass_and_tempo_by_powers_of_two_change_nothing_but_the_exponent() {
    for options in ["", "swept=all", "solver=compliant", "solver=position"] {
        let plain = run(&heap(), options, DT, 120);
        for (length, mass, time) in
            [(1024.0, 1.0, 1.0), (1.0, 0.125, 1.0), (1.0, 1.0, 16.0), (2.0_f64.powi(-10), 8.0, 0.25)]
        {
            let reported = run(&in_units(&heap(), length, mass, time), options, DT * time, 120);
            for (frame, (a, b)) in plain.iter().zip(&reported).enumerate() {
                for (body, (a, b)) in a.bodies.iter().zip(&b.bodies).enumerate() {
                    // Below the smallest normal numbers digits are lost, and more of them in one unit than in the other.
                    let near = |a: DVec3, b: DVec3| a == b || (a - b).length() < 1e-300;
                    let same = a.pose.position * length == b.pose.position
                        && near(a.velocity * (length / time), b.velocity)
                        && near(a.spin, b.spin * time)
                        && a.pose.angle == b.pose.angle;
                    assert!(
                        same,
                        "{options} reported by {length} {mass} {time}: body {body} differs in frame {frame}: {a:?} for {b:?}"
                    );
                }
            }
        }
    }
}

#[test]
fn a_bystander_changes_nothing() {
    let plain = run(&heap(), "", DT, 200);
    let mut more = heap();
    more.bodies.push(solid(square(0.5), 5000.0, 3000.0));
    let reported = run(&more, "", DT, 200);
    for (a, b) in plain.iter().zip(&reported) {
        assert!(a.bodies[..] == b.bodies[..a.bodies.len()], "step {}", a.step);
    }
}

#[test]
fn steps_of_no_length_count_and_change_nothing() {
    let mut bench = Bench::new(heap(), "", DT);
    bench.run(10, |_| {});
    let before = bench.frame.clone();
    bench
        .engine
        .advance(&[0.0], &mut |frame| {
            assert_eq!(frame.step, 11);
            assert_eq!(frame.bodies, before.bodies);
        })
        .unwrap();
}

#[test]
fn joints_that_turn_bodies_know_no_unit_of_length() {
    let pair = |kind| {
        let mut world = crate::yard::world(0.0, 0.0, 0.0);
        let mut head = crate::yard::solid(PlaneShape::Box(ironspin_model::DVec2::new(0.6, 0.4)), -0.75, 0.0);
        let mut shaft = crate::yard::solid(PlaneShape::Capsule { length: 0.6, radius: 0.1 }, 0.25, 0.0);
        head.velocity = DVec3::new(0.1, -1.1, 0.0);
        head.spin = ironspin_model::about_z(1.5);
        shaft.velocity = DVec3::new(0.0, 0.4, 0.0);
        world.bodies.extend([head, shaft]);
        let at = [ironspin_model::DVec2::new(0.75, 0.0), ironspin_model::DVec2::new(-0.25, 0.0)];
        world.joints.push(ironspin_model::Joint {
            kind,
            bodies: [0, 1],
            frames: ironspin_model::JointFrame::planar(at),
            length: None,
        });
        world
    };
    use ironspin_model::JointKind;
    for kind in [JointKind::Weld, JointKind::Hinge { limits: Some([-0.1, 0.1]) }, JointKind::Rod] {
        let plain = run(&pair(kind), "", DT, 120);
        for length in [1024.0, 1.0 / 1024.0] {
            let scaled = run(&in_units(&pair(kind), length, 1.0, 1.0), "", DT, 120);
            for (a, b) in plain.iter().zip(&scaled) {
                for (a, b) in a.bodies.iter().zip(&b.bodies) {
                    assert_eq!(a.pose.position * length, b.pose.position, "{kind:?} at {length}");
                    assert_eq!((a.pose.angle, a.spin), (b.pose.angle, b.spin), "{kind:?} at {length}");
                }
            }
        }
    }
}
