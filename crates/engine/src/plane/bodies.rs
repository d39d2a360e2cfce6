//! State and mass of all bodies, one list for each quantity.

use crate::common::passes::Onward;
use crate::common::scalar::Real;
use crate::common::tolerance::SLACK;
use crate::plane::shape::{Piece, pieces_of_part};
use crate::plane::vector::{Pose, Rotation, Vec2};
use ironspin_model::{Body, BodyKind, BodyState, DVec2, DVec3, Dimension, EngineError, PlaneShape, World};

/// Most corners of a polygon.
const CORNER_LIMIT: usize = 32;

/// Velocity of the centre and spin. Aligned so that the wide solver loads it whole.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[repr(align(32))]
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

    #[inline]
    pub(crate) fn scaled(self, factor: R) -> Self {
        Motion { linear: self.linear * factor, spin: self.spin * factor }
    }

    #[inline]
    pub(crate) fn plus(self, other: Self) -> Self {
        Motion { linear: self.linear + other.linear, spin: self.spin + other.spin }
    }

    #[inline]
    pub(crate) fn minus(self, other: Self) -> Self {
        Motion { linear: self.linear - other.linear, spin: self.spin - other.spin }
    }
}

impl<R: Real> Onward<R> for Motion<R> {
    #[inline(always)]
    fn onward(self, before: Self, share: R) -> Self {
        self.plus(self.minus(before).scaled(share))
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

    #[inline]
    pub(crate) fn moves(&self) -> bool {
        self.mass > R::ZERO
    }
}

/// What never changes of a body while it is in the world.
#[derive(Clone, Copy, Debug)]
pub(crate) struct BodyTraits<R> {
    pub(crate) kind: BodyKind,
    pub(crate) gravity_factor: R,
    pub(crate) linear_damping: R,
    pub(crate) angular_damping: R,
    pub(crate) layers: u32,
    pub(crate) meets: u32,
    /// Marked for swept collision by the scene.
    pub(crate) marked: bool,
}

/// Shares of a body's margin that a unit of way and a unit of turning use up.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct MarginUse<R> {
    pub(crate) way: R,
    pub(crate) turn: R,
}

impl<R: Real> MarginUse<R> {
    /// For a body that may go `margin` before pairs must be found anew and whose furthest point lies at `reach`.
    pub(crate) fn new(margin: R, reach: R, kind: BodyKind) -> Self {
        if kind == BodyKind::Static {
            return MarginUse::default();
        }
        let way = R::ONE / margin;
        let turn = if reach > R::ZERO { way * reach } else { R::ZERO };
        MarginUse { way, turn }
    }

    #[inline]
    pub(crate) fn share(&self, way: Motion<R>) -> R {
        (way.linear.x.abs() + way.linear.y.abs()) * self.way + way.spin.abs() * self.turn
    }
}

#[derive(Clone, Debug, Default)]
pub(crate) struct Bodies<R> {
    /// Centres of mass.
    pub(crate) position: Vec<Vec2<R>>,
    /// Axes, turned by the angles; behind them in flight ([`Bodies::turn_axes`]).
    pub(crate) axes: Vec<Rotation<R>>,
    /// Angles, not wrapped.
    pub(crate) angle: Vec<R>,
    pub(crate) motion: Vec<Motion<R>>,
    pub(crate) inverse: Vec<Inverse<R>>,
    /// Gravity of the world.
    gravity: Vec2<R>,
    /// Acceleration by gravity.
    pub(crate) fall: Vec<Vec2<R>>,
    /// Acceleration over the last step, contacts included and impacts not; gravity before the first step.
    pub(crate) acceleration: Vec<Motion<R>>,
    /// Whether the body is in the world now.
    pub(crate) present: Vec<bool>,
    pub(crate) traits: Vec<BodyTraits<R>>,
    /// Greatest distance of any point from the centre.
    pub(crate) reach: Vec<R>,
    /// How far a body may go before pairs must be found anew.
    pub(crate) slack: Vec<R>,
    pub(crate) margin_use: Vec<MarginUse<R>>,
    /// Share of its margin that each body has used up since they were found, other than in flight, and the largest of all.
    pub(crate) travel: Vec<R>,
    pub(crate) furthest: R,
    /// Largest share of a margin used up in flight; how fast that grows, and how fast gravity makes it grow faster.
    pub(crate) flown: R,
    pub(crate) flying_share: R,
    pub(crate) falling_share: R,
    /// Whether gravity pulls at all bodies alike.
    pub(crate) same_fall: bool,
    /// Whether any body in flight turns.
    pub(crate) any_turns: bool,
    /// Whether no body was missing when pairs were found; who comes or goes has strayed.
    pub(crate) everyone: bool,
    /// Whether the axes of bodies that turn are behind their angles.
    pub(crate) axes_behind: bool,
    /// Whether nothing but gravity has changed a velocity since flight began; accelerations are those of gravity.
    pub(crate) only_falling: bool,
    /// Whether any body has gone further than its margin, or come, gone or changed what it meets.
    pub(crate) moved: bool,
    /// Solid pieces of all bodies.
    pub(crate) pieces: Vec<Piece<R>>,
    /// Which pieces belong to a body.
    pub(crate) pieces_of: Vec<std::ops::Range<usize>>,
    /// Pieces of sensors.
    pub(crate) sensors: Vec<Piece<R>>,
    /// Whether no body has layers of its own and no pair is kept apart.
    pub(crate) all_agree: bool,
    /// Whether no body is one that nothing can push, be it by its kind or asleep.
    pub(crate) all_move: bool,
    /// Only for faults: of two bodies only what the first one meets is asked.
    pub(crate) one_way: bool,
    /// Pairs that never meet, the lower first, sorted.
    apart: Vec<(usize, usize)>,
}

/// Whether a number is positive and finite, also in the engine's own scalar.
fn positive<R: Real>(x: f64) -> bool {
    x > 0.0 && x.is_finite() && R::of(x) > R::ZERO && R::of(x) < R::INFINITY
}

/// What is wrong with a body, if anything.
fn complaint<R: Real>(body: &Body, world: &World) -> Option<&'static str> {
    let dynamic = body.kind == BodyKind::Dynamic;
    if dynamic && !(positive::<R>(body.mass) && (body.fixed_turn || positive::<R>(body.inertia.zz()))) {
        return Some("a mass or inertia that is not positive and finite");
    }
    let (p, v) = (body.pose.position, body.velocity);
    let numbers = [
        p.x,
        p.y,
        body.pose.angle,
        v.x,
        v.y,
        body.spin.z,
        body.gravity_factor,
        body.linear_damping,
        body.angular_damping,
    ];
    if numbers.iter().any(|&x| !x.is_finite() || !(R::of(x).abs() < R::INFINITY)) {
        return Some("a position, velocity or factor that is not finite");
    }
    if body.linear_damping < 0.0 || body.angular_damping < 0.0 {
        return Some("a damping below zero");
    }
    if body.parts.is_empty() {
        return Some("no part");
    }
    if body.parts.iter().any(|part| part.material >= world.materials.len()) {
        return Some("a part of an unknown material");
    }
    if dynamic && body.parts.iter().any(|part| part.shape.static_only() && !part.sensor) {
        return Some("a half-plane or polyline, which only a static body may have");
    }
    if body.parts.iter().any(|part| !(part.pose.xy().is_finite() && part.pose.angle.is_finite())) {
        return Some("a part at a place that is not finite");
    }
    if body.parts.iter().any(|part| part.shape.dimension() != Dimension::Plane) {
        return Some("a part that is no shape of the plane");
    }
    body.parts.iter().filter_map(|part| part.shape.planar()).find_map(shape_complaint::<R>)
}

fn shape_complaint<R: Real>(shape: &PlaneShape) -> Option<&'static str> {
    let sound = match shape {
        PlaneShape::Disc(radius) => positive::<R>(*radius),
        PlaneShape::Box(size) => positive::<R>(size.x) && positive::<R>(size.y),
        PlaneShape::Capsule { length, radius } => positive::<R>(*length) && positive::<R>(*radius),
        PlaneShape::HalfPlane(normal) => normal.is_finite() && (normal.length() - 1.0).abs() < 1e-6,
        PlaneShape::Polyline(points) => {
            points.len() >= 2
                && points.iter().all(|p| p.is_finite())
                && points.windows(2).all(|ends| ends[0] != ends[1])
        }
        PlaneShape::Polygon(corners) => return polygon_complaint(corners),
    };
    (!sound).then_some("a part without a sound size")
}

fn polygon_complaint(corners: &[DVec2]) -> Option<&'static str> {
    let count = corners.len();
    if !(3..=CORNER_LIMIT).contains(&count) {
        return Some("a polygon with fewer than 3 or more than 32 corners");
    }
    if corners.iter().any(|c| !c.is_finite()) {
        return Some("a polygon with a corner that is not finite");
    }
    let turn = |i: usize| {
        let (p, q, r) = (corners[i], corners[(i + 1) % count], corners[(i + 2) % count]);
        (q - p).perp_dot(r - q)
    };
    let area: f64 = (1..count - 1).map(|i| (corners[i] - corners[0]).perp_dot(corners[i + 1] - corners[0])).sum();
    // A polygon that winds twice turns the same way everywhere; its corners see the first edge change sides.
    let convex = (0..count).all(|i| turn(i) * area > 0.0)
        && (1..count - 1).all(|i| (corners[i] - corners[0]).perp_dot(corners[i + 1] - corners[0]) * area > 0.0);
    (!convex).then_some("a polygon that is not convex, or has doubled or needless corners")
}

impl<R: Real> Bodies<R> {
    /// # Errors
    /// [`EngineError::BadWorld`] for masses, sizes or states that are not finite or not positive where they must be.
    pub(crate) fn new(world: &World) -> Result<Self, EngineError> {
        let mut bodies = Bodies { gravity: Vec2::of(world.gravity.truncate()), ..Bodies::default() };
        for (id, body) in world.rigid().iter().enumerate() {
            if let Some(what) = complaint::<R>(body, world) {
                return Err(EngineError::BadWorld { why: format!("body `{}` has {what}", body.name) });
            }
            bodies.push(id, body, world.gravity);
        }
        bodies.apart = apart_pairs(world)?;
        bodies.all_move = bodies.inverse.iter().all(Inverse::moves);
        bodies.all_agree = bodies.apart.is_empty()
            && bodies.traits.windows(2).all(|two| (two[0].layers, two[0].meets) == (two[1].layers, two[1].meets))
            && bodies.traits.first().is_none_or(|traits| traits.layers & traits.meets != 0);
        Ok(bodies)
    }

    fn push(&mut self, id: usize, body: &Body, gravity: DVec3) {
        let dynamic = body.kind == BodyKind::Dynamic;
        let first = self.pieces.len();
        let mut reach = R::ZERO;
        for (number, part) in body.parts.iter().enumerate() {
            let pieces = pieces_of_part(id, number, part);
            reach = pieces.iter().map(|piece| piece.reach).fold(reach, R::max);
            if part.sensor { &mut self.sensors } else { &mut self.pieces }.extend(pieces);
        }
        self.reach.push(reach);
        let size = self.pieces[first..].iter().map(|piece| piece.size).fold(R::INFINITY, R::min);
        let may_stray = body.kind != BodyKind::Static && size < R::INFINITY;
        let slack = if may_stray { R::of(SLACK) * size } else { R::ZERO };
        self.slack.push(slack);
        self.margin_use.push(MarginUse::new(slack, reach, body.kind));
        self.travel.push(R::ZERO);
        self.moved = true;
        self.pieces_of.push(first..self.pieces.len());
        // Never a negative zero, which the first turn by nothing would lose.
        let angle = R::of(body.pose.angle) + R::ZERO;
        self.position.push(Vec2::of(body.pose.position.truncate()));
        self.axes.push(Rotation::by(angle));
        self.angle.push(angle);
        let still = body.kind == BodyKind::Static;
        let motion = Motion { linear: Vec2::of(body.velocity.truncate()), spin: R::of(body.spin.z) };
        self.motion.push(if still { Motion::default() } else { motion });
        self.inverse.push(Inverse {
            mass: if dynamic { R::ONE / R::of(body.mass) } else { R::ZERO },
            inertia: if dynamic && !body.fixed_turn { R::ONE / R::of(body.inertia.zz()) } else { R::ZERO },
        });
        let factor = if dynamic { R::of(body.gravity_factor) } else { R::ZERO };
        self.traits.push(BodyTraits {
            kind: body.kind,
            gravity_factor: factor,
            linear_damping: if dynamic { R::of(body.linear_damping) } else { R::ZERO },
            angular_damping: if dynamic { R::of(body.angular_damping) } else { R::ZERO },
            layers: body.layers,
            meets: body.collision_mask,
            marked: body.ccd,
        });
        let fall = Vec2::of(gravity.truncate()) * factor;
        self.fall.push(fall);
        self.acceleration.push(Motion { linear: fall, spin: R::ZERO });
        self.present.push(!body.absent);
    }

    pub(crate) fn len(&self) -> usize {
        self.position.len()
    }

    #[inline]
    pub(crate) fn pose(&self, body: usize) -> Pose<R> {
        Pose { position: self.position[body], rotation: self.axes[body] }
    }

    /// Whether a body changes its place: it is there and not static.
    #[inline]
    pub(crate) fn travels(&self, body: usize) -> bool {
        self.present[body] && self.traits[body].kind != BodyKind::Static
    }

    /// Whether two are different bodies of which one can be pushed.
    #[inline]
    pub(crate) fn may_push(&self, a: usize, b: usize) -> bool {
        a != b && (self.inverse[a].moves() || self.inverse[b].moves())
    }

    /// Whether two bodies may touch: both there, one of them dynamic, and neither layers nor pairs keep them apart.
    #[inline]
    pub(crate) fn may_meet(&self, a: usize, b: usize) -> bool {
        self.may_push(a, b) && self.not_filtered(a, b)
    }

    /// Whether two bodies may touch while both are there.
    pub(crate) fn could_meet(&self, a: usize, b: usize) -> bool {
        self.may_push(a, b) && self.filters_agree(a, b)
    }

    pub(crate) fn filters_agree(&self, a: usize, b: usize) -> bool {
        let (one, other) = (&self.traits[a], &self.traits[b]);
        let (first, second) = (one.meets & other.layers != 0, other.meets & one.layers != 0);
        (if self.one_way { if a < b { first } else { second } } else { first && second })
            && (self.apart.is_empty() || self.apart.binary_search(&(a.min(b), a.max(b))).is_err())
    }

    pub(crate) fn not_filtered(&self, a: usize, b: usize) -> bool {
        self.present[a] && self.present[b] && self.filters_agree(a, b)
    }

    /// Lets a body fall again that was held.
    pub(crate) fn release(&mut self, body: usize) {
        self.fall[body] = self.gravity * self.traits[body].gravity_factor;
        self.only_falling = false;
    }

    pub(crate) fn set_gravity(&mut self, gravity: Vec2<R>) {
        self.gravity = gravity;
        self.only_falling = false;
        for (fall, traits) in self.fall.iter_mut().zip(&self.traits) {
            *fall = gravity * traits.gravity_factor;
        }
    }

    pub(crate) fn place(&mut self, body: usize, position: Vec2<R>, angle: R) {
        let linear = position - self.position[body];
        let way = Motion { linear, spin: angle - self.angle[body] };
        if angle != self.angle[body] {
            self.axes[body] = Rotation::by(angle);
            self.angle[body] = angle;
        }
        self.position[body] = position;
        self.note_way(body, way);
    }

    /// Position and angle of every body.
    pub(crate) fn places_into(&self, out: &mut Vec<(Vec2<R>, R)>) {
        out.clear();
        out.extend(self.position.iter().copied().zip(self.angle.iter().copied()));
    }

    pub(crate) fn state(&self, body: usize) -> BodyState {
        if !self.present[body] {
            return BodyState::absent();
        }
        let flat = |v: Vec2<R>| DVec3::new(v.x.to_f64(), v.y.to_f64(), 0.0);
        let motion = self.motion[body];
        BodyState::planar(
            flat(self.position[body]),
            self.angle[body].to_f64(),
            flat(motion.linear),
            motion.spin.to_f64(),
        )
    }
}

/// The pairs that never meet: those named, and those that a joint keeps apart.
fn apart_pairs(world: &World) -> Result<Vec<(usize, usize)>, EngineError> {
    let joined = world.joints.iter().filter(|joint| joint.kind.keeps_apart()).map(|joint| joint.bodies);
    let mut pairs: Vec<(usize, usize)> =
        world.excluded_pairs.iter().copied().chain(joined).map(|[a, b]| (a.min(b), a.max(b))).collect();
    if pairs.iter().any(|&(_, b)| b >= world.bodies.len()) {
        return Err(EngineError::BadWorld { why: "a pair of bodies that are not both there".to_owned() });
    }
    // Those of nodes are for the room of soft bodies.
    pairs.retain(|&(_, b)| b < world.rigid_count());
    pairs.sort_unstable();
    pairs.dedup();
    Ok(pairs)
}
