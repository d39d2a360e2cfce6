//! The impact of one manifold: up to two points hit at once.
//!
//! Source: Newton's law of restitution with Coulomb friction on impulses (Brach, "Mechanical Impact Dynamics", 1991,
//! chapters 2 and 5); both points of a manifold are hit together, so that a flat landing does not tip the body.

use crate::common::scalar::Real;
use crate::plane::bodies::{Inverse, Motion};
use crate::plane::vector::Vec2;

/// Rounds between normal and tangential impulses of one impact; with one point on a disc a single round is exact.
const ROUNDS: usize = 8;

/// Two bodies about to be hit.
pub(crate) struct Pair<R> {
    pub(crate) motion: [Motion<R>; 2],
    pub(crate) inverse: [Inverse<R>; 2],
}

/// A point of an impact: arms from both centres, and the normal speed wanted after it (apart is positive).
#[derive(Clone, Copy, Debug)]
pub(crate) struct Target<R> {
    pub(crate) arms: [Vec2<R>; 2],
    pub(crate) wanted: R,
}

impl<R: Real> Pair<R> {
    /// Velocity of the second body relative to the first at a point.
    #[inline]
    pub(crate) fn relative(&self, arms: [Vec2<R>; 2]) -> Vec2<R> {
        self.motion[1].at(arms[1]) - self.motion[0].at(arms[0])
    }

    fn push(&mut self, arms: [Vec2<R>; 2], impulse: Vec2<R>) {
        self.motion[0] = self.motion[0].minus(self.inverse[0].kick(arms[0], impulse));
        self.motion[1] = self.motion[1].plus(self.inverse[1].kick(arms[1], impulse));
    }

    /// Change of relative speed along `along` at `there` by a unit impulse along `along` at `here`.
    fn response(&self, here: [Vec2<R>; 2], there: [Vec2<R>; 2], along: Vec2<R>) -> R {
        let turn = |which: usize| self.inverse[which].inertia * here[which].cross(along) * there[which].cross(along);
        self.inverse[0].mass + self.inverse[1].mass + turn(0) + turn(1)
    }

    /// Strikes the points along `normal` until each has its wanted speed or no impulse is left on it, with friction.
    /// Gives the normal impulse of each point.
    pub(crate) fn collide(&mut self, normal: Vec2<R>, points: &[Target<R>], friction: R) -> [R; 2] {
        let mut pressed = [R::ZERO; 2];
        let mut dragged = [R::ZERO; 2];
        let along = normal.left();
        for _ in 0..ROUNDS {
            self.collide_normal(normal, points, &mut pressed);
            if !(friction > R::ZERO) {
                break;
            }
            let mut changed = false;
            for (k, point) in points.iter().enumerate() {
                let stopping = -self.relative(point.arms).dot(along) / self.response(point.arms, point.arms, along);
                let limit = friction * pressed[k];
                let total = (dragged[k] + stopping).held(-limit, limit);
                let step = total - dragged[k];
                dragged[k] = total;
                changed |= step != R::ZERO;
                self.push(point.arms, along * step);
            }
            if !changed {
                break;
            }
        }
        pressed
    }

    fn collide_normal(&mut self, normal: Vec2<R>, points: &[Target<R>], pressed: &mut [R; 2]) {
        let missing = |pair: &Self, k: usize| points[k].wanted - pair.relative(points[k].arms).dot(normal);
        if let [first, second] = points {
            let (k11, k22) =
                (self.response(first.arms, first.arms, normal), self.response(second.arms, second.arms, normal));
            let k12 = self.response(first.arms, second.arms, normal);
            // Speeds wanted, with the impulses so far taken back.
            let b1 = missing(self, 0) + k11 * pressed[0] + k12 * pressed[1];
            let b2 = missing(self, 1) + k12 * pressed[0] + k22 * pressed[1];
            let [x1, x2] = two_points(k11, k12, k22, b1, b2);
            let steps = [x1 - pressed[0], x2 - pressed[1]];
            *pressed = [x1, x2];
            self.push(first.arms, normal * steps[0]);
            self.push(second.arms, normal * steps[1]);
        } else if let [only] = points {
            let total = (pressed[0] + missing(self, 0) / self.response(only.arms, only.arms, normal)).max(R::ZERO);
            let step = total - pressed[0];
            pressed[0] = total;
            self.push(only.arms, normal * step);
        }
    }
}

/// Impulses x >= 0 with K x = b where x > 0 and K x >= b where x = 0, going over the four cases.
pub(crate) fn two_points<R: Real>(k11: R, k12: R, k22: R, b1: R, b2: R) -> [R; 2] {
    let determinant = k11 * k22 - k12 * k12;
    if determinant > R::of(1e-5) * k11 * k22 {
        let x1 = (k22 * b1 - k12 * b2) / determinant;
        let x2 = (k11 * b2 - k12 * b1) / determinant;
        if x1 >= R::ZERO && x2 >= R::ZERO {
            return [x1, x2];
        }
    } else if b1 > R::ZERO && b2 > R::ZERO {
        // Neither body turns: both points act alike and share the load.
        let each = b1.max(b2) / (k11 + k12);
        return [each, each];
    }
    let one = (b1 / k11).max(R::ZERO);
    if k12 * one >= b2 {
        return [one, R::ZERO];
    }
    let two = (b2 / k22).max(R::ZERO);
    if k12 * two >= b1 {
        return [R::ZERO, two];
    }
    [one, R::ZERO]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn free(mass: f64, inertia: f64) -> Inverse<f64> {
        Inverse { mass: 1.0 / mass, inertia: 1.0 / inertia }
    }

    #[test]
    fn an_elastic_blow_of_two_points_keeps_energy_and_does_not_tip() {
        let mut pair = Pair {
            motion: [Motion::default(), Motion { linear: Vec2::new(0.0, -3.0), spin: 0.0 }],
            inverse: [Inverse::default(), free(2.0, 0.5)],
        };
        let point = |x: f64| Target { arms: [Vec2::new(x, 0.0), Vec2::new(x, -0.5)], wanted: 3.0 };
        pair.collide(Vec2::new(0.0, 1.0), &[point(-0.4), point(0.4)], 0.0);
        assert!((pair.motion[1].linear.y - 3.0).abs() < 1e-15 && pair.motion[1].spin == 0.0);
    }

    #[test]
    fn a_tilted_elastic_blow_keeps_energy() {
        let mut pair = Pair {
            motion: [Motion::default(), Motion { linear: Vec2::new(0.3, -3.0), spin: 1.0 }],
            inverse: [Inverse::default(), free(2.0, 0.5)],
        };
        let arms = [Vec2::ZERO, Vec2::new(0.4, -0.5)];
        let normal = Vec2::new(0.0, 1.0);
        let approach = pair.relative(arms).dot(normal);
        pair.collide(normal, &[Target { arms, wanted: -approach }], 0.0);
        let energy = |m: &Motion<f64>| m.linear.dot(m.linear) + 0.25 * m.spin * m.spin;
        assert!((energy(&pair.motion[1]) - (0.09 + 9.0 + 0.25)).abs() < 1e-14);
    }

    #[test]
    fn friction_stops_a_slow_slip_and_only_slows_a_fast_one() {
        for (slip, friction, expected) in [(0.1, 0.5, 0.0), (10.0, 0.5, 10.0 - 3.0 * 0.5 * 3.0)] {
            // A unit disc: a third of the tangential impulse at the rim goes into sliding.
            let mut pair = Pair {
                motion: [Motion::default(), Motion { linear: Vec2::new(slip, -3.0), spin: 0.0 }],
                inverse: [Inverse::default(), free(1.0, 0.5)],
            };
            let arms = [Vec2::ZERO, Vec2::new(0.0, -1.0)];
            pair.collide(Vec2::new(0.0, 1.0), &[Target { arms, wanted: 0.0 }], friction);
            assert!((pair.relative(arms).x - expected).abs() < 1e-14, "slip {slip}");
        }
    }
}
