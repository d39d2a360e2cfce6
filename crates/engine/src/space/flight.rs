//! How a free body turns over a step: its angular momentum stays, its spin does not.
//!
//! Source: Euler's equations for the momentum in body axes, m' = m × I⁻¹m, by the Gauss method of three stages, which keeps every
//! quadratic first integral, here |m|² and the energy m·I⁻¹m / 2 (Hairer, Lubich, Wanner, "Geometric Numerical Integration", 2006,
//! IV.2); the rotation by the Magnus series of order six on the same stages (Blanes, Casas, Oteo, Ros, "The Magnus expansion and some of
//! its applications", 2009, section 5.4), put right so that it carries the momentum in body axes to the one in space.

use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::space::vector::{Mat3, Quat, Vec3};

/// Largest turn in one go, rad, a power of two. The stages are found by simple iteration, which gains a digit or more a round below it.
pub(super) const LARGEST_TURN: f64 = 0.25;

/// Most goes a step; a body that turns faster than that is out of hand whatever is done.
const MOST_GOES: f64 = 4096.0;

/// Most rounds of the iteration.
pub(super) const ROUNDS: usize = 40;

/// Inertia about the centre of mass along the body's own axes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct OwnInertia<R> {
    pub(crate) matrix: Mat3<R>,
    pub(crate) inverse: Mat3<R>,
    /// Whether it is the same about every axis, so that the spin stays too.
    pub(crate) alike: bool,
    /// Whether the axes are principal ones.
    along_axes: bool,
}

impl<R: Real> OwnInertia<R> {
    /// Of a body that nothing turns.
    pub(crate) fn none() -> Self {
        OwnInertia { matrix: Mat3::ZERO, inverse: Mat3::ZERO, alike: true, along_axes: true }
    }

    pub(crate) fn new(matrix: Mat3<R>) -> Self {
        let [x, y, z] = matrix.0;
        let diagonal = Mat3([Vec3::axis(0) * x.x, Vec3::axis(1) * y.y, Vec3::axis(2) * z.z]);
        let along_axes = matrix == diagonal;
        let inverse = if along_axes {
            Mat3([Vec3::axis(0) * (R::ONE / x.x), Vec3::axis(1) * (R::ONE / y.y), Vec3::axis(2) * (R::ONE / z.z)])
        } else {
            matrix.inverse()
        };
        OwnInertia { matrix, inverse, alike: matrix == Mat3::alike(x.x), along_axes }
    }

    /// Inverse inertia along the body's own axes, where they are principal ones and it is not the same about all.
    #[inline(always)]
    pub(super) fn principal(&self) -> Option<Vec3<R>> {
        let [x, y, z] = self.inverse.0;
        (self.along_axes && !self.alike).then_some(Vec3 { x: x.x, y: y.y, z: z.z })
    }

    /// The spin of a body with an angular momentum, both along the world's axes.
    pub(crate) fn spin(&self, axes: &Mat3<R>, momentum: Vec3<R>) -> Vec3<R> {
        if self.alike {
            return self.inverse.times(momentum);
        }
        let own = axes.times_back(momentum);
        axes.times(match self.principal() {
            Some(inverse) => Principal(inverse).spin(own),
            None => self.inverse.times(own),
        })
    }

    /// The angular momentum of a body with a spin, both along the world's axes.
    pub(crate) fn momentum(&self, axes: &Mat3<R>, spin: Vec3<R>) -> Vec3<R> {
        if self.alike {
            return self.matrix.times(spin);
        }
        axes.times(self.matrix.times(axes.times_back(spin)))
    }
}

/// Where a body is turned to after a time, with a momentum that stays.
pub(crate) fn turn<R: Real>(
    rotation: Quat<R>,
    momentum: Vec3<R>,
    inertia: &OwnInertia<R>,
    dt: R,
    integrator: Integrator,
) -> Quat<R> {
    let spin = inertia.spin(&rotation.axes(), momentum);
    if spin == Vec3::ZERO {
        return rotation;
    }
    match integrator {
        // The usual way: along the present spin for the whole step.
        Integrator::ExplicitEuler | Integrator::SymplecticEuler => {
            let rate = Quat { w: R::ZERO, v: spin * (R::HALF * dt) }.after(rotation);
            Quat { w: rotation.w + rate.w, v: rotation.v + rate.v }.of_unit_length()
        }
        Integrator::Rk4 => by_rk4(rotation, momentum, inertia, dt),
        Integrator::Verlet if inertia.alike => Quat::by(spin * dt).after(rotation).of_unit_length(),
        Integrator::Verlet => freely(rotation, momentum, inertia, dt, spin),
    }
}

/// Kutta's classical method of order 4 on the quaternion.
fn by_rk4<R: Real>(rotation: Quat<R>, momentum: Vec3<R>, inertia: &OwnInertia<R>, dt: R) -> Quat<R> {
    let rate = |q: Quat<R>| {
        let spin = inertia.spin(&q.of_unit_length().axes(), momentum);
        Quat { w: R::ZERO, v: spin * R::HALF }.after(q)
    };
    let on = |slope: Quat<R>, time: R| Quat { w: rotation.w + slope.w * time, v: rotation.v + slope.v * time };
    let half = R::HALF * dt;
    let first = rate(rotation);
    let second = rate(on(first, half));
    let third = rate(on(second, half));
    let fourth = rate(on(third, dt));
    let mean = Quat {
        w: first.w + (second.w + third.w) * R::TWO + fourth.w,
        v: first.v + (second.v + third.v) * R::TWO + fourth.v,
    };
    on(mean, dt / R::of(6.0)).of_unit_length()
}

fn freely<R: Real>(rotation: Quat<R>, momentum: Vec3<R>, inertia: &OwnInertia<R>, dt: R, spin: Vec3<R>) -> Quat<R> {
    let goes = (turn_of(spin, dt).to_f64() / LARGEST_TURN).ceil().clamp(1.0, MOST_GOES);
    let part = dt / R::of(goes);
    let mut rotation = rotation;
    for _ in 0..goes as u32 {
        rotation = match inertia.principal() {
            Some(inverse) => one_go(rotation, momentum, &Principal(inverse), part),
            None => one_go(rotation, momentum, &inertia.inverse, part),
        };
    }
    rotation
}

/// The angle of a step, rad.
#[inline(always)]
pub(super) fn turn_of<R: Real>(spin: Vec3<R>, dt: R) -> R {
    spin.length() * dt
}

/// Nodes of the Gauss method of three stages are 1/2 and 1/2 -+ sqrt(15)/10, sqrt(15) to all digits of a double; these are its weights.
const ROOT: f64 = 3.872_983_346_207_417;
const NODES: [f64; 3] = [0.5 - 0.1 * ROOT, 0.5, 0.5 + 0.1 * ROOT];
const ROWS: [[f64; 3]; 3] = [
    [5.0 / 36.0, 2.0 / 9.0 - ROOT / 15.0, 5.0 / 36.0 - ROOT / 30.0],
    [5.0 / 36.0 + ROOT / 24.0, 2.0 / 9.0, 5.0 / 36.0 - ROOT / 24.0],
    [5.0 / 36.0 + ROOT / 30.0, 2.0 / 9.0 + ROOT / 15.0, 5.0 / 36.0],
];
const SUMS: [f64; 3] = [5.0 / 18.0, 4.0 / 9.0, 5.0 / 18.0];

/// The inverse of an inertia along the body's own axes.
pub(super) trait Gyration<R: Real> {
    /// The spin of a momentum.
    fn spin(&self, momentum: Vec3<R>) -> Vec3<R>;

    /// a × I⁻¹ b, the rate of a momentum in body axes where both are that momentum.
    #[inline(always)]
    fn rate(&self, a: Vec3<R>, b: Vec3<R>) -> Vec3<R> {
        a.cross(self.spin(b))
    }
}

/// That of principal axes.
pub(super) struct Principal<R>(pub(super) Vec3<R>);

impl<R: Real> Gyration<R> for Principal<R> {
    #[inline(always)]
    fn spin(&self, m: Vec3<R>) -> Vec3<R> {
        Vec3 { x: m.x * self.0.x, y: m.y * self.0.y, z: m.z * self.0.z }
    }
}

impl<R: Real> Gyration<R> for Mat3<R> {
    #[inline(always)]
    fn spin(&self, momentum: Vec3<R>) -> Vec3<R> {
        self.times(momentum)
    }
}

fn one_go<R: Real>(rotation: Quat<R>, momentum: Vec3<R>, gyration: &impl Gyration<R>, dt: R) -> Quat<R> {
    let own = rotation.axes().times_back(momentum);
    let mut slopes = first_guess(gyration, own, dt);
    let settled = settled(&slopes);
    for _ in 0..ROUNDS {
        let next = round(gyration, own, &slopes, dt);
        let change = change(&next, &slopes);
        slopes = next;
        if change <= settled {
            break;
        }
    }
    let way = way(own, &slopes, gyration, dt);
    put_right(rotation.after(Quat::by(way)), momentum, after(own, &slopes, dt))
}

/// Momenta at the three nodes.
#[inline(always)]
fn stages<R: Real>(own: Vec3<R>, slopes: &[Vec3<R>; 3], dt: R) -> [Vec3<R>; 3] {
    let rows = ROWS.map(|row| row.map(|weight| R::of(weight) * dt));
    rows.map(|row| own + slopes[0] * row[0] + slopes[1] * row[1] + slopes[2] * row[2])
}

/// A round of the iteration: every one gains a digit or more, down to the rounding.
#[inline(always)]
pub(super) fn round<R: Real>(gyration: &impl Gyration<R>, own: Vec3<R>, slopes: &[Vec3<R>; 3], dt: R) -> [Vec3<R>; 3] {
    stages(own, slopes, dt).map(|m| gyration.rate(m, m))
}

#[inline(always)]
pub(super) fn change<R: Real>(next: &[Vec3<R>; 3], slopes: &[Vec3<R>; 3]) -> R {
    (next[0] - slopes[0]).abs().max((next[1] - slopes[1]).abs()).max((next[2] - slopes[2]).abs()).largest()
}

/// The change at which rounds end.
#[inline(always)]
pub(super) fn settled<R: Real>(slopes: &[Vec3<R>; 3]) -> R {
    R::of(4.0) * R::EPSILON * slopes[1].abs().largest()
}

/// The rotation vector of a go in body axes.
#[inline(always)]
pub(super) fn way<R: Real>(own: Vec3<R>, slopes: &[Vec3<R>; 3], gyration: &impl Gyration<R>, dt: R) -> Vec3<R> {
    magnus(stages(own, slopes, dt).map(|m| gyration.spin(m)), dt)
}

/// The momentum in body axes after a go.
#[inline(always)]
pub(super) fn after<R: Real>(own: Vec3<R>, slopes: &[Vec3<R>; 3], dt: R) -> Vec3<R> {
    let sums = SUMS.map(|weight| R::of(weight) * dt);
    own + slopes[0] * sums[0] + slopes[1] * sums[1] + slopes[2] * sums[2]
}

/// The last digits of the way: the momentum in space is where it was.
#[inline(always)]
pub(super) fn put_right<R: Real>(turned: Quat<R>, momentum: Vec3<R>, after: Vec3<R>) -> Quat<R> {
    let turned = turned.of_unit_length();
    let drift = Quat::between(turned.axes().times(after), momentum);
    drift.after(turned).of_unit_length()
}

/// Rates of the momentum at the three nodes by its first two derivatives at the start.
#[inline(always)]
pub(super) fn first_guess<R: Real>(gyration: &impl Gyration<R>, own: Vec3<R>, dt: R) -> [Vec3<R>; 3] {
    let rate = gyration.rate(own, own);
    let second = gyration.rate(rate, own) + gyration.rate(own, rate);
    let third = gyration.rate(second, own) + gyration.rate(rate, rate) * R::TWO + gyration.rate(own, second);
    NODES.map(|node| {
        let time = R::of(node) * dt;
        rate + (second + third * (R::HALF * time)) * time
    })
}

/// The rotation vector, in body axes, of a spin in body axes at the three nodes.
#[inline(always)]
fn magnus<R: Real>(spin: [Vec3<R>; 3], dt: R) -> Vec3<R> {
    let [first, second, third] = spin;
    let root = R::of(15.0_f64.sqrt() / 3.0);
    let one = second * dt;
    let two = (third - first) * (root * dt);
    let three = (third - second * R::TWO + first) * (R::of(10.0 / 3.0) * dt);
    // In body axes a rotation grows on its right, which turns the sign of every commutator round.
    let commute = |a: Vec3<R>, b: Vec3<R>| b.cross(a);
    let inner = commute(one, two);
    let outer = commute(one, three * R::TWO + inner) * R::of(-1.0 / 60.0);
    let twentieth = commute(one * R::of(-20.0) - three + inner, two + outer);
    one + three * R::of(1.0 / 12.0) + twentieth * R::of(1.0 / 240.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn inertia() -> OwnInertia<f64> {
        OwnInertia::new(Mat3([Vec3::axis(0), Vec3::axis(1) * 2.0, Vec3::axis(2) * 3.0]))
    }

    fn energy(rotation: Quat<f64>, momentum: Vec3<f64>) -> f64 {
        0.5 * inertia().spin(&rotation.axes(), momentum).dot(momentum)
    }

    #[test]
    fn a_free_body_keeps_its_energy_for_a_minute_whatever_axis_it_turns_about() {
        for spin in [
            Vec3::new(10.0, 0.0, 0.0),
            Vec3::new(0.0, 10.0, 0.0),
            Vec3::new(0.0, 0.0, 10.0),
            Vec3::new(0.01, 9.9, 0.01),
            Vec3::new(5.0, -5.0, 5.0),
        ] {
            let mut rotation = Quat::<f64>::by(Vec3::new(0.3, -1.1, 0.7));
            let momentum = inertia().momentum(&rotation.axes(), spin);
            let before = energy(rotation, momentum);
            let mut worst = 0.0_f64;
            for _ in 0..3600 {
                rotation = turn(rotation, momentum, &inertia(), 1.0 / 60.0, Integrator::Verlet);
                worst = worst.max((energy(rotation, momentum) / before - 1.0).abs());
                let length = rotation.w * rotation.w + rotation.v.dot(rotation.v);
                assert!((length - 1.0).abs() < 1e-15);
            }
            assert!(worst < 1e-12, "{spin:?}: {worst:e}");
        }
    }

    /// The order of the method: half a step leaves a sixty-fourth of the error.
    #[test]
    fn the_turn_is_of_order_six() {
        let rotation = Quat::<f64>::by(Vec3::new(0.3, -1.1, 0.7));
        let momentum = Vec3::new(3.0, 4.0, -2.0);
        let after = |steps: u32| {
            let mut rotation = rotation;
            for _ in 0..steps {
                rotation = one_go(rotation, momentum, &inertia().inverse, 1.6 / f64::from(steps));
            }
            rotation
        };
        let truth = after(512);
        let error = |steps: u32| (after(steps).v - truth.v).length();
        let ratio = error(8) / error(16);
        assert!((45.0..100.0).contains(&ratio), "{ratio} of {:e} and {:e}", error(8), error(16));
    }

    #[test]
    fn a_symmetric_top_goes_round_its_momentum_at_the_rate_of_the_closed_form() {
        // I = (2, 1, 1): the axis goes round the momentum at |L| / I_t.
        let top = OwnInertia::new(Mat3([Vec3::axis(0) * 2.0, Vec3::axis(1), Vec3::axis(2)]));
        let momentum = Vec3::new(6.0, 0.5, 0.0);
        let mut rotation = Quat::<f64>::default();
        for _ in 0..120 {
            rotation = turn(rotation, momentum, &top, 1.0 / 60.0, Integrator::Verlet);
        }
        let round = Quat::by(momentum * 2.0).axes();
        let axis = round.times(Vec3::axis(0));
        assert!((rotation.axes().0[0] - axis).length() < 1e-9, "{:?} {axis:?}", rotation.axes().0[0]);
    }
}
