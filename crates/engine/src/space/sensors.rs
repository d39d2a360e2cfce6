//! Sensors: what overlaps them, with a notice for each coming and going.

use crate::common::overlaps::{Meeting, Overlaps};
use crate::common::scalar::Real;
use crate::space::bodies::Bodies;
use crate::space::narrow::gap;
use crate::space::shape::Piece;
use crate::space::way::{Place, Way};
use ironspin_model::BodyKind;

/// Remembers what overlaps each sensor.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sensors<R> {
    pub(crate) overlaps: Overlaps,
    /// Position and rotation of every body at the start of the step; empty when there are no sensors.
    places: Vec<Place<R>>,
    /// A mistake: only where bodies stand at the end of a step is looked at.
    pub(crate) at_end_only: bool,
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
        self.overlaps.begin();
        for sensor in &bodies.sensors {
            for piece in &bodies.pieces {
                let (a, b) = (sensor.body, piece.body);
                let still = [a, b].iter().all(|&body| bodies.traits[body].kind == BodyKind::Static);
                if a == b || still || !bodies.not_filtered(a, b) {
                    continue;
                }
                let pair = ([a, sensor.part], [b, piece.part]);
                let meeting = self.meet(bodies, sensor, piece);
                self.overlaps.note(pair, meeting);
            }
        }
        self.overlaps.end(step);
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
        let touches = || way.first_touch(sensor, piece, R::ZERO).is_some_and(|touch| touch.is_reached);
        if !way.is_still() && !self.at_end_only && touches() { Meeting::Between } else { Meeting::Not }
    }
}
