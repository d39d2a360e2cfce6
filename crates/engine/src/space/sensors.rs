//! Sensors: what overlaps them, with a notice for each coming and going.

use crate::common::scalar::Real;
use crate::space::bodies::Bodies;
use crate::space::narrow::gap;
use crate::space::shape::Piece;
use crate::space::vector::{Quat, Vec3};
use crate::space::way::Way;
use ironspin_model::{BodyKind, SensorEvent, SensorEventKind};

/// A sensor part and a solid part: body and part of each.
type Overlap = ([usize; 2], [usize; 2]);

/// Where a body was at the start of the step.
pub(crate) type Place<R> = (Vec3<R>, Quat<R>);

/// Remembers what overlaps each sensor.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sensors<R> {
    /// Sorted.
    inside: Vec<Overlap>,
    found: Vec<Overlap>,
    /// What was entered and left within the step.
    passed: Vec<Overlap>,
    /// Position and rotation of every body at the start of the step; empty when there are no sensors.
    pub(crate) places: Vec<Place<R>>,
    /// Notices not yet handed over.
    pub(crate) events: Vec<SensorEvent>,
}

impl<R: Real> Sensors<R> {
    /// Keeps the places at the start of a step.
    pub(crate) fn begin(&mut self, bodies: &Bodies<R>) {
        if !bodies.sensors.is_empty() {
            self.places.clear();
            self.places.extend(bodies.position.iter().copied().zip(bodies.rotation.iter().copied()));
        }
    }

    /// Compares what overlaps now with what did before, and notices also what went through within the step.
    pub(crate) fn end(&mut self, bodies: &Bodies<R>, step: u64) {
        if bodies.sensors.is_empty() {
            return;
        }
        self.found.clear();
        let mut passed = std::mem::take(&mut self.passed);
        passed.clear();
        for sensor in &bodies.sensors {
            for piece in &bodies.pieces {
                let (a, b) = (sensor.body, piece.body);
                let still = [a, b].iter().all(|&body| bodies.traits[body].kind == BodyKind::Static);
                if a == b || still || !bodies.not_filtered(a, b) {
                    continue;
                }
                let pair = ([a, sensor.part], [b, piece.part]);
                match self.meet(bodies, sensor, piece) {
                    Meeting::Now => self.found.push(pair),
                    Meeting::Between => passed.push(pair),
                    Meeting::Not => {}
                }
            }
        }
        self.found.sort_unstable();
        self.found.dedup();
        passed.sort_unstable();
        passed.dedup();
        let notice = |kind, &(sensor, other): &Overlap| SensorEvent { step, kind, sensor, other };
        for pair in self.inside.iter().filter(|pair| self.found.binary_search(pair).is_err()) {
            self.events.push(notice(SensorEventKind::Leave, pair));
        }
        for pair in self.found.iter().filter(|pair| self.inside.binary_search(pair).is_err()) {
            self.events.push(notice(SensorEventKind::Enter, pair));
        }
        for pair in passed
            .iter()
            .filter(|pair| self.found.binary_search(pair).is_err() && self.inside.binary_search(pair).is_err())
        {
            self.events.push(notice(SensorEventKind::Enter, pair));
            self.events.push(notice(SensorEventKind::Leave, pair));
        }
        self.passed = passed;
        std::mem::swap(&mut self.inside, &mut self.found);
    }

    fn meet(&self, bodies: &Bodies<R>, sensor: &Piece<R>, piece: &Piece<R>) -> Meeting {
        let (a, b) = (sensor.body, piece.body);
        let now = |body: usize| (bodies.position[body], bodies.rotation[body]);
        let start = |body: usize| self.places.get(body).copied().unwrap_or(now(body));
        let way = Way::new([start(a), start(b)], [now(a), now(b)]);
        let apart = (bodies.position[b] - bodies.position[a]).length();
        if apart > (sensor.reach + piece.reach + way.travel()) * R::of(1.001) {
            return Meeting::Not;
        }
        let overlap =
            gap(sensor, &bodies.pose(a), piece, &bodies.pose(b), R::ZERO).is_some_and(|gap| gap.distance <= R::ZERO);
        if overlap {
            return Meeting::Now;
        }
        if !way.is_still() && way.first_touch(sensor, piece, R::ZERO).is_some() {
            Meeting::Between
        } else {
            Meeting::Not
        }
    }
}

enum Meeting {
    Now,
    Between,
    Not,
}
