//! The rows of a contact before the passes: its responses in its own axes, put into a lane of a bundle.

use crate::common::passes::Lanes;
use crate::common::scalar::Real;
use crate::space::bodies::{Inverse, Motion};
use crate::space::contact::POINTS;
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
    fn of(contact: &ContactNow<'_, R>, axes: &Mat3<R>) -> Self {
        let mass = contact.inverse[0].mass + contact.inverse[1].mass;
        let zero = Mat3([Vec3::ZERO; 3]);
        let mut all = Responses { velocity: Mat3::alike(mass), mixed: zero, spin: zero };
        for (inverse, arm) in contact.inverse.iter().zip(contact.arms) {
            // In the contact's axes, column by column.
            let arm = axes.times_back(arm);
            let inertia = Mat3([0, 1, 2].map(|k| axes.times_back(inverse.inertia.times(axes.0[k]))));
            let by_push = Mat3([0, 1, 2].map(|k| inertia.times(arm.cross(Vec3::axis(k))).cross(arm)));
            let by_twist = Mat3([0, 1, 2].map(|k| inertia.0[k].cross(arm)));
            all.velocity = all.velocity.plus(&by_push);
            all.mixed = all.mixed.plus(&by_twist);
            all.spin = all.spin.plus(&inertia);
        }
        all
    }

    /// Velocity along `i` by a twist about `k`.
    fn mixed(&self, i: usize, k: usize) -> R {
        self.mixed.0[k].component(i)
    }

    /// Normal speed at a place by a push along the normal at another.
    fn along(&self, from: [R; 2], to: [R; 2]) -> R {
        let (tx, ty) = (from[1], -from[0]);
        let speed = self.velocity.0[2].z + self.mixed(2, 0) * tx + self.mixed(2, 1) * ty;
        let spin_x = self.mixed(2, 0) + self.spin.0[0].x * tx + self.spin.0[1].x * ty;
        let spin_y = self.mixed(2, 1) + self.spin.0[0].y * tx + self.spin.0[1].y * ty;
        speed + spin_x * to[1] - spin_y * to[0]
    }

    /// The largest slip at a place by a unit push across there: the larger eigenvalue, so that friction goes against the slip whatever the direction.
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

impl<R: Real> Bundle<R> {
    /// Fills a lane, whatever was in it; gives what the impulses that the points begin with change of the motion of both bodies.
    pub(crate) fn fill(&mut self, lane: usize, contact: &ContactNow<'_, R>) -> [Motion<R>; 2] {
        let [first, second] = contact.normal.across();
        let axes = Mat3([first, second, contact.normal]);
        let put = |lanes: &mut [Lanes<R>; 3], v: Vec3<R>| {
            for (lanes, number) in lanes.iter_mut().zip([v.x, v.y, v.z]) {
                lanes[lane] = number;
            }
        };
        for k in 0..3 {
            put(&mut self.axes[k], axes.0[k]);
        }
        self.friction[lane] = contact.friction;
        for side in 0..2 {
            self.bodies[side][lane] = contact.bodies[side] as u32;
            put(&mut self.arms[side], contact.arms[side]);
            self.inverse_mass[side][lane] = contact.inverse[side].mass;
            let inertia = symmetric(&contact.inverse[side].inertia);
            self.inverse_inertia[side].iter_mut().zip(inertia).for_each(|(lanes, number)| lanes[lane] = number);
        }
        let responses = Responses::of(contact, &axes);
        self.fill_matrices(lane, &responses);
        let (mut force, mut twist) = (Vec3::ZERO, Vec3::ZERO);
        let mut places = [[R::ZERO; 2]; POINTS];
        for (k, rows) in self.points.iter_mut().enumerate() {
            let point = contact.points.get(k).copied().unwrap_or_default();
            let off =
                if k < contact.points.len() { axes.times_back(point.position - contact.middle) } else { Vec3::ZERO };
            places[k] = [off.x, off.y];
            (rows.place[0][lane], rows.place[1][lane]) = (off.x, off.y);
            // A point that takes no part has no impulse and no mass to get one.
            let on = |number: R| if point.is_on { number } else { R::ZERO };
            let impulse = axes.times_back(point.impulse) * on(R::ONE);
            let response = responses.along(places[k], places[k]);
            (rows.response[lane], rows.normal_mass[lane]) = (on(response), on(R::ONE / response));
            let rubs = point.is_on && contact.friction > R::ZERO;
            rows.friction_mass[lane] = if rubs { R::ONE / responses.across(places[k]) } else { R::ZERO };
            rows.floor[lane] = on(point.floor);
            put(&mut rows.impulse, impulse);
            put(&mut rows.before, impulse);
            force += impulse;
            twist += Vec3::new(off.x, off.y, R::ZERO).cross(impulse);
        }
        let mut pair = 0;
        for k in 0..POINTS {
            for other in k + 1..POINTS {
                self.coupling[pair][lane] = responses.along(places[k], places[other]);
                pair += 1;
            }
        }
        let (force, twist) = (axes.times(force), axes.times(twist));
        [(0, -R::ONE), (1, R::ONE)].map(|(side, sign)| {
            let inverse = contact.inverse[side];
            let turn = contact.arms[side].cross(force) + twist;
            Motion { linear: force * (inverse.mass * sign), spin: inverse.inertia.times(turn) * sign }
        })
    }

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
