//! Resting contacts: velocities by sequential impulses, and removal of overlap.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm
//! starting. Overlap is removed by velocities of its own that move bodies and are forgotten, so that they add no
//! kinetic energy. Two points of a manifold are pressed together (Cottle, Pang, Stone, "The Linear Complementarity Problem",
//! 1992, section 1.2: two unknowns by enumeration), passes run to and fro (symmetric Gauss-Seidel), and end early when
//! nothing changes any more.

use crate::bodies::{Bodies, Inverse, Motion};
use crate::contacts::{Contact, Contacts};
use crate::impact::two_points;
use crate::scalar::Real;
use crate::tolerance::{CONVERGED, OVERLAP_SHARE, OVERLAP_STEP, SLOP};
use crate::vector::Vec2;

/// What stays the same over the iterations for one contact point.
#[derive(Clone, Copy, Debug, Default)]
struct Row<R> {
    arms: [Vec2<R>; 2],
    /// Inverse response along the normal and the tangent; zero for a point that takes no part in this step.
    normal_mass: R,
    tangent_mass: R,
    /// Change of normal speed at the other point by a unit normal impulse at this one.
    coupling: R,
    /// Smallest normal speed allowed at the end of the step.
    floor: R,
}

/// Solver that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Solver<R> {
    rows: Vec<[Row<R>; 2]>,
    /// Overlap removal: velocity of each body, and impulse of each point.
    shifts: Vec<Motion<R>>,
    shift_impulses: Vec<[R; 2]>,
}

/// What a solve needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StepNumbers<R> {
    pub(crate) dt: R,
    pub(crate) iterations: u32,
    /// Approach speed above which a contact that does not overlap yet is left to swept collision or the next step.
    pub(crate) rest_speed: R,
    /// The speed that changes are held against: one step of gravity, or the fastest approach where there is none.
    pub(crate) scale: R,
}

fn apply<R: Real>(
    motion: &mut [Motion<R>],
    inverse: &[Inverse<R>],
    bodies: [usize; 2],
    arms: [Vec2<R>; 2],
    impulse: Vec2<R>,
) {
    let [a, b] = bodies;
    motion[a] = motion[a].minus(inverse[a].kick(arms[0], impulse));
    motion[b] = motion[b].plus(inverse[b].kick(arms[1], impulse));
}

fn relative<R: Real>(motion: &[Motion<R>], bodies: [usize; 2], arms: [Vec2<R>; 2]) -> Vec2<R> {
    motion[bodies[1]].at(arms[1]) - motion[bodies[0]].at(arms[0])
}

impl<R: Real> Solver<R> {
    /// Changes the velocities so that no contact approaches; `start` holds the velocities before this step's forces.
    pub(crate) fn solve(
        &mut self,
        bodies: &mut Bodies<R>,
        start: &[Motion<R>],
        contacts: &mut Contacts<R>,
        step: StepNumbers<R>,
    ) {
        self.rows.clear();
        for contact in &mut contacts.list {
            let rows = prepare(contact, &bodies.inverse, start, step);
            self.rows.push(rows);
            warm_start(contact, &rows, bodies);
        }
        let enough = R::of(CONVERGED) * step.scale;
        for iteration in 0..step.iterations {
            let mut largest = R::ZERO;
            let mut visit = |(contact, rows): (&mut Contact<R>, &[Row<R>; 2])| {
                largest = largest.max(iterate(contact, rows, &mut bodies.motion, &bodies.inverse));
            };
            // To and fro: a load travels from one end of the list to the other in a single pass either way.
            if iteration % 2 == 0 {
                contacts.list.iter_mut().zip(&self.rows).for_each(&mut visit);
            } else {
                contacts.list.iter_mut().zip(&self.rows).rev().for_each(&mut visit);
            }
            if !(largest > enough) {
                break;
            }
        }
    }

    /// Moves bodies out of each other, by a share of the overlap beyond the slop.
    pub(crate) fn remove_overlap(&mut self, bodies: &mut Bodies<R>, contacts: &Contacts<R>, iterations: u32) {
        let slop = R::of(SLOP);
        let deep = |contact: &Contact<R>| contact.points().iter().any(|p| p.gap < -slop * contact.size);
        if !contacts.list.iter().any(deep) {
            return;
        }
        self.shifts.clear();
        self.shifts.resize(bodies.len(), Motion::default());
        self.shift_impulses.clear();
        self.shift_impulses.resize(contacts.list.len(), [R::ZERO; 2]);
        for _ in 0..iterations {
            for ((contact, rows), impulses) in contacts.list.iter().zip(&self.rows).zip(&mut self.shift_impulses) {
                for ((point, row), impulse) in contact.points().iter().zip(rows).zip(impulses) {
                    let beyond = -point.gap - slop * contact.size;
                    // A shallow point may close its own gap again, but is not pushed past it.
                    let wanted = if beyond > R::ZERO {
                        (R::of(OVERLAP_SHARE) * beyond).min(R::of(OVERLAP_STEP) * contact.size)
                    } else {
                        beyond
                    };
                    let speed = relative(&self.shifts, contact.bodies, row.arms).dot(contact.normal);
                    let total = (*impulse + row.normal_mass * (wanted - speed)).max(R::ZERO);
                    let change = contact.normal * (total - *impulse);
                    *impulse = total;
                    apply(&mut self.shifts, &bodies.inverse, contact.bodies, row.arms, change);
                }
            }
        }
        for body in 0..bodies.len() {
            let shift = self.shifts[body];
            if shift != Motion::default() {
                bodies.place(body, bodies.pose[body].position + shift.linear, bodies.angle[body] + shift.spin);
            }
        }
    }
}

fn prepare<R: Real>(
    contact: &Contact<R>,
    inverse: &[Inverse<R>],
    start: &[Motion<R>],
    step: StepNumbers<R>,
) -> [Row<R>; 2] {
    let [a, b] = contact.bodies.map(|body| inverse[body]);
    let tangent = contact.normal.left();
    let mut rows = [Row::default(); 2];
    for (row, point) in rows.iter_mut().zip(contact.points()) {
        row.arms = point.arms;
        let approach = -relative(start, contact.bodies, point.arms).dot(contact.normal);
        if point.gap > R::ZERO && approach > step.rest_speed {
            continue;
        }
        let mass = |along: Vec2<R>| {
            let turns = [point.arms[0].cross(along), point.arms[1].cross(along)];
            R::ONE / (a.mass + b.mass + a.inertia * turns[0] * turns[0] + b.inertia * turns[1] * turns[1])
        };
        row.normal_mass = mass(contact.normal);
        row.tangent_mass = mass(tangent);
        row.floor = if point.gap > R::ZERO { -point.gap / step.dt } else { R::ZERO };
    }
    if contact.count == 2 {
        let turn = |body: usize| {
            let [one, other] = [rows[0].arms[body], rows[1].arms[body]];
            [a, b][body].inertia * one.cross(contact.normal) * other.cross(contact.normal)
        };
        let coupling = a.mass + b.mass + turn(0) + turn(1);
        rows.iter_mut().for_each(|row| row.coupling = coupling);
    }
    rows
}

fn warm_start<R: Real>(contact: &mut Contact<R>, rows: &[Row<R>; 2], bodies: &mut Bodies<R>) {
    let tangent = contact.normal.left();
    for (point, row) in contact.points[..contact.count].iter_mut().zip(rows) {
        if row.normal_mass == R::ZERO {
            (point.normal_impulse, point.tangent_impulse) = (R::ZERO, R::ZERO);
            continue;
        }
        let impulse = contact.normal * point.normal_impulse + tangent * point.tangent_impulse;
        apply(&mut bodies.motion, &bodies.inverse, contact.bodies, row.arms, impulse);
    }
}

/// One pass over a contact; gives the largest change of a relative speed at its points.
fn iterate<R: Real>(
    contact: &mut Contact<R>,
    rows: &[Row<R>; 2],
    motion: &mut [Motion<R>],
    inverse: &[Inverse<R>],
) -> R {
    let tangent = contact.normal.left();
    let mut largest = R::ZERO;
    for (point, row) in contact.points[..contact.count].iter_mut().zip(rows) {
        if row.normal_mass == R::ZERO {
            continue;
        }
        let slip = relative(motion, contact.bodies, row.arms).dot(tangent);
        let limit = contact.friction * point.normal_impulse;
        let total = (point.tangent_impulse - row.tangent_mass * slip).held(-limit, limit);
        let change = total - point.tangent_impulse;
        point.tangent_impulse = total;
        apply(motion, inverse, contact.bodies, row.arms, tangent * change);
        largest = largest.max(change.abs() / row.tangent_mass);
    }
    let [first, second] = rows;
    if contact.count == 2 && first.normal_mass > R::ZERO && second.normal_mass > R::ZERO {
        return largest.max(press_both(contact, rows, motion, inverse));
    }
    for (point, row) in contact.points[..contact.count].iter_mut().zip(rows) {
        if row.normal_mass == R::ZERO {
            continue;
        }
        let speed = relative(motion, contact.bodies, row.arms).dot(contact.normal);
        let total = (point.normal_impulse + row.normal_mass * (row.floor - speed)).max(R::ZERO);
        let change = total - point.normal_impulse;
        point.normal_impulse = total;
        apply(motion, inverse, contact.bodies, row.arms, contact.normal * change);
        largest = largest.max(change.abs() / row.normal_mass);
    }
    largest
}

/// Both normal impulses of a manifold at once, so that a flat face is pressed evenly and not one end first.
fn press_both<R: Real>(
    contact: &mut Contact<R>,
    rows: &[Row<R>; 2],
    motion: &mut [Motion<R>],
    inverse: &[Inverse<R>],
) -> R {
    let before = [contact.points[0].normal_impulse, contact.points[1].normal_impulse];
    let (k11, k22) = (R::ONE / rows[0].normal_mass, R::ONE / rows[1].normal_mass);
    let k12 = rows[0].coupling;
    let missing = [0, 1].map(|k| rows[k].floor - relative(motion, contact.bodies, rows[k].arms).dot(contact.normal));
    let b1 = missing[0] + k11 * before[0] + k12 * before[1];
    let b2 = missing[1] + k12 * before[0] + k22 * before[1];
    let after = two_points(k11, k12, k22, b1, b2);
    let mut largest = R::ZERO;
    for k in 0..2 {
        let change = after[k] - before[k];
        contact.points[k].normal_impulse = after[k];
        apply(motion, inverse, contact.bodies, rows[k].arms, contact.normal * change);
        largest = largest.max(change.abs() * if k == 0 { k11 } else { k22 });
    }
    largest
}
