//! Ways and velocities that fit the touches of a sub-step, by sequential impulses (Gauss and Seidel's order) with Coulomb's cone.

use super::touch::{Side, Touch};
use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Vec2;
use crate::soft::nodes::Nodes;

/// Passes end when no impulse changes a velocity by more than this share of the fastest.
const CONVERGED: f64 = 1e-10;

/// Velocities that impulses change: of nodes and of rigid bodies.
pub(super) struct Moving<'a, R> {
    pub(super) nodes: &'a mut [Vec2<R>],
    pub(super) inverse: &'a [R],
    pub(super) rigid: &'a mut [Motion<R>],
    pub(super) bodies: &'a [crate::plane::bodies::Inverse<R>],
}

impl<R: Real> Moving<'_, R> {
    fn velocity(&self, side: &Side<R>) -> Vec2<R> {
        match *side {
            Side::Rigid { body, arm } => self.rigid[body].at(arm),
            Side::Nodes { ends: [a, b], weights } => self.nodes[a] * weights[0] + self.nodes[b] * weights[1],
        }
    }

    /// Velocity of the second side against the first.
    pub(super) fn relative(&self, touch: &Touch<R>) -> Vec2<R> {
        self.velocity(&touch.sides[1]) - self.velocity(&touch.sides[0])
    }

    fn kick(&mut self, side: &Side<R>, impulse: Vec2<R>) {
        match *side {
            Side::Rigid { body, arm } => {
                self.rigid[body] = self.rigid[body].plus(self.bodies[body].kick(arm, impulse));
            }
            Side::Nodes { ends: [a, b], weights } => {
                self.nodes[a] += impulse * (weights[0] * self.inverse[a]);
                self.nodes[b] += impulse * (weights[1] * self.inverse[b]);
            }
        }
    }

    /// How much a unit of impulse along a direction changes the velocity of a side along it.
    fn answer(&self, side: &Side<R>, along: Vec2<R>) -> R {
        match *side {
            Side::Rigid { body, arm } => {
                let inverse = &self.bodies[body];
                let lever = arm.cross(along);
                inverse.mass + lever * lever * inverse.inertia
            }
            Side::Nodes { ends: [a, b], weights } => {
                weights[0] * weights[0] * self.inverse[a] + weights[1] * weights[1] * self.inverse[b]
            }
        }
    }

    /// Adds an impulse to what a touch has so far, held between two ends; the velocity that it changes.
    fn press(&mut self, touch: &Touch<R>, along: Vec2<R>, so_far: &mut R, wanted: R, ends: [R; 2]) -> R {
        let answer = self.answer(&touch.sides[0], along) + self.answer(&touch.sides[1], along);
        if !(answer > R::ZERO) {
            return R::ZERO;
        }
        let total = (*so_far + wanted / answer).held(ends[0], ends[1]);
        let impulse = total - *so_far;
        *so_far = total;
        self.kick(&touch.sides[0], -along * impulse);
        self.kick(&touch.sides[1], along * impulse);
        impulse.abs() * answer
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
    for _ in 0..passes {
        let mut changed = R::ZERO;
        for touch in touches.iter_mut() {
            let [mut along, mut across] = if stage == Stage::Ways { touch.on_ways } else { touch.on_speeds };
            let speed = moving.relative(touch).dot(touch.normal);
            let wanted = match stage {
                Stage::Ways => -touch.gap * rate - speed,
                Stage::Speeds => touch.parting - speed,
            };
            changed = changed.max(moving.press(touch, touch.normal, &mut along, wanted, [R::ZERO, R::INFINITY]));
            let tangent = touch.normal.left();
            let most = touch.friction * along;
            let slip = moving.relative(touch).dot(tangent);
            changed = changed.max(moving.press(touch, tangent, &mut across, -slip, [-most, most]));
            if stage == Stage::Ways {
                touch.on_ways = [along, across];
            } else {
                touch.on_speeds = [along, across];
            }
        }
        if changed <= enough {
            return;
        }
    }
}

/// Velocities of nodes and rigid bodies as impulses change them.
pub(super) fn speeds<'a, R: Real>(nodes: &'a mut Nodes<Vec2<R>, R>, bodies: &'a mut Bodies<R>) -> Moving<'a, R> {
    Moving { nodes: &mut nodes.velocity, inverse: &nodes.inverse, rigid: &mut bodies.motion, bodies: &bodies.inverse }
}
