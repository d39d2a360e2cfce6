//! The impact of one manifold: up to four points hit at once.
//!
//! Source: Newton's law of restitution with Coulomb friction on impulses (Brach, "Mechanical Impact Dynamics", 1991,
//! chapters 2 and 5); all points of a manifold are hit together, so that a flat landing does not tip the body.

use crate::common::scalar::Real;
use crate::space::bodies::{Inverse, Motion};
use crate::space::contact::POINTS;
use crate::space::vector::{Mat3, Vec3};

/// Most rounds over the points of one impact. A single point on a ball needs one.
const ROUNDS: usize = 400;

/// Two bodies about to be hit.
pub(crate) struct PairInMotion<R> {
    pub(crate) motion: [Motion<R>; 2],
    pub(crate) inverse: [Inverse<R>; 2],
}

/// A point of an impact: arms from both centres, and the normal speed wanted after it (apart is positive).
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Target<R> {
    pub(crate) arms: [Vec3<R>; 2],
    pub(crate) wanted: R,
}

/// Change of relative velocity at a point by a unit impulse there, as a matrix: K = (1/m_a + 1/m_b) 1 - [r_a] I_a⁻¹ [r_a] - [r_b] I_b⁻¹ [r_b].
pub(crate) fn response<R: Real>(inverse: &[Inverse<R>; 2], arms: [Vec3<R>; 2]) -> Mat3<R> {
    let mass = inverse[0].mass + inverse[1].mass;
    let mut all = Mat3::alike(mass);
    for (inverse, arm) in inverse.iter().zip(arms) {
        let turned = Mat3([0, 1, 2].map(|axis| inverse.inertia.times(arm.cross(Vec3::axis(axis))).cross(arm)));
        all = all.plus(&turned);
    }
    all
}

/// How strongly a unit impulse acts along the normal, and at most across it: the larger eigenvalue of the response in the plane of the contact.
/// A step of friction by the latter goes against the slip whatever the direction, so that it ends on a round cone.
pub(crate) fn strengths<R: Real>(response: &Mat3<R>, normal: Vec3<R>) -> (R, R) {
    let [a, b, c] = response.0;
    let along = normal.dot(response.times(normal));
    let trace = response.trace() - along;
    // The determinant of the plane's part is the cofactor along the normal.
    let cofactors = Vec3::new(
        normal.dot(b.cross(c)) * normal.x,
        normal.dot(c.cross(a)) * normal.y,
        normal.dot(a.cross(b)) * normal.z,
    );
    let determinant = cofactors.x + cofactors.y + cofactors.z;
    let half = R::HALF * trace;
    let root = (half * half - determinant).max(R::ZERO).sqrt();
    (along, half + root)
}

/// A friction impulse brought back into the cone.
#[inline]
pub(crate) fn within_cone<R: Real>(impulse: Vec3<R>, limit: R) -> Vec3<R> {
    let square = impulse.dot(impulse);
    if square <= limit * limit { impulse } else { impulse * (limit / square.sqrt()) }
}

impl<R: Real> PairInMotion<R> {
    /// Velocity of the second body relative to the first at a point.
    #[inline]
    pub(crate) fn relative(&self, arms: [Vec3<R>; 2]) -> Vec3<R> {
        self.motion[1].at(arms[1]) - self.motion[0].at(arms[0])
    }

    fn push(&mut self, arms: [Vec3<R>; 2], impulse: Vec3<R>) {
        self.motion[0] = self.motion[0].minus(self.inverse[0].kick(arms[0], impulse));
        self.motion[1] = self.motion[1].plus(self.inverse[1].kick(arms[1], impulse));
    }

    /// The impulse by which the speeds of points are rounded.
    fn noise(&self, points: &[Target<R>], strength: &[(R, R); POINTS]) -> R {
        let size = |v: Vec3<R>| v.abs().largest();
        let of_point = |(point, (along, across)): (&Target<R>, &(R, R))| {
            let speed = |k: usize| size(self.motion[k].linear) + size(self.motion[k].spin) * size(point.arms[k]);
            R::EPSILON * (speed(0) + speed(1)) / along.max(*across)
        };
        points.iter().zip(strength).map(of_point).fold(R::ZERO, R::max)
    }

    /// Hits the points along `normal` until each has its wanted speed or no impulse is left on it, with friction.
    /// Gives the normal impulse of each point.
    pub(crate) fn collide(&mut self, normal: Vec3<R>, points: &[Target<R>], friction: R) -> [R; POINTS] {
        let mut pressed = [R::ZERO; POINTS];
        let mut dragged = [Vec3::ZERO; POINTS];
        let mut strength = [(R::ONE, R::ONE); POINTS];
        for (strength, point) in strength.iter_mut().zip(points) {
            *strength = strengths(&response(&self.inverse, point.arms), normal);
        }
        let noise = self.noise(points, &strength);
        for round in 0..ROUNDS {
            let (mut largest, mut changed) = (R::ZERO, R::ZERO);
            // To and fro, so that no corner of a flat landing is favoured for long.
            for turn in 0..points.len() {
                let k = if round % 2 == 0 { turn } else { points.len() - 1 - turn };
                let (point, (along, across)) = (&points[k], strength[k]);
                let missing = point.wanted - self.relative(point.arms).dot(normal);
                let total = (pressed[k] + missing / along).max(R::ZERO);
                let step = total - pressed[k];
                pressed[k] = total;
                self.push(point.arms, normal * step);
                largest = largest.max(total);
                changed = changed.max(step.abs());
                if friction > R::ZERO {
                    let slip = self.relative(point.arms);
                    let slip = slip - normal * normal.dot(slip);
                    let total = within_cone(dragged[k] - slip * (R::ONE / across), friction * pressed[k]);
                    let step = total - dragged[k];
                    dragged[k] = total;
                    self.push(point.arms, step);
                    changed = changed.max(step.length());
                }
            }
            if changed <= R::EPSILON * largest + noise {
                break;
            }
        }
        pressed
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn free(mass: f64, moments: [f64; 3]) -> Inverse<f64> {
        let inertia = Mat3([0, 1, 2].map(|axis| Vec3::axis(axis) * (1.0 / moments[axis])));
        Inverse { mass: 1.0 / mass, inertia }
    }

    #[test]
    fn a_flat_elastic_landing_keeps_energy_and_does_not_tip() {
        let mut pair = PairInMotion {
            motion: [Motion::default(), Motion { linear: Vec3::new(0.0, -3.0, 0.0), spin: Vec3::ZERO }],
            inverse: [Inverse::default(), free(2.0, [0.5, 0.7, 0.9])],
        };
        let point = |x: f64, z: f64| Target { arms: [Vec3::new(x, 0.0, z), Vec3::new(x, -0.5, z)], wanted: 3.0 };
        let points = [point(-0.4, -0.3), point(0.4, -0.3), point(0.4, 0.3), point(-0.4, 0.3)];
        let pressed = pair.collide(Vec3::axis(1), &points, 0.0);
        assert!((pair.motion[1].linear.y - 3.0).abs() < 1e-14 && pair.motion[1].spin.length() < 1e-13);
        assert!((pressed.iter().sum::<f64>() - 12.0).abs() < 1e-13);
    }

    #[test]
    fn friction_stops_a_slow_slip_in_any_direction_and_slows_a_fast_one_along_it() {
        for angle in [0.0_f64, 0.7, 2.1] {
            let across = Vec3::new(angle.cos(), 0.0, angle.sin());
            for (slip, expected) in [(0.1, 0.0), (10.0, 10.0 - 3.5 * 0.3 * 3.0)] {
                // A ball: two sevenths of the inertia at its surface are its mass.
                let mut pair = PairInMotion {
                    motion: [
                        Motion::default(),
                        Motion { linear: across * slip - Vec3::axis(1) * 3.0, spin: Vec3::ZERO },
                    ],
                    inverse: [Inverse::default(), free(1.0, [0.4; 3])],
                };
                let arms = [Vec3::ZERO, Vec3::new(0.0, -1.0, 0.0)];
                pair.collide(Vec3::axis(1), &[Target { arms, wanted: 0.0 }], 0.3);
                let left = pair.relative(arms);
                assert!((left - across * expected).length() < 1e-13, "slip {slip}: {left:?}");
            }
        }
    }

    #[test]
    fn the_strength_across_is_the_larger_eigenvalue() {
        let inverse = [Inverse::default(), free(1.0, [0.1, 0.2, 0.4])];
        let arms = [Vec3::ZERO, Vec3::new(0.3, -0.5, 0.2)];
        let normal = Vec3::new(0.6, 0.8, 0.0);
        let matrix = response(&inverse, arms);
        let (along, across) = strengths(&matrix, normal);
        assert!((along - normal.dot(matrix.times(normal))).abs() < 1e-15);
        let (u, v) = (Vec3::new(-0.8, 0.6, 0.0), Vec3::axis(2));
        let most = (0..2000).map(|k| f64::from(k) * std::f64::consts::PI / 2000.0).map(|angle| {
            let d = u * angle.cos() + v * angle.sin();
            d.dot(matrix.times(d))
        });
        let most = most.fold(0.0, f64::max);
        assert!((across / most - 1.0).abs() < 1e-5, "{across} {most}");
    }
}
