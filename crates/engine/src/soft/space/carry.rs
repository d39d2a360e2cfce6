//! Rigid bodies of space that nodes are pinned to.

use crate::common::scalar::Real;
use crate::soft::pins::Carriers;
use crate::space::bodies::{Bodies, Motion};
use crate::space::vector::Vec3;

impl<R: Real> Carriers<Vec3<R>, R> for Bodies<R> {
    type Change = Motion<R>;

    fn is_there(&self, body: usize) -> bool {
        self.present[body]
    }

    fn gives(&self, body: usize) -> bool {
        self.inverse[body].moves()
    }

    fn centre(&self, body: usize) -> Vec3<R> {
        self.position[body]
    }

    fn arm_of(&self, body: usize, point: Vec3<R>) -> Vec3<R> {
        self.axes[body].times(point)
    }

    fn speed_at(&self, body: usize, arm: Vec3<R>) -> Vec3<R> {
        self.motion[body].at(arm)
    }

    fn impulse_for(&self, body: usize, arm: Vec3<R>, inverse: R, change: Vec3<R>) -> Option<Vec3<R>> {
        let own = &self.inverse[body];
        let column = |axis: usize| {
            let unit = Vec3::axis(axis);
            own.kick(arm, unit).at(arm) + unit * inverse
        };
        // By Cramer's rule.
        let [a, b, c] = [column(0), column(1), column(2)];
        let size = a.dot(b.cross(c));
        let share = R::ONE / size;
        let solved = || Vec3::new(change.dot(b.cross(c)), a.dot(change.cross(c)), a.dot(b.cross(change))) * share;
        (size > R::ZERO).then(solved)
    }

    fn change_by(&self, body: usize, arm: Vec3<R>, impulse: Vec3<R>) -> Motion<R> {
        self.inverse[body].kick(arm, impulse)
    }

    fn change_at(change: Motion<R>, arm: Vec3<R>) -> Vec3<R> {
        change.at(arm)
    }

    fn both(one: Motion<R>, other: Motion<R>) -> Motion<R> {
        one.plus(other)
    }

    fn hasten(&mut self, body: usize, change: Motion<R>) {
        let motion = self.motion[body].plus(change);
        self.take_motion(body, motion);
    }

    fn shift_by(&mut self, body: usize, change: Motion<R>, time: R) {
        self.shift(body, change.scaled(time));
    }
}
