//! Resting contacts: velocities by sequential impulses.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm starting. Friction is a
//! vector in the plane of the contact, held within a round cone. Passes gain momentum (Nesterov, 1983; O'Donoghue and Candès, 2015) and end
//! early when nothing changes any more.

use crate::common::scalar::Real;
use crate::common::tolerance::CONVERGED;
use crate::space::bodies::{Bodies, Inverse, Motion};
use crate::space::contact::Contact;
use crate::space::contacts::Contacts;
use crate::space::impact::{response, strengths, within_cone};
use crate::space::joints::Joints;
use crate::space::vector::Vec3;

/// One point of a contact as the passes see it.
#[derive(Clone, Copy, Debug)]
struct Row<R> {
    bodies: [usize; 2],
    /// Number of the contact and of its point.
    of: (usize, usize),
    normal: Vec3<R>,
    arms: [Vec3<R>; 2],
    friction: R,
    /// Change of normal speed by a unit impulse, and the largest change of slip.
    along: R,
    across: R,
    /// Normal speed that is let be: a gap may close within the step.
    floor: R,
    normal_impulse: R,
    friction_impulse: Vec3<R>,
    normal_before: R,
    friction_before: Vec3<R>,
}

/// What a pass has changed.
#[derive(Clone, Copy, Debug)]
struct Progress<R> {
    /// Largest change of a relative speed.
    largest: R,
    /// Whether the changes go on in the direction of the ones before.
    onward: R,
}

/// Solver that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Solver<R> {
    rows: Vec<Row<R>>,
    /// Velocities of the bodies, and those after the pass before.
    motion: Vec<Motion<R>>,
    before: Vec<Motion<R>>,
    /// Passes done so far, for reports on cost.
    pub(crate) passes: u64,
}

/// What a solve needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StepNumbers<R> {
    pub(crate) dt: R,
    pub(crate) iterations: u32,
    /// Approach speed above which a contact that does not overlap yet is left to the impacts of the next look.
    pub(crate) rest_speed: R,
    /// The speed that changes are held against: one step of gravity, or the fastest motion where there is none.
    pub(crate) scale: R,
    /// What the impulses of joints of the step before are multiplied by.
    pub(crate) carry: R,
    /// Time from the start of the step at which its pushes act, as far as the ways of the bodies go.
    pub(crate) push_time: R,
}

fn relative<R: Real>(motion: &[Motion<R>], bodies: [usize; 2], arms: [Vec3<R>; 2]) -> Vec3<R> {
    motion[bodies[1]].at(arms[1]) - motion[bodies[0]].at(arms[0])
}

/// From where each centre will be when the push of the step acts to where the point will be then. With the arms of the start of
/// the step the angular momentum of two bodies in flight would not be kept.
pub(crate) fn arms_at_push<R: Real>(
    bodies: [usize; 2],
    arms: [Vec3<R>; 2],
    motion: &[Motion<R>],
    moving: [bool; 2],
    time: R,
) -> [Vec3<R>; 2] {
    if moving != [true, true] {
        return arms;
    }
    // The point of contact goes with both bodies, as it does where two balls roll on each other.
    let apart = (motion[bodies[1]].linear - motion[bodies[0]].linear) * (R::HALF * time);
    [arms[0] + apart, arms[1] - apart]
}

impl<R: Real> Solver<R> {
    /// Works out velocities with which no contact approaches; `start` holds those before this step's forces. Gives the changed motions of the
    /// bodies back.
    pub(crate) fn solve(
        &mut self,
        bodies: &Bodies<R>,
        start: &[Motion<R>],
        contacts: &mut Contacts<R>,
        joints: &mut Joints<R>,
        step: StepNumbers<R>,
    ) -> &[Motion<R>] {
        self.motion.clone_from(&bodies.motion);
        self.rows.clear();
        for number in 0..contacts.list.len() {
            self.prepare(number, &mut contacts.list[number], bodies, start, step);
        }
        joints.prepare(bodies, &mut self.motion, step.dt, step.carry);
        if !self.rows.is_empty() || !joints.is_empty() {
            self.passes += u64::from(self.iterate(bodies, joints, step));
        }
        for row in &self.rows {
            let point = &mut contacts.list[row.of.0].points[row.of.1];
            (point.normal_impulse, point.friction_impulse) = (row.normal_impulse, row.friction_impulse);
        }
        &self.motion
    }

    /// The rows of a contact; gives the bodies its impulses of the step before.
    fn prepare(
        &mut self,
        number: usize,
        contact: &mut Contact<R>,
        bodies: &Bodies<R>,
        start: &[Motion<R>],
        step: StepNumbers<R>,
    ) {
        let normal = contact.normal;
        let inverse = contact.bodies.map(|body| bodies.inverse[body]);
        let moving = contact.bodies.map(|body| bodies.travels(body));
        for (index, point) in contact.points[..contact.count].iter_mut().enumerate() {
            let approach = -relative(start, contact.bodies, point.arms).dot(normal);
            if point.gap > R::ZERO && approach > step.rest_speed {
                (point.normal_impulse, point.friction_impulse) = (R::ZERO, Vec3::ZERO);
                continue;
            }
            let arms = arms_at_push(contact.bodies, point.arms, start, moving, step.push_time);
            let (along, across) = strengths(&response(&inverse, arms), normal);
            let row = Row {
                bodies: contact.bodies,
                of: (number, index),
                normal,
                arms,
                friction: contact.friction,
                along,
                across,
                floor: if point.gap > R::ZERO { -point.gap / step.dt } else { R::ZERO },
                normal_impulse: point.normal_impulse,
                friction_impulse: point.friction_impulse,
                normal_before: point.normal_impulse,
                friction_before: point.friction_impulse,
            };
            push(&mut self.motion, &inverse, &row, normal * row.normal_impulse + row.friction_impulse);
            self.rows.push(row);
        }
    }

    /// Passes with momentum: between two of them all impulses, and the velocities with them, go on in the direction of the last one, from
    /// the beginning again when a pass turns back. A pass may start from impulses that no contact could have; it brings each back within
    /// its bounds.
    fn iterate(&mut self, bodies: &Bodies<R>, joints: &mut Joints<R>, step: StepNumbers<R>) -> u32 {
        let enough = R::of(CONVERGED) * step.scale;
        let (mut momentum, mut share) = (R::ONE, R::ZERO);
        let (mut first, mut wild) = (R::ZERO, false);
        self.before.clone_from(&self.motion);
        for iteration in 0..step.iterations {
            let pulled = joints.iterate(&mut self.motion, &bodies.inverse, &bodies.present);
            let mut progress = self.pass(&bodies.inverse, share);
            progress.largest = progress.largest.max(pulled);
            if !(progress.largest > enough) || iteration + 1 == step.iterations {
                return iteration + 1;
            }
            // Plain passes change ever less. With momentum a wedge with friction may change more and more, without end: it is given up.
            if iteration == 0 {
                first = progress.largest.max(step.scale);
            }
            wild = wild || progress.largest > first;
            let next = R::HALF * momentum * ((momentum * momentum + R::of(4.0)).sqrt() - momentum);
            if wild || progress.onward < R::ZERO {
                (momentum, share) = (R::ONE, R::ZERO);
            } else {
                share = momentum * (R::ONE - momentum) / (momentum * momentum + next);
                momentum = next;
            }
            joints.extrapolate(share);
            for (motion, before) in self.motion.iter_mut().zip(&mut self.before) {
                let now = *motion;
                *motion = now.plus(now.minus(*before).scaled(share));
                *before = now;
            }
        }
        step.iterations
    }

    /// One pass over all rows, whose impulses first go on by a share of what the pass before changed.
    fn pass(&mut self, inverse: &[Inverse<R>], share: R) -> Progress<R> {
        let mut progress = Progress { largest: R::ZERO, onward: R::ZERO };
        for row in &mut self.rows {
            let pair = row.bodies.map(|body| inverse[body]);
            let (normal_was, friction_was) = (row.normal_impulse, row.friction_impulse);
            let normal_from = normal_was + (normal_was - row.normal_before) * share;
            let friction_from = friction_was + (friction_was - row.friction_before) * share;
            (row.normal_before, row.friction_before) = (normal_was, friction_was);
            let speed = relative(&self.motion, row.bodies, row.arms).dot(row.normal);
            row.normal_impulse = (normal_from + (row.floor - speed) / row.along).max(R::ZERO);
            let pressed = row.normal_impulse - normal_from;
            push(&mut self.motion, &pair, row, row.normal * pressed);
            let mut dragged = Vec3::ZERO;
            if row.friction > R::ZERO {
                let slip = relative(&self.motion, row.bodies, row.arms);
                let slip = slip - row.normal * row.normal.dot(slip);
                let wanted = friction_from - slip * (R::ONE / row.across);
                row.friction_impulse = within_cone(wanted, row.friction * row.normal_impulse);
                dragged = row.friction_impulse - friction_from;
                push(&mut self.motion, &pair, row, dragged);
            }
            let change = (pressed * row.along).abs().max(dragged.length() * row.across);
            progress.largest = progress.largest.max(change);
            progress.onward += row.along * pressed * (row.normal_impulse - normal_was)
                + dragged.dot(row.friction_impulse - friction_was) * row.across;
        }
        progress
    }
}

#[inline]
fn push<R: Real>(motion: &mut [Motion<R>], inverse: &[Inverse<R>; 2], row: &Row<R>, impulse: Vec3<R>) {
    let [a, b] = row.bodies;
    motion[a] = motion[a].minus(inverse[0].kick(row.arms[0], impulse));
    motion[b] = motion[b].plus(inverse[1].kick(row.arms[1], impulse));
}
