//! Free flight with the vectors that the machine has, four bodies at once. The bits are the same.

use crate::common::scalar::Real;
use crate::common::settings::Integrator;
use crate::plane::bodies::Bodies;
#[cfg(target_arch = "x86_64")]
use std::any::Any;
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::{__m256d, _mm256_add_pd, _mm256_mul_pd, _mm256_set1_pd, _mm256_setr_pd, _mm256_storeu_pd};

/// Bodies in a block.
const BLOCK: usize = 4;

impl<R: Real> Bodies<R> {
    /// Lets the first bodies fly that make whole blocks, where all are there, and gives their number.
    pub(crate) fn fly_blocks(&mut self, dt: R, integrator: Integrator) -> usize {
        #[cfg(target_arch = "x86_64")]
        if self.everyone && is_x86_feature_detected!("avx2") {
            return (self as &mut dyn Any).downcast_mut::<Bodies<f64>>().map_or(0, |bodies| {
                let dt = dt.to_f64();
                // SAFETY: the machine has the instructions.
                #[allow(unsafe_code)]
                unsafe {
                    bodies.fly_blocks_avx2(dt, integrator)
                }
            });
        }
        0
    }
}

#[cfg(target_arch = "x86_64")]
impl Bodies<f64> {
    #[target_feature(enable = "avx2")]
    fn fly_blocks_avx2(&mut self, dt: f64, integrator: Integrator) -> usize {
        let none = _mm256_set1_pd(0.0);
        let (step, half) = (_mm256_set1_pd(dt), _mm256_set1_pd(0.5 * dt));
        let (motions, _) = self.motion.as_chunks_mut::<BLOCK>();
        let (positions, _) = self.position.as_chunks_mut::<BLOCK>();
        let (angles, _) = self.angle.as_chunks_mut::<BLOCK>();
        let (falls, _) = self.fall.as_chunks::<BLOCK>();
        // One fall for all spares reading a list.
        let Some(&[first, ..]) = falls.first() else { return 0 };
        let same = _mm256_mul_pd(_mm256_setr_pd(first.x, first.y, first.x, first.y), step);
        for (((motion, position), angle), fall) in motions.iter_mut().zip(positions).zip(angles).zip(falls) {
            for two in 0..2 {
                let (k, l) = (2 * two, 2 * two + 1);
                let (a, b) = (motion[k].linear, motion[l].linear);
                let before = _mm256_setr_pd(a.x, a.y, b.x, b.y);
                let change = if self.same_fall {
                    same
                } else {
                    _mm256_mul_pd(_mm256_setr_pd(fall[k].x, fall[k].y, fall[l].x, fall[l].y), step)
                };
                let after = _mm256_add_pd(before, change);
                [motion[k].linear.x, motion[k].linear.y, motion[l].linear.x, motion[l].linear.y] = numbers(after);
                let way = way(before, after, step, half, integrator);
                let (a, b) = (position[k], position[l]);
                let there = _mm256_add_pd(_mm256_setr_pd(a.x, a.y, b.x, b.y), way);
                [position[k].x, position[k].y, position[l].x, position[l].y] = numbers(there);
            }
            let spin = _mm256_setr_pd(motion[0].spin, motion[1].spin, motion[2].spin, motion[3].spin);
            let turn = way(spin, _mm256_add_pd(spin, none), step, half, integrator);
            let [a, b, c, d] = *angle;
            *angle = numbers(_mm256_add_pd(_mm256_setr_pd(a, b, c, d), turn));
        }
        self.motion.len() / BLOCK * BLOCK
    }
}

/// What a step goes, as in [`Bodies::fly`].
#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn way(before: __m256d, after: __m256d, step: __m256d, half: __m256d, integrator: Integrator) -> __m256d {
    match integrator {
        Integrator::ExplicitEuler => _mm256_mul_pd(before, step),
        Integrator::SymplecticEuler => _mm256_mul_pd(after, step),
        Integrator::Verlet | Integrator::Rk4 => _mm256_mul_pd(_mm256_add_pd(before, after), half),
    }
}

#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn numbers(vector: __m256d) -> [f64; 4] {
    let mut numbers = [0.0; 4];
    // SAFETY: there is room for four.
    #[allow(unsafe_code)]
    unsafe {
        _mm256_storeu_pd(numbers.as_mut_ptr(), vector);
    }
    numbers
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, DVec3, Inertia, Material, Part, PlaneShape, Pose, World, about_z};

    /// Blocks and single bodies give the same bits, whether all fall alike or not.
    #[test]
    fn blocks_fly_as_single_bodies_do() {
        for alike in [true, false] {
            let mut world = World::planar(9.81);
            world.materials.push(Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.0 });
            for i in 0..11 {
                let share = f64::from(i);
                world.bodies.push(Body {
                    pose: Pose::at(DVec3::new(share / 3.0, -share / 7.0, 0.0)),
                    velocity: DVec3::new(0.1 * share, 1.0 / (share + 1.0), 0.0),
                    spin: if i % 3 == 0 { about_z(0.0) } else { about_z(-share / 9.0) },
                    gravity_factor: if alike { 1.0 } else { share / 5.0 },
                    mass: 1.0,
                    inertia: Inertia::planar(1.0),
                    parts: vec![Part::solid(PlaneShape::Disc(0.5), 0)],
                    ..Body::plain("rivet")
                });
            }
            let start: Bodies<f64> = Bodies::new(&world).unwrap();
            for integrator in
                [Integrator::ExplicitEuler, Integrator::SymplecticEuler, Integrator::Verlet, Integrator::Rk4]
            {
                let (mut blocks, mut single) = (start.clone(), start.clone());
                blocks.pairs_are_known();
                for _ in 0..7 {
                    blocks.fly(1.0 / 60.0, integrator);
                    single.fly(1.0 / 60.0, integrator);
                }
                assert!(blocks.everyone && !single.everyone, "the one flies in blocks, the other does not");
                assert_eq!(blocks.position, single.position, "{integrator:?} {alike}");
                assert_eq!(blocks.angle, single.angle);
                assert_eq!(blocks.motion, single.motion);
            }
        }
    }
}
