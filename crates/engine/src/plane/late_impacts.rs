//! Impacts: contacts that approach faster than gravity explains happened within the last step, at a time that follows from
//! their overlap. Each is applied at its own time, at the pose of first touch and along the normal there, and the motion since is put
//! right, so that a single impact under constant acceleration is exact, no energy appears or vanishes, and no torque acts that the
//! surfaces do not explain.

use crate::common::scalar::Real;
use crate::plane::contact::Contact;
use crate::plane::impact::{Pair, Target};
use crate::plane::narrow::collide as collide_pieces;
use crate::plane::simulation::Simulation;
use crate::plane::solver::arms_at_push;
use crate::plane::sweep::Impact;
use crate::plane::vector::{Pose, Rotation, Vec2};

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
    normal: Vec2<R>,
    /// Numbers of the points of the contact that touched then, with the place of each and its arms from the centres then.
    points: [(usize, Vec2<R>, [Vec2<R>; 2]); 2],
    count: usize,
}

/// Strikes every contact that approaches faster than rest, the earliest first, until none does.
pub(crate) fn collide<R: Real>(simulation: &mut Simulation<R>, dt: R, rest_speed: R) {
    let hit_before = simulation.hit_now.len();
    simulation.apply_impacts(dt, rest_speed);
    if simulation.hit_now.len() > hit_before {
        simulation.close_joints(dt);
        let positions = &simulation.bodies.position;
        for contact in &mut simulation.contacts.list {
            let centres = contact.bodies.map(|body| positions[body]);
            for point in &mut contact.points[..contact.count] {
                point.arms = centres.map(|centre| point.position - centre);
            }
        }
    }
}

impl<R: Real> Simulation<R> {
    /// Strikes every contact that approaches faster than rest, the earliest first, until none does. After the first round only
    /// contacts of bodies that were hit in the round before can have become one of these.
    fn apply_impacts(&mut self, dt: R, rest_speed: R) {
        self.hit.clear();
        self.hit.resize(self.bodies.len(), 0);
        for round in 1..=IMPACT_ROUNDS {
            self.pending.clear();
            for (number, contact) in self.contacts.list.iter().enumerate() {
                let concerned = round == 1 || contact.bodies.iter().any(|&body| self.hit[body] + 1 == round);
                if let Some(since) = concerned.then(|| self.impact_time(contact, dt, rest_speed)).flatten() {
                    self.pending.push((since, number));
                }
            }
            if self.pending.is_empty() {
                return;
            }
            // The impact that lies furthest back comes first; equal times by the number of the contact.
            self.pending.sort_unstable_by(|a, b| b.0.to_f64().total_cmp(&a.0.to_f64()).then(a.1.cmp(&b.1)));
            if self.settings.injection.is_some() {
                self.inject_order();
            }
            for turn in 0..self.pending.len() {
                let number = self.pending[turn].1;
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
                let acceleration = self.normal_acceleration(contact);
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

    fn pair(&self, contact: &Contact<R>) -> Pair<R> {
        Pair {
            motion: contact.bodies.map(|body| self.bodies.motion[body]),
            inverse: contact.bodies.map(|body| self.bodies.inverse[body]),
        }
    }

    /// Relative acceleration along the normal over the last step, apart being positive.
    fn normal_acceleration(&self, contact: &Contact<R>) -> R {
        self.normal_acceleration_along(contact, contact.normal)
    }

    fn normal_acceleration_along(&self, contact: &Contact<R>, normal: Vec2<R>) -> R {
        let [a, b] = contact.bodies.map(|body| self.bodies.acceleration[body].linear);
        (b - a).dot(normal)
    }

    /// Where a body was, going back along its present motion.
    fn pose_before(&self, body: usize, since: R) -> Pose<R> {
        if !self.bodies.travels(body) {
            return self.bodies.pose(body);
        }
        let (motion, acceleration) = (self.bodies.motion[body], self.bodies.acceleration[body]);
        let way = motion.minus(acceleration.scaled(R::HALF * since)).scaled(since);
        let angle = self.bodies.angle[body];
        Pose {
            position: self.bodies.position[body] - way.linear,
            rotation: if way.spin == R::ZERO { self.bodies.axes[body] } else { Rotation::by(angle - way.spin) },
        }
    }

    /// The first touch of what overlaps now, by Newton's method from an estimate of its time. Nothing when the bodies overlapped a whole step
    /// ago, or touched with other features than now: then the present geometry is the better one, since it is known to be no inner face.
    fn first_touch(&self, contact: &Contact<R>, estimate: R, dt: R) -> Option<FirstTouch<R>> {
        let pieces = [contact.pieces.0, contact.pieces.1].map(|piece| &self.bodies.pieces[piece as usize]);
        let accuracy = R::of(4.0) * R::EPSILON * contact.size;
        let mut since = estimate;
        let mut best: Option<(R, FirstTouch<R>)> = None;
        for _ in 0..FIRST_TOUCH_STEPS {
            let poses = contact.bodies.map(|body| self.pose_before(body, since));
            let manifold = collide_pieces(pieces[0], &poses[0], pieces[1], &poses[1], contact.size);
            let known = |feature: u32| contact.points().iter().position(|point| point.feature == feature);
            let gap = manifold
                .points()
                .iter()
                .filter(|point| known(point.feature).is_some())
                .map(|point| point.gap)
                .reduce(R::min)?;
            if best.as_ref().is_none_or(|(smallest, _)| gap.abs() < *smallest) {
                let mut found = FirstTouch {
                    since,
                    normal: manifold.normal,
                    points: [(0, Vec2::ZERO, [Vec2::ZERO; 2]); 2],
                    count: 0,
                };
                for point in manifold.points().iter().filter(|point| point.gap - gap <= self.touch * contact.size) {
                    if let Some(index) = known(point.feature) {
                        let arms = poses.map(|pose| point.position - pose.position);
                        found.points[found.count] = (index, point.position, arms);
                        found.count += 1;
                    }
                }
                best = Some((gap.abs(), found));
            }
            let (_, found) = best.as_ref()?;
            if gap.abs() <= accuracy {
                return Some(*found);
            }
            let pair = self.pair(contact);
            let closing = self.normal_acceleration_along(contact, manifold.normal) * since
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

    /// From where each centre was at the time of the impact to where the point was: with these the angular momentum is kept when
    /// the bodies are then moved on.
    fn arms_then(&self, contact: &Contact<R>, point: usize, since: R) -> [Vec2<R>; 2] {
        let moving = contact.bodies.map(|body| self.bodies.travels(body));
        arms_at_push(contact.bodies, self.arms_now(contact, point), &self.bodies.motion, moving, -since)
    }

    /// The same as a first touch, by the present points and normal.
    fn touch_by_present(&self, contact: &Contact<R>, since: R) -> FirstTouch<R> {
        let mut found =
            FirstTouch { since, normal: contact.normal, points: [(0, Vec2::ZERO, [Vec2::ZERO; 2]); 2], count: 0 };
        let touching = contact.points().iter().enumerate().filter(|(_, point)| self.touches(contact, point.gap));
        for (index, point) in touching {
            found.points[found.count] = (index, point.position, self.arms_then(contact, index, since));
            found.count += 1;
        }
        found
    }

    /// From where each centre is now, after earlier impacts have moved it, to the point.
    fn arms_now(&self, contact: &Contact<R>, point: usize) -> [Vec2<R>; 2] {
        contact.bodies.map(|body| contact.points[point].position - self.bodies.position[body])
    }

    fn apply_impact(&mut self, number: usize, since: R, rest_speed: R, dt: R) {
        let contact = self.contacts.list[number];
        let touch = self.first_touch(&contact, since, dt).unwrap_or_else(|| self.touch_by_present(&contact, since));
        let since = touch.since;
        let touched = &touch.points[..touch.count];
        let acceleration = self.normal_acceleration_along(&contact, touch.normal);
        let mut pair = self.pair(&contact);
        let mut targets = [Target { arms: [Vec2::ZERO; 2], wanted: R::ZERO }; 2];
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
        if self.settings.injection.is_some() {
            self.inject_into_impact(&mut pair.motion, before);
        }
        for (k, &body) in contact.bodies.iter().enumerate() {
            if self.bodies.inverse[body].moves() {
                let shift = pair.motion[k].minus(before[k]).scaled(shift_time);
                self.bodies.motion[body] = pair.motion[k];
                self.bodies.place(
                    body,
                    self.bodies.position[body] + shift.linear,
                    self.bodies.angle[body] + shift.spin,
                );
            }
        }
        for (k, point) in self.contacts.list[number].points[..contact.count].iter_mut().enumerate() {
            point.gap += (pair.relative(point.arms).dot(contact.normal) - speeds[k]) * shift_time;
        }
        for (&(index, point, _), impulse) in touched.iter().zip(pressed) {
            self.hit_now.push(Impact {
                bodies: contact.bodies,
                point,
                normal: touch.normal,
                gap: self.contacts.list[number].points[index].gap,
                impulse,
                times: 1,
            });
        }
    }
}
