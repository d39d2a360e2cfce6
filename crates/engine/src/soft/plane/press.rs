//! What impulses do to nodes and rigid bodies of the plane.

use super::touch::{Ends, PlaneTouch};
use crate::common::scalar::Real;
use crate::plane::bodies::{Inverse, Motion};
use crate::plane::vector::Vec2;
use crate::soft::press::{Moving, Pressed};

impl<R: Real> Pressed<R> for Moving<'_, Vec2<R>, Motion<R>, Inverse<R>, R> {
    type Side = Ends<R>;
    type Vector = Vec2<R>;
    type Across = R;

    const CONVERGED: f64 = 1e-10;

    fn velocity(&self, side: &Ends<R>) -> Vec2<R> {
        match *side {
            Ends::Rigid { body, arm } => self.rigid[body].at(arm),
            Ends::Nodes { ends: [a, b], weights } => self.nodes[a] * weights[0] + self.nodes[b] * weights[1],
        }
    }

    fn kick(&mut self, side: &Ends<R>, impulse: Vec2<R>) {
        match *side {
            Ends::Rigid { body, arm } => {
                self.rigid[body] = self.rigid[body].plus(self.bodies[body].kick(arm, impulse));
            }
            Ends::Nodes { ends: [a, b], weights } => {
                self.nodes[a] += impulse * (weights[0] * self.inverse[a]);
                self.nodes[b] += impulse * (weights[1] * self.inverse[b]);
            }
        }
    }

    fn answer(&self, side: &Ends<R>, along: Vec2<R>) -> R {
        match *side {
            Ends::Rigid { body, arm } => {
                let inverse = &self.bodies[body];
                let lever = arm.cross(along);
                inverse.mass + lever * lever * inverse.inertia
            }
            Ends::Nodes { ends: [a, b], weights } => {
                weights[0] * weights[0] * self.inverse[a] + weights[1] * weights[1] * self.inverse[b]
            }
        }
    }

    fn rub(&mut self, touch: &PlaneTouch<R>, along: R, across: &mut R) -> R {
        let tangent = touch.normal.left();
        let answer = self.answers(touch, tangent);
        if !(answer > R::ZERO) {
            return R::ZERO;
        }
        let most = touch.friction * along;
        let slip = self.relative(touch).dot(tangent);
        let total = (*across - slip / answer).held(-most, most);
        let impulse = total - *across;
        *across = total;
        self.push(touch, tangent * impulse);
        impulse.abs() * answer
    }
}
