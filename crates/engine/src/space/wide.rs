//! Contact rows of space side by side: eight contacts at a time, none of which share a body that can move.
//!
//! All points of a contact are worked on in its own axes, as one: their frictions see the pair through its slip and its spin about the
//! normal alone, a 3 x 3 matrix, and their normals through the 4 x 4 matrix of their responses, so that the bodies are read and written once. The
//! impulses are those of plain sequential impulses in the same order. The order of the colours, and with it every bit, is the same however wide the
//! machine's vectors are: nothing is fused, and each lane does what a scalar loop would do.

use crate::common::passes::{LANES, Lanes, Motions, Progress, Rows};
use crate::common::scalar::Real;
use crate::space::bodies::{Bodies, Motion};
use crate::space::contact::POINTS;
use crate::space::joints::Joints;
use crate::space::lanes::{Vectors, put, vector};
use crate::space::vector::Vec3;

/// Pairs of points, the lower first.
const PAIRS: usize = POINTS * (POINTS - 1) / 2;

/// The rows of up to four points of eight contacts.
#[derive(Clone, Copy, Debug)]
#[repr(align(64))]
pub(crate) struct Bundle<R> {
    pub(super) bodies: [[u32; LANES]; 2],
    /// Axes of each contact: two across, and the normal from the first body to the second.
    pub(super) axes: [[Lanes<R>; 3]; 3],
    /// From each centre to the middle of the points, along the world's axes.
    pub(super) arms: [[Lanes<R>; 3]; 2],
    pub(super) inverse_mass: [Lanes<R>; 2],
    /// xx, yy, zz, xy, xz, yz.
    pub(super) inverse_inertia: [[Lanes<R>; 6]; 2],
    pub(super) friction: Lanes<R>,
    /// What a push across and a twist about the normal change of the slip and of the spin about the normal; symmetric, as above.
    pub(super) across: [Lanes<R>; 6],
    /// What the same change of the speed along the normal and of the spins about the axes across.
    pub(super) onto_normal: [[Lanes<R>; 3]; 3],
    /// Normal speed at the second of a pair of points by a push at the first.
    pub(super) coupling: [Lanes<R>; PAIRS],
    pub(super) points: [PointRows<R>; POINTS],
}

/// One point of eight contacts.
#[derive(Clone, Copy, Debug)]
pub(super) struct PointRows<R> {
    /// Where it lies across the normal, from the middle of the points.
    pub(super) place: [Lanes<R>; 2],
    /// Inverse responses; zero for a point that takes no part.
    pub(super) normal_mass: Lanes<R>,
    pub(super) friction_mass: Lanes<R>,
    /// Normal speed by a unit impulse; 0 for a point that takes no part.
    pub(super) response: Lanes<R>,
    /// Smallest normal speed allowed at the end of the step.
    pub(super) floor: Lanes<R>,
    /// Impulses so far along the axes, and the same after the pass before.
    pub(super) impulse: [Lanes<R>; 3],
    pub(super) before: [Lanes<R>; 3],
}

impl<R: Real> Bundle<R> {
    pub(crate) fn empty(nobody: u32) -> Self {
        let zero = [R::ZERO; LANES];
        let point = PointRows {
            place: [zero; 2],
            normal_mass: zero,
            response: zero,
            friction_mass: zero,
            floor: zero,
            impulse: [zero; 3],
            before: [zero; 3],
        };
        Bundle {
            bodies: [[nobody; LANES]; 2],
            axes: [[zero; 3]; 3],
            arms: [[zero; 3]; 2],
            inverse_mass: [zero; 2],
            inverse_inertia: [[zero; 6]; 2],
            friction: zero,
            across: [zero; 6],
            onto_normal: [[zero; 3]; 3],
            coupling: [zero; PAIRS],
            points: [point; POINTS],
        }
    }

    /// The impulses of a point, along the normal and, as a vector of the world, across it.
    pub(crate) fn impulses(&self, lane: usize, point: usize) -> (R, Vec3<R>) {
        let [x, y, along] = self.points[point].impulse.map(|lanes| lanes[lane]);
        (along, vector(&self.axes[0], lane) * x + vector(&self.axes[1], lane) * y)
    }
}

/// The bodies of a bundle, a number of each lane after the other.
struct Gathered<R> {
    linear: Vectors<R>,
    spin: Vectors<R>,
}

impl<R: Real> Gathered<R> {
    #[inline(always)]
    fn read(bodies: &[u32; LANES], motion: &Motions<'_, Motion<R>>) -> Self {
        let zero = [R::ZERO; LANES];
        let mut all = Gathered { linear: [zero; 3], spin: [zero; 3] };
        for lane in 0..LANES {
            let Motion { linear, spin } = motion.read(bodies[lane]);
            put(&mut all.linear, lane, linear);
            put(&mut all.spin, lane, spin);
        }
        all
    }

    #[inline(always)]
    fn write(&self, bodies: &[u32; LANES], inverse_mass: &Lanes<R>, motion: &Motions<'_, Motion<R>>) {
        for lane in 0..LANES {
            let now = Motion { linear: vector(&self.linear, lane), spin: vector(&self.spin, lane) };
            motion.write(bodies[lane], inverse_mass[lane] > R::ZERO, now);
        }
    }
}

/// The normal rows of one contact.
struct Normals<R> {
    floors: [R; POINTS],
    masses: [R; POINTS],
    responses: [R; POINTS],
    couplings: [R; PAIRS],
}

impl<R: Real> Normals<R> {
    /// Gives a point the impulse that it asks for, and all of them the speed that comes of it.
    #[inline(always)]
    fn press<const POINT: usize>(&self, now: &mut [R; POINTS], speeds: &mut [R; POINTS]) {
        /// The number of a pair of points among all pairs.
        const PAIR: [[usize; POINTS]; POINTS] = [[0, 0, 1, 2], [0, 0, 3, 4], [1, 3, 0, 5], [2, 4, 5, 0]];
        let to = (now[POINT] + (self.floors[POINT] - speeds[POINT]) * self.masses[POINT]).max(R::ZERO);
        let step = to - now[POINT];
        now[POINT] = to;
        let by = |other: usize| {
            step * if other == POINT { self.responses[POINT] } else { self.couplings[PAIR[POINT][other]] }
        };
        speeds[0] += by(0);
        speeds[1] += by(1);
        speeds[2] += by(2);
        speeds[3] += by(3);
    }
}

#[inline(always)]
fn lane_of<R: Real>(v: &[Lanes<R>; 3], lane: usize) -> Vec3<R> {
    Vec3::new(v[0][lane], v[1][lane], v[2][lane])
}

#[inline(always)]
fn times<R: Real>(m: &[Lanes<R>; 6], lane: usize, v: Vec3<R>) -> Vec3<R> {
    let [xx, yy, zz, xy, xz, yz] = [m[0][lane], m[1][lane], m[2][lane], m[3][lane], m[4][lane], m[5][lane]];
    Vec3::new(xx * v.x + xy * v.y + xz * v.z, xy * v.x + yy * v.y + yz * v.z, xz * v.x + yz * v.y + zz * v.z)
}

/// What the lanes have done.
pub(crate) struct Sums<R> {
    largest: Lanes<R>,
    onward: Lanes<R>,
}

impl<R: Real> Sums<R> {
    pub(crate) fn none() -> Self {
        Sums { largest: [R::ZERO; LANES], onward: [R::ZERO; LANES] }
    }

    pub(crate) fn progress(&self) -> Progress<R> {
        Progress {
            largest: self.largest.iter().fold(R::ZERO, |most, &lane| most.max(lane)),
            onward: self.onward.iter().fold(R::ZERO, |sum, &lane| sum + lane),
        }
    }
}

/// One pass over a bundle. Its impulses first go on by a share of what the pass before changed; it may start from impulses that no contact
/// could have and brings each back within its bounds.
#[inline(always)]
pub(crate) fn solve<R: Real>(bundle: &mut Bundle<R>, motion: &Motions<'_, Motion<R>>, share: R, sums: &mut Sums<R>) {
    let mut first = Gathered::read(&bundle.bodies[0], motion);
    let mut second = Gathered::read(&bundle.bodies[1], motion);
    for lane in 0..LANES {
        let axes = [0, 1, 2].map(|k| lane_of(&bundle.axes[k], lane));
        let arms = [lane_of(&bundle.arms[0], lane), lane_of(&bundle.arms[1], lane)];
        let masses = [bundle.inverse_mass[0][lane], bundle.inverse_mass[1][lane]];
        let both = masses[0] + masses[1];
        let (va, wa) = (lane_of(&first.linear, lane), lane_of(&first.spin, lane));
        let (vb, wb) = (lane_of(&second.linear, lane), lane_of(&second.spin, lane));
        let velocity = (vb + wb.cross(arms[1])) - (va + wa.cross(arms[0]));
        let spin = wb - wa;
        let (mut slip_x, mut slip_y) = (axes[0].dot(velocity), axes[1].dot(velocity));
        let mut twirl = axes[2].dot(spin);
        let (mut drag_x, mut drag_y, mut twist) = (R::ZERO, R::ZERO, R::ZERO);
        let (mut change, mut onward) = (R::ZERO, R::ZERO);
        let [xx, yy, tt] = [bundle.across[0][lane], bundle.across[1][lane], bundle.across[2][lane]];
        let [xy, xt, yt] = [bundle.across[3][lane], bundle.across[4][lane], bundle.across[5][lane]];
        let friction = bundle.friction[lane];
        for point in &mut bundle.points {
            let (x, y) = (point.place[0][lane], point.place[1][lane]);
            let mass = point.friction_mass[lane];
            // Impulses go on by a share of what the last pass changed.
            let was = [0, 1, 2].map(|axis| point.impulse[axis][lane]);
            let from = [0, 1, 2].map(|axis| was[axis] + (was[axis] - point.before[axis][lane]) * share);
            let limit = friction * from[2].max(R::ZERO);
            let wanted_x = from[0] - (slip_x - twirl * y) * mass;
            let wanted_y = from[1] - (slip_y + twirl * x) * mass;
            let square = wanted_x * wanted_x + wanted_y * wanted_y;
            let scale = if square > limit * limit { limit / square.sqrt() } else { R::ONE };
            let (to_x, to_y) = (wanted_x * scale, wanted_y * scale);
            let (step_x, step_y) = (to_x - from[0], to_y - from[1]);
            (point.impulse[0][lane], point.impulse[1][lane]) = (to_x, to_y);
            (point.before[0][lane], point.before[1][lane]) = (was[0], was[1]);
            let turn = x * step_y - y * step_x;
            slip_x += xx * step_x + xy * step_y + xt * turn;
            slip_y += xy * step_x + yy * step_y + yt * turn;
            twirl += xt * step_x + yt * step_y + tt * turn;
            drag_x += step_x;
            drag_y += step_y;
            twist += turn;
            change = change.max(step_x.abs().max(step_y.abs()));
            onward += step_x * (to_x - was[0]) + step_y * (to_y - was[1]);
        }
        let onto = |row: usize| {
            let rows = &bundle.onto_normal[row];
            rows[0][lane] * drag_x + rows[1][lane] * drag_y + rows[2][lane] * twist
        };
        let closing = axes[2].dot(velocity) + onto(0);
        let (tilt_x, tilt_y) = (axes[0].dot(spin) + onto(1), axes[1].dot(spin) + onto(2));
        let mut speeds = [R::ZERO; POINTS];
        let own = [0, 1, 2, 3].map(|k: usize| bundle.points[k].response[lane]);
        for (speed, point) in speeds.iter_mut().zip(&bundle.points) {
            *speed = closing + tilt_x * point.place[1][lane] - tilt_y * point.place[0][lane];
        }
        let (mut push, mut turn_x, mut turn_y) = (R::ZERO, R::ZERO, R::ZERO);
        let was = [0, 1, 2, 3].map(|k: usize| bundle.points[k].impulse[2][lane]);
        let from = [0, 1, 2, 3].map(|k: usize| was[k] + (was[k] - bundle.points[k].before[2][lane]) * share);
        let couplings = [0, 1, 2, 3, 4, 5].map(|pair: usize| bundle.coupling[pair][lane]);
        let masses_of = [0, 1, 2, 3].map(|k: usize| bundle.points[k].normal_mass[lane]);
        let floors = [0, 1, 2, 3].map(|k: usize| bundle.points[k].floor[lane]);
        let normals = Normals { floors, masses: masses_of, responses: own, couplings };
        let mut now = from;
        // To and fro: what one point takes from another is settled before the bodies are touched.
        normals.press::<0>(&mut now, &mut speeds);
        normals.press::<1>(&mut now, &mut speeds);
        normals.press::<2>(&mut now, &mut speeds);
        normals.press::<3>(&mut now, &mut speeds);
        normals.press::<2>(&mut now, &mut speeds);
        normals.press::<1>(&mut now, &mut speeds);
        normals.press::<0>(&mut now, &mut speeds);
        for k in 0..POINTS {
            let point = &mut bundle.points[k];
            let step = now[k] - from[k];
            (point.impulse[2][lane], point.before[2][lane]) = (now[k], was[k]);
            push += step;
            turn_x += step * point.place[1][lane];
            turn_y -= step * point.place[0][lane];
            change = change.max(step.abs());
            onward += step * (now[k] - was[k]);
        }
        sums.largest[lane] = sums.largest[lane].max(change * both);
        sums.onward[lane] += onward * both;
        let force = axes[0] * drag_x + axes[1] * drag_y + axes[2] * push;
        let torque = axes[0] * turn_x + axes[1] * turn_y + axes[2] * twist;
        let va = va - force * masses[0];
        let vb = vb + force * masses[1];
        let wa = wa - times(&bundle.inverse_inertia[0], lane, arms[0].cross(force) + torque);
        let wb = wb + times(&bundle.inverse_inertia[1], lane, arms[1].cross(force) + torque);
        (first.linear[0][lane], first.linear[1][lane], first.linear[2][lane]) = (va.x, va.y, va.z);
        (first.spin[0][lane], first.spin[1][lane], first.spin[2][lane]) = (wa.x, wa.y, wa.z);
        (second.linear[0][lane], second.linear[1][lane], second.linear[2][lane]) = (vb.x, vb.y, vb.z);
        (second.spin[0][lane], second.spin[1][lane], second.spin[2][lane]) = (wb.x, wb.y, wb.z);
    }
    first.write(&bundle.bodies[0], &bundle.inverse_mass[0], motion);
    second.write(&bundle.bodies[1], &bundle.inverse_mass[1], motion);
}

impl<R: Real> Rows for Bundle<R> {
    type Scalar = R;
    type Motion = Motion<R>;
    type Bodies = Bodies<R>;
    type Joints = Joints<R>;

    #[inline(always)]
    fn pass(bundles: &mut [Self], motion: &Motions<'_, Motion<R>>, share: R) -> Progress<R> {
        let mut sums = Sums::none();
        for bundle in bundles {
            solve(bundle, motion, share, &mut sums);
        }
        sums.progress()
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
