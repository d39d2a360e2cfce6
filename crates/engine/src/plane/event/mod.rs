//! From impact to impact, each at its exact time: discs and axis-aligned boxes that do not turn, which may come to rest on what never moves.
//!
//! Source: Alder and Wainwright, "Studies in Molecular Dynamics" (1959) for the method; Lubachevsky, "How to simulate billiards
//! and similar systems" (1991) for one next event a body, of which the earliest is found by a tournament.

mod resting;

use crate::common::mixed::Mixed;
use crate::common::settings::Settings;
use crate::plane::bodies::{Bodies, Inverse, Motion};
use crate::plane::impact::{Pair, Target};
use crate::plane::shape::Form;
use crate::plane::sweep::Impact;
use crate::plane::touching::{Outline, Relative, time_to_touch};
use crate::plane::tournament::{Next, Tournament};
use crate::plane::vector::Vec2;
use ironspin_model::{BodyKind, Effect, EngineError, World};
use resting::Rest;
use std::ops::Range;

/// Impacts of a body without progress in time before it is taken to rest.
const IMPACTS_WITHOUT_PROGRESS: u32 = 200;

/// Times that differ by less are the same instant.
const PROGRESS: f64 = 1.0 + 2.0 * f64::EPSILON;

/// An impact with less than this share of the relative speed along the normal is a touch in passing, which changes nothing.
const GRAZING: f64 = 1e-12;

/// By what share of the size of a body it must come nearer to another that it has touched in passing before they touch again.
const NEARER: f64 = 1e-13;

/// A body between two impacts: a parabola from its last one.
#[derive(Clone, Copy, Debug)]
struct Flight {
    since: f64,
    position: Vec2<f64>,
    angle: f64,
    motion: Motion<f64>,
    fall: Vec2<f64>,
    /// Acceleration of the spin.
    turn: f64,
}

impl Flight {
    #[inline]
    fn at(&self, time: f64) -> Flight {
        let span = time - self.since;
        let linear = self.motion.linear + self.fall * span;
        let spin = self.motion.spin + self.turn * span;
        Flight {
            since: time,
            position: self.position + (self.motion.linear + linear) * (0.5 * span),
            angle: self.angle + (self.motion.spin + spin) * (0.5 * span),
            motion: Motion { linear, spin },
            ..*self
        }
    }
}

/// All that an impact asks of a body, in one place of memory.
#[derive(Clone, Copy, Debug)]
struct Flyer {
    flight: Flight,
    outline: Outline,
    inverse: Inverse<f64>,
    material: u32,
    /// Impacts without progress in time.
    stalled: u32,
    /// Its number in the tournament, which is its place among the movers.
    rank: u32,
    moves: bool,
}

impl Flyer {
    /// A little smaller all round.
    fn shrunk(&self) -> Flyer {
        let outline = match self.outline {
            Outline::Disc(radius) => Outline::Disc(radius * (1.0 - NEARER)),
            Outline::Box(half) => Outline::Box(half * (1.0 - NEARER)),
            Outline::HalfPlane { .. } => self.outline,
        };
        Flyer { outline, ..*self }
    }

    /// Goes on to an impact; says no when the body has come to rest.
    #[inline]
    fn reaches(&mut self, time: f64) -> bool {
        self.stalled = if time > self.flight.since * PROGRESS { 0 } else { self.stalled + 1 };
        if self.moves {
            self.flight = self.flight.at(time);
        }
        !self.moves || self.stalled <= IMPACTS_WITHOUT_PROGRESS
    }
}

/// Runs of one list of bodies, one run a body.
#[derive(Clone, Debug, Default)]
struct Runs {
    list: Vec<u32>,
    ends: Vec<u32>,
}

impl Runs {
    fn push(&mut self, run: impl Iterator<Item = u32>) {
        self.list.extend(run);
        self.ends.push(self.list.len() as u32);
    }

    #[inline]
    fn of(&self, body: usize) -> Range<usize> {
        let from = if body > 0 { self.ends[body - 1] } else { 0 };
        from as usize..self.ends[body] as usize
    }
}

/// A world that goes from impact to impact.
#[derive(Clone, Debug)]
pub(crate) struct EventWorld {
    pub(crate) bodies: Bodies<f64>,
    mixed: Mixed<f64>,
    flyers: Vec<Flyer>,
    movers: Vec<usize>,
    calendar: Tournament,
    /// Whom each body may meet and whose meetings it keeps: movers after it in the list, and all that nothing pushes.
    ahead: Runs,
    /// Movers before it in the list, which keep their meetings with it.
    behind: Runs,
    /// What each body lies on.
    rests: Vec<Rest>,
    now: f64,
    /// Impacts done since the start.
    pub(crate) impacts: u64,
    pub(crate) record: Vec<Impact<f64>>,
}

fn unsupported(what: &str) -> EngineError {
    EngineError::Unsupported { feature: format!("solver=event for {what}") }
}

impl EventWorld {
    /// # Errors
    /// [`EngineError::BadWorld`] as any other solver, [`EngineError::Unsupported`] for bodies that may turn without being discs,
    /// joints, damping, compounds and kinematic bodies.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Self, EngineError> {
        let bodies = Bodies::new(world)?;
        if !world.joints.is_empty() {
            return Err(unsupported("joints"));
        }
        if !bodies.sensors.is_empty() {
            return Err(unsupported("sensors"));
        }
        let lasting = |effect: &Effect| matches!(effect, Effect::Force { .. } | Effect::Torque(_) | Effect::Split(_));
        if world.actions.iter().any(|action| lasting(&action.effect)) {
            return Err(unsupported("forces, torques and splits"));
        }
        let movers: Vec<usize> = (0..bodies.len()).filter(|&body| bodies.inverse[body].moves()).collect();
        let mut flyers = Vec::new();
        for body in 0..bodies.len() {
            flyers.push(Flyer {
                flight: flight(&bodies, body, 0.0),
                outline: outline(&bodies, body)?,
                inverse: bodies.inverse[body],
                material: bodies.pieces[bodies.pieces_of[body].start].material as u32,
                stalled: 0,
                rank: movers.partition_point(|&mover| mover < body) as u32,
                moves: bodies.inverse[body].moves(),
            });
        }
        let mut world = EventWorld {
            mixed: Mixed::new(world, settings),
            calendar: Tournament::new(movers.len()),
            ahead: Runs::default(),
            behind: Runs::default(),
            rests: vec![Rest::NONE; bodies.len()],
            movers,
            now: 0.0,
            impacts: 0,
            record: Vec::new(),
            flyers,
            bodies,
        };
        world.note_partners();
        world.predict_all();
        Ok(world)
    }

    fn note_partners(&mut self) {
        let count = self.bodies.len();
        let (bodies, flyers) = (&self.bodies, &self.flyers);
        let may = |body: usize, other: usize| {
            let there = bodies.present[body] && bodies.present[other];
            flyers[body].moves && there && bodies.could_meet(body, other)
        };
        (self.ahead, self.behind) = (Runs::default(), Runs::default());
        for body in 0..count {
            let ahead = (0..count).filter(|&other| (other > body || !flyers[other].moves) && may(body, other));
            self.ahead.push(ahead.map(|other| other as u32));
            let behind = (0..body).filter(|&other| flyers[other].moves && may(body, other));
            self.behind.push(behind.map(|other| other as u32));
        }
    }

    fn predict_all(&mut self) {
        for index in 0..self.movers.len() {
            self.predict(self.movers[index], self.movers[index], false);
        }
    }

    /// Finds the next impact of a body, whose flight begins now, with those whose meetings it keeps: bodies after it in the list, and all
    /// that nothing pushes. With the one it has just hit there is none without acceleration: they part.
    #[inline(always)]
    fn predict(&mut self, body: usize, hit: usize, grazed: bool) {
        let here = &self.flyers[body];
        let rest = &self.rests[body];
        // What it does by itself stands in the calendar with itself for a partner.
        let mut best = Next { time: rest.until, partner: body as u32 };
        for &other in &self.ahead.list[self.ahead.of(body)] {
            let partner = &self.flyers[other as usize];
            if other as usize == hit && partner.flight.fall == here.flight.fall {
                continue;
            }
            if rest.lies_on(other) {
                continue;
            }
            let time = if grazed && other as usize == hit {
                self.meeting(&here.shrunk(), partner)
            } else {
                self.meeting(here, partner)
            };
            if time < best.time {
                best = Next { time, partner: other };
            }
        }
        let rank = here.rank;
        self.calendar.enter(rank, best);
    }

    /// Tells those before a body in the list, which keep their meetings with it, that its way has changed.
    #[inline(always)]
    fn tell(&mut self, body: usize, also: usize) {
        for index in self.behind.of(body) {
            let other = self.behind.list[index] as usize;
            if other == also {
                continue;
            }
            let partner = &self.flyers[other];
            let next = self.calendar.next(partner.rank);
            if next.partner as usize == body {
                self.predict_later(other);
                continue;
            }
            let time = self.meeting(&self.flyers[body], partner);
            if time < next.time {
                let rank = partner.rank;
                self.calendar.enter(rank, Next { time, partner: body as u32 });
            }
        }
    }

    /// A body in flight whose partner was hit by another looks for its next impact anew. Its own flight goes on as it began, so
    /// that the roundings of its way do not hang on how often others are hit.
    fn predict_later(&mut self, body: usize) {
        let flight = self.flyers[body].flight;
        self.flyers[body].flight = flight.at(self.now);
        self.predict(body, body, false);
        self.flyers[body].flight = flight;
    }

    /// When a body that is `here` now will meet another.
    #[inline(always)]
    fn meeting(&self, here: &Flyer, other: &Flyer) -> f64 {
        let flight = &other.flight;
        let (mut position, mut velocity) = (flight.position, flight.motion.linear);
        if other.moves {
            let span = self.now - flight.since;
            // As `Flight::at`, without what is not asked for.
            let then = velocity + flight.fall * span;
            position += (velocity + then) * (0.5 * span);
            velocity = then;
        }
        let relative = Relative {
            place: position - here.flight.position,
            speed: velocity - here.flight.motion.linear,
            pull: flight.fall - here.flight.fall,
        };
        self.now + time_to_touch(&here.outline, &other.outline, &relative)
    }

    pub(crate) fn act(&mut self, body: usize, effect: &Effect) {
        self.land();
        let inverse = self.bodies.inverse[body];
        let flat = |v: &ironspin_model::DVec3| Vec2::of(v.truncate());
        match effect {
            Effect::Impulse { impulse, point } => {
                let arm = point.map_or(Vec2::ZERO, |point| flat(&point) - self.bodies.position[body]);
                self.bodies.motion[body] = self.bodies.motion[body].plus(inverse.kick(arm, flat(impulse)));
            }
            Effect::Velocity(velocity) => self.bodies.motion[body].linear = flat(velocity),
            Effect::Spin(spin) => self.bodies.motion[body].spin = spin.z,
            Effect::Place(pose) => self.bodies.place(body, flat(&pose.position), pose.angle),
            Effect::Remove => self.bodies.present[body] = false,
            Effect::Add => self.bodies.present[body] = true,
            Effect::Gravity(gravity) => self.bodies.set_gravity(flat(gravity)),
            // Of nodes, which this solver does not know.
            Effect::Shift(_) | Effect::Hold(_) => {}
            // Refused when the world was built.
            Effect::Force { .. } | Effect::Torque(_) | Effect::Split(_) => {}
        }
        self.take_off();
    }

    /// Writes the flights into the bodies.
    fn land(&mut self) {
        // What is not there stays as it is until it comes.
        for &body in &self.movers {
            if !self.bodies.present[body] {
                continue;
            }
            let flight = self.flyers[body].flight.at(self.now);
            self.bodies.place(body, flight.position, flight.angle);
            self.bodies.motion[body] = flight.motion;
        }
    }

    /// Begins all flights anew from the bodies.
    fn take_off(&mut self) {
        self.note_partners();
        self.rests.fill(Rest::NONE);
        for body in 0..self.bodies.len() {
            self.flyers[body].flight = flight(&self.bodies, body, self.now);
        }
        self.predict_all();
    }

    /// # Errors
    /// [`EngineError::Unsupported`] when bodies come to rest on others that move.
    pub(crate) fn step(&mut self, dt: f64) -> Result<(), EngineError> {
        self.record.clear();
        if !(dt > 0.0) {
            return Ok(());
        }
        let end = self.now + dt;
        loop {
            let (rank, next) = self.calendar.earliest();
            if !(next.time <= end) {
                break;
            }
            let body = self.movers[rank as usize];
            if next.partner as usize == body {
                self.change_by_itself(body, next.time)?;
            } else {
                self.collide(body, next.partner as usize, next.time)?;
            }
        }
        self.now = end;
        self.note_resting(dt);
        self.land();
        Ok(())
    }

    fn collide(&mut self, a: usize, b: usize, time: f64) -> Result<(), EngineError> {
        let (a, b) = (a.min(b), a.max(b));
        self.impacts += 1;
        self.now = self.now.max(time);
        let (first, rest) = self.flyers.split_at_mut(b);
        let (one, other) = (&mut first[a], &mut rest[0]);
        if !one.reaches(time) || !other.reaches(time) {
            return Err(unsupported("bodies that come to rest on each other"));
        }
        let between = other.flight.position - one.flight.position;
        let (normal, reach) = one.outline.contact(&other.outline, between);
        let speed = other.flight.motion.linear - one.flight.motion.linear;
        let grazed = speed.dot(normal).abs() <= GRAZING * speed.length();
        let (friction, restitution) = self.mixed.of(one.material as usize, other.material as usize);
        let pressed = if friction > 0.0 {
            let arms = [reach, reach - between];
            let mut pair =
                Pair { motion: [one.flight.motion, other.flight.motion], inverse: [one.inverse, other.inverse] };
            let approach = -pair.relative(arms).dot(normal);
            let target = Target { arms, wanted: restitution * approach.max(0.0) };
            let pressed = pair.collide(normal, &[target], friction)[0];
            [one.flight.motion, other.flight.motion] = pair.motion;
            pressed
        } else {
            // Without friction nothing here turns: boxes may not, and the normal of a disc goes through its centre.
            let approach = (one.flight.motion.linear - other.flight.motion.linear).dot(normal).max(0.0);
            let pressed = (restitution * approach + approach) / (one.inverse.mass + other.inverse.mass);
            one.flight.motion.linear -= normal * (pressed * one.inverse.mass);
            other.flight.motion.linear += normal * (pressed * other.inverse.mass);
            pressed
        };
        let (moves, point) = ([one.moves, other.moves], one.flight.position + reach);
        self.note([a, b], point, normal, pressed);
        self.settle([a, b], normal)?;
        // New predictions for both, and for all whose next impact was with one of them.
        if moves[0] {
            self.predict(a, b, grazed);
        }
        if moves[1] {
            self.predict(b, a, grazed);
        }
        if moves[0] {
            self.tell(a, b);
        }
        if moves[1] {
            self.tell(b, a);
        }
        Ok(())
    }

    /// One notice a pair and step, with the number of its impacts.
    fn note(&mut self, bodies: [usize; 2], point: Vec2<f64>, normal: Vec2<f64>, impulse: f64) {
        // The pairs of a step are few, and the one hit last is most often hit again soon.
        if let Some(impact) =
            self.record.iter_mut().rev().take(8).find(|impact| impact.bodies == bodies && impact.normal == normal)
        {
            impact.impulse += impulse;
            impact.times += 1;
            return;
        }
        self.record.push(Impact { bodies, point, normal, gap: 0.0, impulse, times: 1 });
    }
}

fn flight(bodies: &Bodies<f64>, body: usize, now: f64) -> Flight {
    Flight {
        since: now,
        position: bodies.position[body],
        angle: bodies.angle[body],
        motion: bodies.motion[body],
        fall: bodies.fall[body],
        turn: 0.0,
    }
}

/// The outline of a body that this solver can take.
fn outline(bodies: &Bodies<f64>, body: usize) -> Result<Outline, EngineError> {
    let traits = &bodies.traits[body];
    if traits.kind == BodyKind::Kinematic {
        return Err(unsupported("kinematic bodies"));
    }
    if traits.linear_damping > 0.0 || traits.angular_damping > 0.0 {
        return Err(unsupported("damping"));
    }
    let [piece] = &bodies.pieces[bodies.pieces_of[body].clone()] else {
        return Err(unsupported("bodies of several parts"));
    };
    let pose = &bodies.pose(body);
    match &piece.form {
        Form::HalfPlane { normal, offset } => {
            let normal = pose.rotation.turn(*normal);
            Ok(Outline::HalfPlane { normal, offset: *offset })
        }
        Form::Convex(convex) if convex.corners.len() == 1 && convex.corners[0] == Vec2::ZERO => {
            Ok(Outline::Disc(convex.radius))
        }
        Form::Convex(convex) if convex.corners.len() == 4 && convex.radius == 0.0 => {
            let corners: Vec<Vec2<f64>> = convex.corners.iter().map(|&c| pose.rotation.turn(c)).collect();
            let half = Vec2::new(corners[0].x.abs(), corners[0].y.abs());
            let straight = corners.iter().all(|c| c.x.abs() == half.x && c.y.abs() == half.y);
            let turns = bodies.inverse[body].inertia > 0.0 || bodies.motion[body].spin != 0.0;
            if !straight || turns {
                return Err(unsupported("boxes that turn; give them fixed_turn"));
            }
            Ok(Outline::Box(half))
        }
        Form::Convex(_) => Err(unsupported("shapes other than discs, boxes and half-planes")),
    }
}
