//! Ways and velocities that fit the touches of a sub-step, by sequential impulses (Gauss and Seidel's order) with Coulomb's cone.

use super::touch::{Side, Touch};
use crate::common::scalar::Real;
use crate::space::bodies::{Inverse, Motion};
use crate::space::vector::Vec3;

/// Passes end when no impulse changes a velocity by more than this share of the fastest. Touches of two skins come in pairs that share what they bear,
/// which only ever settles slowly; how it is shared moves nothing.
const CONVERGED: f64 = 1e-6;

/// Velocities that impulses change: of nodes and of rigid bodies.
pub(super) struct Moving<'a, R> {
    pub(super) nodes: &'a mut [Vec3<R>],
    pub(super) inverse: &'a [R],
    pub(super) rigid: &'a mut [Motion<R>],
    pub(super) bodies: &'a [Inverse<R>],
}

impl<R: Real> Moving<'_, R> {
    fn velocity(&self, side: &Side<R>) -> Vec3<R> {
        match *side {
            Side::Rigid { body, arm } => self.rigid[body].at(arm),
            Side::Nodes { corners: [a, b, c], weights } => {
                self.nodes[a] * weights[0] + self.nodes[b] * weights[1] + self.nodes[c] * weights[2]
            }
        }
    }

    /// Velocity of the second side against the first.
    pub(super) fn relative(&self, touch: &Touch<R>) -> Vec3<R> {
        self.velocity(&touch.sides[1]) - self.velocity(&touch.sides[0])
    }

    fn kick(&mut self, side: &Side<R>, impulse: Vec3<R>) {
        match *side {
            Side::Rigid { body, arm } => {
                self.rigid[body] = self.rigid[body].plus(self.bodies[body].kick(arm, impulse));
            }
            Side::Nodes { corners, weights } => {
                for (node, weight) in corners.into_iter().zip(weights) {
                    self.nodes[node] += impulse * (weight * self.inverse[node]);
                }
            }
        }
    }

    /// How much a unit of impulse along a direction changes the velocity of a side along it.
    fn answer(&self, side: &Side<R>, along: Vec3<R>) -> R {
        match *side {
            Side::Rigid { body, arm } => self.bodies[body].kick(arm, along).at(arm).dot(along),
            Side::Nodes { corners, weights } => corners
                .into_iter()
                .zip(weights)
                .fold(R::ZERO, |sum, (node, weight)| sum + weight * weight * self.inverse[node]),
        }
    }

    fn answers(&self, touch: &Touch<R>, along: Vec3<R>) -> R {
        self.answer(&touch.sides[0], along) + self.answer(&touch.sides[1], along)
    }

    fn push(&mut self, touch: &Touch<R>, impulse: Vec3<R>) {
        self.kick(&touch.sides[0], -impulse);
        self.kick(&touch.sides[1], impulse);
    }
}

/// Which impulses are worked out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Stage {
    /// On ways: no gap ends below nothing.
    Ways,
    /// On velocities: touches part with their speeds.
    Speeds,
}

/// Works out the impulses of one stage. `rate` is one over the length of the sub-step.
pub(super) fn solve<R: Real>(touches: &mut [Touch<R>], moving: &mut Moving<'_, R>, stage: Stage, rate: R, passes: u32) {
    let fastest = touches.iter().map(|touch| moving.relative(touch).length()).fold(R::ZERO, R::max);
    let enough = fastest * R::of(CONVERGED).max(R::EPSILON);
    for touch in touches.iter_mut() {
        touch.answer = moving.answers(touch, touch.normal);
    }
    for _ in 0..passes {
        let mut changed = R::ZERO;
        for touch in touches.iter_mut() {
            let (mut along, mut across) = if stage == Stage::Ways { touch.on_ways } else { touch.on_speeds };
            let answer = touch.answer;
            if answer > R::ZERO {
                let speed = moving.relative(touch).dot(touch.normal);
                let wanted = match stage {
                    Stage::Ways => -touch.gap * rate - speed,
                    Stage::Speeds => touch.parting - speed,
                };
                let total = (along + wanted / answer).max(R::ZERO);
                let impulse = total - along;
                along = total;
                moving.push(touch, touch.normal * impulse);
                changed = changed.max(impulse.abs() * answer);
            }
            changed = changed.max(rub(touch, moving, along, &mut across));
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

/// Friction of one touch, held within its cone; the velocity that it changes.
fn rub<R: Real>(touch: &Touch<R>, moving: &mut Moving<'_, R>, along: R, across: &mut Vec3<R>) -> R {
    if !(touch.friction * along > R::ZERO) && *across == Vec3::ZERO {
        return R::ZERO;
    }
    let relative = moving.relative(touch);
    let slip = relative - touch.normal * relative.dot(touch.normal);
    let direction = slip.unit_or(Vec3::ZERO);
    let answer = moving.answers(touch, direction);
    let mut total = *across;
    if answer > R::ZERO {
        total -= slip * (R::ONE / answer);
    }
    let most = touch.friction * along;
    let size = total.length();
    if size > most {
        total = total * (most / size);
    }
    let change = total - *across;
    *across = total;
    moving.push(touch, change);
    change.length() * answer
}
