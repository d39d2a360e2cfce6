//! One row of a joint: a direction in which two bodies may not move against each other, or a turn.

use crate::common::scalar::Real;
use crate::space::bodies::{Inverse, Motion};
use crate::space::vector::Vec3;

/// Most rows of a joint: a hinge or slider at a limit, or a weld.
pub(super) const ROWS: usize = 6;

/// Impulse along `linear` on the second body and against it on the first, with moments of its own.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Row<R> {
    linear: Vec3<R>,
    angular: [Vec3<R>; 2],
    /// Rate wanted.
    pub(super) wanted: R,
    /// Inverse of the response; zero for a row that takes no part.
    pub(super) mass: R,
    pub(super) low: R,
    pub(super) high: R,
    pub(super) impulse: R,
    /// The impulse after the pass before.
    pub(super) before: R,
    /// How far the joint has drifted along this row; only what the bounds of the impulse allow to be pushed.
    pub(super) drift: R,
}

impl<R: Real> Row<R> {
    /// Points of two bodies, at arms from their centres, against each other along a direction.
    pub(super) fn along(direction: Vec3<R>, arms: [Vec3<R>; 2], drift: R, (low, high): (R, R)) -> Self {
        let angular = [-arms[0].cross(direction), arms[1].cross(direction)];
        Row { linear: direction, angular, low, high, drift, ..Row::default() }
    }

    /// The turn of the second body against the first about a direction.
    pub(super) fn turning(about: Vec3<R>, drift: R, (low, high): (R, R)) -> Self {
        Row { angular: [-about, about], low, high, drift, ..Row::default() }
    }

    pub(super) fn two_sided(&self) -> bool {
        self.low == -R::INFINITY && self.high == R::INFINITY
    }

    pub(super) fn rate(&self, motion: &[Motion<R>], [a, b]: [usize; 2]) -> R {
        self.linear.dot(motion[b].linear - motion[a].linear)
            + self.angular[1].dot(motion[b].spin)
            + self.angular[0].dot(motion[a].spin)
    }

    /// What an impulse changes of the motion of one body.
    #[inline]
    pub(super) fn change(&self, side: usize, inverse: &Inverse<R>, impulse: R) -> Motion<R> {
        let sign = if side == 0 { -impulse } else { impulse };
        Motion {
            linear: self.linear * (sign * inverse.mass),
            spin: inverse.inertia.times(self.angular[side] * impulse),
        }
    }

    pub(super) fn push(&self, motion: &mut [Motion<R>], inverse: &[Inverse<R>], bodies: [usize; 2], impulse: R) {
        for (side, body) in bodies.into_iter().enumerate() {
            motion[body] = motion[body].plus(self.change(side, &inverse[body], impulse));
        }
    }

    pub(super) fn weigh(&mut self, inverse: &[Inverse<R>], [a, b]: [usize; 2]) {
        let turned = |side: usize, body: usize| self.angular[side].dot(inverse[body].inertia.times(self.angular[side]));
        let response = self.linear.dot(self.linear) * (inverse[a].mass + inverse[b].mass) + turned(0, a) + turned(1, b);
        self.mass = if response > R::ZERO { R::ONE / response } else { R::ZERO };
    }

    /// The change of speed by an impulse: of one that only turns at the radius of gyration, so that no unit of length decides.
    pub(super) fn speed_of(&self, impulse: R, inverse: &[Inverse<R>], bodies: [usize; 2]) -> R {
        if self.linear != Vec3::ZERO {
            return impulse.abs() / self.mass;
        }
        let at = |side: usize| {
            let inverse = &inverse[bodies[side]];
            let turned = self.angular[side].dot(inverse.inertia.times(self.angular[side])).max(R::ZERO);
            impulse.abs() * (inverse.mass * turned).sqrt()
        };
        at(0).max(at(1))
    }
}

/// A one-sided row at the nearer limit; none without limits.
pub(super) fn limit<R: Real>(
    row: &mut Row<R>,
    limits: Option<[R; 2]>,
    value: R,
    dt: R,
    make: &dyn Fn(R, (R, R)) -> Row<R>,
) -> usize {
    let Some([low, high]) = limits else { return 0 };
    let nearer_low = value - low < high - value;
    *row = if nearer_low {
        Row { wanted: -(value - low).max(R::ZERO) / dt, ..make((value - low).min(R::ZERO), (R::ZERO, R::INFINITY)) }
    } else {
        Row { wanted: (high - value).max(R::ZERO) / dt, ..make((value - high).max(R::ZERO), (-R::INFINITY, R::ZERO)) }
    };
    1
}
