//! What impulses do to nodes and rigid bodies of space.

use super::side::{Corners, SpaceTouch};
use crate::common::scalar::Real;
use crate::soft::press::{Moving, Pressed};
use crate::space::bodies::{Inverse, Motion};
use crate::space::vector::Vec3;

impl<R: Real> Pressed<R> for Moving<'_, Vec3<R>, Motion<R>, Inverse<R>, R> {
    type Side = Corners<R>;
    type Vector = Vec3<R>;
    type Across = Vec3<R>;

    /// Touches of two skins come in pairs that share what they bear, which only ever settles slowly; how it is shared moves nothing.
    const CONVERGED: f64 = 1e-6;

    fn velocity(&self, side: &Corners<R>) -> Vec3<R> {
        match *side {
            Corners::Rigid { body, arm } => self.rigid[body].at(arm),
            Corners::Nodes { corners: [a, b, c], weights } => {
                self.nodes[a] * weights[0] + self.nodes[b] * weights[1] + self.nodes[c] * weights[2]
            }
        }
    }

    fn kick(&mut self, side: &Corners<R>, impulse: Vec3<R>) {
        match *side {
            Corners::Rigid { body, arm } => {
                self.rigid[body] = self.rigid[body].plus(self.bodies[body].kick(arm, impulse));
            }
            Corners::Nodes { corners, weights } => {
                for (node, weight) in corners.into_iter().zip(weights) {
                    self.nodes[node] += impulse * (weight * self.inverse[node]);
                }
            }
        }
    }

    fn answer(&self, side: &Corners<R>, along: Vec3<R>) -> R {
        match *side {
            Corners::Rigid { body, arm } => self.bodies[body].kick(arm, along).at(arm).dot(along),
            Corners::Nodes { corners, weights } => corners
                .into_iter()
                .zip(weights)
                .fold(R::ZERO, |sum, (node, weight)| sum + weight * weight * self.inverse[node]),
        }
    }

    fn rub(&mut self, touch: &SpaceTouch<R>, along: R, across: &mut Vec3<R>) -> R {
        if !(touch.friction * along > R::ZERO) && *across == Vec3::ZERO {
            return R::ZERO;
        }
        let relative = self.relative(touch);
        let slip = relative - touch.normal * relative.dot(touch.normal);
        let direction = slip.unit_or(Vec3::ZERO);
        let answer = self.answers(touch, direction);
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
        self.push(touch, change);
        change.length() * answer
    }
}
