//! Where swept bodies go until the end of a step.

use crate::common::scalar::Real;
use crate::space::vector::{Quat, Vec3};
use crate::space::way::Place;

/// Where a body goes until the end of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Leg<R> {
    /// Share of the step at which it begins: the body stands there now.
    pub(super) since: R,
    pub(crate) way: Vec3<R>,
    /// Rotation vector.
    pub(crate) turn: Vec3<R>,
    /// Where it is turned to in the end, if nothing is met.
    pub(crate) end: Quat<R>,
    /// By how much the way is bent: the acceleration times half the square of the time.
    pub(crate) bend: Vec3<R>,
    /// The body does not move of its own for the rest of the step.
    pub(super) held: bool,
    /// What takes one that is held along.
    pub(super) carried: Carried<R>,
    /// Counts impacts; a time worked out before the last impact is void.
    pub(super) impacts: u32,
}

/// How a driven body takes along what is held on it, from now until the end of the step.
#[derive(Clone, Copy, Debug)]
pub(super) struct Carried<R> {
    /// The centre of the driven body, its way, and the rotation vector of its turn.
    pub(super) centre: Vec3<R>,
    pub(super) way: Vec3<R>,
    pub(super) turn: Vec3<R>,
}

impl<R: Real> Carried<R> {
    pub(super) const NOWHERE: Self = Carried { centre: Vec3::ZERO, way: Vec3::ZERO, turn: Vec3::ZERO };

    /// Where a point is taken after a part of the time.
    pub(super) fn place(&self, point: Vec3<R>, part: R) -> Vec3<R> {
        if self.turn == Vec3::ZERO {
            return point + self.way * part;
        }
        let arm = Quat::by(self.turn * part).axes().times(point - self.centre);
        self.centre + self.way * part + arm
    }

    /// The corners of a box around all places of a point.
    pub(super) fn bounds(&self, point: Vec3<R>) -> [Vec3<R>; 2] {
        if self.turn == Vec3::ZERO {
            let far = point + self.way;
            return [point.min(far), point.max(far)];
        }
        let (reach, far) = ((point - self.centre).length(), self.centre + self.way);
        let reach = Vec3::new(reach, reach, reach);
        [self.centre.min(far) - reach, self.centre.max(far) + reach]
    }

    /// The same from a part of the time on.
    pub(super) fn after(&self, part: R) -> Self {
        let left = R::ONE - part;
        Carried { centre: self.centre + self.way * part, way: self.way * left, turn: self.turn * left }
    }
}

impl<R: Real> Leg<R> {
    /// `spin_way` is the spin times the step; how it turns on the way is worked out by [`Leg::work_out`].
    pub(crate) fn new(way: Vec3<R>, end: Quat<R>, spin_way: Vec3<R>, bend: Vec3<R>) -> Self {
        Leg { since: R::ZERO, way, turn: spin_way, end, bend, held: false, carried: Carried::NOWHERE, impacts: 0 }
    }

    /// The turn from where the body stands to the end. More than half a turn in a step shows in the spin alone.
    pub(crate) fn work_out(&mut self, from: Quat<R>) {
        if !(self.turn.dot(self.turn) > R::of(4.0)) {
            self.turn = self.end.after(from.turned_back()).vector();
        }
    }

    pub(crate) fn was_hit(&self) -> bool {
        self.impacts > 0
    }

    /// Place and rotation at a share of the step.
    pub(super) fn place(&self, position: Vec3<R>, rotation: Quat<R>, share: R) -> Place<R> {
        if share <= self.since {
            return (position, rotation);
        }
        let part = (share - self.since) / (R::ONE - self.since);
        if self.held {
            return (self.carried.place(position, part), rotation);
        }
        let bent = self.bend * (part * (R::ONE - part));
        let turned = Quat::by(self.turn * part).after(rotation).of_unit_length();
        (position + self.way * part - bent, if self.turn == Vec3::ZERO { rotation } else { turned })
    }
}
