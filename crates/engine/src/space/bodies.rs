//! State and mass of all bodies, one list for each quantity.

use crate::common::passes::Onward;
use crate::common::scalar::Real;
use crate::common::tolerance::SLACK;
use crate::space::flight::OwnInertia;
use crate::space::shape::Piece;
use crate::space::vector::{Mat3, Pose, Quat, Vec3};
use ironspin_model::{Body, BodyKind, BodyState, DVec3, World};

/// Velocity of the centre and spin.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Motion<R> {
    pub(crate) linear: Vec3<R>,
    pub(crate) spin: Vec3<R>,
}

impl<R: Real> Motion<R> {
    /// Velocity of the point at `arm` from the centre.
    #[inline]
    pub(crate) fn at(&self, arm: Vec3<R>) -> Vec3<R> {
        self.linear + self.spin.cross(arm)
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

/// Inverse mass and inverse inertia along the world's axes; zero for what nothing can push.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Inverse<R> {
    pub(crate) mass: R,
    pub(crate) inertia: Mat3<R>,
}

impl<R: Real> Inverse<R> {
    /// The change of motion by an impulse at `arm` from the centre.
    #[inline]
    pub(crate) fn kick(&self, arm: Vec3<R>, impulse: Vec3<R>) -> Motion<R> {
        Motion { linear: impulse * self.mass, spin: self.inertia.times(arm.cross(impulse)) }
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
    /// Whether the body asks for swept collision.
    pub(crate) marked: bool,
}

#[derive(Clone, Debug, Default)]
pub(crate) struct Bodies<R> {
    /// A mistake: of two bodies only the layers of one are asked.
    pub(crate) one_way: bool,
    /// Centres of mass.
    pub(crate) position: Vec<Vec3<R>>,
    pub(crate) rotation: Vec<Quat<R>>,
    /// Where the rotation turns the axes.
    pub(crate) axes: Vec<Mat3<R>>,
    pub(crate) motion: Vec<Motion<R>>,
    /// Angular momentum about the own centre, along the world's axes: what stays when nothing turns a body, as its spin does not.
    pub(crate) momentum: Vec<Vec3<R>>,
    pub(crate) own: Vec<OwnInertia<R>>,
    pub(crate) inverse: Vec<Inverse<R>>,
    /// Gravity of the world.
    gravity: Vec3<R>,
    /// Acceleration by gravity.
    pub(crate) fall: Vec<Vec3<R>>,
    /// Acceleration of the centre over the last step, contacts included and impacts not; gravity before the first step.
    pub(crate) acceleration: Vec<Vec3<R>>,
    /// Whether the body is in the world now.
    pub(crate) present: Vec<bool>,
    pub(crate) traits: Vec<BodyTraits<R>>,
    /// Greatest distance of any point from the centre.
    pub(crate) reach: Vec<R>,
    /// How far a body may go before pairs must be found anew.
    pub(crate) slack: Vec<R>,
    /// How far its points have gone since, at most.
    travelled: Vec<R>,
    /// Whether any body has gone further than its margin, or come, gone or changed what it meets.
    pub(crate) moved: bool,
    /// Solid pieces of all bodies.
    pub(crate) pieces: Vec<Piece<R>>,
    /// Pieces that only notice.
    pub(crate) sensors: Vec<Piece<R>>,
    /// Pairs that never meet, the lower first, sorted.
    pub(crate) apart: Vec<(usize, usize)>,
}

impl<R: Real> Bodies<R> {
    /// Of a world that [`crate::space::checks::check`] has let pass.
    pub(crate) fn new(world: &World) -> Self {
        let mut bodies = Bodies { gravity: Vec3::of(world.gravity), moved: true, ..Bodies::default() };
        for (id, body) in world.rigid().iter().enumerate() {
            bodies.push(id, body, world.gravity);
        }
        let joined = world.joints.iter().filter(|joint| joint.kind.keeps_apart()).map(|joint| joint.bodies);
        bodies.apart = world.excluded_pairs.iter().copied().chain(joined).map(|[a, b]| (a.min(b), a.max(b))).collect();
        // Those of nodes are for the room of soft bodies.
        bodies.apart.retain(|&(_, b)| b < world.rigid_count());
        bodies.apart.sort_unstable();
        bodies.apart.dedup();
        bodies
    }

    fn push(&mut self, id: usize, body: &Body, gravity: DVec3) {
        let dynamic = body.kind == BodyKind::Dynamic;
        let first = self.pieces.len();
        for (number, part) in body.parts.iter().enumerate() {
            let list = if part.sensor { &mut self.sensors } else { &mut self.pieces };
            list.extend(Piece::of_part(id, number, part));
        }
        let own = &self.pieces[first..];
        self.reach.push(own.iter().map(|piece| piece.reach).fold(R::ZERO, R::max));
        let size = own.iter().map(|piece| piece.size).fold(R::INFINITY, R::min);
        let may_stray = body.kind != BodyKind::Static && size < R::INFINITY;
        self.slack.push(if may_stray { R::of(SLACK) * size } else { R::ZERO });
        self.travelled.push(R::ZERO);
        let rotation = Quat::of(body.pose.rotation);
        self.position.push(Vec3::of(body.pose.position));
        self.rotation.push(rotation);
        self.axes.push(rotation.axes());
        let turns = dynamic && !body.fixed_turn && body.inertia != ironspin_model::Inertia::ZERO;
        let inertia = if turns { OwnInertia::new(Mat3::of(body.inertia.0)) } else { OwnInertia::none() };
        self.own.push(inertia);
        let motion = Motion { linear: Vec3::of(body.velocity), spin: Vec3::of(body.spin) };
        self.motion.push(match body.kind {
            BodyKind::Static => Motion::default(),
            BodyKind::Dynamic if !turns => Motion { spin: Vec3::ZERO, ..motion },
            BodyKind::Dynamic | BodyKind::Kinematic => motion,
        });
        self.momentum.push(inertia.momentum(&rotation.axes(), Vec3::of(body.spin)));
        let mass = if dynamic { R::ONE / R::of(body.mass) } else { R::ZERO };
        self.inverse.push(Inverse { mass, inertia: Mat3::ZERO });
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
        let fall = Vec3::of(gravity) * factor;
        self.fall.push(fall);
        self.acceleration.push(fall);
        self.present.push(!body.absent);
        self.turn_inertia(id);
    }

    pub(crate) fn len(&self) -> usize {
        self.position.len()
    }

    #[inline]
    pub(crate) fn pose(&self, body: usize) -> Pose<R> {
        Pose { position: self.position[body], axes: self.axes[body] }
    }

    /// Whether a body changes its place: it is there and not static.
    #[inline]
    pub(crate) fn travels(&self, body: usize) -> bool {
        self.present[body] && self.traits[body].kind != BodyKind::Static
    }

    /// Whether two bodies may touch: both there, one of them dynamic, and neither layers nor pairs keep them apart.
    pub(crate) fn may_meet(&self, a: usize, b: usize) -> bool {
        (self.inverse[a].moves() || self.inverse[b].moves()) && self.not_filtered(a, b)
    }

    /// Whether neither layers nor pairs keep any two bodies apart.
    pub(crate) fn all_agree(&self) -> bool {
        let Some(first) = self.traits.first() else { return true };
        !self.one_way
            && self.apart.is_empty()
            && self.traits.iter().all(|one| one.layers == first.layers && one.meets & first.layers != 0)
    }

    /// Whether two bodies are there and neither layers nor pairs keep them apart.
    pub(crate) fn not_filtered(&self, a: usize, b: usize) -> bool {
        let (one, other) = (&self.traits[a], &self.traits[b]);
        a != b
            && self.present[a]
            && self.present[b]
            && one.meets & other.layers != 0
            && (self.one_way || other.meets & one.layers != 0)
            && (self.apart.is_empty() || self.apart.binary_search(&(a.min(b), a.max(b))).is_err())
    }

    pub(crate) fn set_gravity(&mut self, gravity: Vec3<R>) {
        self.gravity = gravity;
        for (fall, traits) in self.fall.iter_mut().zip(&self.traits) {
            *fall = gravity * traits.gravity_factor;
        }
    }

    /// Lets a body fall again that was held.
    pub(crate) fn release(&mut self, body: usize) {
        self.fall[body] = self.gravity * self.traits[body].gravity_factor;
    }

    /// Gives a body another spin, and the momentum that goes with it.
    pub(crate) fn set_spin(&mut self, body: usize, spin: Vec3<R>) {
        if self.traits[body].kind == BodyKind::Dynamic {
            self.momentum[body] = self.own[body].momentum(&self.axes[body], spin);
            let turns = self.own[body].matrix != Mat3::ZERO;
            self.motion[body].spin = if turns { spin } else { Vec3::ZERO };
        } else {
            self.motion[body].spin = spin;
        }
    }

    /// Takes over what pushes have made of the motion of a body. What nothing turned keeps its momentum to the bit.
    pub(crate) fn take_motion(&mut self, body: usize, motion: Motion<R>) {
        let change = motion.spin - self.motion[body].spin;
        if change != Vec3::ZERO {
            self.momentum[body] += self.own[body].momentum(&self.axes[body], change);
        }
        self.motion[body] = motion;
    }

    /// Puts a body elsewhere, turned otherwise, with the velocity and angular momentum that it has.
    pub(crate) fn place(&mut self, body: usize, position: Vec3<R>, rotation: Quat<R>) {
        self.note_way(body, position, rotation);
        self.position[body] = position;
        if rotation == self.rotation[body] {
            return;
        }
        self.rotation[body] = rotation;
        self.axes[body] = rotation.axes();
        if self.traits[body].kind == BodyKind::Dynamic && !self.own[body].alike {
            self.turn_inertia(body);
            self.motion[body].spin = self.own[body].spin(&self.axes[body], self.momentum[body]);
        }
    }

    /// Moves a body by a way and a rotation vector.
    pub(crate) fn shift(&mut self, body: usize, way: Motion<R>) {
        let rotation = if way.spin == Vec3::ZERO {
            self.rotation[body]
        } else {
            Quat::by(way.spin).after(self.rotation[body]).of_unit_length()
        };
        self.place(body, self.position[body] + way.linear, rotation);
    }

    fn turn_inertia(&mut self, body: usize) {
        let own = &self.own[body];
        self.inverse[body].inertia = match own.principal() {
            _ if own.alike => own.inverse,
            Some(inverse) => Mat3::stretched(inverse, &self.axes[body]),
            None => own.inverse.turned(&self.axes[body]),
        };
    }

    /// Adds up how far the points of a body may have gone, so that pairs are found anew in time.
    fn note_way(&mut self, body: usize, position: Vec3<R>, rotation: Quat<R>) {
        let way = (position - self.position[body]).length();
        let (from, to) = (self.rotation[body], rotation);
        // The chord of the turn: |q - p| is 2 sin(angle / 4), so that four of it are no less than the angle.
        let turn = if from == to {
            R::ZERO
        } else {
            let (w, v) = (to.w - from.w, to.v - from.v);
            R::of(4.0) * (w * w + v.dot(v)).sqrt() * self.reach[body]
        };
        self.travelled[body] += way + turn;
        self.moved |= !(self.travelled[body] <= self.slack[body]);
    }

    /// Forgets how far bodies have gone: their pairs are known again.
    pub(crate) fn pairs_are_known(&mut self) {
        self.travelled.fill(R::ZERO);
        self.moved = false;
    }

    pub(crate) fn state(&self, body: usize) -> BodyState {
        if !self.present[body] {
            return BodyState::absent();
        }
        BodyState {
            pose: ironspin_model::Pose {
                position: self.position[body].to_f64(),
                rotation: self.rotation[body].to_f64(),
                angle: 0.0,
            },
            velocity: self.motion[body].linear.to_f64(),
            spin: self.motion[body].spin.to_f64(),
        }
    }
}
