//! Removal of overlap by moving bodies, so that no kinetic energy comes of it.

use crate::common::scalar::Real;
use crate::common::tolerance::{OVERLAP_SHARE, OVERLAP_STEP, SLOP};
use crate::space::bodies::{Bodies, Inverse, Motion};
use crate::space::contact::{Contact, ContactPoint};
use crate::space::contacts::Contacts;
use crate::space::vector::Vec3;

/// Most passes.
const PASSES: u32 = 8;

/// What it keeps between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Remover<R> {
    shifts: Vec<Motion<R>>,
    rows: Vec<Row<R>>,
    points: Vec<PointRow<R>>,
}

/// A contact as the passes see it.
#[derive(Clone, Copy, Debug)]
struct Row<R> {
    bodies: [u32; 2],
    /// Whether it has something to push; the others are pushed by their bodies.
    is_deep: bool,
    count: u8,
    normal: Vec3<R>,
    inverse_mass: [R; 2],
}

/// A point of a contact: what a unit push along the normal turns each body by, and what a turn of each is along the normal.
#[derive(Clone, Copy, Debug)]
struct PointRow<R> {
    levers: [Vec3<R>; 2],
    turns: [Vec3<R>; 2],
    /// How far it is to be pushed.
    wanted: R,
    /// Way along the normal by a unit push, turned over.
    mass: R,
    pushed: R,
}

impl<R: Real> Remover<R> {
    /// Moves bodies apart where they overlap by more than the slop and will still do so at the end of the step.
    pub(crate) fn remove(&mut self, bodies: &mut Bodies<R>, contacts: &Contacts<R>, dt: R) {
        let is_deep = |contact: &Contact<R>| {
            let [a, b] = contact.bodies.map(|body| bodies.motion[body]);
            contact.points().iter().any(|point| {
                let deep = -point.gap - R::of(SLOP) * contact.size;
                // What parts fast enough by itself is let be.
                deep > R::ZERO && (b.at(point.arms[1]) - a.at(point.arms[0])).dot(contact.normal) * dt < deep
            })
        };
        if !contacts.list.iter().any(is_deep) {
            return;
        }
        self.rows.clear();
        self.points.clear();
        for contact in &contacts.list {
            let inverse = contact.bodies.map(|body| &bodies.inverse[body]);
            self.rows.push(Row {
                bodies: contact.bodies.map(|body| body as u32),
                is_deep: is_deep(contact),
                count: contact.count as u8,
                normal: contact.normal,
                inverse_mass: inverse.map(|inverse| inverse.mass),
            });
            self.points.extend(contact.points().iter().map(|point| PointRow::of(contact, point, inverse)));
        }
        self.shifts.clear();
        self.shifts.resize(bodies.len(), Motion::default());
        for _ in 0..PASSES {
            pass(&self.rows, &mut self.points, &mut self.shifts);
        }
        let mut points = &self.points[..];
        for contact in &contacts.list {
            let (own, others) = points.split_at(contact.count);
            points = others;
            balance(contact, own.iter().fold(R::ZERO, |sum, point| sum + point.pushed), bodies);
        }
        for (body, &shift) in self.shifts.iter().enumerate().filter(|(_, shift)| **shift != Motion::default()) {
            bodies.shift(body, shift);
        }
    }
}

impl<R: Real> PointRow<R> {
    fn of(contact: &Contact<R>, point: &ContactPoint<R>, inverse: [&Inverse<R>; 2]) -> Self {
        let beyond = -point.gap - R::of(SLOP) * contact.size;
        let levers = point.arms.map(|arm| arm.cross(contact.normal));
        let turns = [inverse[0].inertia.times(levers[0]), inverse[1].inertia.times(levers[1])];
        let along = inverse[0].mass + inverse[1].mass + levers[0].dot(turns[0]) + levers[1].dot(turns[1]);
        PointRow {
            levers,
            turns,
            // A shallow point may close its own gap again, but is not pushed past it.
            wanted: if beyond > R::ZERO {
                (R::of(OVERLAP_SHARE) * beyond).min(R::of(OVERLAP_STEP) * contact.size)
            } else {
                beyond
            },
            mass: R::ONE / along,
            pushed: R::ZERO,
        }
    }
}

/// Pushes every point once that is too deep, or that was pushed.
fn pass<R: Real>(rows: &[Row<R>], points: &mut [PointRow<R>], shifts: &mut [Motion<R>]) {
    let mut from = 0;
    for row in rows {
        let own = from..from + usize::from(row.count);
        from = own.end;
        let [a, b] = row.bodies.map(|body| body as usize);
        // One that is not deep has nothing to do until one of its bodies is pushed against it.
        if !row.is_deep && shifts[a] == Motion::default() && shifts[b] == Motion::default() {
            continue;
        }
        let (mut one, mut other) = (shifts[a], shifts[b]);
        for point in &mut points[own] {
            let way = (other.linear - one.linear).dot(row.normal) + other.spin.dot(point.levers[1])
                - one.spin.dot(point.levers[0]);
            let total = (point.pushed + (point.wanted - way) * point.mass).max(R::ZERO);
            let change = total - point.pushed;
            point.pushed = total;
            one.linear -= row.normal * (change * row.inverse_mass[0]);
            one.spin -= point.turns[0] * change;
            other.linear += row.normal * (change * row.inverse_mass[1]);
            other.spin += point.turns[1] * change;
        }
        (shifts[a], shifts[b]) = (one, other);
    }
}

/// Pushing two moving bodies apart shifts their momenta sideways; their spins take up what that changes of the angular
/// momentum.
fn balance<R: Real>(contact: &Contact<R>, pushed: R, bodies: &mut Bodies<R>) {
    let [a, b] = contact.bodies;
    if !(pushed > R::ZERO && [a, b].iter().all(|&body| bodies.inverse[body].inertia.trace() > R::ZERO)) {
        return;
    }
    let gained = (contact.normal * pushed).cross(bodies.motion[b].linear - bodies.motion[a].linear);
    let both = [a, b].map(|body| bodies.own[body].matrix.turned(&bodies.axes[body]));
    let turn = both[0].plus(&both[1]).inverse().times(gained);
    if turn == Vec3::ZERO {
        return;
    }
    for body in [a, b] {
        let motion = bodies.motion[body];
        bodies.take_motion(body, Motion { spin: motion.spin - turn, ..motion });
    }
}
