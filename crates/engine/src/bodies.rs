//! State and mass of all bodies, one list for each quantity.

use crate::scalar::Real;
use crate::shape::Piece;
use crate::vector::{Pose, Rotation, Vec2};
use ironspin_model::{BodyKind, BodyState, DVec3, EngineError, World};

/// Velocity of the centre and spin.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Motion<R> {
    pub(crate) linear: Vec2<R>,
    pub(crate) spin: R,
}

impl<R: Real> Motion<R> {
    /// Velocity of the point at `arm` from the centre.
    #[inline]
    pub(crate) fn at(&self, arm: Vec2<R>) -> Vec2<R> {
        self.linear + arm.left() * self.spin
    }

    pub(crate) fn scaled(self, factor: R) -> Self {
        Motion { linear: self.linear * factor, spin: self.spin * factor }
    }

    pub(crate) fn plus(self, other: Self) -> Self {
        Motion { linear: self.linear + other.linear, spin: self.spin + other.spin }
    }

    pub(crate) fn minus(self, other: Self) -> Self {
        Motion { linear: self.linear - other.linear, spin: self.spin - other.spin }
    }
}

/// Inverse mass and inverse inertia; zero for what nothing can push.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Inverse<R> {
    pub(crate) mass: R,
    pub(crate) inertia: R,
}

impl<R: Real> Inverse<R> {
    /// The change of motion by an impulse at `arm` from the centre.
    #[inline]
    pub(crate) fn kick(&self, arm: Vec2<R>, impulse: Vec2<R>) -> Motion<R> {
        Motion { linear: impulse * self.mass, spin: arm.cross(impulse) * self.inertia }
    }

    pub(crate) fn moves(&self) -> bool {
        self.mass > R::ZERO
    }
}

#[derive(Clone, Debug, Default)]
pub(crate) struct Bodies<R> {
    pub(crate) pose: Vec<Pose<R>>,
    /// Angles, not wrapped.
    pub(crate) angle: Vec<R>,
    pub(crate) motion: Vec<Motion<R>>,
    pub(crate) inverse: Vec<Inverse<R>>,
    /// Acceleration by gravity.
    pub(crate) fall: Vec<Vec2<R>>,
    /// Acceleration over the last step, contacts included and impacts not; gravity before the first step.
    pub(crate) acceleration: Vec<Motion<R>>,
    /// Marked for swept collision by the scene.
    pub(crate) marked: Vec<bool>,
    /// Greatest distance of any point from the centre.
    pub(crate) reach: Vec<R>,
    /// Smallest full size.
    pub(crate) size: Vec<R>,
    pub(crate) pieces: Vec<Piece<R>>,
    /// Which pieces belong to a body.
    pub(crate) pieces_of: Vec<std::ops::Range<usize>>,
}

impl<R: Real> Bodies<R> {
    /// # Errors
    /// [`EngineError::BadWorld`] for masses, sizes or states that are not finite or not positive where they must be.
    pub(crate) fn new(world: &World) -> Result<Self, EngineError> {
        let mut bodies = Bodies::default();
        for (id, body) in world.bodies.iter().enumerate() {
            let bad = |what: &str| Err(EngineError::BadWorld { why: format!("body `{}` has {what}", body.name) });
            let dynamic = body.kind == BodyKind::Dynamic;
            let positive = |x: f64| x > 0.0 && x.is_finite() && R::of(x) > R::ZERO && R::of(x) < R::INFINITY;
            if body.kind == BodyKind::Kinematic {
                return Err(EngineError::Unsupported { feature: "kinematic".to_owned() });
            }
            if dynamic && !(positive(body.mass) && (body.fixed_turn || positive(body.inertia))) {
                return bad("a mass or inertia that is not positive and finite");
            }
            let numbers = [
                body.position.x,
                body.position.y,
                body.angle,
                body.velocity.x,
                body.velocity.y,
                body.spin,
                body.gravity_factor,
            ];
            if numbers.iter().any(|&x| !x.is_finite() || !(R::of(x).abs() < R::INFINITY)) {
                return bad("a position or velocity that is not finite");
            }
            if body.parts.is_empty() || body.parts.iter().any(|part| !(part.shape.smallest_size() > 0.0)) {
                return bad("no part, or a part without size");
            }
            if body.parts.iter().any(|part| part.material >= world.materials.len()) {
                return bad("a part of an unknown material");
            }
            let first = bodies.pieces.len();
            bodies.pieces.extend(body.parts.iter().map(|part| Piece::new(id, part)));
            let pieces = &bodies.pieces[first..];
            if dynamic && pieces.iter().any(|piece| !(piece.reach < R::INFINITY)) {
                return bad("a half-plane, which only a static body may have");
            }
            bodies.reach.push(pieces.iter().map(|piece| piece.reach).fold(R::ZERO, R::max));
            bodies.size.push(pieces.iter().map(|piece| piece.size).fold(R::INFINITY, R::min));
            bodies.pieces_of.push(first..bodies.pieces.len());
            bodies
                .pose
                .push(Pose { position: Vec2::of(body.position.truncate()), rotation: Rotation::by(R::of(body.angle)) });
            bodies.angle.push(R::of(body.angle));
            bodies.motion.push(Motion { linear: Vec2::of(body.velocity.truncate()), spin: R::of(body.spin) });
            bodies.inverse.push(Inverse {
                mass: if dynamic { R::ONE / R::of(body.mass) } else { R::ZERO },
                inertia: if dynamic && !body.fixed_turn { R::ONE / R::of(body.inertia) } else { R::ZERO },
            });
            let fall = if dynamic { Vec2::of(world.gravity.truncate() * body.gravity_factor) } else { Vec2::ZERO };
            bodies.fall.push(fall);
            bodies.acceleration.push(Motion { linear: fall, spin: R::ZERO });
            bodies.marked.push(body.swept);
        }
        Ok(bodies)
    }

    pub(crate) fn len(&self) -> usize {
        self.pose.len()
    }

    pub(crate) fn place(&mut self, body: usize, position: Vec2<R>, angle: R) {
        if angle != self.angle[body] {
            self.pose[body].rotation = Rotation::by(angle);
            self.angle[body] = angle;
        }
        self.pose[body].position = position;
    }

    pub(crate) fn state(&self, body: usize) -> BodyState {
        let flat = |v: Vec2<R>| DVec3::new(v.x.to_f64(), v.y.to_f64(), 0.0);
        let motion = self.motion[body];
        BodyState::planar(
            flat(self.pose[body].position),
            self.angle[body].to_f64(),
            flat(motion.linear),
            motion.spin.to_f64(),
        )
    }
}
