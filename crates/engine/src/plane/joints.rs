//! Joints as rows of velocity constraints, solved together with the contacts, and their drift.
//!
//! Source: Catto, "Modeling and Solving Constraints" (2009): rod, hinge, slider and weld as rows J v = 0 with accumulated
//! impulses; limits and ropes as one-sided rows. Drift is taken out of the places afterwards, by the same rows (non-linear
//! projection, Hairer, Lubich, Wanner, 2006, IV.4), so that it puts no energy into velocities.

use crate::common::scalar::Real;
use crate::plane::bodies::{Bodies, Inverse, Motion};
use crate::plane::vector::Vec2;
use ironspin_model::{JointKind, World};

/// Passes of the projection.
const PROJECTIONS: usize = 8;

/// One row: impulse along `linear` on the second body and against it on the first, with moments of its own.
#[derive(Clone, Copy, Debug, Default)]
struct Row<R> {
    linear: Vec2<R>,
    angular: [R; 2],
    /// Rate wanted.
    wanted: R,
    /// Inverse of the response; zero for a row that takes no part.
    mass: R,
    low: R,
    high: R,
    impulse: R,
    /// The impulse after the pass before.
    before: R,
    /// How far the joint has drifted along this row; only what the bounds of the impulse allow to be pushed.
    drift: R,
}

#[derive(Clone, Copy, Debug)]
struct Joint<R> {
    kind: Kind<R>,
    bodies: [usize; 2],
    at: [Vec2<R>; 2],
    /// Angle of the second body minus that of the first, as built.
    turn: R,
    rows: [Row<R>; 4],
    count: usize,
}

#[derive(Clone, Copy, Debug)]
enum Kind<R> {
    Rod { length: R },
    Rope { length: R },
    Hinge { limits: Option<[R; 2]> },
    Slider { axis: Vec2<R>, limits: Option<[R; 2]> },
    Weld,
}

/// All joints but springs.
#[derive(Clone, Debug, Default)]
pub(crate) struct Joints<R> {
    list: Vec<Joint<R>>,
}

impl<R: Real> Row<R> {
    fn two_sided(&self) -> bool {
        self.low == -R::INFINITY && self.high == R::INFINITY
    }

    fn rate(&self, motion: &[Motion<R>], [a, b]: [usize; 2]) -> R {
        self.linear.dot(motion[b].linear - motion[a].linear)
            + self.angular[1] * motion[b].spin
            + self.angular[0] * motion[a].spin
    }

    fn push(&self, motion: &mut [Motion<R>], inverse: &[Inverse<R>], [a, b]: [usize; 2], impulse: R) {
        motion[a].linear -= self.linear * (impulse * inverse[a].mass);
        motion[a].spin += self.angular[0] * impulse * inverse[a].inertia;
        motion[b].linear += self.linear * (impulse * inverse[b].mass);
        motion[b].spin += self.angular[1] * impulse * inverse[b].inertia;
    }

    fn weigh(&mut self, inverse: &[Inverse<R>], [a, b]: [usize; 2]) {
        let response = self.linear.dot(self.linear) * (inverse[a].mass + inverse[b].mass)
            + self.angular[0] * self.angular[0] * inverse[a].inertia
            + self.angular[1] * self.angular[1] * inverse[b].inertia;
        self.mass = if response > R::ZERO { R::ONE / response } else { R::ZERO };
    }
}

impl<R: Real> Joint<R> {
    /// Rows at the present places; impulses of rows that are there before and after are kept.
    fn rows(&self, bodies: &Bodies<R>, dt: R) -> ([Row<R>; 4], usize) {
        let [a, b] = self.bodies;
        let (pa, pb) = (&bodies.pose(a), &bodies.pose(b));
        let arms = [pa.rotation.turn(self.at[0]), pb.rotation.turn(self.at[1])];
        let between = (pb.position + arms[1]) - (pa.position + arms[0]);
        let turned = bodies.angle[b] - bodies.angle[a] - self.turn;
        let free = (-R::INFINITY, R::INFINITY);
        let along = |direction: Vec2<R>, drift: R, (low, high): (R, R)| Row {
            linear: direction,
            angular: [-arms[0].cross(direction), arms[1].cross(direction)],
            low,
            high,
            drift,
            ..Row::default()
        };
        let turning =
            |drift: R, (low, high): (R, R)| Row { angular: [-R::ONE, R::ONE], low, high, drift, ..Row::default() };
        let mut rows = [Row::default(); 4];
        let count = match self.kind {
            Kind::Rod { length } => {
                let direction = between.unit_or(Vec2::new(R::ZERO, R::ONE));
                rows[0] = along(direction, between.length() - length, free);
                1
            }
            Kind::Rope { length } => {
                let direction = between.unit_or(Vec2::new(R::ZERO, R::ONE));
                let beyond = between.length() - length;
                rows[0] = along(direction, beyond.max(R::ZERO), (-R::INFINITY, R::ZERO));
                // Slack may be used up within the step, not more.
                rows[0].wanted = (-beyond).max(R::ZERO) / dt;
                1
            }
            Kind::Hinge { limits } => {
                rows[0] = along(Vec2::new(R::ONE, R::ZERO), between.x, free);
                rows[1] = along(Vec2::new(R::ZERO, R::ONE), between.y, free);
                2 + limit(&mut rows[2], limits, bodies.angle[b] - bodies.angle[a], dt, &turning)
            }
            Kind::Slider { axis, limits } => {
                let axis = pa.rotation.turn(axis);
                // The line is fixed in the first body, so its arm reaches to the second anchor.
                let reach = [arms[0] + between, arms[1]];
                let on_line = |direction: Vec2<R>, drift: R, (low, high): (R, R)| Row {
                    linear: direction,
                    angular: [-reach[0].cross(direction), reach[1].cross(direction)],
                    low,
                    high,
                    drift,
                    ..Row::default()
                };
                rows[0] = on_line(axis.left(), axis.left().dot(between), free);
                rows[1] = turning(turned, free);
                2 + limit(&mut rows[2], limits, axis.dot(between), dt, &|drift, bounds| on_line(axis, drift, bounds))
            }
            Kind::Weld => {
                rows[0] = along(Vec2::new(R::ONE, R::ZERO), between.x, free);
                rows[1] = along(Vec2::new(R::ZERO, R::ONE), between.y, free);
                rows[2] = turning(turned, free);
                3
            }
        };
        for row in &mut rows[..count] {
            row.weigh(&bodies.inverse, self.bodies);
        }
        (rows, count)
    }
}

/// A one-sided row at the nearer limit; none without limits.
fn limit<R: Real>(
    row: &mut Row<R>,
    limits: Option<[R; 2]>,
    value: R,
    dt: R,
    make: &dyn Fn(R, (R, R)) -> Row<R>,
) -> usize {
    let Some([low, high]) = limits else { return 0 };
    let nearer_low = value - low < high - value;
    *row = if nearer_low {
        Row { wanted: -(value - low).max(R::ZERO) / dt, ..make((value - low).min(R::ZERO), (R::ZERO, R::INFINITY)) }
    } else {
        Row { wanted: (high - value).max(R::ZERO) / dt, ..make((value - high).max(R::ZERO), (-R::INFINITY, R::ZERO)) }
    };
    1
}

impl<R: Real> Joints<R> {
    pub(crate) fn new(world: &World, bodies: &Bodies<R>) -> Self {
        let list = world.joints.iter().filter_map(|joint| {
            let at = joint.frames.map(|frame| Vec2::of(frame.anchor.truncate()));
            let anchor = |k: usize| bodies.pose(joint.bodies[k]).point(at[k]);
            let length = joint.length.map_or_else(|| (anchor(1) - anchor(0)).length(), R::of);
            let scalars = |limits: Option<[f64; 2]>| limits.map(|ends| ends.map(R::of));
            let kind = match joint.kind {
                JointKind::Rod => Kind::Rod { length },
                JointKind::Rope => Kind::Rope { length },
                JointKind::Spring { .. } => return None,
                JointKind::Hinge { limits } => Kind::Hinge { limits: scalars(limits) },
                JointKind::Slider { limits } => {
                    Kind::Slider { axis: Vec2::of(joint.frames[0].axis.truncate()), limits: scalars(limits) }
                }
                // Worlds of the plane with a socket are refused.
                JointKind::Socket => return None,
                JointKind::Weld => Kind::Weld,
            };
            let turn = bodies.angle[joint.bodies[1]] - bodies.angle[joint.bodies[0]];
            Some(Joint { kind, bodies: joint.bodies, at, turn, rows: [Row::default(); 4], count: 0 })
        });
        Joints { list: list.collect() }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    fn active<'a>(&'a mut self, present: &'a [bool]) -> impl Iterator<Item = &'a mut Joint<R>> {
        self.list.iter_mut().filter(|joint| joint.bodies.iter().all(|&body| present[body]))
    }

    /// Works out the rows of this step and gives the bodies the impulses of the step before, times `carry`.
    pub(crate) fn prepare(&mut self, bodies: &mut Bodies<R>, dt: R, carry: R) {
        let present = std::mem::take(&mut bodies.present);
        for joint in self.list.iter_mut().filter(|joint| joint.bodies.iter().all(|&body| present[body])) {
            let (mut rows, count) = joint.rows(bodies, dt);
            for (row, before) in rows[..count].iter_mut().zip(&joint.rows[..joint.count.min(count)]) {
                row.impulse = (before.impulse * carry).held(row.low, row.high);
                row.before = row.impulse;
                row.push(&mut bodies.motion, &bodies.inverse, joint.bodies, row.impulse);
            }
            (joint.rows, joint.count) = (rows, count);
        }
        bodies.present = present;
    }

    /// One pass; gives the largest change of a rate.
    pub(crate) fn iterate(&mut self, motion: &mut [Motion<R>], inverse: &[Inverse<R>], present: &[bool]) -> R {
        let mut largest = R::ZERO;
        for joint in self.active(present) {
            for row in joint.rows[..joint.count].iter_mut().filter(|row| row.mass > R::ZERO) {
                let missing = row.wanted - row.rate(motion, joint.bodies);
                let total = (row.impulse + row.mass * missing).held(row.low, row.high);
                let change = total - row.impulse;
                row.impulse = total;
                row.push(motion, inverse, joint.bodies, change);
                largest = largest.max(if row.linear == Vec2::ZERO {
                    // Of a row that only turns, in speeds at the radius of gyration, so that no unit of length decides.
                    let at = |k: usize| {
                        let inverse = &inverse[joint.bodies[k]];
                        (row.angular[k] * change).abs() * (inverse.mass * inverse.inertia).sqrt()
                    };
                    at(0).max(at(1))
                } else {
                    change.abs() / row.mass * row.linear.length()
                });
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
        for joint in self.list.iter_mut().filter(|joint| joint.bodies.iter().all(|&body| bodies.present[body])) {
            let kept = joint.rows;
            for row in joint.rows[..joint.count].iter().filter(|row| row.two_sided()) {
                // Half of the push of the step belongs to its first half, in which it moved the body; the other half is found
                // anew where the body is now.
                row.push(&mut bodies.motion, &bodies.inverse, joint.bodies, -row.impulse * R::HALF);
            }
            (joint.rows, joint.count) = joint.rows(bodies, dt);
            for (row, kept) in joint.rows.iter_mut().zip(kept) {
                // A one-sided row has done its part in the step.
                row.mass = if row.two_sided() { row.mass } else { R::ZERO };
                row.drift = kept.impulse;
            }
        }
        let present = std::mem::take(&mut bodies.present);
        for _ in 0..passes {
            if !(self.iterate(&mut bodies.motion, &bodies.inverse, &present) > enough) {
                break;
            }
        }
        bodies.present = present;
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
                if !joint.bodies.iter().all(|&body| bodies.present[body]) {
                    continue;
                }
                for number in 0..joint.count {
                    // The drift where the bodies are now, and the directions of the start of the step: pushed along those of its end,
                    // a swinging body would lose energy with every step.
                    let row = Row { drift: joint.rows(bodies, dt).0[number].drift, ..joint.rows[number] };
                    let push = (-row.drift * row.mass).held(row.low, row.high);
                    for (k, &body) in joint.bodies.iter().enumerate() {
                        let inverse = bodies.inverse[body];
                        if push != R::ZERO && inverse.moves() {
                            let sign = if k == 0 { -R::ONE } else { R::ONE };
                            let position = bodies.position[body] + row.linear * (sign * push * inverse.mass);
                            let angle = bodies.angle[body] + row.angular[k] * push * inverse.inertia;
                            bodies.place(body, position, angle);
                            if row.two_sided() {
                                let change = Motion {
                                    linear: row.linear * (sign * push * inverse.mass * rate),
                                    spin: row.angular[k] * push * inverse.inertia * rate,
                                };
                                bodies.motion[body] = bodies.motion[body].plus(change);
                            }
                        }
                    }
                }
            }
        }
    }
}
