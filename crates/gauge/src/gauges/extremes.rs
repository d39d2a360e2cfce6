//! The largest and smallest of a measure over a window, and the way that is gone in it; between frames too.

use crate::advice;
use crate::derived::Between;
use crate::entry::{Better, GaugeEntry, Need, PLAIN, UNIT_OF_THE_CLAIM};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyState, DVec3, Dimension, Measure, Moment, World};

pub(crate) const LARGEST: GaugeEntry = GaugeEntry {
    name: "measure.largest",
    label: "largest of the measure",
    unit: UNIT_OF_THE_CLAIM,
    better: Better::Nearer,
    definition: "The largest value of the claim's `measure` over the window, for any of the bodies, in the frames and between them.",
    formula: "max_t q(t), between frames for the interpolated state, as of time.when",
    source: "definition; the scene gives the closed form it is held against",
    limits: "Looked at four times a step, and from there to the top. An engine that cuts a blow short in its frames has no extreme there.",
    usual_causes: "as for the quantities that the measure is made of",
    needs: &[Need::Measure],
    next_step: advice::MOTION,
    make: largest,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const SMALLEST: GaugeEntry = GaugeEntry {
    name: "measure.smallest",
    label: "smallest of the measure",
    definition: "The smallest value of the claim's `measure` over the window, for any of the bodies, in the frames and between them.",
    formula: "min_t q(t), between frames for the interpolated state, as of time.when",
    make: smallest,
    ..LARGEST
};

pub(crate) const WAY: GaugeEntry = GaugeEntry {
    name: "way.length",
    label: "way gone",
    unit: "m",
    better: Better::Nearer,
    definition: "Length of the way that the centre of mass of one body goes in the window, or a `point` of it.",
    formula: "int |dx|, of each step by chords of the interpolated way with Richardson's extrapolation",
    source: "definition of arc length; Richardson 1911",
    limits: "For one body. Jitter adds to it. A body that is put elsewhere by an action has not gone there.",
    usual_causes: "friction, restitution or gravity of a wrong size; a body that trembles where it should rest",
    takes: &[Need::Point],
    one_body: true,
    next_step: advice::MOTION,
    make: way,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// At which shares of a step a measure is looked at.
const SHARES: [f64; 4] = [0.25, 0.5, 0.75, 1.0];
/// Thirds that are cut off while a top is looked for.
const CUTS: usize = 60;
/// Chords of a piece of the way.
const CHORDS: usize = 8;

struct Extreme {
    of: Vec<usize>,
    measure: Option<Measure>,
    /// 1 for the largest, -1 for the smallest.
    sign: f64,
    between: Between,
    best: Option<(f64, f64, usize)>,
    /// The first time at which the measure had no value, s.
    undefined: Option<f64>,
    frames: u64,
    states: Vec<BodyState>,
}

fn extreme(scope: &Scope, sign: f64) -> Box<dyn Gauge> {
    Box::new(Extreme {
        of: scope.of.clone(),
        measure: scope.details.measure.clone(),
        sign,
        between: Between::of(scope.details.measure.as_ref().and_then(|measure| measure.needs(&scope.of))),
        best: None,
        undefined: None,
        frames: 0,
        states: Vec::new(),
    })
}

pub(crate) fn largest(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    extreme(scope, 1.0)
}

pub(crate) fn smallest(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    extreme(scope, -1.0)
}

impl Extreme {
    fn value(&mut self, view: &View<'_>, body: usize, share: f64) -> f64 {
        let Some(measure) = &self.measure else { return f64::NAN };
        let time = view.now.time - (1.0 - share) * view.span();
        if measure.is_alone() {
            self.states.resize(view.now.bodies.len(), BodyState::absent());
            self.states[body] = self.between.state(view, body, share);
        } else {
            self.between.fill(view, share, &mut self.states);
        }
        self.sign * measure.at(&Moment { bodies: &self.states, body, of: &self.of, time })
    }

    fn take(&mut self, view: &View<'_>, value: f64, share: f64, body: usize) {
        if self.best.is_none_or(|(best, ..)| value > best) {
            self.best = Some((value, view.now.time - (1.0 - share) * view.span(), body));
        }
    }

    /// Looks at a step, and in it for a top between two looks.
    fn look(&mut self, view: &View<'_>, body: usize) {
        let mut values = [f64::NAN; 5];
        let from = if view.before.is_none() { 4 } else { 0 };
        for (number, share) in std::iter::once(0.0).chain(SHARES).enumerate().skip(from) {
            values[number] = self.value(view, body, share);
            if values[number].is_nan() {
                self.undefined.get_or_insert(view.now.time);
                return;
            }
            self.take(view, values[number], share, body);
        }
        if from > 0 {
            return;
        }
        let top = (0..5).max_by(|&a, &b| values[a].total_cmp(&values[b])).unwrap_or(0);
        let spread = values.iter().fold(0.0_f64, |spread, value| spread.max((values[top] - value).abs()));
        // No top between the looks stands higher above them than they are apart.
        if self.best.is_some_and(|(best, ..)| values[top] + spread < best) || spread == 0.0 {
            return;
        }
        let share = |number: usize| 0.25 * number as f64;
        let (mut low, mut high) = (share(top.saturating_sub(1)), share((top + 1).min(4)));
        for _ in 0..CUTS {
            let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
            if self.value(view, body, a) < self.value(view, body, b) { low = a } else { high = b }
        }
        let middle = 0.5 * (low + high);
        let value = self.value(view, body, middle);
        if !value.is_nan() {
            self.take(view, value, middle, body);
        }
    }
}

impl Gauge for Extreme {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let whole = self.measure.as_ref().is_some_and(Measure::is_whole);
        let count = if whole { 1 } else { self.of.len() };
        for number in 0..count {
            let body = self.of[number];
            if whole || view.present(body) {
                self.look(view, body);
            }
        }
        self.between.note(view);
    }

    fn reading(&self, world: &World) -> Reading {
        match (self.best, self.undefined) {
            _ if self.frames == 0 => Reading::nothing("no frame lies in the window"),
            (_, Some(time)) => Reading::nothing(format!("the measure has no value at {time:.4} s")),
            (None, None) => Reading::nothing("none of the bodies was there"),
            (Some((value, time, body)), None) => {
                let name = world.bodies.get(body).map_or("", |body| body.name.as_str());
                Reading::of(self.sign * value, format!("{name} at {time:.4} s")).seen_at(time, body)
            }
        }
    }
}

struct Way {
    of: Vec<usize>,
    point: DVec3,
    between: Between,
    sum: f64,
    frames: u64,
}

pub(crate) fn way(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Way {
        of: scope.of.clone(),
        point: scope.details.point.unwrap_or(DVec3::ZERO),
        between: Between::of(Some(scope.of.clone())),
        sum: 0.0,
        frames: 0,
    })
}

impl Way {
    /// The way from one share of a step to another, in two pieces where it turns back in between: there it is no smooth curve.
    fn way(&self, view: &View<'_>, id: usize, from: f64, to: f64) -> f64 {
        let velocity = |share: f64| self.between.state(view, id, share).velocity_of(self.point);
        let (start, change) = (velocity(from), velocity(self.inside(to)) - velocity(from));
        // The speed is least there, of a velocity that is even in time.
        let turn = -start.dot(change) / change.length_squared();
        if turn > 0.0 && turn < 1.0 {
            let turn = from + (to - from) * turn;
            return self.piece(view, id, from, turn) + self.piece(view, id, turn, to);
        }
        self.piece(view, id, from, to)
    }

    /// At the end of a piece that ends at a blow the flight before it counts.
    fn inside(&self, share: f64) -> f64 {
        if share < 1.0 { share * (1.0 - 1e-15) } else { share }
    }

    fn piece(&self, view: &View<'_>, id: usize, from: f64, to: f64) -> f64 {
        let place = |number: usize| {
            let share =
                if number == CHORDS { self.inside(to) } else { from + (to - from) * number as f64 / CHORDS as f64 };
            self.between.state(view, id, share).place_of(self.point)
        };
        let places: Vec<DVec3> = (0..=CHORDS).map(place).collect();
        let chords = |every: usize| -> f64 {
            (every..=CHORDS).step_by(every).map(|number| places[number].distance(places[number - every])).sum()
        };
        let (fine, coarse) = (chords(1), chords(2));
        fine + (fine - coarse) / 3.0
    }
}

impl Gauge for Way {
    fn observe(&mut self, view: &View<'_>) {
        let [id] = self.of.as_slice() else { return };
        self.frames += 1;
        if view.before.is_some() && view.present(*id) {
            let blow =
                self.between.blow(view, *id).map(|(share, _)| share).filter(|share| *share > 0.0 && *share < 1.0);
            self.sum += match blow {
                Some(share) => self.way(view, *id, 0.0, share) + self.way(view, *id, share, 1.0),
                None => self.way(view, *id, 0.0, 1.0),
            };
        }
        self.between.note(view);
    }

    fn reading(&self, _: &World) -> Reading {
        match self.of.len() {
            1 if self.frames < 2 => Reading::nothing("fewer than two frames lie in the window"),
            1 => Reading::of(self.sum, ""),
            several => Reading::nothing(format!("it measures one body, and {several} are named")),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauge::Scope;
    use crate::gauges::trace::{bouncing, measure_with, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, Details, Frame, Measure, PlaneShape, World};

    fn ball() -> World {
        world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::ZERO)])
    }

    fn hops(e: f64) -> Vec<Frame> {
        trace(1.0 / 60.0, 1.4, move |t| {
            let (gap, speed) = bouncing(1.0, e, t);
            vec![state(0.0, gap, 0.0, speed)]
        })
    }

    fn found(gauge: &str, details: Details, frames: &[Frame]) -> f64 {
        measure_with(gauge, &ball(), &Scope { of: vec![0], details, ..Scope::default() }, frames).value.unwrap()
    }

    #[test]
    fn the_fastest_moment_is_the_blow_itself_and_not_a_frame() {
        let speed = Measure::new("speed", |state: &BodyState, _| state.velocity.length());
        let details = || Details { measure: Some(speed.clone()), ..Details::default() };
        let due = (2.0 * 9.81_f64).sqrt();
        let fastest = found("measure.largest", details(), &hops(0.6));
        assert!((fastest - due).abs() < 1e-9, "{fastest} {due}");
        // The lowest point is the floor itself.
        let height = Measure::new("y", |state: &BodyState, _| state.pose.position.y);
        let lowest =
            found("measure.smallest", Details { measure: Some(height.clone()), ..Details::default() }, &hops(0.6));
        assert!(lowest.abs() < 1e-9, "{lowest}");
        // After the first landing the highest is e^2 of the first height.
        let frames: Vec<Frame> = hops(0.6).into_iter().filter(|frame| frame.time > 0.47).collect();
        let top = found("measure.largest", Details { measure: Some(height), ..Details::default() }, &frames);
        assert!((top - 0.36).abs() < 1e-9, "{top}");
        let livelier: Vec<Frame> = hops(0.7).into_iter().filter(|frame| frame.time > 0.47).collect();
        let height = Measure::new("y", |state: &BodyState, _| state.pose.position.y);
        assert!(found("measure.largest", Details { measure: Some(height), ..Details::default() }, &livelier) > 0.45);
    }

    #[test]
    fn the_way_of_hops_and_of_a_point_on_a_rim_are_those_of_the_closed_forms() {
        // Down a metre, up 0.36, and down again to where it is just before it lands.
        let frames: Vec<Frame> = hops(0.6).into_iter().filter(|frame| frame.time < 0.99).collect();
        let end = bouncing(1.0, 0.6, frames.last().unwrap().time).0;
        let gone = found("way.length", Details::default(), &frames);
        assert!((gone - (1.0 + 0.36 + 0.36 - end)).abs() < 1e-9, "{gone}");
        let livelier: Vec<Frame> = hops(0.7).into_iter().filter(|frame| frame.time < 0.99).collect();
        assert!((found("way.length", Details::default(), &livelier) - gone).abs() > 0.01);
        // A point on the rim of a wheel that rolls a turn goes a cycloid: eight radii.
        let wheel = trace(1.0 / 60.0, 1.0, |t| {
            let angle = -std::f64::consts::TAU * t;
            vec![BodyState::planar(
                DVec3::new(-0.5 * angle, 0.5, 0.0),
                angle,
                DVec3::new(0.5 * std::f64::consts::TAU, 0.0, 0.0),
                -std::f64::consts::TAU,
            )]
        });
        let details = Details { point: Some(DVec3::new(0.0, -0.5, 0.0)), ..Details::default() };
        let mut still = ball();
        still.gravity = DVec3::ZERO;
        let rim = measure_with("way.length", &still, &Scope { of: vec![0], details, ..Scope::default() }, &wheel);
        assert!((rim.value.unwrap() / 4.0 - 1.0).abs() < 1e-5, "{rim:?}");
    }
}
