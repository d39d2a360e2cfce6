//! Ways and velocities that fit the touches of a sub-step, by sequential impulses (Gauss and Seidel's order) with Coulomb's cone.

use super::place::Place;
use super::touch::Touch;
use crate::common::scalar::Real;

/// Velocities that impulses change: of nodes, and motions of rigid bodies with their inverse inertias.
pub(super) struct Moving<'a, V, M, I, R> {
    pub(super) nodes: &'a mut [V],
    pub(super) inverse: &'a [R],
    pub(super) rigid: &'a mut [M],
    pub(super) bodies: &'a [I],
}

/// What impulses do to the sides of touches.
pub(super) trait Pressed<R: Real> {
    type Side;
    type Vector: Place<R>;
    /// An impulse across a normal.
    type Across: Copy;

    /// Passes end when no impulse changes a velocity by more than this share of the fastest.
    const CONVERGED: f64;

    fn velocity(&self, side: &Self::Side) -> Self::Vector;
    fn kick(&mut self, side: &Self::Side, impulse: Self::Vector);
    /// How much a unit of impulse along a direction changes the velocity of a side along it, 1/kg.
    fn answer(&self, side: &Self::Side, along: Self::Vector) -> R;
    /// Friction of one touch, held within its cone; the velocity that it changes.
    fn rub(&mut self, touch: &TouchOf<Self, R>, along: R, across: &mut Self::Across) -> R;

    /// Velocity of the second side against the first.
    fn relative(&self, touch: &TouchOf<Self, R>) -> Self::Vector {
        self.velocity(&touch.sides[1]) - self.velocity(&touch.sides[0])
    }

    fn answers(&self, touch: &TouchOf<Self, R>, along: Self::Vector) -> R {
        self.answer(&touch.sides[0], along) + self.answer(&touch.sides[1], along)
    }

    /// Pushes both sides apart.
    fn push(&mut self, touch: &TouchOf<Self, R>, impulse: Self::Vector) {
        self.kick(&touch.sides[0], -impulse);
        self.kick(&touch.sides[1], impulse);
    }
}

/// A touch between the sides of what is pressed.
pub(super) type TouchOf<P, R> = Touch<<P as Pressed<R>>::Side, <P as Pressed<R>>::Vector, <P as Pressed<R>>::Across, R>;

/// Which impulses are worked out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Stage {
    /// On ways: no gap ends below nothing.
    Ways,
    /// On velocities: touches part with their speeds.
    Speeds,
}

/// Works out the impulses of one stage. `rate` is one over the length of the sub-step.
pub(super) fn solve<P: Pressed<R>, R: Real>(
    touches: &mut [TouchOf<P, R>],
    moving: &mut P,
    stage: Stage,
    rate: R,
    passes: u32,
) {
    let fastest = touches.iter().map(|touch| moving.relative(touch).length()).fold(R::ZERO, R::max);
    let enough = fastest * R::of(P::CONVERGED).max(R::EPSILON);
    for touch in touches.iter_mut() {
        touch.answer = moving.answers(touch, touch.normal);
    }
    for _ in 0..passes {
        let mut changed = R::ZERO;
        for touch in touches.iter_mut() {
            let (mut along, mut across) = if stage == Stage::Ways { touch.on_ways } else { touch.on_speeds };
            if touch.answer > R::ZERO {
                let speed = moving.relative(touch).dot(touch.normal);
                let wanted = match stage {
                    Stage::Ways => -touch.gap * rate - speed,
                    Stage::Speeds => touch.parting - speed,
                };
                let total = (along + wanted / touch.answer).max(R::ZERO);
                let impulse = total - along;
                along = total;
                moving.push(touch, touch.normal * impulse);
                changed = changed.max(impulse.abs() * touch.answer);
            }
            changed = changed.max(moving.rub(touch, along, &mut across));
            if stage == Stage::Ways {
                touch.on_ways = (along, across);
            } else {
                touch.on_speeds = (along, across);
            }
        }
        if changed <= enough {
            return;
        }
    }
}

/// The speeds with which touches are to part: what hits is thrown back, what is slower than a speed rests.
pub(super) fn note_impacts<P: Pressed<R>, R: Real>(touches: &mut [TouchOf<P, R>], moving: &P, rest_speed: R) {
    for touch in touches {
        let speed = moving.relative(touch).dot(touch.normal);
        touch.is_impact = speed < -rest_speed;
        touch.parting = if touch.is_impact { -speed * touch.restitution } else { R::ZERO };
    }
}
