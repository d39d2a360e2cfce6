//! Resting contacts: velocities by sequential impulses, and removal of overlap.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm
//! starting. Overlap is removed by velocities of its own that move bodies and are forgotten, so that they add no
//! kinetic energy.

use crate::bodies::{Bodies, Inverse, Motion};
use crate::contacts::{Contact, Contacts};
use crate::scalar::Real;
use crate::tolerance::{OVERLAP_SHARE, OVERLAP_STEP, SLOP};
use crate::vector::Vec2;

/// What stays the same over the iterations for one contact point.
#[derive(Clone, Copy, Debug, Default)]
struct Row<R> {
    arms: [Vec2<R>; 2],
    /// Inverse response along the normal and the tangent; zero for a point that takes no part in this step.
    normal_mass: R,
    tangent_mass: R,
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
        for _ in 0..step.iterations {
            for (contact, rows) in contacts.list.iter_mut().zip(&self.rows) {
                iterate(contact, rows, &mut bodies.motion, &bodies.inverse);
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

fn iterate<R: Real>(contact: &mut Contact<R>, rows: &[Row<R>; 2], motion: &mut [Motion<R>], inverse: &[Inverse<R>]) {
    let tangent = contact.normal.left();
    for (point, row) in contact.points[..contact.count].iter_mut().zip(rows) {
        let slip = relative(motion, contact.bodies, row.arms).dot(tangent);
        let limit = contact.friction * point.normal_impulse;
        let total = (point.tangent_impulse - row.tangent_mass * slip).held(-limit, limit);
        let change = tangent * (total - point.tangent_impulse);
        point.tangent_impulse = total;
        apply(motion, inverse, contact.bodies, row.arms, change);
    }
    for (point, row) in contact.points[..contact.count].iter_mut().zip(rows) {
        let speed = relative(motion, contact.bodies, row.arms).dot(contact.normal);
        let total = (point.normal_impulse + row.normal_mass * (row.floor - speed)).max(R::ZERO);
        let change = contact.normal * (total - point.normal_impulse);
        point.normal_impulse = total;
        apply(motion, inverse, contact.bodies, row.arms, change);
    }
}
