//! Sensors: what overlaps them, with a notice for each coming and going.

use crate::common::overlaps::{Meeting, Overlaps};
use crate::common::scalar::Real;
use crate::common::tolerance::ADVANCES;
use crate::plane::bodies::Bodies;
use crate::plane::narrow::gap_between;
use crate::plane::shape::Piece;
use crate::plane::vector::{Pose, Rotation, Vec2};
use ironspin_model::BodyKind;

/// Where a body was at the start of the step.
pub(crate) type Place<R> = (Vec2<R>, R);

/// Remembers what overlaps each sensor.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sensors<R> {
    pub(crate) overlaps: Overlaps,
    /// Position and angle of every body at the start of the step; empty when there are no sensors.
    pub(crate) places: Vec<Place<R>>,
    /// Only for faults: what went through within the step is not noticed.
    pub(crate) at_end_only: bool,
}

impl<R: Real> Sensors<R> {
    /// Keeps the places at the start of a step.
    pub(crate) fn begin(&mut self, bodies: &Bodies<R>) {
        if !bodies.sensors.is_empty() {
            self.places.clear();
            self.places.extend(bodies.position.iter().copied().zip(bodies.angle.iter().copied()));
        }
    }

    /// Compares what overlaps now with what did before, and notices also what went through within the step.
    pub(crate) fn end(&mut self, bodies: &Bodies<R>, step: u64) {
        if bodies.sensors.is_empty() {
            return;
        }
        self.overlaps.begin();
        for sensor in &bodies.sensors {
            for piece in &bodies.pieces {
                let (a, b) = (sensor.body, piece.body);
                let still = [a, b].iter().all(|&body| bodies.traits[body].kind == BodyKind::Static);
                if a == b || still || !bodies.not_filtered(a, b) {
                    continue;
                }
                let pair = ([a, sensor.part], [b, piece.part]);
                let meeting = match self.meet(bodies, sensor, piece) {
                    Meeting::Between if self.at_end_only => Meeting::Not,
                    meeting => meeting,
                };
                self.overlaps.note(pair, meeting);
            }
        }
        self.overlaps.end(step);
    }

    fn meet(&self, bodies: &Bodies<R>, sensor: &Piece<R>, piece: &Piece<R>) -> Meeting {
        let (a, b) = (sensor.body, piece.body);
        let (pa, pb) = (&bodies.pose(a), &bodies.pose(b));
        let start = |body: usize| self.places.get(body).copied().unwrap_or((bodies.position[body], bodies.angle[body]));
        let (from_a, from_b) = (start(a), start(b));
        let apart = (pb.position - pa.position).length();
        let travel = ((pb.position - from_b.0) - (pa.position - from_a.0)).length();
        if apart > (sensor.reach + piece.reach + travel) * R::of(1.001) {
            return Meeting::Not;
        }
        if gap_between(sensor, pa, piece, pb).gap <= R::ZERO {
            return Meeting::Now;
        }
        let turns = (bodies.angle[a] - from_a.1).abs() + (bodies.angle[b] - from_b.1).abs();
        if travel == R::ZERO && turns == R::ZERO {
            return Meeting::Not;
        }
        let way = Way { from: [from_a, from_b], to: [(pa.position, bodies.angle[a]), (pb.position, bodies.angle[b])] };
        if way.touches(sensor, piece) { Meeting::Between } else { Meeting::Not }
    }
}

/// The straight and evenly turning way of two bodies over a step.
struct Way<R> {
    from: [Place<R>; 2],
    to: [Place<R>; 2],
}

impl<R: Real> Way<R> {
    fn pose(&self, side: usize, share: R) -> Pose<R> {
        let ((p, a), (q, b)) = (self.from[side], self.to[side]);
        Pose { position: p + (q - p) * share, rotation: Rotation::by(a + (b - a) * share) }
    }

    /// Conservative advancement (Mirtich, 1996, chapter 2) until the pieces touch or the step is over.
    fn touches(&self, a: &Piece<R>, b: &Piece<R>) -> bool {
        let mut share = R::ZERO;
        let relative = (self.to[0].0 - self.from[0].0) - (self.to[1].0 - self.from[1].0);
        let turning = |side: usize, reach: R| {
            let turn = (self.to[side].1 - self.from[side].1).abs();
            if turn == R::ZERO { R::ZERO } else { turn * reach }
        };
        let turns = turning(0, a.reach) + turning(1, b.reach);
        for _ in 0..ADVANCES {
            let found = gap_between(a, &self.pose(0, share), b, &self.pose(1, share));
            if found.gap <= R::ZERO {
                return true;
            }
            let closing = relative.dot(found.normal) + turns;
            if !(closing > R::ZERO) {
                return false;
            }
            let next = share + found.gap / closing;
            if !(next <= R::ONE) {
                return false;
            }
            if next == share {
                return true;
            }
            share = next;
        }
        false
    }
}
