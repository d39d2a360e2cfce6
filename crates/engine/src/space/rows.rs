//! The rows of a contact before the passes: its responses in its own axes, worked out for the eight contacts of a bundle side by side.

use crate::common::passes::{LANES, Width};
use crate::common::scalar::Real;
use crate::space::bodies::{Inverse, Motion};
use crate::space::contact::POINTS;
use crate::space::lanes::{Vectors, put, vector};
use crate::space::vector::{Mat3, Vec3};
use crate::space::wide::Bundle;

/// A point of a contact before it has its lane.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct PointNow<R> {
    pub(crate) position: Vec3<R>,
    pub(crate) floor: R,
    /// Along the world's axes.
    pub(crate) impulse: Vec3<R>,
    /// Whether it takes part in this step.
    pub(crate) is_on: bool,
}

/// A contact before it has its lane.
pub(crate) struct ContactNow<'a, R> {
    pub(crate) bodies: [usize; 2],
    pub(crate) inverse: [&'a Inverse<R>; 2],
    /// From each centre to the middle of the points, when the push of the step acts.
    pub(crate) arms: [Vec3<R>; 2],
    pub(crate) middle: Vec3<R>,
    pub(crate) normal: Vec3<R>,
    pub(crate) friction: R,
    pub(crate) points: &'a [PointNow<R>],
}

fn symmetric<R: Real>(m: &Mat3<R>) -> [R; 6] {
    let [x, y, z] = m.0;
    [x.x, y.y, z.z, x.y, x.z, y.z]
}

/// What a push and a twist at the middle of a contact change of the relative motion there, in the contact's axes.
struct Responses<R> {
    /// Velocity by a push, velocity by a twist, spin by a twist; the spin by a push is the second turned over.
    velocity: Mat3<R>,
    mixed: Mat3<R>,
    spin: Mat3<R>,
}

impl<R: Real> Responses<R> {
    #[inline(always)]
    fn of(mass: [R; 2], inertia: [Mat3<R>; 2], arms: [Vec3<R>; 2], axes: &Mat3<R>) -> Self {
        let zero = Mat3([Vec3::ZERO; 3]);
        let mut all = Responses { velocity: Mat3::alike(mass[0] + mass[1]), mixed: zero, spin: zero };
        for side in 0..2 {
            // In the contact's axes, column by column.
            let arm = axes.times_back(arms[side]);
            let own = &inertia[side];
            let column = |k: usize| axes.times_back(own.times(axes.0[k]));
            let inertia = Mat3([column(0), column(1), column(2)]);
            let by_push = |k: usize| inertia.times(arm.cross(Vec3::axis(k))).cross(arm);
            let by_twist = |k: usize| inertia.0[k].cross(arm);
            all.velocity = all.velocity.plus(&Mat3([by_push(0), by_push(1), by_push(2)]));
            all.mixed = all.mixed.plus(&Mat3([by_twist(0), by_twist(1), by_twist(2)]));
            all.spin = all.spin.plus(&inertia);
        }
        all
    }

    /// Velocity along `i` by a twist about `k`.
    #[inline(always)]
    fn mixed(&self, i: usize, k: usize) -> R {
        self.mixed.0[k].component(i)
    }

    /// Normal speed at a place by a push along the normal at another.
    #[inline(always)]
    fn along(&self, from: [R; 2], to: [R; 2]) -> R {
        let (tx, ty) = (from[1], -from[0]);
        let speed = self.velocity.0[2].z + self.mixed(2, 0) * tx + self.mixed(2, 1) * ty;
        let spin_x = self.mixed(2, 0) + self.spin.0[0].x * tx + self.spin.0[1].x * ty;
        let spin_y = self.mixed(2, 1) + self.spin.0[0].y * tx + self.spin.0[1].y * ty;
        speed + spin_x * to[1] - spin_y * to[0]
    }

    /// The largest slip at a place by a unit push across there: the larger eigenvalue, so that friction goes against the slip whatever the direction.
    #[inline(always)]
    fn across(&self, [x, y]: [R; 2]) -> R {
        let spin = self.spin.0[2].z;
        let (mx, my) = (self.mixed(0, 2), self.mixed(1, 2));
        let a = self.velocity.0[0].x - (mx + mx) * y + spin * y * y;
        let b = self.velocity.0[1].x + mx * x - my * y - spin * x * y;
        let c = self.velocity.0[1].y + (my + my) * x + spin * x * x;
        let half = R::HALF * (a - c);
        R::HALF * (a + c) + (half * half + b * b).sqrt()
    }
}

/// What the impulses that contacts begin with change of the motion of both bodies of each.
struct Begun<R> {
    linear: [Vectors<R>; 2],
    spin: [Vectors<R>; 2],
}

impl<R: Real> Bundle<R> {
    /// Puts a contact into a lane, whatever was in it; its rows are worked out by [`Bundle::work_out`].
    pub(crate) fn take(&mut self, lane: usize, contact: &ContactNow<'_, R>) {
        put(&mut self.axes[2], lane, contact.normal);
        self.friction[lane] = contact.friction;
        for side in 0..2 {
            self.bodies[side][lane] = contact.bodies[side] as u32;
            put(&mut self.arms[side], lane, contact.arms[side]);
            self.inverse_mass[side][lane] = contact.inverse[side].mass;
            let inertia = symmetric(&contact.inverse[side].inertia);
            self.inverse_inertia[side].iter_mut().zip(inertia).for_each(|(lanes, number)| lanes[lane] = number);
        }
        for (k, rows) in self.points.iter_mut().enumerate() {
            let there = k < contact.points.len();
            let point = contact.points.get(k).copied().unwrap_or_default();
            // Until they are worked out: where it is from the middle, its impulse along the world's axes, and 1 for one that takes part.
            put(&mut rows.before, lane, if there { point.position - contact.middle } else { Vec3::ZERO });
            put(&mut rows.impulse, lane, point.impulse);
            rows.normal_mass[lane] = if point.is_on { R::ONE } else { R::ZERO };
            rows.floor[lane] = point.floor;
        }
    }

    /// The rows of all contacts that were taken; gives what the impulses that their points begin with change of the motion of both bodies of each.
    pub(crate) fn work_out(&mut self, width: Width) -> [[Motion<R>; 2]; LANES] {
        let zero = [[R::ZERO; LANES]; 3];
        let mut begun = Begun { linear: [zero; 2], spin: [zero; 2] };
        match width {
            Width::Plain => self.all_lanes(&mut begun),
            // SAFETY: `Width::of_this_machine` gives these only where the machine has the instructions.
            #[cfg(target_arch = "x86_64")]
            #[allow(unsafe_code)]
            Width::Avx2 => unsafe { all_lanes_avx2(self, &mut begun) },
            #[cfg(target_arch = "x86_64")]
            #[allow(unsafe_code)]
            Width::Avx512 => unsafe { all_lanes_avx512(self, &mut begun) },
        }
        let of_side = |side: usize, lane: usize| Motion {
            linear: vector(&begun.linear[side], lane),
            spin: vector(&begun.spin[side], lane),
        };
        std::array::from_fn(|lane| [of_side(0, lane), of_side(1, lane)])
    }

    #[inline(always)]
    fn all_lanes(&mut self, begun: &mut Begun<R>) {
        for lane in 0..LANES {
            self.one_lane(lane, begun);
        }
    }

    #[inline(always)]
    fn inertia(&self, side: usize, lane: usize) -> Mat3<R> {
        let [xx, yy, zz, xy, xz, yz] = &self.inverse_inertia[side];
        let (xy, xz, yz) = (xy[lane], xz[lane], yz[lane]);
        Mat3([
            Vec3 { x: xx[lane], y: xy, z: xz },
            Vec3 { x: xy, y: yy[lane], z: yz },
            Vec3 { x: xz, y: yz, z: zz[lane] },
        ])
    }

    /// Without a branch, so that several lanes are worked out at once.
    #[inline(always)]
    fn one_lane(&mut self, lane: usize, begun: &mut Begun<R>) {
        let normal = vector(&self.axes[2], lane);
        let [first, second] = normal.across();
        let axes = Mat3([first, second, normal]);
        put(&mut self.axes[0], lane, first);
        put(&mut self.axes[1], lane, second);
        let mass = [self.inverse_mass[0][lane], self.inverse_mass[1][lane]];
        let inertia = [self.inertia(0, lane), self.inertia(1, lane)];
        let arms = [vector(&self.arms[0], lane), vector(&self.arms[1], lane)];
        let responses = Responses::of(mass, inertia, arms, &axes);
        self.fill_matrices(lane, &responses);
        let rubs = self.friction[lane] > R::ZERO;
        let (mut force, mut twist) = (Vec3::ZERO, Vec3::ZERO);
        let mut places = [[R::ZERO; 2]; POINTS];
        for (place, rows) in places.iter_mut().zip(&mut self.points) {
            let off = axes.times_back(vector(&rows.before, lane));
            *place = [off.x, off.y];
            (rows.place[0][lane], rows.place[1][lane]) = (off.x, off.y);
            // A point that takes no part has no impulse and no mass to get one.
            let is_on = rows.normal_mass[lane] > R::ZERO;
            let on = |number: R| if is_on { number } else { R::ZERO };
            let impulse = axes.times_back(vector(&rows.impulse, lane)) * rows.normal_mass[lane];
            let response = responses.along(*place, *place);
            let across = on(R::ONE / responses.across(*place));
            rows.response[lane] = on(response);
            rows.normal_mass[lane] = on(R::ONE / response);
            rows.friction_mass[lane] = if rubs { across } else { R::ZERO };
            rows.floor[lane] = on(rows.floor[lane]);
            put(&mut rows.impulse, lane, impulse);
            put(&mut rows.before, lane, impulse);
            force += impulse;
            twist += Vec3 { x: off.x, y: off.y, z: R::ZERO }.cross(impulse);
        }
        let mut pair = 0;
        for k in 0..POINTS {
            for other in k + 1..POINTS {
                self.coupling[pair][lane] = responses.along(places[k], places[other]);
                pair += 1;
            }
        }
        let (force, twist) = (axes.times(force), axes.times(twist));
        for (side, sign) in [(0, -R::ONE), (1, R::ONE)] {
            let turn = arms[side].cross(force) + twist;
            put(&mut begun.linear[side], lane, force * (mass[side] * sign));
            put(&mut begun.spin[side], lane, inertia[side].times(turn) * sign);
        }
    }

    #[inline(always)]
    fn fill_matrices(&mut self, lane: usize, responses: &Responses<R>) {
        let velocity = |i: usize, k: usize| responses.velocity.0[k].component(i);
        let spin = |i: usize, k: usize| responses.spin.0[k].component(i);
        let mixed = |i: usize, k: usize| responses.mixed(i, k);
        let across = [velocity(0, 0), velocity(1, 1), spin(2, 2), velocity(0, 1), mixed(0, 2), mixed(1, 2)];
        self.across.iter_mut().zip(across).for_each(|(lanes, number)| lanes[lane] = number);
        // The spin about k by a push along i is the velocity along i by a twist about k.
        let onto = [
            [velocity(2, 0), velocity(2, 1), mixed(2, 2)],
            [mixed(0, 0), mixed(1, 0), spin(0, 2)],
            [mixed(0, 1), mixed(1, 1), spin(1, 2)],
        ];
        for (lanes, number) in self.onto_normal.iter_mut().flatten().zip(onto.into_iter().flatten()) {
            lanes[lane] = number;
        }
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn all_lanes_avx2<R: Real>(bundle: &mut Bundle<R>, begun: &mut Begun<R>) {
    bundle.all_lanes(begun);
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512vl")]
fn all_lanes_avx512<R: Real>(bundle: &mut Bundle<R>, begun: &mut Begun<R>) {
    bundle.all_lanes(begun);
}
