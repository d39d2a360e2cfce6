//! Rigid bodies of the plane that nodes are pinned to.

use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Vec2;
use crate::soft::pins::Carriers;

impl<R: Real> Carriers<Vec2<R>, R> for Bodies<R> {
    type Change = Motion<R>;

    fn is_there(&self, body: usize) -> bool {
        self.present[body]
    }

    fn gives(&self, body: usize) -> bool {
        self.inverse[body].moves()
    }

    fn centre(&self, body: usize) -> Vec2<R> {
        self.position[body]
    }

    fn arm_of(&self, body: usize, point: Vec2<R>) -> Vec2<R> {
        self.axes[body].turn(point)
    }

    fn speed_at(&self, body: usize, arm: Vec2<R>) -> Vec2<R> {
        self.motion[body].at(arm)
    }

    fn impulse_for(&self, body: usize, arm: Vec2<R>, inverse: R, change: Vec2<R>) -> Option<Vec2<R>> {
        let own = &self.inverse[body];
        let column = |unit: Vec2<R>| own.kick(arm, unit).at(arm) + unit * inverse;
        let [a, b] = [column(Vec2::new(R::ONE, R::ZERO)), column(Vec2::new(R::ZERO, R::ONE))];
        let size = a.cross(b);
        let share = R::ONE / size;
        (size > R::ZERO).then(|| Vec2::new(change.cross(b) * share, a.cross(change) * share))
    }

    fn change_by(&self, body: usize, arm: Vec2<R>, impulse: Vec2<R>) -> Motion<R> {
        self.inverse[body].kick(arm, impulse)
    }

    fn change_at(change: Motion<R>, arm: Vec2<R>) -> Vec2<R> {
        change.at(arm)
    }

    fn both(one: Motion<R>, other: Motion<R>) -> Motion<R> {
        one.plus(other)
    }

    fn hasten(&mut self, body: usize, change: Motion<R>) {
        self.motion[body] = self.motion[body].plus(change);
    }

    fn shift_by(&mut self, body: usize, change: Motion<R>, time: R) {
        let way = change.scaled(time);
        self.place(body, self.position[body] + way.linear, self.angle[body] + way.spin);
    }
}
