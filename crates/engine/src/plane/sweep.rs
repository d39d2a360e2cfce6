//! Swept collision: bodies fly from impact to impact within a step.
//!
//! Source: Mirtich, "Impulse-based Dynamic Simulation" (1996), chapter 2 (conservative advancement along the
//! direction that separates two convex bodies).

use crate::common::injection::InjectionPoint;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use crate::common::tolerance::{ADVANCES, IMPACTS_IN_A_STEP, IMPACTS_WITHOUT_PROGRESS, SLOP};
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::impact::{Pair, Target};
use crate::plane::inner::is_level;
use crate::plane::narrow::collide;
use crate::plane::narrow::gap_between;
use crate::plane::rooms::{Rooms, overlap};
use crate::plane::shape::Piece;
use crate::plane::vector::{Pose, Rotation, Vec2};
use ironspin_model::BodyKind;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Flight of one body under constant acceleration, from its last impact on.
#[derive(Clone, Copy, Debug)]
struct Flight<R> {
    /// Time within the step at which it began.
    since: R,
    position: Vec2<R>,
    angle: R,
    /// Turned by the angle.
    axes: Rotation<R>,
    motion: Motion<R>,
    acceleration: Motion<R>,
    /// The body stays where it is for the rest of the step.
    held: bool,
    /// Counts impacts; an event made before the last impact is void.
    impacts: u32,
}

impl<R: Real> Flight<R> {
    fn motion_at(&self, time: R) -> Motion<R> {
        self.motion.plus(self.acceleration.scaled(time - self.since))
    }

    fn place_at(&self, time: R) -> (Vec2<R>, R) {
        if self.held {
            return (self.position, self.angle);
        }
        let span = time - self.since;
        let mean = self.motion.plus(self.acceleration.scaled(R::HALF * span)).scaled(span);
        (self.position + mean.linear, self.angle + mean.spin)
    }

    /// Motion as far as positions go.
    fn visible_at(&self, time: R) -> Motion<R> {
        if self.held { Motion::default() } else { self.motion_at(time) }
    }

    /// A rectangle that holds everything within `reach` of the centre until the end of the step: lower and upper corner.
    fn room(&self, reach: R, dt: R) -> [Vec2<R>; 2] {
        let (from, to) = (self.position, self.place_at(dt).0);
        let span = dt - self.since;
        // A parabola leaves its chord by an eighth of the acceleration times the square of the time at most.
        let bend = if self.held { Vec2::ZERO } else { self.acceleration.linear * (span * span * R::of(0.125)) };
        let wide = reach * R::of(1.001);
        let side = |a: R, b: R, bend: R| (a.min(b) - bend.abs() - wide, a.max(b) + bend.abs() + wide);
        let (left, right) = side(from.x, to.x, bend.x);
        let (bottom, top) = side(from.y, to.y, bend.y);
        [Vec2::new(left, bottom), Vec2::new(right, top)]
    }

    fn pose_at(&self, time: R) -> Pose<R> {
        let (position, angle) = self.place_at(time);
        Pose { position, rotation: if angle == self.angle { self.axes } else { Rotation::by(angle) } }
    }

    /// Only for faults.
    fn without_turning(&self) -> Self {
        let mut still = *self;
        (still.motion.spin, still.acceleration.spin) = (R::ZERO, R::ZERO);
        still
    }

    /// Whether the body turns before the step ends.
    fn turns(&self) -> bool {
        self.motion.spin != R::ZERO || self.acceleration.spin != R::ZERO
    }
}

/// When two pieces nearly touch, and when they were still apart (the same time where they never were).
#[derive(Clone, Copy, Debug)]
struct Meeting<R> {
    apart: R,
    time: R,
}

/// A pair of pieces that will touch. Ordered by time, then by pieces.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Event {
    time: f64,
    apart: f64,
    pieces: (usize, usize),
    impacts: [u32; 2],
}

impl Eq for Event {}

impl PartialOrd for Event {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Event {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.time.total_cmp(&other.time).then(self.pieces.cmp(&other.pieces)).then(self.impacts.cmp(&other.impacts))
    }
}

/// One impact that was applied, for the record.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Impact<R> {
    pub(crate) bodies: [usize; 2],
    pub(crate) point: Vec2<R>,
    pub(crate) normal: Vec2<R>,
    pub(crate) gap: R,
    pub(crate) impulse: R,
    /// Impacts that this stands for.
    pub(crate) times: u64,
}

/// What the sweep needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SweepNumbers<R> {
    pub(crate) dt: R,
    /// Approach speed below which nothing bounces.
    pub(crate) rest_speed: R,
    /// Gap that counts as touching, as a share of size.
    pub(crate) touch: R,
}

/// Only for faults: what a sweep does not see.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Blind<R> {
    /// What can move.
    Movers,
    /// That bodies turn.
    Turning,
    /// What is thinner.
    Thin(R),
    /// Every tenth pair.
    Tenth,
}

impl<R: Real> Blind<R> {
    pub(crate) fn of(settings: &Settings) -> Option<Self> {
        let blind = |slip, blind: fn(f64) -> Self| settings.injected(slip).map(blind);
        blind(InjectionPoint::SweptStandingOnly, |_| Blind::Movers)
            .or_else(|| blind(InjectionPoint::SweptNoTurning, |_| Blind::Turning))
            .or_else(|| blind(InjectionPoint::PairsLost, |_| Blind::Tenth))
            .or_else(|| blind(InjectionPoint::SweptNotThin, |thickness| Blind::Thin(R::of(thickness))))
    }
}

/// Sweeper that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sweeper<R> {
    pub(crate) blind: Option<Blind<R>>,
    /// Only for faults: what an impact changes is changed this much more.
    pub(crate) impact_twice: Option<R>,
    flights: Vec<Flight<R>>,
    queue: BinaryHeap<Reverse<Event>>,
    stalled: Vec<u32>,
    rooms: Rooms<R>,
    /// Who may be where a body is.
    beside: Vec<u32>,
}

/// Only for faults.
fn is_unseen<R: Real>(blind: Blind<R>, bodies: &Bodies<R>, body: usize, other: usize) -> bool {
    match blind {
        Blind::Movers => bodies.traits[other].kind != BodyKind::Static,
        Blind::Turning => false,
        Blind::Tenth => (bodies.pieces_of[body].start + bodies.pieces_of[other].start) % 10 == 1,
        Blind::Thin(thickness) => bodies.pieces_of[other].clone().all(|piece| bodies.pieces[piece].size < thickness),
    }
}

/// Steps of Newton's method from a time near a first touch to it.
const TOUCH_STEPS: u32 = 4;

/// When two pieces that are nearly touching at a time, or have just met, touch, after a time at which they were apart (the same one where they
/// never were) and before an end: so that the impact acts along the line at which they touch, and does not hang on the steps by which it was
/// found.
fn first_touch<R: Real>(pieces: [&Piece<R>; 2], flights: [&Flight<R>; 2], [apart, near, end]: [R; 3]) -> R {
    let mut time = near;
    for _ in 0..TOUCH_STEPS {
        let poses = flights.map(|flight| flight.pose_at(time));
        let found = gap_between(pieces[0], &poses[0], pieces[1], &poses[1]);
        let at = |side: usize| flights[side].visible_at(time).at(found.point - poses[side].position);
        let closing = (at(0) - at(1)).dot(found.normal);
        if !(closing > R::ZERO) {
            break;
        }
        let next = (time + found.gap / closing).held(apart, end);
        if next == time {
            break;
        }
        time = next;
    }
    time
}

impl<R: Real> Sweeper<R> {
    /// Moves every body through the step. Bodies for which `swept` is true stop and bounce at what they meet; others are
    /// met by them but do not look out themselves. `start` holds the velocities at the start of the step and
    /// `bodies.motion` those at its end.
    pub(crate) fn run(
        &mut self,
        bodies: &mut Bodies<R>,
        start: &[Motion<R>],
        swept: &[bool],
        mixed: &Mixed<R>,
        step: SweepNumbers<R>,
        impacts: &mut Vec<Impact<R>>,
    ) {
        self.flights.clear();
        self.queue.clear();
        self.stalled.clear();
        self.stalled.resize(bodies.len(), 0);
        for (body, &motion) in start.iter().enumerate() {
            self.flights.push(Flight {
                since: R::ZERO,
                position: bodies.position[body],
                angle: bodies.angle[body],
                axes: bodies.axes[body],
                motion,
                acceleration: bodies.motion[body].minus(motion).scaled(R::ONE / step.dt),
                held: false,
                impacts: 0,
            });
        }
        let rooms = self.flights.iter().zip(&bodies.reach).map(|(flight, &reach)| flight.room(reach, step.dt));
        self.rooms.begin(bodies, rooms);
        for body in (0..bodies.len()).filter(|&body| swept[body]) {
            self.look_out(bodies, body, step, &|other| !swept[other] || other > body);
        }
        while let Some(Reverse(event)) = self.queue.pop() {
            let pair = [bodies.pieces[event.pieces.0].body, bodies.pieces[event.pieces.1].body];
            if pair.map(|body| self.flights[body].impacts) != event.impacts {
                continue;
            }
            self.collide(bodies, event, mixed, step, impacts);
            let [a, b] = pair;
            for body in pair.into_iter().filter(|&body| bodies.inverse[body].moves()) {
                self.rooms.set(body, self.flights[body].room(bodies.reach[body], step.dt));
            }
            for body in pair.into_iter().filter(|&body| bodies.inverse[body].moves()) {
                let other = if body == a { b } else { a };
                // The pair itself is looked at once.
                let wanted = |candidate: usize| {
                    (swept[body] || swept[candidate]) && (candidate != other || body == a || !bodies.inverse[a].moves())
                };
                self.look_out(bodies, body, step, &wanted);
            }
        }
        for (body, flight) in self.flights.iter().enumerate() {
            if bodies.travels(body) {
                let (position, angle) = flight.place_at(step.dt);
                bodies.place(body, position, angle);
                bodies.motion[body] = flight.motion_at(step.dt);
            }
        }
    }

    /// Queues the next meeting of `body` with each other body that is `wanted`.
    fn look_out(&mut self, bodies: &Bodies<R>, body: usize, step: SweepNumbers<R>, wanted: &dyn Fn(usize) -> bool) {
        let mut beside = std::mem::take(&mut self.beside);
        self.rooms.beside(body, &mut beside);
        for other in beside.iter().map(|&other| other as usize) {
            if !wanted(other) || !bodies.may_meet(body, other) {
                continue;
            }
            if !self.within_reach(bodies, body, other, step.dt) {
                continue;
            }
            if self.blind.is_some_and(|blind| is_unseen(blind, bodies, body, other)) {
                continue;
            }
            for mine in bodies.pieces_of[body].clone() {
                for theirs in bodies.pieces_of[other].clone() {
                    let pieces = (mine.min(theirs), mine.max(theirs));
                    let inner = |time: R| self.is_inner(bodies, &beside, pieces, time);
                    if let Some(Meeting { apart, time }) =
                        self.meeting(bodies, pieces, step).filter(|meeting| !inner(meeting.time))
                    {
                        let pair = [bodies.pieces[pieces.0].body, bodies.pieces[pieces.1].body];
                        let impacts = pair.map(|body| self.flights[body].impacts);
                        self.queue.push(Reverse(Event { time: time.to_f64(), apart: apart.to_f64(), pieces, impacts }));
                    }
                }
            }
        }
        self.beside = beside;
    }

    /// Whether two pieces, of which one belongs to a body that has others beside it, meet at an inner face of what nothing can push.
    fn is_inner(&self, bodies: &Bodies<R>, beside: &[u32], pieces: (usize, usize), time: R) -> bool {
        let still = |piece: usize| !bodies.inverse[bodies.pieces[piece].body].moves();
        let (own, other) = match (still(pieces.0), still(pieces.1)) {
            (true, false) => (pieces.1, pieces.0),
            (false, true) => (pieces.0, pieces.1),
            _ => return false,
        };
        let (mover, piece) = (&bodies.pieces[own], &bodies.pieces[other]);
        let pose = self.flights[piece.body].pose_at(time);
        let found = gap_between(piece, &pose, mover, &self.flights[mover.body].pose_at(time));
        let slop = R::of(SLOP) * mover.size.min(piece.size);
        let surface = found.point - found.normal * (found.gap * R::HALF);
        let room = self.rooms.of(mover.body);
        let still = |body: usize| !bodies.inverse[body].moves() && bodies.may_meet(mover.body, body);
        beside.iter().map(|&body| body as usize).filter(|&body| still(body)).any(|body| {
            overlap(&self.rooms.of(body), &room)
                && bodies.pieces_of[body].clone().filter(|&beside| beside != other).any(|beside| {
                    let beside = (&bodies.pieces[beside], &self.flights[body].pose_at(time));
                    is_level(surface, found.normal, slop, (piece, &pose), beside, None)
                })
        })
    }

    /// Whether two bodies can touch before the step ends: the discs that hold them move no further than their speeds.
    fn within_reach(&self, bodies: &Bodies<R>, a: usize, b: usize, dt: R) -> bool {
        let (one, other) = (&self.flights[a], &self.flights[b]);
        let from = one.since.max(other.since);
        let between = other.place_at(from).0 - one.place_at(from).0;
        let closing = |time: R| (other.visible_at(time).linear - one.visible_at(time).linear).length();
        let travel = closing(from).max(closing(dt)) * (dt - from);
        let reach = bodies.reach[a] + bodies.reach[b];
        // A reach that is infinite (a half-plane) makes the comparison true.
        between.length() <= (reach + travel) * R::of(1.001)
    }

    /// The time at which two pieces touch while approaching, by conservative advancement.
    fn meeting(&self, bodies: &Bodies<R>, pieces: (usize, usize), step: SweepNumbers<R>) -> Option<Meeting<R>> {
        let (first, second) = (&bodies.pieces[pieces.0], &bodies.pieces[pieces.1]);
        let spoilt;
        let (mut one, mut other) = (&self.flights[first.body], &self.flights[second.body]);
        if self.blind == Some(Blind::Turning) {
            spoilt = [one.without_turning(), other.without_turning()];
            [one, other] = [&spoilt[0], &spoilt[1]];
        }
        // A body that is held for the rest of the step, and one that nothing can push, have no more to say to each other.
        let done = |body: usize, flight: &Flight<R>| flight.held || !bodies.inverse[body].moves();
        if done(first.body, one) && done(second.body, other) {
            return None;
        }
        let touch = step.touch * first.size.min(second.size);
        // What would sink in by less than a resting contact is left to the resting solver of the next step. Without this a
        // pile of swept bodies would settle by endless tiny impacts.
        let shallow = R::HALF * R::of(SLOP) * first.size.min(second.size);
        // What is round about its centre does not come nearer by turning.
        let arms = [first.arm(), second.arm()];
        let turns = (one.turns() && arms[0] > R::ZERO) || (other.turns() && arms[1] > R::ZERO);
        let mut time = one.since.max(other.since);
        let mut apart = None;
        for _ in 0..ADVANCES {
            let (at, bt) = (one.pose_at(time), other.pose_at(time));
            let found = gap_between(first, &at, second, &bt);
            // Upper bound of the speed at which the gap along this direction closes until the end of the step.
            let closing_at = |when: R| {
                let (a, b) = (one.visible_at(when), other.visible_at(when));
                let turning = |motion: Motion<R>, reach: R| {
                    if motion.spin == R::ZERO { R::ZERO } else { motion.spin.abs() * reach }
                };
                (a.linear - b.linear).dot(found.normal) + turning(a, arms[0]) + turning(b, arms[1])
            };
            let closing = closing_at(time).max(closing_at(step.dt));
            if !(closing > R::ZERO) {
                return None;
            }
            if found.gap <= touch {
                let arms = [found.point - at.position, found.point - bt.position];
                let now = (one.visible_at(time).at(arms[0]) - other.visible_at(time).at(arms[1])).dot(found.normal);
                let left = step.dt - time;
                if now > R::ZERO && now * left > shallow {
                    return Some(Meeting { apart: apart.unwrap_or(time), time });
                }
                if closing * left <= shallow {
                    return None;
                }
            }
            if found.gap > touch {
                apart = Some(time);
            }
            // Bodies that turn are approached by a bound that is never met; there the last bit of the way is taken in steps of
            // what may sink in anyhow.
            let least = if turns || found.gap <= touch { shallow * R::HALF } else { touch * R::HALF };
            let advance = (found.gap - touch * R::HALF).max(least) / closing;
            let next = time + advance;
            if !(next < step.dt) {
                return None;
            }
            if next == time {
                break;
            }
            time = next;
        }
        Some(Meeting { apart: apart.unwrap_or(time), time })
    }

    /// Ends two flights in an impact and begins new ones.
    fn collide(
        &mut self,
        bodies: &Bodies<R>,
        event: Event,
        mixed: &Mixed<R>,
        step: SweepNumbers<R>,
        impacts: &mut Vec<Impact<R>>,
    ) {
        let (first, second) = (&bodies.pieces[event.pieces.0], &bodies.pieces[event.pieces.1]);
        let pair = [first.body, second.body];
        let flights = pair.map(|body| &self.flights[body]);
        let time = first_touch([first, second], flights, [R::of(event.apart), R::of(event.time), step.dt]);
        let size = first.size.min(second.size);
        let (friction, restitution) = mixed.of(first.material, second.material);
        // What nothing can push flies on as it did: its other meetings stay true.
        let pushed = || pair.into_iter().filter(|&body| bodies.inverse[body].moves());
        let progress = pushed().any(|body| time - self.flights[body].since > R::INSTANT * step.dt);
        for body in pushed() {
            let flight = &mut self.flights[body];
            let Pose { position, rotation: axes } = flight.pose_at(time);
            let angle = flight.place_at(time).1;
            let motion = flight.motion_at(time);
            *flight = Flight { since: time, position, angle, axes, motion, impacts: flight.impacts + 1, ..*flight };
            self.stalled[body] = if progress { 0 } else { self.stalled[body] + 1 };
        }
        let poses = pair.map(|body| self.flights[body].pose_at(time));
        let mut manifold = collide(first, &poses[0], second, &poses[1], R::of(4.0) * step.touch * size);
        if manifold.count == 0 {
            // Corner to corner, where no face is near: the nearest points make the contact.
            let found = gap_between(first, &poses[0], second, &poses[1]);
            manifold.normal = found.normal;
            manifold.points[0].position = found.point;
            manifold.points[0].gap = found.gap;
            manifold.count = 1;
        }
        let normal = manifold.normal;
        let mut hit =
            Pair { motion: pair.map(|body| self.flights[body].motion), inverse: pair.map(|body| bodies.inverse[body]) };
        let mut targets = [Target { arms: [Vec2::ZERO; 2], wanted: R::ZERO }; 2];
        for (target, point) in targets.iter_mut().zip(manifold.points()) {
            target.arms = [point.position - poses[0].position, point.position - poses[1].position];
            let approach = -hit.relative(target.arms).dot(normal);
            if approach > step.rest_speed {
                target.wanted = restitution * approach;
            }
        }
        let targets = &targets[..manifold.count];
        let before = hit.motion;
        let pressed = hit.collide(normal, targets, friction);
        if let Some(more) = self.impact_twice {
            for (now, before) in hit.motion.iter_mut().zip(before) {
                *now = now.plus(now.minus(before).scaled(more));
            }
        }
        for (point, impulse) in manifold.points().iter().zip(pressed) {
            impacts.push(Impact { bodies: pair, point: point.position, normal, gap: point.gap, impulse, times: 1 });
        }
        for (body, motion) in pair.into_iter().zip(hit.motion) {
            if bodies.inverse[body].moves() {
                self.flights[body].motion = motion;
            }
        }
        if targets.iter().all(|target| hit.relative(target.arms).dot(normal) <= step.rest_speed) {
            self.rest(bodies, pair, normal);
        }
        for body in pair.into_iter().filter(|&body| bodies.inverse[body].moves()) {
            let flight = &mut self.flights[body];
            flight.held |= self.stalled[body] >= IMPACTS_WITHOUT_PROGRESS || flight.impacts >= IMPACTS_IN_A_STEP;
        }
    }

    /// Two bodies that no longer bounce do not press into each other for the rest of the step.
    fn rest(&mut self, bodies: &Bodies<R>, pair: [usize; 2], normal: Vec2<R>) {
        let [a, b] = pair;
        let pressing = (self.flights[a].acceleration.linear - self.flights[b].acceleration.linear).dot(normal);
        let shared = bodies.inverse[a].mass + bodies.inverse[b].mass;
        if pressing > R::ZERO {
            let push = normal * (pressing / shared);
            self.flights[a].acceleration.linear -= push * bodies.inverse[a].mass;
            self.flights[b].acceleration.linear += push * bodies.inverse[b].mass;
        }
    }
}
