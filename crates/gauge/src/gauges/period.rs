//! Period of a swing.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, Measure, World};

pub(crate) const MEAN: GaugeEntry = GaugeEntry {
    name: "period.mean",
    label: "mean period",
    unit: "s",
    better: Better::Nearer,
    definition: "Mean time between passages of one body's angle, or of the claim's `measure`, through zero in the same sense.",
    formula: "(t_last - t_first) / (passages - 1), each passage on the straight line between two frames",
    source: "definition; on the line the error of a passage is of third order in the step, since a swing has no curvature at zero",
    limits: "For one body; in space only of a `measure`, since no single angle tells how a body is turned. At least two passages in the same sense are needed, and a measure that swings about zero.",
    usual_causes: "a wrong moment of inertia; damping; a hinge that gives way; an integrator of first order",
    next_step: advice::MOTION,
    takes: &[Need::Measure],
    one_body: true,
    make: mean,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Period {
    of: Vec<usize>,
    measure: Option<Measure>,
    last: Option<(f64, f64)>,
    first_passage: f64,
    last_passage: f64,
    passages: u64,
    frames: u64,
}

pub(crate) fn mean(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Period {
        of: scope.of.clone(),
        measure: scope.details.measure.clone(),
        last: None,
        first_passage: 0.0,
        last_passage: 0.0,
        passages: 0,
        frames: 0,
    })
}

impl Gauge for Period {
    fn observe(&mut self, view: &View<'_>) {
        let [id] = self.of.as_slice() else { return };
        let (state, time) = (&view.now.bodies[*id], view.now.time);
        let value = self.measure.as_ref().map_or(state.pose.angle, |measure| measure.at(&view.moment(*id, &self.of)));
        self.frames += 1;
        if !value.is_finite() {
            self.last = None;
            return;
        }
        if let Some((before, then)) = self.last
            && before < 0.0
            && value >= 0.0
        {
            let passage = then + (time - then) * (-before / (value - before));
            if self.passages == 0 {
                self.first_passage = passage;
            }
            self.last_passage = passage;
            self.passages += 1;
        }
        self.last = Some((value, time));
    }

    fn reading(&self, world: &World) -> Reading {
        if self.of.len() != 1 {
            return Reading::nothing(format!("it measures one body, and {} are named", self.of.len()));
        }
        if world.dimension == Dimension::Space && self.measure.is_none() {
            return Reading::unsupported("no single angle tells how a body of space is turned: give a `measure`");
        }
        if self.passages < 2 {
            return Reading::nothing(format!("{} passages through zero, and two are needed", self.passages));
        }
        let turns = self.passages - 1;
        let value = (self.last_passage - self.first_passage) / turns as f64;
        let reading = Reading::of(value, format!("mean of {turns} swings"));
        let coarse = (self.frames as f64) < 20.0 * turns as f64;
        if coarse { reading.warn("fewer than 20 steps a swing") } else { reading }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, PlaneShape};

    #[test]
    fn a_harmonic_swing_has_its_period_and_a_slower_one_is_seen() {
        let world = world(&[("ladle", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)]);
        let swing = |w: f64| {
            trace(0.01, 20.0, move |t| {
                vec![BodyState::planar(DVec3::ZERO, 0.3 * libm::sin(w * t + 1.0), DVec3::ZERO, 0.0)]
            })
        };
        let period = std::f64::consts::TAU / 2.0;
        let found = measure("period.mean", &world, &[0], &[], &swing(2.0)).value.unwrap();
        assert!((found / period - 1.0).abs() < 1e-6, "{found}");
        let slow = measure("period.mean", &world, &[0], &[], &swing(1.99)).value.unwrap();
        assert!(slow / period - 1.0 > 4e-3, "{slow}");
        let still = trace(0.01, 2.0, |_| vec![BodyState::planar(DVec3::ZERO, 0.1, DVec3::ZERO, 0.0)]);
        assert!(measure("period.mean", &world, &[0], &[], &still).value.is_none());
    }
}
