//! Joints as rows of velocity constraints, solved together with the contacts, and their drift.
//!
//! Source: Catto, "Modeling and Solving Constraints" (2009): rod, rope, socket, hinge, slider and weld as rows J v = 0 with accumulated
//! impulses; limits and ropes as one-sided rows. Drift is taken out of the places afterwards, by the same rows (non-linear
//! projection, Hairer, Lubich, Wanner, 2006, IV.4), so that it puts no energy into velocities.

use crate::common::scalar::Real;
use crate::space::bodies::{Bodies, Inverse, Motion};
use crate::space::joint_rows::{ROWS, Row, limit};
use crate::space::vector::{Quat, Vec3};
use ironspin_model::{JointKind, World};

/// Passes of the projection.
const PROJECTIONS: usize = 8;

#[derive(Clone, Copy, Debug)]
struct Joint<R> {
    kind: Kind<R>,
    bodies: [usize; 2],
    at: [Vec3<R>; 2],
    /// The axis in the frame of each body.
    axes: [Vec3<R>; 2],
    /// How the second body is turned in the frame of the first, as built.
    turn: Quat<R>,
    /// Angle of a hinge, counted on through whole turns.
    angle: R,
    rows: [Row<R>; ROWS],
    count: usize,
}

#[derive(Clone, Copy, Debug)]
enum Kind<R> {
    Rod {
        length: R,
    },
    Rope {
        length: R,
    },
    Socket,
    Hinge {
        limits: Option<[R; 2]>,
    },
    /// How far the second anchor stood along the axis as built.
    Slider {
        start: R,
        limits: Option<[R; 2]>,
        /// A mistake: the bodies turn against each other.
        turns: bool,
    },
    Weld,
}

/// All joints but springs.
#[derive(Clone, Debug, Default)]
pub(crate) struct Joints<R> {
    list: Vec<Joint<R>>,
}

/// Where the anchors of a joint are.
struct Place<R> {
    arms: [Vec3<R>; 2],
    /// From the first anchor to the second.
    between: Vec3<R>,
}

impl<R: Real> Joint<R> {
    fn place(&self, bodies: &Bodies<R>) -> Place<R> {
        let [a, b] = self.bodies;
        let arms = [bodies.axes[a].times(self.at[0]), bodies.axes[b].times(self.at[1])];
        Place { arms, between: (bodies.position[b] + arms[1]) - (bodies.position[a] + arms[0]) }
    }

    /// How far the second body is turned against where the first would have it, as a small rotation vector along the world's axes.
    fn twist(&self, bodies: &Bodies<R>) -> Vec3<R> {
        let [a, b] = self.bodies;
        let due = bodies.rotation[a].after(self.turn);
        let off = bodies.rotation[b].after(due.turned_back());
        let sign = if off.w < R::ZERO { -R::TWO } else { R::TWO };
        off.v * sign
    }

    /// The angle about the axis by which the second body has turned against the first, the one of all its values that is nearest to the last.
    fn angle_now(&self, bodies: &Bodies<R>) -> R {
        let [a, b] = self.bodies;
        let now = bodies.rotation[a].turned_back().after(bodies.rotation[b]).after(self.turn.turned_back());
        let angle = R::TWO * self.axes[0].dot(now.v).atan2(now.w);
        let whole = R::of(std::f64::consts::TAU);
        angle + whole * ((self.angle - angle) / whole).round()
    }

    /// Rows at the present places.
    fn rows(&self, bodies: &Bodies<R>, dt: R) -> ([Row<R>; ROWS], usize) {
        let place = self.place(bodies);
        let Place { arms, between } = &place;
        let mut rows = [Row::default(); ROWS];
        let free = (-R::INFINITY, R::INFINITY);
        let count = match self.kind {
            Kind::Rod { length } => {
                rows[0] = Row::along(between.unit_or(Vec3::axis(1)), *arms, between.length() - length, free);
                1
            }
            Kind::Rope { length } => {
                let beyond = between.length() - length;
                let bounds = (-R::INFINITY, R::ZERO);
                rows[0] = Row::along(between.unit_or(Vec3::axis(1)), *arms, beyond.max(R::ZERO), bounds);
                // Slack may be used up within the step, not more.
                rows[0].wanted = (-beyond).max(R::ZERO) / dt;
                1
            }
            Kind::Socket => together(&mut rows, &place),
            Kind::Hinge { limits } => {
                let count = together(&mut rows, &place);
                let axes = [0, 1].map(|k| bodies.axes[self.bodies[k]].times(self.axes[k]));
                let off = axes[0].cross(axes[1]);
                for (k, across) in axes[0].across().into_iter().enumerate() {
                    rows[count + k] = Row::turning(across, off.dot(across), free);
                }
                let make = |drift, bounds| Row::turning(axes[0], drift, bounds);
                count + 2 + limit(&mut rows[count + 2], limits, self.angle_now(bodies), dt, &make)
            }
            Kind::Slider { start, limits, turns } => {
                let axis = bodies.axes[self.bodies[0]].times(self.axes[0]);
                // The line is fixed in the first body, so its arm reaches to the second anchor.
                let reach = [arms[0] + *between, arms[1]];
                for (k, across) in axis.across().into_iter().enumerate() {
                    rows[k] = Row::along(across, reach, across.dot(*between), free);
                }
                let count = if turns { 2 } else { 5 };
                still(&mut rows[2..count], self.twist(bodies));
                let make = |drift, bounds| Row::along(axis, reach, drift, bounds);
                count + limit(&mut rows[count], limits, axis.dot(*between) - start, dt, &make)
            }
            Kind::Weld => {
                let count = together(&mut rows, &place);
                still(&mut rows[count..count + 3], self.twist(bodies));
                count + 3
            }
        };
        for row in &mut rows[..count] {
            row.weigh(&bodies.inverse, self.bodies);
        }
        (rows, count)
    }
}

/// The anchors stay in one point.
fn together<R: Real>(rows: &mut [Row<R>; ROWS], place: &Place<R>) -> usize {
    for (axis, row) in rows[..3].iter_mut().enumerate() {
        let along = Vec3::axis(axis);
        *row = Row::along(along, place.arms, place.between.component(axis), (-R::INFINITY, R::INFINITY));
    }
    3
}

/// The bodies do not turn against each other.
fn still<R: Real>(rows: &mut [Row<R>], twist: Vec3<R>) {
    for (axis, row) in rows.iter_mut().enumerate() {
        *row = Row::turning(Vec3::axis(axis), twist.component(axis), (-R::INFINITY, R::INFINITY));
    }
}

impl<R: Real> Joints<R> {
    pub(crate) fn new(world: &World, bodies: &Bodies<R>) -> Self {
        let list = world.joints.iter().filter_map(|joint| {
            let at = joint.frames.map(|frame| Vec3::of(frame.anchor));
            let axes = joint.frames.map(|frame| Vec3::of(frame.axis).unit_or(Vec3::axis(2)));
            let [a, b] = joint.bodies;
            let anchor = |k: usize| bodies.pose(joint.bodies[k]).point(at[k]);
            let between = anchor(1) - anchor(0);
            let length = joint.length.map_or_else(|| between.length(), R::of);
            let scalars = |limits: Option<[f64; 2]>| limits.map(|ends| ends.map(R::of));
            let kind = match joint.kind {
                JointKind::Rod => Kind::Rod { length },
                JointKind::Rope => Kind::Rope { length },
                JointKind::Spring { .. } => return None,
                JointKind::Socket => Kind::Socket,
                JointKind::Hinge { limits } => Kind::Hinge { limits: scalars(limits) },
                JointKind::Slider { limits } => Kind::Slider {
                    start: bodies.axes[a].times(axes[0]).dot(between),
                    limits: scalars(limits),
                    turns: false,
                },
                JointKind::Weld => Kind::Weld,
            };
            let turn = bodies.rotation[a].turned_back().after(bodies.rotation[b]);
            let rows = [Row::default(); ROWS];
            Some(Joint { kind, bodies: joint.bodies, at, axes, turn, angle: R::ZERO, rows, count: 0 })
        });
        Joints { list: list.collect() }
    }

    /// A mistake in all sliders.
    pub(crate) fn let_sliders_turn(&mut self, wrong: bool) {
        for joint in &mut self.list {
            if let Kind::Slider { turns, .. } = &mut joint.kind {
                *turns = wrong;
            }
        }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// Works out the rows of this step and gives the motions the impulses of the step before, times `carry`.
    pub(crate) fn prepare(&mut self, bodies: &Bodies<R>, motion: &mut [Motion<R>], dt: R, carry: R) {
        for joint in self.list.iter_mut().filter(|joint| are_there(joint, bodies)) {
            joint.angle = joint.angle_now(bodies);
            let (mut rows, count) = joint.rows(bodies, dt);
            for (row, before) in rows[..count].iter_mut().zip(&joint.rows[..joint.count.min(count)]) {
                row.impulse = (before.impulse * carry).held(row.low, row.high);
                row.before = row.impulse;
                row.push(motion, &bodies.inverse, joint.bodies, row.impulse);
            }
            (joint.rows, joint.count) = (rows, count);
        }
    }

    /// One pass; gives the largest change of a rate.
    pub(crate) fn iterate(&mut self, motion: &mut [Motion<R>], inverse: &[Inverse<R>], present: &[bool]) -> R {
        let mut largest = R::ZERO;
        for joint in self.list.iter_mut().filter(|joint| joint.bodies.iter().all(|&body| present[body])) {
            for row in joint.rows[..joint.count].iter_mut().filter(|row| row.mass > R::ZERO) {
                let missing = row.wanted - row.rate(motion, joint.bodies);
                let total = (row.impulse + row.mass * missing).held(row.low, row.high);
                let change = total - row.impulse;
                row.impulse = total;
                row.push(motion, inverse, joint.bodies, change);
                largest = largest.max(row.speed_of(change, inverse, joint.bodies));
            }
        }
        largest
    }

    /// Goes on in the direction of the last pass by a share of what it changed.
    pub(crate) fn extrapolate(&mut self, share: R) {
        for row in self.list.iter_mut().flat_map(|joint| &mut joint.rows) {
            let now = row.impulse;
            row.impulse += (now - row.before) * share;
            row.before = now;
        }
    }

    /// Makes the velocities fit the joints where the bodies are now; the impulses of the step stay what they are.
    pub(crate) fn fit(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32, enough: R) {
        let mut motion = bodies.motion.clone();
        for joint in self.list.iter_mut().filter(|joint| are_there(joint, bodies)) {
            let kept = joint.rows;
            for row in joint.rows[..joint.count].iter().filter(|row| row.two_sided()) {
                // Half of the push of the step belongs to its first half, in which it moved the body; the other half is found
                // anew where the body is now.
                row.push(&mut motion, &bodies.inverse, joint.bodies, -row.impulse * R::HALF);
            }
            (joint.rows, joint.count) = joint.rows(bodies, dt);
            for (row, kept) in joint.rows.iter_mut().zip(kept) {
                // A one-sided row has done its part in the step.
                row.mass = if row.two_sided() { row.mass } else { R::ZERO };
                row.drift = kept.impulse;
            }
        }
        for _ in 0..passes {
            if !(self.iterate(&mut motion, &bodies.inverse, &bodies.present) > enough) {
                break;
            }
        }
        for (body, motion) in motion.into_iter().enumerate() {
            if bodies.inverse[body].moves() {
                bodies.take_motion(body, motion);
            }
        }
        for row in self.list.iter_mut().flat_map(|joint| &mut joint.rows) {
            row.impulse = row.drift;
        }
    }

    /// Takes the drift out of the places; with `felt`, what two-sided rows move is velocity, too.
    pub(crate) fn project(&mut self, bodies: &mut Bodies<R>, dt: R, felt: bool) {
        let rate = if felt { R::ONE / dt } else { R::ZERO };
        if !felt {
            // No velocities were solved in this step, so the directions are those of now.
            for joint in &mut self.list {
                let kept = joint.rows.map(|row| row.impulse);
                (joint.rows, joint.count) = joint.rows(bodies, dt);
                joint.rows.iter_mut().zip(kept).for_each(|(row, impulse)| row.impulse = impulse);
            }
        }
        for _ in 0..PROJECTIONS {
            for index in 0..self.list.len() {
                let joint = self.list[index];
                if !are_there(&joint, bodies) {
                    continue;
                }
                for number in 0..joint.count {
                    // The drift where the bodies are now, and the directions of the start of the step: pushed along those of its end,
                    // a swinging body would lose energy with every step.
                    let row = joint.rows[number];
                    let drift = joint.rows(bodies, dt).0[number].drift;
                    let push = (-drift * row.mass).held(row.low, row.high);
                    if push == R::ZERO {
                        continue;
                    }
                    for (k, &body) in joint.bodies.iter().enumerate() {
                        if !bodies.inverse[body].moves() {
                            continue;
                        }
                        let way = row.change(k, &bodies.inverse[body], push);
                        bodies.shift(body, way);
                        if row.two_sided() && felt {
                            let motion = bodies.motion[body].plus(way.scaled(rate));
                            bodies.take_motion(body, motion);
                        }
                    }
                }
            }
        }
    }
}

fn are_there<R: Real>(joint: &Joint<R>, bodies: &Bodies<R>) -> bool {
    joint.bodies.iter().all(|&body| bodies.present[body])
}
