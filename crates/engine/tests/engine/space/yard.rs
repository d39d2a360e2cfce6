//! Worlds of space for tests.

use ironspin_model::{
    Body, BodyKind, DQuat, DVec3, Dimension, Frame, Inertia, Material, Part, Pose, SpaceShape, World, solid_body_mass,
    turn,
};

/// A world under gravity `g` (down) with one material.
pub(crate) fn world(g: f64, friction: f64, restitution: f64) -> World {
    World {
        dimension: Dimension::Space,
        gravity: DVec3::new(0.0, -g, 0.0),
        materials: vec![Material { name: "iron".into(), density: 1.0, friction, restitution }],
        ..World::planar(1.0)
    }
}

/// A dynamic body of density 1.
pub(crate) fn solid(shape: SpaceShape, at: DVec3) -> Body {
    let parts = vec![Part::solid(shape, 0)];
    let mass = solid_body_mass(&parts, |_| 1.0).expect("a solid");
    Body { pose: Pose::at(at), mass: mass.mass, inertia: mass.inertia, parts, ..Body::plain("solid") }
}

/// A static body.
pub(crate) fn fixed(shape: SpaceShape, at: DVec3) -> Body {
    Body { kind: BodyKind::Static, pose: Pose::at(at), parts: vec![Part::solid(shape, 0)], ..Body::plain("fixed") }
}

pub(crate) fn floor() -> Body {
    fixed(SpaceShape::HalfSpace(DVec3::Y), DVec3::ZERO)
}

pub(crate) fn cube(side: f64) -> SpaceShape {
    SpaceShape::Box(DVec3::splat(side))
}

/// A free body of given moments, with a spin.
pub(crate) fn free(moments: DVec3, spin: DVec3) -> Body {
    Body { inertia: Inertia(ironspin_model::DMat3::from_diagonal(moments)), spin, ..solid(cube(1.0), DVec3::ZERO) }
}

pub(crate) fn turned(body: Body, rotation: DQuat) -> Body {
    Body { pose: Pose { rotation, ..body.pose }, ..body }
}

/// Angular momentum of a body about its own centre, in the world's axes.
pub(crate) fn own_momentum(world: &World, frame: &Frame, body: usize) -> DVec3 {
    let state = &frame.bodies[body];
    turn::turned_inertia(state.pose.rotation, world.bodies[body].inertia).0 * state.spin
}

/// Linear momentum, angular momentum about the origin, kinetic energy and that of height of all dynamic bodies.
pub(crate) fn balance(world: &World, frame: &Frame) -> (DVec3, DVec3, f64) {
    let mut total = (DVec3::ZERO, DVec3::ZERO, 0.0);
    for (id, body) in world.bodies.iter().enumerate().filter(|(_, body)| body.kind == BodyKind::Dynamic) {
        let state = &frame.bodies[id];
        let (linear, own) = (body.mass * state.velocity, own_momentum(world, frame, id));
        total.0 += linear;
        total.1 += state.pose.position.cross(linear) + own;
        total.2 += 0.5 * linear.dot(state.velocity) + 0.5 * own.dot(state.spin)
            - body.mass * body.gravity_factor * world.gravity.dot(state.pose.position);
    }
    total
}

/// Boxes one on the other.
pub(crate) fn tower(count: usize) -> World {
    let mut world = world(9.81, 0.6, 0.0);
    world.bodies.push(floor());
    for i in 0..count {
        world.bodies.push(solid(cube(1.0), DVec3::new(0.0, 0.5 + i as f64, 0.0)));
    }
    world
}

/// A wall of bricks, every other row one brick shorter and shifted by half of one.
pub(crate) fn wall(columns: usize, rows: usize) -> World {
    let mut world = world(9.81, 0.6, 0.0);
    world.bodies.push(floor());
    for row in 0..rows {
        for column in 0..columns - row % 2 {
            let x = column as f64 + 0.5 * (row % 2) as f64;
            let brick = SpaceShape::Box(DVec3::new(0.98, 0.5, 0.5));
            world.bodies.push(solid(brick, DVec3::new(x, 0.25 + 0.5 * row as f64, 0.0)));
        }
    }
    world
}

/// A lively crowd of balls and boxes over a floor.
pub(crate) fn crowd() -> World {
    let mut world = world(9.81, 0.4, 0.3);
    world.bodies.push(floor());
    let mut seed = 12_345_u64;
    let mut random = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 11) as f64 / (1_u64 << 53) as f64 * 2.0 - 1.0
    };
    for i in 0..60 {
        let at = DVec3::new(f64::from(i % 4), 0.7 + f64::from(i / 16), f64::from(i / 4 % 4));
        let shape = if i % 2 == 0 { SpaceShape::Sphere(0.3) } else { SpaceShape::Box(DVec3::new(0.6, 0.4, 0.5)) };
        let rotation = turn::by_vector(DVec3::new(random(), random(), random()));
        let mut body = turned(solid(shape, at), rotation);
        body.velocity = DVec3::new(random(), random(), random());
        body.spin = DVec3::new(random(), random(), random());
        world.bodies.push(body);
    }
    world
}
