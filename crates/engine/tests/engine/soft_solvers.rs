//! The three ways in which soft bodies move, against closed forms: what a backward step loses, where a net comes to rest, what is kept whatever the step.

use crate::soft::{engine, net};
use ironspin_model::{Conditions, DVec3, Engine, Frame, NodeSpring, Pressure, Stick, Timestep, World};

const BACKWARD: [&str; 2] = ["position", "implicit"];

fn last(world: &World, options: &[(&str, &str)], dt: f64, steps: usize) -> Frame {
    let mut engine = engine(options);
    engine.build(world, &Conditions::with_dt(Timestep { text: dt.to_string(), seconds: dt })).unwrap();
    let mut frame = Frame::default();
    engine.advance(&vec![dt; steps], &mut |now| frame = now.clone()).unwrap();
    frame
}

/// A weight on a spring, or on a damper without stiffness: x and v by the backward rule in closed form, v' = (v - h w² x) / (1 + h² w² + h c/m),
/// x' = x + h v'.
#[test]
fn a_weight_on_a_spring_or_a_damper_follows_the_backward_rule_to_rounding() {
    let (mass, dt) = (0.5, 0.01);
    for (stiffness, damping) in [(50.0, 0.3), (50.0, 0.0), (0.0, 2.0)] {
        let springs = [(0, 1, 1.0, stiffness, damping)];
        let world = net(&[[0.0, 0.0], [1.2, 0.0]], &[[0.0, 0.0], [0.5, 0.0]], &[0.0, mass], &springs);
        let (mut off, mut speed) = (0.2, 0.5);
        for _ in 0..100 {
            speed = (speed - dt * stiffness / mass * off) / (1.0 + dt * dt * stiffness / mass + dt * damping / mass);
            off += dt * speed;
        }
        for solver in BACKWARD {
            let frame = last(&world, &[("soft-solver", solver), ("soft-substeps", "1")], dt, 100);
            let state = &frame.bodies[1];
            assert!((state.pose.position.x - 1.0 - off).abs() < 1e-12, "{solver} {} {off}", state.pose.position.x);
            assert!((state.velocity.x - speed).abs() < 1e-11, "{solver} {} {speed}", state.velocity.x);
        }
    }
}

/// Three weights hang on springs: each spring is as long as what hangs below it pulls it.
#[test]
fn a_hanging_chain_comes_to_rest_where_its_weights_pull_it() {
    let (stiffness, mass, g) = (400.0, 0.5, 9.81);
    let nodes: Vec<[f64; 2]> = (0..4).map(|i| [0.0, -0.5 * f64::from(i)]).collect();
    let springs: Vec<_> = (0..3).map(|i| (i, i + 1, 0.5, stiffness, 8.0)).collect();
    let mut world = net(&nodes, &[], &[0.0, mass, mass, mass], &springs);
    world.gravity = DVec3::new(0.0, -g, 0.0);
    // Damping of nodes must not bear any of the weight.
    world.bodies.iter_mut().for_each(|node| node.linear_damping = 2.0);
    let below = |i: u32| mass * g * f64::from(3 - i) / stiffness;
    let wanted: f64 = (0..3).map(|i| 0.5 + below(i)).sum();
    for solver in ["force", "position", "implicit"] {
        let options = [("soft-solver", solver), ("iterations", "200")];
        let frame = last(&world, &options, 1.0 / 60.0, 1200);
        let y = frame.bodies[3].pose.position.y;
        assert!((y + wanted).abs() < 1e-6, "{solver} {y} {wanted}");
    }
}

/// A ring with gas, springs far too stiff for any explicit step, a turn and a drift.
fn stiff_ring() -> World {
    let count = 8;
    let place = |i: usize| {
        let angle = std::f64::consts::TAU * i as f64 / count as f64;
        [angle.cos(), angle.sin()]
    };
    let nodes: Vec<[f64; 2]> = (0..count).map(place).collect();
    let velocities: Vec<[f64; 2]> = nodes.iter().map(|[x, y]| [0.3 - 0.5 * y, 0.1 + 0.7 * x]).collect();
    let side = (place(1)[0] - 1.0).hypot(place(1)[1]);
    let springs: Vec<_> = (0..count).map(|i| (i, (i + 1) % count, 0.9 * side, 1e7, 0.0)).collect();
    let mut world = net(&nodes, &velocities, &vec![0.2; count], &springs);
    world.softs[0].skin = (0..count).map(|i| [i, (i + 1) % count]).collect();
    world.softs[0].pressure = Some(Pressure { amount: 30.0, outside: 0.0 });
    world
}

#[test]
fn nets_too_stiff_for_an_explicit_step_hold_and_keep_their_momentum() {
    let world = stiff_ring();
    let momentum = |world: &World, states: &[ironspin_model::BodyState]| -> DVec3 {
        states.iter().zip(&world.bodies).map(|(state, body)| state.velocity * body.mass).sum()
    };
    let built: DVec3 = world.bodies.iter().map(|body| body.velocity * body.mass).sum();
    for solver in BACKWARD {
        let frame = last(&world, &[("soft-solver", solver), ("iterations", "30")], 1.0 / 60.0, 300);
        let now = momentum(&world, &frame.bodies);
        assert!((now - built).length() < 1e-10 * (1.0 + built.length()), "{solver} {now} {built}");
        let spread = frame.bodies.iter().map(|state| state.pose.position.distance(frame.bodies[0].pose.position));
        assert!(spread.fold(0.0, f64::max) < 3.0, "{solver}");
    }
    let blown = last(&world, &[], 1.0 / 60.0, 60);
    assert!(!(blown.bodies[0].pose.position.length() < 1e3), "forces should not hold this");
}

#[test]
fn sticks_keep_their_length_under_backward_steps_and_nearly_under_constraints() {
    let mut world = net(&[[0.0, 0.0], [1.0, 0.0], [2.0, 0.0]], &[], &[0.0, 1.0, 1.0], &[]);
    world.gravity = DVec3::new(0.0, -9.81, 0.0);
    world.softs[0].springs.push(NodeSpring { ends: [0, 2], length: 2.0, stiffness: 5.0, damping: 0.0 });
    world.softs[0].sticks = vec![Stick { ends: [0, 1], length: 1.0 }, Stick { ends: [1, 2], length: 1.0 }];
    for (solver, bound) in [("implicit", 1e-12), ("position", 1e-3)] {
        let frame = last(&world, &[("soft-solver", solver)], 1.0 / 60.0, 120);
        let at = |node: usize| frame.bodies[node].pose.position;
        for [a, b] in [[0, 1], [1, 2]] {
            assert!((at(a).distance(at(b)) - 1.0).abs() < bound, "{solver} {}", at(a).distance(at(b)));
        }
    }
}

#[test]
fn any_number_of_threads_and_a_restored_state_give_the_same_bits() {
    let world = stiff_ring();
    for solver in BACKWARD {
        let options = [("soft-solver", solver)];
        let once = last(&world, &options, 1.0 / 60.0, 60);
        let mut engine = engine(&options);
        let conditions =
            Conditions { threads: 2, ..Conditions::with_dt(Timestep { text: "1/60".into(), seconds: 1.0 / 60.0 }) };
        engine.build(&world, &conditions).unwrap();
        let mut frame = Frame::default();
        engine.advance(&[1.0 / 60.0; 30], &mut |_| {}).unwrap();
        let token = engine.save().unwrap();
        engine.advance(&[1.0 / 60.0; 10], &mut |_| {}).unwrap();
        engine.restore(token).unwrap();
        engine.advance(&[1.0 / 60.0; 30], &mut |now| frame = now.clone()).unwrap();
        assert_eq!(frame.bodies, once.bodies, "{solver}");
    }
}
