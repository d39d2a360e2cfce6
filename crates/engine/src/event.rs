//! From impact to impact, each at its exact time: discs and axis-aligned boxes that do not turn, without resting contact.
//!
//! Source: Alder and Wainwright, "Studies in Molecular Dynamics" (1959) for the method; Lubachevsky, "How to simulate billiards
//! and similar systems" (1991) for one next event a body, of which the earliest is found by a tournament.

use crate::bodies::{Bodies, Motion};
use crate::contacts::Mixed;
use crate::impact::{Pair, Target};
use crate::settings::Settings;
use crate::shape::Form;
use crate::sweep::Blow;
use crate::touching::{Outline, Relative, time_to_touch};
use crate::vector::Vec2;
use ironspin_model::{BodyKind, Deed, EngineError, World};

/// Impacts of a body without progress in time before it is taken to rest.
const IMPACTS_WITHOUT_PROGRESS: u32 = 200;

/// A body between two impacts: a parabola from its last one.
#[derive(Clone, Copy, Debug)]
struct Flight {
    since: f64,
    position: Vec2<f64>,
    angle: f64,
    motion: Motion<f64>,
    fall: Vec2<f64>,
}

impl Flight {
    #[inline]
    fn at(&self, time: f64) -> Flight {
        let span = time - self.since;
        let linear = self.motion.linear + self.fall * span;
        Flight {
            since: time,
            position: self.position + (self.motion.linear + linear) * (0.5 * span),
            angle: self.angle + self.motion.spin * span,
            motion: Motion { linear, spin: self.motion.spin },
            fall: self.fall,
        }
    }
}

/// The next impact of a body: when, and with whom.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Next {
    time: f64,
    partner: u32,
}

const NEVER: Next = Next { time: f64::INFINITY, partner: u32::MAX };

/// The earliest of all bodies' next impacts, kept by a tournament in which each match is played again when one of its players
/// changes.
#[derive(Clone, Debug, Default)]
struct Tournament {
    /// Winners from the final (1) down to the bodies.
    winners: Vec<u32>,
    size: usize,
}

impl Tournament {
    fn new(count: usize) -> Self {
        let size = count.next_power_of_two().max(2);
        let mut winners = vec![0; 2 * size];
        for (body, winner) in winners[size..].iter_mut().enumerate() {
            *winner = body as u32;
        }
        Tournament { winners, size }
    }

    fn winner(&self) -> usize {
        self.winners[1] as usize
    }

    #[inline]
    fn replay(&mut self, body: usize, next: &[Next]) {
        let mut place = (self.size + body) / 2;
        let time = |body: u32| next.get(body as usize).map_or(f64::INFINITY, |next| next.time);
        while place >= 1 {
            let (left, right) = (self.winners[2 * place], self.winners[2 * place + 1]);
            self.winners[place] = if time(right) < time(left) { right } else { left };
            place /= 2;
        }
    }
}

/// A world that goes from impact to impact.
#[derive(Clone, Debug)]
pub(crate) struct EventWorld {
    pub(crate) bodies: Bodies<f64>,
    mixed: Mixed<f64>,
    outlines: Vec<Outline>,
    flights: Vec<Flight>,
    next: Vec<Next>,
    tournament: Tournament,
    movers: Vec<usize>,
    moves: Vec<bool>,
    materials: Vec<usize>,
    /// Whom each body may meet while both are there and whose meetings it keeps: movers after it in the list, and all that nothing pushes.
    ahead: Vec<Vec<u32>>,
    /// Movers before it in the list, which keep their meetings with it.
    behind: Vec<Vec<u32>>,
    now: f64,
    stalled: Vec<u32>,
    /// Impacts done since the start.
    pub(crate) impacts: u64,
    pub(crate) record: Vec<Blow<f64>>,
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
        let lasting = |deed: &Deed| matches!(deed, Deed::Force { .. } | Deed::Torque(_) | Deed::Split(_));
        if world.actions.iter().any(|action| lasting(&action.deed)) {
            return Err(unsupported("forces, torques and splits"));
        }
        let mut outlines = Vec::new();
        for body in 0..bodies.len() {
            outlines.push(outline(&bodies, body)?);
        }
        let count = bodies.len();
        let mut world = EventWorld {
            mixed: Mixed::new(world, settings),
            flights: (0..count).map(|body| flight(&bodies, body, 0.0)).collect(),
            next: vec![NEVER; count],
            tournament: Tournament::new(count),
            ahead: Vec::new(),
            behind: Vec::new(),
            movers: (0..count).filter(|&body| bodies.inverse[body].moves()).collect(),
            moves: (0..count).map(|body| bodies.inverse[body].moves()).collect(),
            materials: (0..count).map(|body| bodies.pieces[bodies.pieces_of[body].start].material).collect(),
            stalled: vec![0; count],
            now: 0.0,
            impacts: 0,
            record: Vec::new(),
            outlines,
            bodies,
        };
        world.note_partners();
        world.predict_all();
        Ok(world)
    }

    fn note_partners(&mut self) {
        let count = self.bodies.len();
        let (bodies, moves) = (&self.bodies, &self.moves);
        let of = |body: usize, wanted: &dyn Fn(usize) -> bool| -> Vec<u32> {
            let may = |&other: &usize| moves[body] && wanted(other) && bodies.could_meet(body, other);
            (0..count).filter(may).map(|other| other as u32).collect()
        };
        self.ahead = (0..count).map(|body| of(body, &|other| other > body || !moves[other])).collect();
        self.behind = (0..count).map(|body| of(body, &|other| other < body && moves[other])).collect();
    }

    fn predict_all(&mut self) {
        for index in 0..self.movers.len() {
            if !self.bodies.present[self.movers[index]] {
                continue;
            }
            let body = self.movers[index];
            self.predict(body, body);
        }
    }

    /// Finds the next impact of a body with those whose meetings it keeps: bodies after it in the list, and all that nothing pushes.
    /// With the one it has just struck there is none without acceleration: they part.
    fn predict(&mut self, body: usize, struck: usize) {
        let mut best = NEVER;
        let here = self.flight_now(body);
        for &other in &self.ahead[body] {
            let other = other as usize;
            let parts = other == struck && self.flights[other].fall == here.fall;
            if parts || !self.bodies.present[other] {
                continue;
            }
            let time = self.meeting(body, &here, other);
            if time < best.time {
                best = Next { time, partner: other as u32 };
            }
        }
        self.next[body] = best;
        self.tournament.replay(body, &self.next);
    }

    /// Tells those before a body in the list, which keep their meetings with it, that its way has changed.
    fn tell(&mut self, body: usize, also: usize) {
        let here = self.flight_now(body);
        for index in 0..self.behind[body].len() {
            let other = self.behind[body][index] as usize;
            if other == also || !self.bodies.present[other] {
                continue;
            }
            if self.next[other].partner as usize == body {
                self.predict(other, other);
                continue;
            }
            let time = self.meeting(body, &here, other);
            if time < self.next[other].time {
                self.next[other] = Next { time, partner: body as u32 };
                self.tournament.replay(other, &self.next);
            }
        }
    }

    /// Where a body is now, if it moves; the others stay where they took off.
    #[inline]
    fn flight_now(&self, body: usize) -> Flight {
        let flight = &self.flights[body];
        if flight.since < self.now && self.moves[body] { flight.at(self.now) } else { *flight }
    }

    #[inline]
    fn meeting(&self, a: usize, one: &Flight, b: usize) -> f64 {
        let other = &self.flights[b];
        let span = if self.moves[b] { self.now - other.since } else { 0.0 };
        let (mut position, mut velocity) = (other.position, other.motion.linear);
        if span > 0.0 {
            // As `Flight::at`, without what is not asked for.
            let then = velocity + other.fall * span;
            position += (velocity + then) * (0.5 * span);
            velocity = then;
        }
        let relative = Relative {
            place: position - one.position,
            speed: velocity - one.motion.linear,
            pull: other.fall - one.fall,
        };
        self.now + time_to_touch(&self.outlines[a], &self.outlines[b], &relative)
    }

    pub(crate) fn act(&mut self, body: usize, deed: &Deed) {
        self.land();
        let inverse = self.bodies.inverse[body];
        let flat = |v: &ironspin_model::DVec3| Vec2::of(v.truncate());
        match deed {
            Deed::Impulse { impulse, point } => {
                let arm = point.map_or(Vec2::ZERO, |point| flat(&point) - self.bodies.position[body]);
                self.bodies.motion[body] = self.bodies.motion[body].plus(inverse.kick(arm, flat(impulse)));
            }
            Deed::Velocity(velocity) => self.bodies.motion[body].linear = flat(velocity),
            Deed::Spin(spin) => self.bodies.motion[body].spin = *spin,
            Deed::Place { position, angle } => self.bodies.place(body, flat(position), *angle),
            Deed::Remove => self.bodies.present[body] = false,
            Deed::Add => self.bodies.present[body] = true,
            Deed::Gravity(gravity) => self.bodies.set_gravity(flat(gravity)),
            // Refused when the world was built.
            Deed::Force { .. } | Deed::Torque(_) | Deed::Split(_) => {}
        }
        self.take_off();
    }

    /// Writes the flights into the bodies.
    fn land(&mut self) {
        for &body in &self.movers {
            let flight = self.flights[body].at(self.now);
            self.bodies.place(body, flight.position, flight.angle);
            self.bodies.motion[body] = flight.motion;
        }
    }

    /// Begins all flights anew from the bodies.
    fn take_off(&mut self) {
        self.note_partners();
        for body in 0..self.bodies.len() {
            self.flights[body] = flight(&self.bodies, body, self.now);
            self.next[body] = NEVER;
            self.tournament.replay(body, &self.next);
        }
        self.predict_all();
    }

    /// # Errors
    /// [`EngineError::Unsupported`] when bodies come to rest on each other.
    pub(crate) fn step(&mut self, dt: f64) -> Result<(), EngineError> {
        self.record.clear();
        if !(dt > 0.0) {
            return Ok(());
        }
        let end = self.now + dt;
        loop {
            let body = self.tournament.winner();
            let next = self.next[body];
            if !(next.time <= end) {
                break;
            }
            self.strike(body, next.partner as usize, next.time)?;
        }
        self.now = end;
        self.land();
        Ok(())
    }

    fn strike(&mut self, a: usize, b: usize, time: f64) -> Result<(), EngineError> {
        let (a, b) = (a.min(b), a.max(b));
        self.impacts += 1;
        self.now = self.now.max(time);
        for body in [a, b] {
            let progress = time > self.flights[body].since;
            self.stalled[body] = if progress { 0 } else { self.stalled[body] + 1 };
            if self.moves[body] {
                self.flights[body] = self.flights[body].at(time);
            }
        }
        let resting = [a, b].iter().any(|&body| self.moves[body] && self.stalled[body] > IMPACTS_WITHOUT_PROGRESS);
        if resting {
            return Err(unsupported("bodies that come to rest on each other"));
        }
        let between = self.flights[b].position - self.flights[a].position;
        let (normal, reach) = self.outlines[a].contact(&self.outlines[b], between);
        let (friction, restitution) = self.mixed.of(self.materials[a], self.materials[b]);
        let inverse = [self.bodies.inverse[a], self.bodies.inverse[b]];
        let pressed = if friction > 0.0 {
            let arms = [reach, reach - between];
            let mut pair = Pair { motion: [self.flights[a].motion, self.flights[b].motion], inverse };
            let approach = -pair.relative(arms).dot(normal);
            let target = Target { arms, wanted: restitution * approach.max(0.0) };
            let pressed = pair.strike(normal, &[target], friction)[0];
            self.flights[a].motion = pair.motion[0];
            self.flights[b].motion = pair.motion[1];
            pressed
        } else {
            // Without friction nothing here turns: boxes may not, and the normal of a disc goes through its centre.
            let approach = (self.flights[a].motion.linear - self.flights[b].motion.linear).dot(normal).max(0.0);
            let pressed = (restitution * approach + approach) / (inverse[0].mass + inverse[1].mass);
            self.flights[a].motion.linear -= normal * (pressed * inverse[0].mass);
            self.flights[b].motion.linear += normal * (pressed * inverse[1].mass);
            pressed
        };
        self.note([a, b], self.flights[a].position + reach, normal, pressed);
        self.predict_after(a, b);
        Ok(())
    }

    /// New predictions for both, and for all whose next impact was with one of them.
    fn predict_after(&mut self, a: usize, b: usize) {
        for (body, struck) in [(a, b), (b, a)] {
            if self.moves[body] {
                self.predict(body, struck);
            }
        }
        for (body, struck) in [(a, b), (b, a)] {
            if self.moves[body] {
                self.tell(body, struck);
            }
        }
    }

    /// One notice a pair and step, with the number of its impacts.
    fn note(&mut self, bodies: [usize; 2], point: Vec2<f64>, normal: Vec2<f64>, impulse: f64) {
        // The pairs of a step are few, and the one struck last is most often struck again soon.
        if let Some(blow) =
            self.record.iter_mut().rev().take(8).find(|blow| blow.bodies == bodies && blow.normal == normal)
        {
            blow.impulse += impulse;
            blow.times += 1;
            return;
        }
        self.record.push(Blow { bodies, point, normal, gap: 0.0, impulse, times: 1 });
    }
}

fn flight(bodies: &Bodies<f64>, body: usize, now: f64) -> Flight {
    Flight {
        since: now,
        position: bodies.position[body],
        angle: bodies.angle[body],
        motion: bodies.motion[body],
        fall: bodies.fall[body],
    }
}

/// The outline of a body that this solver can take.
fn outline(bodies: &Bodies<f64>, body: usize) -> Result<Outline, EngineError> {
    let nature = &bodies.nature[body];
    if nature.kind == BodyKind::Kinematic {
        return Err(unsupported("kinematic bodies"));
    }
    if nature.linear_damping > 0.0 || nature.angular_damping > 0.0 {
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
