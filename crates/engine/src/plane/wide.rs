//! Contact rows side by side: eight contacts at a time, none of which share a body that can move.
//!
//! The order of the colours, and with it every bit, is the same however wide the machine's vectors are: nothing is fused, and
//! each lane does what a scalar loop would do.

use crate::common::passes::{LANES, Lanes, Motions, Progress, Rows};
use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::joints::Joints;
use crate::plane::vector::Vec2;

/// The rows of up to two points of eight contacts.
#[derive(Clone, Copy, Debug)]
#[repr(align(64))]
pub(crate) struct Bundle<R> {
    pub(crate) bodies: [[u32; LANES]; 2],
    pub(crate) normal: [Lanes<R>; 2],
    pub(crate) inverse_mass: [Lanes<R>; 2],
    pub(crate) inverse_inertia: [Lanes<R>; 2],
    pub(crate) friction: Lanes<R>,
    /// Normal response of one point to the other, and the inverse of the 2 x 2 matrix of normal responses.
    pub(crate) coupling: Lanes<R>,
    pub(crate) inverse: [Lanes<R>; 3],
    pub(crate) points: [PointRows<R>; 2],
}

/// One point of eight contacts.
#[derive(Clone, Copy, Debug)]
pub(crate) struct PointRows<R> {
    /// Moment arms about both centres, of the normal and of the tangent.
    pub(crate) normal_arm: [Lanes<R>; 2],
    pub(crate) tangent_arm: [Lanes<R>; 2],
    /// Normal response; 1 for a point that takes no part.
    pub(crate) response: Lanes<R>,
    /// Inverse responses; zero for a point that takes no part.
    pub(crate) normal_mass: Lanes<R>,
    pub(crate) tangent_mass: Lanes<R>,
    /// Smallest normal speed allowed at the end of the step.
    pub(crate) floor: Lanes<R>,
    /// Impulses so far.
    pub(crate) normal_impulse: Lanes<R>,
    pub(crate) tangent_impulse: Lanes<R>,
    /// The same after the pass before.
    pub(crate) normal_before: Lanes<R>,
    pub(crate) tangent_before: Lanes<R>,
}

impl<R: Real> Bundle<R> {
    pub(crate) fn empty(nobody: u32) -> Self {
        let zero = [R::ZERO; LANES];
        let point = PointRows {
            normal_arm: [zero; 2],
            tangent_arm: [zero; 2],
            response: [R::ONE; LANES],
            normal_mass: zero,
            tangent_mass: zero,
            floor: zero,
            normal_impulse: zero,
            tangent_impulse: zero,
            normal_before: zero,
            tangent_before: zero,
        };
        Bundle {
            bodies: [[nobody; LANES]; 2],
            normal: [zero; 2],
            inverse_mass: [zero; 2],
            inverse_inertia: [zero; 2],
            friction: zero,
            coupling: zero,
            inverse: [zero; 3],
            points: [point; 2],
        }
    }
}

impl<R: Real> Rows for Bundle<R> {
    type Scalar = R;
    type Motion = Motion<R>;
    type Bodies = Bodies<R>;
    type Joints = Joints<R>;

    #[inline(always)]
    fn pass(bundles: &mut [Self], motion: &Motions<'_, Motion<R>>, share: R) -> Progress<R> {
        let mut gathered = Gathered { largest: [R::ZERO; LANES], onward: [R::ZERO; LANES] };
        for bundle in bundles {
            solve(bundle, motion, share, &mut gathered);
        }
        Progress {
            largest: gathered.largest.iter().fold(R::ZERO, |most, &lane| most.max(lane)),
            onward: gathered.onward.iter().fold(R::ZERO, |sum, &lane| sum + lane),
        }
    }

    fn any_joints(joints: &Joints<R>) -> bool {
        !joints.is_empty()
    }

    fn pass_joints(joints: &mut Joints<R>, motion: &mut [Motion<R>], bodies: &Bodies<R>) -> R {
        joints.iterate(motion, &bodies.inverse, &bodies.present)
    }

    fn go_on_joints(joints: &mut Joints<R>, share: R) {
        joints.extrapolate(share);
    }
}

/// The same in each lane.
struct Gathered<R> {
    largest: Lanes<R>,
    onward: Lanes<R>,
}

/// Carries the impulses on by a share of what the last pass changed, and remembers what they were.
#[inline(always)]
fn go_on_impulses<R: Real>(bundle: &mut Bundle<R>, share: R) {
    for point in &mut bundle.points {
        for lane in 0..LANES {
            let (normal, tangent) = (point.normal_impulse[lane], point.tangent_impulse[lane]);
            point.normal_impulse[lane] = normal + (normal - point.normal_before[lane]) * share;
            point.tangent_impulse[lane] = tangent + (tangent - point.tangent_before[lane]) * share;
            point.normal_before[lane] = normal;
            point.tangent_before[lane] = tangent;
        }
    }
}

/// Impulses >= 0 of two coupled points that ask for speeds `b`: both, one, the other or none, chosen without a branch.
#[inline(always)]
fn two_normals<R: Real>([b1, b2]: [R; 2], coupling: R, masses: [R; 2], inverse: [R; 3]) -> [R; 2] {
    let x1 = inverse[0] * b1 + inverse[1] * b2;
    let x2 = inverse[1] * b1 + inverse[2] * b2;
    let one = (masses[0] * b1).max(R::ZERO);
    let two = (masses[1] * b2).max(R::ZERO);
    let share = x1.min(x2) >= R::ZERO;
    // A point that takes no part has no mass and asks for nothing.
    let first_alone = coupling * one >= b2 || masses[1] == R::ZERO;
    let second_alone = coupling * two >= b1;
    let alone1 = if first_alone || !second_alone { one } else { R::ZERO };
    let alone2 = if first_alone || !second_alone { R::ZERO } else { two };
    [if share { x1 } else { alone1 }, if share { x2 } else { alone2 }]
}

#[inline(always)]
fn solve<R: Real>(bundle: &mut Bundle<R>, motion: &Motions<'_, Motion<R>>, share: R, gathered: &mut Gathered<R>) {
    go_on_impulses(bundle, share);
    let zero = [R::ZERO; LANES];
    let (mut ax, mut ay, mut aw) = (zero, zero, zero);
    let (mut bx, mut by, mut bw) = (zero, zero, zero);
    for lane in 0..LANES {
        let [a, b] = bundle.bodies.map(|bodies| motion.read(bodies[lane]));
        (ax[lane], ay[lane], aw[lane]) = (a.linear.x, a.linear.y, a.spin);
        (bx[lane], by[lane], bw[lane]) = (b.linear.x, b.linear.y, b.spin);
    }
    for lane in 0..LANES {
        let (nx, ny) = (bundle.normal[0][lane], bundle.normal[1][lane]);
        let (ma, mb) = (bundle.inverse_mass[0][lane], bundle.inverse_mass[1][lane]);
        let (ia, ib) = (bundle.inverse_inertia[0][lane], bundle.inverse_inertia[1][lane]);
        let mu = bundle.friction[lane];
        let [first, second] = &mut bundle.points;
        let (mut dx, mut dy) = (bx[lane] - ax[lane], by[lane] - ay[lane]);
        let (mut wa, mut wb) = (aw[lane], bw[lane]);
        let both = ma + mb;
        // Friction, point after point; the tangent is the normal turned left.
        let mut drag = R::ZERO;
        let mut moments = (R::ZERO, R::ZERO);
        let mut change = R::ZERO;
        for point in [&mut *first, &mut *second] {
            let (ra, rb) = (point.tangent_arm[0][lane], point.tangent_arm[1][lane]);
            let slip = dy * nx - dx * ny + (rb * wb - ra * wa);
            let limit = mu * point.normal_impulse[lane];
            let total = (point.tangent_impulse[lane] - slip * point.tangent_mass[lane]).held(-limit, limit);
            let step = total - point.tangent_impulse[lane];
            point.tangent_impulse[lane] = total;
            drag += step;
            moments.0 += ra * step;
            moments.1 += rb * step;
            let share = step * both;
            dx -= ny * share;
            dy += nx * share;
            wa -= ra * (ia * step);
            wb += rb * (ib * step);
            change = change.max(share.abs());
        }
        // Both normals at once: two unknowns, their four cases by selection.
        let closing = dx * nx + dy * ny;
        let (k11, k22, k12) = (first.response[lane], second.response[lane], bundle.coupling[lane]);
        let (old1, old2) = (first.normal_impulse[lane], second.normal_impulse[lane]);
        let speed1 = closing + (first.normal_arm[1][lane] * wb - first.normal_arm[0][lane] * wa);
        let speed2 = closing + (second.normal_arm[1][lane] * wb - second.normal_arm[0][lane] * wa);
        let b1 = first.floor[lane] - speed1 + (k11 * old1 + k12 * old2);
        let b2 = second.floor[lane] - speed2 + (k12 * old1 + k22 * old2);
        let masses = [first.normal_mass[lane], second.normal_mass[lane]];
        let inverse = [0, 1, 2].map(|k| bundle.inverse[k][lane]);
        let [new1, new2] = two_normals([b1, b2], k12, masses, inverse);
        let (step1, step2) = (new1 - old1, new2 - old2);
        first.normal_impulse[lane] = new1;
        second.normal_impulse[lane] = new2;
        let push = step1 + step2;
        let moment_a = first.normal_arm[0][lane] * step1 + second.normal_arm[0][lane] * step2;
        let moment_b = first.normal_arm[1][lane] * step1 + second.normal_arm[1][lane] * step2;
        gathered.largest[lane] = gathered.largest[lane].max(change).max(step1.abs() * both).max(step2.abs() * both);
        gathered.onward[lane] +=
            (step1 * (new1 - first.normal_before[lane]) + step2 * (new2 - second.normal_before[lane])) * both;
        // All impulses of the contact reach the bodies together.
        let (jx, jy) = (nx * push - ny * drag, ny * push + nx * drag);
        ax[lane] -= jx * ma;
        ay[lane] -= jy * ma;
        aw[lane] -= (moments.0 + moment_a) * ia;
        bx[lane] += jx * mb;
        by[lane] += jy * mb;
        bw[lane] += (moments.1 + moment_b) * ib;
    }
    for lane in 0..LANES {
        let [a, b] = bundle.bodies.map(|bodies| bodies[lane]);
        let now = |x, y, spin| Motion { linear: Vec2 { x, y }, spin };
        motion.write(a, bundle.inverse_mass[0][lane] > R::ZERO, now(ax[lane], ay[lane], aw[lane]));
        motion.write(b, bundle.inverse_mass[1][lane] > R::ZERO, now(bx[lane], by[lane], bw[lane]));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::common::passes::{Width, pass};
    use crate::common::team::Shared;

    /// Bundles of lively numbers, and bodies for them.
    fn filled() -> (Vec<Bundle<f64>>, Vec<Motion<f64>>) {
        let mut seed = 99_u64;
        let mut roll = move || {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (seed >> 11) as f64 / (1_u64 << 53) as f64
        };
        let motion =
            (0..66).map(|_| Motion { linear: Vec2::new(roll() - 0.5, roll() - 0.5), spin: roll() - 0.5 }).collect();
        let mut bundles = Vec::new();
        for number in 0..4_u32 {
            let mut bundle = Bundle::empty(64);
            // The last bundle is not full.
            for lane in 0..if number == 3 { 5 } else { LANES } {
                let first = number * 16 + 2 * lane as u32;
                bundle.bodies[0][lane] = first;
                bundle.bodies[1][lane] = first + 1;
                bundle.normal[0][lane] = 0.6;
                bundle.normal[1][lane] = 0.8;
                bundle.friction[lane] = 0.5;
                for side in 0..2 {
                    bundle.inverse_mass[side][lane] = 0.5 + roll();
                    bundle.inverse_inertia[side][lane] = 1.0 + roll();
                }
                for point in &mut bundle.points {
                    for side in 0..2 {
                        point.normal_arm[side][lane] = roll() - 0.5;
                        point.tangent_arm[side][lane] = roll() - 0.5;
                    }
                    point.response[lane] = 3.0;
                    point.normal_mass[lane] = 1.0 / 3.0;
                    point.tangent_mass[lane] = 0.3;
                    point.normal_impulse[lane] = roll();
                }
                bundle.coupling[lane] = 1.0;
                (bundle.inverse[0][lane], bundle.inverse[1][lane], bundle.inverse[2][lane]) = (0.375, -0.125, 0.375);
            }
            bundles.push(bundle);
        }
        (bundles, motion)
    }

    fn passed(width: Width) -> (Vec<Motion<f64>>, Vec<[f64; LANES]>) {
        let (mut bundles, mut motion) = filled();
        let list = Shared::new(&mut motion);
        for _ in 0..20 {
            pass(width, &mut bundles, &Motions { list: &list, waste: 65 }, 0.0);
        }
        let impulses = bundles.iter().flat_map(|bundle| bundle.points.map(|point| point.normal_impulse)).collect();
        (motion, impulses)
    }

    #[test]
    fn every_width_gives_the_same_bits() {
        let plain = passed(Width::Plain);
        assert!(plain.1.iter().flatten().all(|&impulse| impulse >= 0.0));
        assert!(passed(Width::of_this_machine()) == plain, "{:?} went another way", Width::of_this_machine());
    }

    #[test]
    fn passes_keep_momentum_and_end_without_approach() {
        let (mut bundles, mut motion) = filled();
        let before = motion.clone();
        let list = Shared::new(&mut motion);
        for _ in 0..200 {
            pass(Width::of_this_machine(), &mut bundles, &Motions { list: &list, waste: 65 }, 0.0);
        }
        for bundle in &bundles {
            for lane in 0..LANES {
                let [a, b] = bundle.bodies.map(|bodies| bodies[lane] as usize);
                let [ma, mb] = bundle.inverse_mass.map(|mass| mass[lane]);
                if ma == 0.0 {
                    continue;
                }
                let gained = |body: usize, inverse: f64| (motion[body].linear - before[body].linear) * (1.0 / inverse);
                assert!((gained(a, ma) + gained(b, mb)).length() < 1e-12, "what one gains the other loses");
            }
        }
    }
}
