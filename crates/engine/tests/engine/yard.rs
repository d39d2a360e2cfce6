//! Worlds for tests, and an engine that runs them.

use ironspin_engine::{Builtin, Settings};
use ironspin_model::{
    Body, BodyKind, Conditions, DVec2, DVec3, Engine, EngineError, Frame, Inertia, Material, Part, PlaneShape, Pose,
    World, body_mass,
};

/// A world under gravity `g` (down) with one material.
pub(crate) fn world(g: f64, friction: f64, restitution: f64) -> World {
    World {
        gravity: DVec3::new(0.0, -g, 0.0),
        materials: vec![Material { name: "iron".into(), density: 1.0, friction, restitution }],
        ..World::planar(1.0)
    }
}

/// A dynamic body of density 1.
pub(crate) fn solid(shape: PlaneShape, x: f64, y: f64) -> Body {
    let parts = vec![Part::solid(shape, 0)];
    let mass = body_mass(&parts, |_| 1.0).expect("a solid");
    Body {
        pose: Pose::at(DVec3::new(x, y, 0.0)),
        mass: mass.mass,
        inertia: Inertia::planar(mass.inertia),
        parts,
        ..Body::plain("solid")
    }
}

/// A static body.
pub(crate) fn fixed(shape: PlaneShape, x: f64, y: f64) -> Body {
    Body {
        kind: BodyKind::Static,
        pose: Pose::at(DVec3::new(x, y, 0.0)),
        parts: vec![Part::solid(shape, 0)],
        ..Body::plain("fixed")
    }
}

pub(crate) fn square(side: f64) -> PlaneShape {
    PlaneShape::Box(DVec2::splat(side))
}

pub(crate) fn floor() -> Body {
    fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0)
}

/// A built world, ready to be stepped.
pub(crate) struct Bench {
    pub(crate) engine: Builtin,
    pub(crate) world: World,
    pub(crate) frame: Frame,
    dt: f64,
}

/// Settings as they are typed on the command line.
pub(crate) fn settings(text: &str) -> Settings {
    let pairs = text.split(',').filter(|pair| !pair.is_empty()).map(|pair| pair.split_once('=').expect("name=value"));
    Settings::read(pairs).expect("settings")
}

pub(crate) fn conditions() -> Conditions {
    Conditions::with_dt("1/60".parse().expect("a step"))
}

impl Bench {
    pub(crate) fn new(world: World, options: &str, dt: f64) -> Self {
        Self::try_new(world, options, dt).expect("a world that can be built")
    }

    pub(crate) fn try_new(world: World, options: &str, dt: f64) -> Result<Self, EngineError> {
        let mut engine = Builtin::new(settings(options));
        engine.build(&world, &conditions())?;
        let mut frame = Frame::default();
        engine.advance(&[], &mut |now| frame = now.clone())?;
        Ok(Bench { engine, world, frame, dt })
    }

    /// Does steps, giving each frame to `each`.
    pub(crate) fn run(&mut self, steps: u64, mut each: impl FnMut(&Frame)) {
        let mut last = Frame::default();
        for _ in 0..steps {
            self.engine
                .advance(&[self.dt], &mut |frame| {
                    each(frame);
                    last.clone_from(frame);
                })
                .expect("a step");
        }
        if steps > 0 {
            self.frame = last;
        }
    }

    pub(crate) fn seconds(&mut self, seconds: f64, each: impl FnMut(&Frame)) {
        self.run((seconds / self.dt).round() as u64, each);
    }

    pub(crate) fn position(&self, body: usize) -> DVec2 {
        self.frame.bodies[body].pose.position.truncate()
    }

    pub(crate) fn velocity(&self, body: usize) -> DVec2 {
        self.frame.bodies[body].velocity.truncate()
    }

    /// Kinetic energy and energy of height.
    pub(crate) fn energy(&self) -> f64 {
        energy(&self.world, &self.frame)
    }
}

pub(crate) fn energy(world: &World, frame: &Frame) -> f64 {
    world
        .bodies
        .iter()
        .zip(&frame.bodies)
        .filter(|(body, _)| body.kind == BodyKind::Dynamic)
        .map(|(body, state)| {
            0.5 * body.mass * state.velocity.length_squared() + 0.5 * body.inertia.zz() * state.spin.length_squared()
                - body.mass * body.gravity_factor * world.gravity.dot(state.pose.position)
        })
        .sum()
}

/// Linear and angular momentum about the origin, and the sums of the magnitudes of their parts.
pub(crate) fn momentum(world: &World, frame: &Frame) -> (DVec2, f64, [f64; 2]) {
    let mut total = (DVec2::ZERO, 0.0, [0.0; 2]);
    for (body, state) in world.bodies.iter().zip(&frame.bodies) {
        let linear = body.mass * state.velocity.truncate();
        let angular = state.pose.position.truncate().perp_dot(linear) + body.inertia.zz() * state.spin.z;
        total.0 += linear;
        total.1 += angular;
        total.2[0] += linear.length();
        total.2[1] += (state.pose.position.length() * linear.length()) + (body.inertia.zz() * state.spin.z).abs();
    }
    total
}
