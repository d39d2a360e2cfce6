//! Impacts: contacts that approach faster than gravity explains happened within the last step, at a time that follows from
//! their overlap. Each is applied at its own time, at the pose of first touch and along the normal there, and the motion since is put
//! right, so that a single impact under constant acceleration is exact, no energy appears or vanishes, and no torque acts that the
//! surfaces do not explain.

use crate::common::scalar::Real;
use crate::space::contact::{Contact, Impact, POINTS};
use crate::space::impact::{PairInMotion, Target};
use crate::space::narrow::collide as collide_pieces;
use crate::space::simulation::Simulation;
use crate::space::solver::arms_at_push;
use crate::space::vector::{Pose, Quat, Vec3};

/// Rounds of impacts in one step before what still approaches is left to the resting solver.
const IMPACT_ROUNDS: u32 = 64;

/// Steps of Newton's method by which the time of first touch is found; each doubles the digits.
const FIRST_TOUCH_STEPS: u32 = 8;

/// Where and when two bodies first touched.
#[derive(Clone, Copy, Debug)]
struct FirstTouch<R> {
    /// How long ago.
    since: R,
    /// From the first body to the second.
    normal: Vec3<R>,
    /// Numbers of the points of the contact that touched then, with the place of each and its arms from the centres then.
    points: [(usize, Vec3<R>, [Vec3<R>; 2]); POINTS],
    count: usize,
}

impl<R: Real> FirstTouch<R> {
    fn new(since: R, normal: Vec3<R>) -> Self {
        FirstTouch { since, normal, points: [(0, Vec3::ZERO, [Vec3::ZERO; 2]); POINTS], count: 0 }
    }

    fn push(&mut self, index: usize, point: Vec3<R>, arms: [Vec3<R>; 2]) {
        self.points[self.count] = (index, point, arms);
        self.count += 1;
    }
}

impl<R: Real> Simulation<R> {
    /// Hits every contact that approaches faster than rest, the earliest first, until none does. After the first round only
    /// contacts of bodies that were hit in the round before can have become one of these.
    pub(crate) fn apply_impacts(&mut self, dt: R, rest_speed: R) {
        let hit_before = self.hit_now.len();
        self.hit.clear();
        self.hit.resize(self.bodies.len(), 0);
        for round in 1..=IMPACT_ROUNDS {
            let mut pending: Vec<(R, usize)> = Vec::new();
            for (number, contact) in self.contacts.list.iter().enumerate() {
                let concerned = round == 1 || contact.bodies.iter().any(|&body| self.hit[body] + 1 == round);
                if let Some(since) = concerned.then(|| self.impact_time(contact, dt, rest_speed)).flatten() {
                    pending.push((since, number));
                }
            }
            if pending.is_empty() {
                break;
            }
            // The impact that lies furthest back comes first; equal times by the number of the contact.
            pending.sort_unstable_by(|a, b| b.0.to_f64().total_cmp(&a.0.to_f64()).then(a.1.cmp(&b.1)));
            for (_, number) in pending {
                if let Some(since) = self.impact_time(&self.contacts.list[number], dt, rest_speed) {
                    self.apply_impact(number, since, rest_speed, dt);
                    for body in self.contacts.list[number].bodies {
                        if self.bodies.inverse[body].moves() {
                            self.hit[body] = round;
                        }
                    }
                }
            }
        }
        if self.hit_now.len() > hit_before {
            self.close_joints(dt);
            let positions = &self.bodies.position;
            for contact in &mut self.contacts.list {
                let centres = contact.bodies.map(|body| positions[body]);
                for point in &mut contact.points[..contact.count] {
                    point.arms = centres.map(|centre| point.position - centre);
                }
            }
        }
    }

    /// How long ago a contact was hit, if it touches and approaches faster than rest: the time in which its overlap
    /// grew, at most one step.
    fn impact_time(&self, contact: &Contact<R>, dt: R, rest_speed: R) -> Option<R> {
        let pair = self.pair(contact);
        let mut longest: Option<R> = None;
        for (index, point) in contact.points().iter().enumerate().filter(|(_, point)| self.touches(contact, point.gap))
        {
            let speed = pair.relative(self.arms_now(contact, index)).dot(contact.normal);
            if speed < -rest_speed {
                let acceleration = self.acceleration_along(contact, contact.normal);
                let overlap = (-point.gap).max(R::ZERO);
                // Root of overlap = -speed t + acceleration t^2 / 2, going back in time.
                let square = speed * speed + R::TWO * acceleration * overlap;
                let time = if square > R::ZERO { R::TWO * overlap / (square.sqrt() - speed) } else { overlap / -speed };
                let time = time.min(dt);
                longest = Some(longest.map_or(time, |other| other.max(time)));
            }
        }
        longest
    }

    fn touches(&self, contact: &Contact<R>, gap: R) -> bool {
        gap <= self.touch * contact.size
    }

    fn pair(&self, contact: &Contact<R>) -> PairInMotion<R> {
        PairInMotion {
            motion: contact.bodies.map(|body| self.bodies.motion[body]),
            inverse: contact.bodies.map(|body| self.bodies.inverse[body]),
        }
    }

    /// Relative acceleration along a normal over the last step, apart being positive.
    fn acceleration_along(&self, contact: &Contact<R>, normal: Vec3<R>) -> R {
        let [a, b] = contact.bodies.map(|body| self.bodies.acceleration[body]);
        (b - a).dot(normal)
    }

    /// Where a body was, going back along its present motion.
    fn pose_before(&self, body: usize, since: R) -> Pose<R> {
        if !self.bodies.travels(body) {
            return self.bodies.pose(body);
        }
        let (motion, acceleration) = (self.bodies.motion[body], self.bodies.acceleration[body]);
        let position = self.bodies.position[body] - (motion.linear - acceleration * (R::HALF * since)) * since;
        let axes = if motion.spin == Vec3::ZERO {
            self.bodies.axes[body]
        } else {
            Quat::by(motion.spin * -since).after(self.bodies.rotation[body]).axes()
        };
        Pose { position, axes }
    }

    /// The first touch of what overlaps now, by Newton's method from an estimate of its time. Nothing when the bodies overlapped a whole step
    /// ago, or touched with other features than now.
    fn first_touch(&self, contact: &Contact<R>, estimate: R, dt: R) -> Option<FirstTouch<R>> {
        let pieces = [contact.pieces.0, contact.pieces.1].map(|piece| &self.bodies.pieces[piece as usize]);
        let accuracy = R::of(4.0) * R::EPSILON * contact.size;
        let mut since = estimate;
        let mut best: Option<(R, FirstTouch<R>)> = None;
        for _ in 0..FIRST_TOUCH_STEPS {
            let poses = contact.bodies.map(|body| self.pose_before(body, since));
            let manifold = collide_pieces(pieces[0], &poses[0], pieces[1], &poses[1], contact.size, None);
            let known = |feature: u32| contact.points().iter().position(|point| point.feature == feature);
            let gap = manifold
                .points()
                .iter()
                .filter(|point| known(point.feature).is_some())
                .map(|point| point.gap)
                .reduce(R::min)?;
            if best.as_ref().is_none_or(|(smallest, _)| gap.abs() < *smallest) {
                let mut found = FirstTouch::new(since, manifold.normal);
                for point in manifold.points().iter().filter(|point| point.gap - gap <= self.touch * contact.size) {
                    if let Some(index) = known(point.feature) {
                        found.push(index, point.position, poses.map(|pose| point.position - pose.position));
                    }
                }
                best = Some((gap.abs(), found));
            }
            let (_, found) = best.as_ref()?;
            if gap.abs() <= accuracy {
                return Some(*found);
            }
            let pair = self.pair(contact);
            let closing = self.acceleration_along(contact, manifold.normal) * since
                - pair.relative(found.points[0].2).dot(manifold.normal);
            if !(closing > R::ZERO) {
                break;
            }
            let next = (since - gap / closing).held(R::ZERO, dt);
            if next == since {
                break;
            }
            since = next;
        }
        let (gap, found) = best?;
        (gap <= self.touch * contact.size).then_some(found)
    }

    /// The same as a first touch, by the present points and normal. The arms are those from where each centre was at the time of the
    /// impact: with these the angular momentum is kept when the bodies are then moved on.
    fn touch_by_present(&self, contact: &Contact<R>, since: R) -> FirstTouch<R> {
        let moving = contact.bodies.map(|body| self.bodies.travels(body));
        let mut found = FirstTouch::new(since, contact.normal);
        let touching = contact.points().iter().enumerate().filter(|(_, point)| self.touches(contact, point.gap));
        for (index, point) in touching {
            let arms = arms_at_push(contact.bodies, self.arms_now(contact, index), &self.bodies.motion, moving, -since);
            found.push(index, point.position, arms);
        }
        found
    }

    /// From where each centre is now, after earlier impacts have moved it, to the point.
    fn arms_now(&self, contact: &Contact<R>, point: usize) -> [Vec3<R>; 2] {
        contact.bodies.map(|body| contact.points[point].position - self.bodies.position[body])
    }

    fn apply_impact(&mut self, number: usize, since: R, rest_speed: R, dt: R) {
        let contact = self.contacts.list[number];
        let touch = self.first_touch(&contact, since, dt).unwrap_or_else(|| self.touch_by_present(&contact, since));
        let since = touch.since;
        let touched = &touch.points[..touch.count];
        let acceleration = self.acceleration_along(&contact, touch.normal);
        let mut pair = self.pair(&contact);
        let mut targets = [Target::default(); POINTS];
        let mut shift_time = since;
        for (target, &(index, _, arms)) in targets.iter_mut().zip(touched) {
            let speed = pair.relative(arms).dot(touch.normal);
            // Speed at the time of the impact, and what it has become since.
            let then = speed - acceleration * since;
            let rebound = -contact.restitution * then;
            let wanted = if rebound > rest_speed { rebound + acceleration * since } else { R::ZERO };
            if !(rebound > rest_speed) && speed < -rest_speed {
                // Without a rebound the body has stayed at the surface since the impact.
                shift_time = shift_time.min((-contact.points[index].gap).max(R::ZERO) / -speed);
            }
            *target = Target { arms, wanted };
        }
        let before = pair.motion;
        let speeds = contact.points.map(|point| pair.relative(point.arms).dot(contact.normal));
        let pressed = pair.collide(touch.normal, &targets[..touch.count], contact.friction);
        self.settings.inject_into_impact(&mut pair.motion, before);
        for (k, &body) in contact.bodies.iter().enumerate() {
            if self.bodies.inverse[body].moves() {
                self.bodies.take_motion(body, pair.motion[k]);
                self.bodies.shift(body, pair.motion[k].minus(before[k]).scaled(shift_time));
            }
        }
        for (k, point) in self.contacts.list[number].points[..contact.count].iter_mut().enumerate() {
            point.gap += (pair.relative(point.arms).dot(contact.normal) - speeds[k]) * shift_time;
        }
        for (&(index, point, _), impulse) in touched.iter().zip(pressed) {
            let gap = self.contacts.list[number].points[index].gap;
            self.hit_now.push(Impact { bodies: contact.bodies, point, normal: touch.normal, gap, impulse });
        }
    }
}
