//! Faults: none breaks the program, each is one thing only, and a fault of no size is no fault.

use crate::space::yard::crowd;
use crate::worlds::{bar_pendulum, heap};
use crate::yard::{conditions, settings};
use ironspin_engine::{Builtin, faults};
use ironspin_model::{DVec3, Effect, Engine, Frame, World};

/// Frames of a world with everything that is asked of an engine: steps, an action, a saved state, a ray.
fn run(world: &World, options: &str) -> Vec<Frame> {
    let mut engine = Builtin::new(settings(options));
    engine.build(world, &conditions()).unwrap();
    let mut frames = Vec::new();
    let steps = [1.0 / 64.0; 20];
    engine.advance(&[], &mut |frame| frames.push(frame.clone())).unwrap();
    engine.advance(&steps, &mut |frame| frames.push(frame.clone())).unwrap();
    let token = engine.save().unwrap();
    let (impulse, point) = (DVec3::new(0.5, 0.0, 0.0), Some(DVec3::new(0.0, 1.0, 0.0)));
    let mover = world.dynamic_bodies().next().unwrap();
    engine.act(mover, &Effect::Impulse { impulse, point }).unwrap();
    engine.advance(&steps, &mut |frame| frames.push(frame.clone())).unwrap();
    engine.restore(token).unwrap();
    engine.advance(&steps, &mut |frame| frames.push(frame.clone())).unwrap();
    engine.ray(DVec3::new(-5.0, 0.5, 0.0), DVec3::new(5.0, 0.5, 0.0)).unwrap();
    frames
}

#[test]
fn no_fault_breaks_the_program() {
    for fault in faults() {
        for precision in ["f64", "f32"] {
            for world in [heap(), bar_pendulum(0.3), crowd()] {
                if !fault.dimensions.contains(&world.dimension) {
                    continue;
                }
                let frames = run(&world, &format!("fault={},precision={precision}", fault.name));
                assert_eq!(frames.len(), 61, "{}", fault.name);
                assert!(frames.iter().all(|frame| frame.bodies.len() == world.bodies.len()), "{}", fault.name);
            }
        }
    }
}

/// What is made smaller and smaller comes to the sound engine: its numbers differ by as little in the end.
#[test]
fn a_fault_of_almost_no_size_is_almost_no_fault() {
    for (world, fault) in [heap(), crowd()].iter().flat_map(|world| faults().map(move |fault| (world, fault))) {
        let Some(size) = fault.size.filter(|_| fault.dimensions.contains(&world.dimension)) else { continue };
        let (sound, tiny) = (run(world, ""), size.stated * 1e-13);
        let frames = run(world, &format!("fault={},fault-size={tiny:e}", fault.name));
        // Before bodies have collided so often that a rounding error grows.
        for (broken, right) in frames.iter().zip(&sound).take(10) {
            for (b, r) in broken.bodies.iter().zip(&right.bodies) {
                let apart = (b.pose.position - r.pose.position).length();
                assert!(apart < 1e-8, "{} is off by {apart} at {tiny}", fault.name);
            }
        }
    }
}

/// Friction whose lever arm is left out slows a disc until it stands and turns it not at all; turned round, it turns it as much the other
/// way.
#[test]
fn the_lever_of_friction_can_be_left_out_and_turned_round() {
    use crate::yard::{Bench, floor, solid, world};
    for (options, speed, spin) in
        [("", 2.0, -4.0), ("fault=friction-without-lever", 0.0, 0.0), ("fault=friction-turns-backwards", 2.0, 4.0)]
    {
        let mut yard = world(10.0, 0.5, 0.0);
        let mut ball = solid(ironspin_model::PlaneShape::Disc(0.5), 0.0, 0.5);
        ball.velocity = DVec3::new(3.0, 0.0, 0.0);
        yard.bodies.extend([floor(), ball]);
        let mut bench = Bench::new(yard, options, 1.0 / 240.0);
        bench.seconds(2.0, |_| {});
        assert!((bench.velocity(1).x - speed).abs() < 0.02, "{options}: {}", bench.velocity(1));
        assert!((bench.frame.bodies[1].spin.z - spin).abs() < 0.05, "{options}: {}", bench.frame.bodies[1].spin);
    }
}
