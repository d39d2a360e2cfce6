//! Free turns of eight bodies side by side, with the vectors that the machine has. Each lane does what a body alone would do, so that the bits are the same:
//! one whose rounds have settled keeps what it has while others go on, and what cannot be done so is left to be done alone.

use crate::common::passes::{LANES, Lanes, Width};
use crate::common::scalar::Real;
use crate::space::flight::{
    Gyration, LARGEST_TURN, Principal, ROUNDS, after, change, first_guess, put_right, round, settled, turn_of, way,
};
use crate::space::lanes::{Vectors, put, vector};
use crate::space::vector::{Quat, SMALL_SQUARE, Vec3};

/// Eight bodies with principal axes that turn freely over a step.
#[derive(Clone, Debug)]
#[repr(align(64))]
pub(crate) struct Turns<R> {
    /// Body of each lane that is taken.
    bodies: [usize; LANES],
    taken: usize,
    scalar: Lanes<R>,
    rotation: Vectors<R>,
    momentum: Vectors<R>,
    inverse: Vectors<R>,
    /// Momentum along the body's own axes.
    own: Vectors<R>,
    slopes: [Vectors<R>; 3],
    /// Change at which the rounds of each end; below zero of one that has ended.
    settled: Lanes<R>,
    /// 1 where the turn can be worked out here.
    fits: Lanes<R>,
}

impl<R: Real> Turns<R> {
    pub(crate) fn none() -> Self {
        let zero = [R::ZERO; LANES];
        Turns {
            bodies: [0; LANES],
            taken: 0,
            scalar: [R::ONE; LANES],
            rotation: [zero; 3],
            momentum: [zero; 3],
            inverse: [zero; 3],
            own: [zero; 3],
            slopes: [[zero; 3]; 3],
            settled: zero,
            fits: zero,
        }
    }

    /// Takes a body; whether all lanes are taken then.
    pub(crate) fn take(&mut self, body: usize, rotation: Quat<R>, momentum: Vec3<R>, inverse: Vec3<R>) -> bool {
        let lane = self.taken;
        self.bodies[lane] = body;
        self.scalar[lane] = rotation.w;
        put(&mut self.rotation, lane, rotation.v);
        put(&mut self.momentum, lane, momentum);
        put(&mut self.inverse, lane, inverse);
        self.taken += 1;
        self.taken == LANES
    }

    /// Turns all that were taken, and hands over each with where it is turned to; nothing where that must be worked out alone.
    pub(crate) fn end(&mut self, width: Width, dt: R, mut turned: impl FnMut(usize, Option<Quat<R>>)) {
        if self.taken == 0 {
            return;
        }
        match width {
            Width::Plain => self.work(dt),
            // SAFETY: `Width::of_this_machine` gives these only where the machine has the instructions.
            #[cfg(target_arch = "x86_64")]
            #[allow(unsafe_code)]
            Width::Avx2 => unsafe { work_avx2(self, dt) },
            #[cfg(target_arch = "x86_64")]
            #[allow(unsafe_code)]
            Width::Avx512 => unsafe { work_avx512(self, dt) },
        }
        for lane in 0..self.taken {
            let fits = self.fits[lane] > R::ZERO;
            turned(self.bodies[lane], fits.then(|| self.quaternion(lane)));
        }
        self.taken = 0;
    }

    #[inline(always)]
    fn quaternion(&self, lane: usize) -> Quat<R> {
        Quat { w: self.scalar[lane], v: vector(&self.rotation, lane) }
    }

    #[inline(always)]
    fn work(&mut self, dt: R) {
        for lane in 0..LANES {
            self.begin(lane, dt);
        }
        for _ in 0..ROUNDS {
            for lane in 0..LANES {
                self.round(lane, dt);
            }
            if self.settled.iter().all(|limit| *limit < R::ZERO) {
                break;
            }
        }
        for lane in 0..LANES {
            self.finish(lane, dt);
        }
    }

    #[inline(always)]
    fn begin(&mut self, lane: usize, dt: R) {
        let (rotation, momentum) = (self.quaternion(lane), vector(&self.momentum, lane));
        let gyration = Principal(vector(&self.inverse, lane));
        let axes = rotation.axes();
        let own = axes.times_back(momentum);
        let turn = turn_of(axes.times(gyration.spin(own)), dt);
        let fits = turn > R::ZERO && turn <= R::of(LARGEST_TURN);
        let slopes = first_guess(&gyration, own, dt);
        put(&mut self.own, lane, own);
        (0..3).for_each(|k| put(&mut self.slopes[k], lane, slopes[k]));
        self.settled[lane] = if fits { settled(&slopes) } else { -R::ONE };
        self.fits[lane] = if fits { R::ONE } else { R::ZERO };
    }

    #[inline(always)]
    fn slopes(&self, lane: usize) -> [Vec3<R>; 3] {
        [vector(&self.slopes[0], lane), vector(&self.slopes[1], lane), vector(&self.slopes[2], lane)]
    }

    #[inline(always)]
    fn round(&mut self, lane: usize, dt: R) {
        let gyration = Principal(vector(&self.inverse, lane));
        let before = self.slopes(lane);
        let next = round(&gyration, vector(&self.own, lane), &before, dt);
        let limit = self.settled[lane];
        let goes_on = limit >= R::ZERO;
        let kept = |next: R, before: R| if goes_on { next } else { before };
        for k in 0..3 {
            let (next, before) = (next[k], before[k]);
            let now = Vec3 { x: kept(next.x, before.x), y: kept(next.y, before.y), z: kept(next.z, before.z) };
            put(&mut self.slopes[k], lane, now);
        }
        self.settled[lane] = if change(&next, &before) <= limit { -R::ONE } else { limit };
    }

    #[inline(always)]
    fn finish(&mut self, lane: usize, dt: R) {
        let gyration = Principal(vector(&self.inverse, lane));
        let (own, slopes) = (vector(&self.own, lane), self.slopes(lane));
        let way = way(own, &slopes, &gyration, dt);
        let small = way.dot(way) < R::of(SMALL_SQUARE);
        let turned = self.quaternion(lane).after(Quat::by_little(way));
        let turned = put_right(turned, vector(&self.momentum, lane), after(own, &slopes, dt));
        self.scalar[lane] = turned.w;
        put(&mut self.rotation, lane, turned.v);
        self.fits[lane] = if small { self.fits[lane] } else { R::ZERO };
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn work_avx2<R: Real>(turns: &mut Turns<R>, dt: R) {
    turns.work(dt);
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512vl")]
fn work_avx512<R: Real>(turns: &mut Turns<R>, dt: R) {
    turns.work(dt);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::common::settings::Integrator;
    use crate::space::flight::{OwnInertia, turn};
    use crate::space::vector::Mat3;

    #[test]
    fn eight_bodies_turn_as_each_does_alone_to_the_bit() {
        let (dt, mut alone_there) = (0.004, 0);
        let widths = [Width::Plain, Width::of_this_machine()];
        for width in widths {
            let mut turns = Turns::none();
            let given: Vec<_> = (0..21)
                .map(|k| {
                    let k = f64::from(k);
                    let rotation = Quat::by(Vec3::new(0.3 * k, 0.1 - k, 0.2 * k));
                    // From rest over slow and swift to what turns too far in one go.
                    let momentum = Vec3::new(0.02 * k * k, 3.0 * k, -0.5 * k * k * k / 40.0);
                    let inertia = Mat3([Vec3::axis(0) * (1.0 + k), Vec3::axis(1) * 2.5, Vec3::axis(2) * 0.4]);
                    (rotation, momentum, OwnInertia::new(inertia))
                })
                .collect();
            let mut check = |body: usize, turned: Option<Quat<f64>>| {
                let (rotation, momentum, inertia) = given[body];
                let alone = turn(rotation, momentum, &inertia, dt, Integrator::Verlet);
                alone_there += usize::from(turned.is_none());
                assert_eq!(turned.unwrap_or(alone), alone, "{width:?}, body {body}");
            };
            for (body, (rotation, momentum, inertia)) in given.iter().enumerate() {
                if turns.take(body, *rotation, *momentum, inertia.principal().expect("principal axes")) {
                    turns.end(width, dt, &mut check);
                }
            }
            turns.end(width, dt, &mut check);
        }
        assert!((2..20).contains(&alone_there), "{alone_there} were left to be done alone");
    }
}
