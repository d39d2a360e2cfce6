//! Soft bodies against closed forms: integrators, energy, momentum, contacts.

use ironspin_engine::{Builtin, Settings};
use ironspin_model::{
    Action, Body, BodyKind, Conditions, DVec2, DVec3, Effect, Engine, Frame, Material, NodeSpring, NodeTraits, Part,
    PlaneShape, Pose, Pressure, SoftBody, Timestep, World,
};

fn conditions(dt: f64) -> Conditions {
    Conditions::with_dt(Timestep { text: dt.to_string(), seconds: dt })
}

pub(crate) fn engine(options: &[(&str, &str)]) -> Builtin {
    Builtin::new(Settings::read(options.iter().copied()).unwrap())
}

/// A world with one soft body of nodes, velocities, masses and springs [a, b, length, stiffness, damping].
pub(crate) fn net(
    nodes: &[[f64; 2]],
    velocities: &[[f64; 2]],
    masses: &[f64],
    springs: &[(usize, usize, f64, f64, f64)],
) -> World {
    let mut world = World::planar(1e9);
    world.materials = vec![Material { name: "rubber".into(), density: 1.0, friction: 0.5, restitution: 0.0 }];
    add_net(&mut world, 0.01, nodes, velocities, masses, springs);
    world
}

fn add_net(
    world: &mut World,
    radius: f64,
    nodes: &[[f64; 2]],
    velocities: &[[f64; 2]],
    masses: &[f64],
    springs: &[(usize, usize, f64, f64, f64)],
) {
    let name = format!("net[{}]", world.softs.len());
    let traits = NodeTraits { radius, ..NodeTraits::plain(&name) };
    let first = world.bodies.len();
    let flat = |[x, y]: [f64; 2]| DVec3::new(x, y, 0.0);
    for (i, &node) in nodes.iter().enumerate() {
        let velocity = velocities.get(i).copied().unwrap_or_default();
        world.bodies.push(traits.node(&format!("[{i}]"), flat(node), flat(velocity), masses[i]));
    }
    world.softs.push(SoftBody {
        name,
        nodes: first..world.bodies.len(),
        material: 0,
        radius,
        self_contact: false,
        springs: springs
            .iter()
            .map(|&(a, b, length, stiffness, damping)| NodeSpring { ends: [a, b], length, stiffness, damping })
            .collect(),
        skin: Vec::new(),
        cells: Vec::new(),
        pressure: None,
        ..SoftBody::default()
    });
}

fn run(engine: &mut Builtin, world: &World, dt: f64, steps: usize, mut each: impl FnMut(&Frame)) {
    engine.build(world, &conditions(dt)).unwrap();
    for _ in 0..steps {
        engine.advance(&[dt], &mut |frame| each(frame)).unwrap();
    }
}

fn energy(world: &World, frame: &Frame) -> f64 {
    let moving: f64 = world
        .bodies
        .iter()
        .zip(&frame.bodies)
        .map(|(body, state)| 0.5 * body.mass * state.velocity.length_squared())
        .sum();
    let stored: f64 = world
        .softs
        .iter()
        .map(|soft| {
            let at = |node: usize| frame.bodies[soft.nodes.start + node].pose.position;
            let built = soft.enclosed(|node| world.bodies[soft.nodes.start + node].pose.position);
            soft.spring_energy(at) + soft.gas_energy(built, at)
        })
        .sum();
    moving + stored
}

fn momentum(world: &World, frame: &Frame) -> DVec3 {
    world.bodies.iter().zip(&frame.bodies).map(|(body, state)| body.mass * state.velocity).sum()
}

/// Two masses on a spring after 60 steps of 0.01 s. Source: powers of the eigenvalue of each method's step matrix.
#[test]
fn two_masses_swing_as_the_step_matrix_of_each_integrator_says() {
    let world = net(&[[0.0, 0.0], [1.2, 0.0]], &[], &[1.0, 1.0], &[(0, 1, 1.0, 50.0, 0.0)]);
    for (integrator, x, v) in [
        ("explicit-euler", -0.028_642_189_827_753_513, -0.402_262_847_148_621_1),
        ("symplectic-euler", 0.002_526_547_508_659_643_6, -0.277_358_410_315_635_1),
        ("verlet", 0.003_913_339_560_237_819, -0.276_665_014_289_846),
    ] {
        let mut engine = engine(&[("integrator", integrator), ("soft-substeps", "1")]);
        let mut last = Frame::default();
        run(&mut engine, &world, 0.01, 60, |frame| last.clone_from(frame));
        let end = last.bodies[0];
        assert!((end.pose.position.x - x).abs() < 1e-12, "{integrator}: {}", end.pose.position.x);
        assert!((end.velocity.x - v).abs() < 1e-12, "{integrator}: {}", end.velocity.x);
    }
}

/// The place of the first of two masses after a second for a step length.
fn place_after(integrator: &str, dt: f64, damping: f64) -> f64 {
    let world = net(&[[0.0, 0.0], [1.2, 0.0]], &[], &[1.0, 1.0], &[(0, 1, 1.0, 50.0, damping)]);
    let mut engine = engine(&[("integrator", integrator), ("soft-substeps", "1")]);
    let mut x = 0.0;
    run(&mut engine, &world, dt, (1.0 / dt).round() as usize, |frame| x = frame.bodies[0].pose.position.x);
    x
}

#[test]
fn each_integrator_has_its_order_with_and_without_damping() {
    for (damping, exact) in [
        (0.0_f64, 0.1 - 0.1 * libm::cos(10.0)),
        (0.5, {
            // Of the stretch: w0² = 100, 2 z w0 = 2 * 0.5 / 1.
            let (fading, swing) = (0.5_f64, (100.0_f64 - 0.25).sqrt());
            0.1 - 0.1 * libm::exp(-fading) * (libm::cos(swing) + fading / swing * libm::sin(swing))
        }),
    ] {
        for (integrator, order) in [("explicit-euler", 1.0), ("symplectic-euler", 1.0), ("verlet", 2.0), ("rk4", 4.0)] {
            let off = |dt: f64| (place_after(integrator, dt, damping) - exact).abs();
            let found = (off(1.0 / 512.0) / off(1.0 / 1024.0)).log2();
            assert!((found - order).abs() < 0.15, "{integrator} at damping {damping}: {found}");
        }
    }
}

/// A braced sheet with a kick in free space.
fn sheet() -> World {
    let (mut nodes, mut velocities, mut springs) = (Vec::new(), Vec::new(), Vec::new());
    let id = |row: usize, column: usize| 5 * row + column;
    for row in 0..4 {
        for column in 0..5 {
            nodes.push([0.2 * column as f64, 0.2 * row as f64]);
            let wave = if (row + column) % 3 == 0 { 0.3 } else { -0.1 };
            velocities.push([wave, 0.2 - wave * row as f64]);
            for (dr, dc) in [(0, 1), (1, 0), (1, 1)] {
                if row + dr < 4 && column + dc < 5 {
                    let length = 0.2 * ((dr + dc) as f64).sqrt();
                    springs.push((id(row, column), id(row + dr, column + dc), length, 200.0, 0.0));
                }
            }
        }
    }
    net(&nodes, &velocities, &[0.1; 20], &springs)
}

#[test]
fn an_undamped_net_in_free_space_keeps_energy_and_momentum() {
    let world = sheet();
    let omega = ironspin_model::Net::of(&world.softs[0], &world).omega;
    for dt in [1.0 / 60.0, 1.0 / 240.0] {
        let mut energies = Vec::new();
        let mut worst = 0.0_f64;
        let size: f64 = world.bodies.iter().map(|body| body.mass * body.velocity.length()).sum();
        let built: DVec3 = world.bodies.iter().map(|body| body.mass * body.velocity).sum();
        run(&mut engine(&[]), &world, dt, (60.0 / dt) as usize, |frame| {
            energies.push(energy(&world, frame));
            worst = worst.max((momentum(&world, frame) - built).length() / size);
        });
        let mean = |part: &[f64]| part.iter().sum::<f64>() / part.len() as f64;
        let third = energies.len() / 3;
        let trend = (mean(&energies[2 * third..]) / mean(&energies[..third]) - 1.0).abs();
        let (low, high) = energies.iter().fold((f64::MAX, f64::MIN), |(l, h), &e| (l.min(e), h.max(e)));
        let (swing, allowed) = ((high - low) / mean(&energies), (omega * dt / 8.0).powi(2) / 4.0);
        assert!(trend < 1e-3 && swing <= allowed && worst < 1e-12, "dt {dt}: {trend} {swing} {allowed} {worst}");
    }
}

fn ring(world: &mut World, count: usize, radius: f64, at: [f64; 2], stiffness: f64, amount: f64) {
    let node = |i: usize| {
        let angle = std::f64::consts::TAU * i as f64 / count as f64;
        [at[0] + radius * libm::cos(angle), at[1] + radius * libm::sin(angle)]
    };
    let nodes: Vec<_> = (0..count).map(node).collect();
    let edge = 2.0 * radius * libm::sin(std::f64::consts::PI / count as f64);
    let springs: Vec<_> = (0..count).map(|i| (i, (i + 1) % count, edge, stiffness, 0.2)).collect();
    add_net(world, 0.02, &nodes, &[], &vec![0.05; count], &springs);
    let soft = world.softs.last_mut().unwrap();
    soft.skin = (0..count).map(|i| [i, (i + 1) % count]).collect();
    soft.pressure = Some(Pressure { amount, outside: 0.0 });
}

fn rigid(name: &str, kind: BodyKind, shape: PlaneShape, at: [f64; 2], velocity: [f64; 2]) -> Body {
    let mass = if kind == BodyKind::Dynamic { 2.0 } else { 0.0 };
    Body {
        kind,
        pose: Pose::planar(DVec3::new(at[0], at[1], 0.0), 0.0),
        velocity: DVec3::new(velocity[0], velocity[1], 0.0),
        mass,
        inertia: ironspin_model::Inertia::planar(0.1 * mass),
        parts: vec![Part::solid(shape, 0)],
        ..Body::plain(name)
    }
}

#[test]
fn a_rigid_body_of_every_shape_feels_what_it_gives_to_a_soft_one() {
    let shapes = [
        PlaneShape::Disc(0.2),
        PlaneShape::Box(DVec2::new(0.5, 0.3)),
        PlaneShape::Capsule { length: 0.3, radius: 0.1 },
        PlaneShape::Polygon(vec![DVec2::new(-0.3, -0.2), DVec2::new(0.3, -0.2), DVec2::new(0.0, 0.3)]),
    ];
    for shape in shapes {
        let mut world = net(&[], &[], &[], &[]);
        world.softs.clear();
        world.bodies.push(rigid("hammer", BodyKind::Dynamic, shape.clone(), [0.03, 1.2], [0.0, -3.0]));
        ring(&mut world, 16, 0.5, [0.0, 0.0], 400.0, 8.0);
        let built: DVec3 = world.bodies.iter().map(|body| body.mass * body.velocity).sum();
        let (mut worst, mut last) = (0.0_f64, Frame::default());
        run(&mut engine(&[]), &world, 1.0 / 240.0, 240, |frame| {
            worst = worst.max((momentum(&world, frame) - built).length() / built.length());
            last.clone_from(frame);
        });
        assert!(worst < 1e-12, "{shape:?}: {worst}");
        let up = last.bodies[0].velocity.y;
        let carried: f64 = last.bodies[1..].iter().map(|node| node.velocity.y).sum::<f64>() / 16.0;
        assert!(carried < -1.0 && up > carried + 0.3, "{shape:?}: {up} {carried}");
    }
}

#[test]
fn a_soft_ball_rests_on_every_fixed_shape_and_a_rope_lies_on_a_half_plane() {
    let floors = [
        PlaneShape::HalfPlane(DVec2::Y),
        PlaneShape::Polyline(vec![DVec2::new(-3.0, 0.0), DVec2::new(0.1, 0.0), DVec2::new(3.0, 0.0)]),
    ];
    for shape in floors {
        let mut world = net(&[], &[], &[], &[]);
        world.softs.clear();
        world.gravity = DVec3::new(0.0, -9.81, 0.0);
        world.bodies.push(rigid("quay", BodyKind::Static, shape.clone(), [0.0, 0.0], [0.0, 0.0]));
        ring(&mut world, 16, 0.5, [0.0, 0.7], 400.0, 8.0);
        world.bodies[1..].iter_mut().for_each(|node| node.linear_damping = 2.0);
        let mut last = Frame::default();
        run(&mut engine(&[]), &world, 1.0 / 60.0, 2400, |frame| last.clone_from(frame));
        let lowest = last.bodies[1..].iter().map(|node| node.pose.position.y).fold(f64::MAX, f64::min);
        let fastest = last.bodies[1..].iter().map(|node| node.velocity.length()).fold(0.0, f64::max);
        assert!((lowest - 0.02).abs() < 1e-6 && fastest < 1e-5, "{shape:?}: {lowest} {fastest}");
        // The floor carries the weight.
        let pushed: f64 = last.contacts.iter().map(|contact| contact.impulse).sum();
        assert!((pushed - 16.0 * 0.05 * 9.81 / 60.0).abs() < 1e-4 * pushed, "{pushed}");
        assert!(last.contacts.iter().all(|contact| contact.bodies[0] == 0 && contact.normal.y > 0.99));
    }
}

#[test]
fn a_node_at_rest_on_a_slope_does_not_creep_and_one_with_less_friction_slides() {
    for (friction, moves) in [(0.6, false), (0.3, true)] {
        let mut world = net(&[[0.0, 0.01]], &[], &[1.0], &[]);
        let (sin, cos) = (0.5_f64.sin(), 0.5_f64.cos());
        world.gravity = 9.81 * DVec3::new(sin, -cos, 0.0);
        world.materials[0].friction = friction;
        let node = world.bodies.pop().unwrap();
        world.bodies.push(rigid("slope", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), [0.0, 0.0], [0.0, 0.0]));
        world.bodies.push(node);
        world.softs[0].nodes = 1..2;
        let mut last = Frame::default();
        run(&mut engine(&[]), &world, 1.0 / 60.0, 120, |frame| last.clone_from(frame));
        let way = last.bodies[1].pose.position.x;
        let slid = 0.5 * 9.81 * (sin - friction * cos) * 4.0;
        let due = if moves { slid } else { 0.0 };
        assert!((way - due).abs() < 0.01 * slid.abs().max(1e-8), "{friction}: {way} of {due}");
    }
}

#[test]
fn a_ball_of_one_node_bounces_to_the_height_of_its_restitution() {
    let mut world = net(&[[0.0, 1.01]], &[], &[1.0], &[]);
    world.gravity = DVec3::new(0.0, -9.81, 0.0);
    world.materials[0].restitution = 0.8;
    let node = world.bodies.pop().unwrap();
    world.bodies.push(rigid("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), [0.0, 0.0], [0.0, 0.0]));
    world.bodies.push(node);
    world.softs[0].nodes = 1..2;
    let mut highest = 0.0_f64;
    let landing = (2.0_f64 / 9.81).sqrt();
    run(&mut engine(&[]), &world, 1.0 / 240.0, 200, |frame| {
        if frame.time > landing + 0.1 {
            highest = highest.max(frame.bodies[1].pose.position.y - 0.01);
        }
    });
    assert!((highest - 0.64).abs() < 0.005, "{highest}");
}

#[test]
fn a_swept_node_passes_no_wall_within_a_step() {
    for (swept, passes) in [(true, false), (false, true)] {
        let mut world = net(&[[0.0, 0.0]], &[[4000.0, 30.0]], &[0.01], &[]);
        let mut node = world.bodies.pop().unwrap();
        node.ccd = swept;
        let wall = PlaneShape::Box(DVec2::new(0.01, 4.0));
        world.bodies.push(rigid("wall", BodyKind::Static, wall, [5.0, 0.0], [0.0, 0.0]));
        world.bodies.push(node);
        world.softs[0].nodes = 1..2;
        let mut last = Frame::default();
        run(&mut engine(&[]), &world, 1.0 / 60.0, 6, |frame| last.clone_from(frame));
        assert_eq!(last.bodies[1].pose.position.x > 5.0, passes, "swept {swept}");
    }
}

#[test]
fn what_was_saved_goes_on_to_the_bit_and_a_ray_meets_the_skin_at_its_radius() {
    let mut world = net(&[], &[], &[], &[]);
    world.softs.clear();
    world.gravity = DVec3::new(0.0, -9.81, 0.0);
    world.bodies.push(rigid("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), [0.0, 0.0], [0.0, 0.0]));
    ring(&mut world, 12, 0.5, [0.0, 2.8], 400.0, 8.0);
    world.actions.push(Action {
        at_time: 0.2,
        body: world.soft_id(0),
        effect: Effect::Impulse { impulse: DVec3::X, point: None },
    });
    let mut engine = engine(&[]);
    engine.build(&world, &conditions(1.0 / 60.0)).unwrap();
    let hit = engine.ray(DVec3::new(0.0, 5.0, 0.0), DVec3::new(0.0, 0.5, 0.0)).unwrap().unwrap();
    assert!((hit.point.y - (2.8 + 0.5 + 0.02)).abs() < 1e-12 && hit.body == 4 && hit.normal.y > 0.99, "{hit:?}");
    engine.advance(&[1.0 / 60.0; 30], &mut |_| {}).unwrap();
    let token = engine.save().unwrap();
    let mut ends = Vec::new();
    for _ in 0..2 {
        engine.advance(&[1.0 / 60.0; 60], &mut |frame| ends.push(frame.clone())).unwrap();
        engine.restore(token).unwrap();
    }
    assert_eq!(ends[..60], ends[60..]);
    let along: f64 = ends[0].bodies[1..].iter().map(|node| 0.05 * node.velocity.x).sum();
    assert!((along - 1.0).abs() < 1e-12, "the impulse was shared by mass: {along}");
}

#[test]
fn nodes_are_held_let_go_and_moved() {
    let mut world = net(&[[0.0, 0.0], [0.5, 0.0]], &[], &[1.0, 1.0], &[(0, 1, 0.5, 100.0, 1.0)]);
    world.gravity = DVec3::new(0.0, -10.0, 0.0);
    let act = |at_time: f64, body: usize, effect: Effect| Action { at_time, body, effect };
    world.actions =
        vec![act(0.0, 0, Effect::Hold(true)), act(0.5, 2, Effect::Shift(DVec3::X)), act(1.0, 0, Effect::Hold(false))];
    let mut frames = Vec::new();
    run(&mut engine(&[]), &world, 0.01, 200, |frame| frames.push(frame.clone()));
    assert_eq!(frames[40].bodies[0].pose.position, DVec3::ZERO);
    assert_eq!(frames[80].bodies[0].pose.position, DVec3::X);
    assert_eq!(frames[99].bodies[0].velocity, DVec3::ZERO);
    assert!(frames[199].bodies[0].pose.position.y < -2.0);
}

#[test]
fn a_rope_around_a_ring_stays_outside_and_a_gravity_that_changes_is_felt() {
    let mut world = net(&[], &[], &[], &[]);
    world.softs.clear();
    ring(&mut world, 16, 0.5, [0.0, 0.0], 400.0, 8.0);
    ring(&mut world, 32, 0.7, [0.0, 0.1], 400.0, 0.0);
    (world.softs[1].skin, world.softs[1].pressure) = (Vec::new(), None);
    let effect = Effect::Gravity(DVec3::new(0.0, -1.0, 0.0));
    world.actions.push(Action { at_time: 0.5, body: 0, effect });
    let mut frames = Vec::new();
    run(&mut engine(&[]), &world, 0.01, 150, |frame| frames.push(frame.clone()));
    let centre = |frame: &Frame| frame.bodies[..16].iter().map(|node| node.pose.position).sum::<DVec3>() / 16.0;
    for frame in &frames {
        let nearest = frame.bodies[16..].iter().map(|node| (node.pose.position - centre(frame)).length());
        assert!(nearest.fold(f64::MAX, f64::min) > 0.4, "swallowed at {}", frame.time);
    }
    // What they push each other with cancels, and both fall for a second.
    let speed = |frame: &Frame| frame.bodies.iter().map(|node| node.velocity).sum::<DVec3>() / 48.0;
    assert!(speed(&frames[49]).length() < 1e-9);
    assert!((speed(&frames[149]) + DVec3::Y).length() < 1e-9, "{}", speed(&frames[149]));
}
