//! Two streams of frames compared: where they first differ, how far they part, how fast.

use ironspin_model::{BodyState, Frame, World, rows};
use serde::{Deserialize, Serialize};

/// Samples of the difference over time that are kept.
const SAMPLES: u64 = 400;
/// A difference beyond this share of the smallest body grows no further in the way it did.
const SATURATED: f64 = 1e-2;
/// Fewest samples from which a doubling time is worked out, and the least ratio of the last to the first of them.
const FEWEST: usize = 8;
const LEAST_RATIO: f64 = 16.0;

/// The first place where two trials differ.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Difference {
    /// Steps done.
    pub step: u64,
    /// Simulated time, s.
    pub time: f64,
    /// Name of the body.
    pub body: String,
    /// Which number of its state: `x`, `vy`, `spin`, ...
    pub component: String,
    /// Its value in the plain trial; `null` where it is no number.
    pub plain: Option<f64>,
    /// Its value in the twin.
    pub twin: Option<f64>,
}

/// How two trials part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Growth {
    /// Times of the samples, s.
    pub times: Vec<f64>,
    /// Largest distance of a body from its twin up to then, m.
    pub apart: Vec<f64>,
    /// Time in which the distance doubles while it is small, s; absent when it does not grow in this way.
    pub doubling: Option<f64>,
}

pub(super) struct Comparison<'a> {
    world: &'a World,
    exact: bool,
    stride: u64,
    smallest: f64,
    pub(super) first: Option<Difference>,
    /// Largest distance, m, with body and time.
    pub(super) worst: Option<(f64, usize, f64)>,
    growth: Growth,
    since: f64,
    /// Largest coordinate of a body in the plain trial, m.
    coordinate: f64,
}

/// What the numbers of an engine can show of two trials.
#[derive(Clone, Copy, Debug)]
pub(super) struct Resolution {
    /// Distance from 1 to its next number.
    pub(super) eps: f64,
    /// How much further from the origin than the plain trial the twin gets, m.
    pub(super) beyond: f64,
}

/// Roundings of a place within which two trials may begin to differ.
const FEW: f64 = 64.0;
/// How far a difference that grows by doubling may jump from what one doubling time says, as a factor.
const JUMP: f64 = 1000.0;

impl<'a> Comparison<'a> {
    /// `exact`: notices of sensors must agree, too. `smallest` is the size of the smallest body that moves, m.
    pub(super) fn new(world: &'a World, exact: bool, steps: u64, smallest: f64) -> Self {
        let stride = steps.div_ceil(SAMPLES).max(1);
        Comparison {
            world,
            exact,
            stride,
            smallest,
            first: None,
            worst: None,
            growth: Growth::default(),
            since: 0.0,
            coordinate: 0.0,
        }
    }

    /// Takes the next frames. Numbers up to `lost` are lost to underflow in one of the two trials and not in the other, without anybody's fault.
    pub(super) fn see(&mut self, plain: &Frame, twin: &Frame, lost: f64) {
        if self.first.is_none() {
            self.first = self.first_difference(plain, twin, lost);
        }
        let there = plain.bodies.iter().filter(|state| !state.is_absent());
        self.coordinate = there.map(|state| state.pose.position.abs().max_element()).fold(self.coordinate, f64::max);
        let mut apart = 0.0;
        for (id, (a, b)) in plain.bodies.iter().zip(&twin.bodies).enumerate() {
            let distance = distance(a, b);
            if distance > apart {
                apart = distance;
            }
            if distance > self.worst.map_or(0.0, |worst| worst.0) {
                self.worst = Some((distance, id, plain.time));
            }
        }
        self.since = self.since.max(apart);
        if plain.step.is_multiple_of(self.stride) {
            self.growth.times.push(plain.time);
            self.growth.apart.push(self.since);
            self.since = 0.0;
        }
    }

    fn first_difference(&self, plain: &Frame, twin: &Frame, lost: f64) -> Option<Difference> {
        let (step, time) = (plain.step, plain.time);
        let finite = |value: f64| value.is_finite().then_some(value);
        let reported = |body: String, component: &str, [plain, twin]: [f64; 2]| {
            Some(Difference {
                step,
                time,
                body,
                component: component.to_owned(),
                plain: finite(plain),
                twin: finite(twin),
            })
        };
        if plain.bodies.len() != twin.bodies.len() {
            return reported(String::new(), "number of bodies", [plain.bodies.len() as f64, twin.bodies.len() as f64]);
        }
        let dimension = self.world.dimension;
        let mut row = Vec::new();
        for (id, (a, b)) in plain.bodies.iter().zip(&twin.bodies).enumerate() {
            row.clear();
            rows::push_state(dimension, a, &mut row);
            rows::push_state(dimension, b, &mut row);
            let (of_plain, of_twin) = row.split_at(rows::state_len(dimension));
            for (name, (&p, &q)) in rows::state_names(dimension).iter().zip(of_plain.iter().zip(of_twin)) {
                // Both not a number is the same; zeros of either sign are.
                if p != q && !(p.is_nan() && q.is_nan()) && !(p.abs().max(q.abs()) <= lost) {
                    return reported(self.world.bodies[id].name.clone(), name, [p, q]);
                }
            }
        }
        if self.exact && plain.events != twin.events {
            return reported(
                String::new(),
                "notices of sensors",
                [plain.events.len() as f64, twin.events.len() as f64],
            );
        }
        None
    }

    /// One rounding of a place, m.
    fn rounding(&self, resolution: &Resolution) -> f64 {
        resolution.eps * (self.coordinate + resolution.beyond)
    }

    /// What roundings alone may come to over some steps, each of which rounds every place once or twice, m.
    pub(super) fn by_rounding(&self, resolution: &Resolution, steps: u64) -> f64 {
        self.rounding(resolution) * (16.0 + steps as f64)
    }

    /// Whether a few roundings and one doubling time explain all of the difference, as where bodies collide or topple: then it says nothing
    /// of the engine. A larger first difference, or a jump on the way, is a fault of its own.
    pub(super) fn is_chaos(&self, resolution: &Resolution) -> bool {
        let growth = self.growth();
        let Some(doubling) = growth.doubling else { return false };
        let small = |apart: f64| apart > 0.0 && apart < SATURATED * self.smallest;
        let parting = || growth.times.iter().zip(&growth.apart).skip_while(|(_, apart)| **apart == 0.0);
        let Some((&since, &first)) = parting().next() else { return false };
        let line: Vec<(f64, f64)> =
            parting().take_while(|(_, apart)| small(**apart)).map(|(&time, &apart)| (time, apart)).collect();
        // By a line through the middle, so that neither end decides.
        let Some(height) = line
            .iter()
            .map(|(time, apart)| libm::log2(*apart) - (time - since) / doubling)
            .reduce(|a, b| a + b)
            .map(|sum| sum / line.len() as f64)
        else {
            return false;
        };
        let jump = |&(time, apart): &(f64, f64)| (libm::log2(apart) - (time - since) / doubling - height).abs();
        first <= FEW * self.rounding(resolution) && line.iter().all(|point| jump(point) <= libm::log2(JUMP))
    }

    pub(super) fn growth(&self) -> Growth {
        Growth { doubling: doubling(&self.growth, SATURATED * self.smallest), ..self.growth.clone() }
    }
}

/// How far apart two states are, m; infinite where one of them is not there.
fn distance(a: &BodyState, b: &BodyState) -> f64 {
    match [a.is_absent(), b.is_absent()] {
        [true, true] => 0.0,
        _ => {
            let distance = a.pose.position.distance(b.pose.position);
            if distance.is_nan() { f64::INFINITY } else { distance }
        }
    }
}

/// Time in which a small difference doubles: the slope of its logarithm over time by least squares, up to where it saturates.
fn doubling(growth: &Growth, saturated: f64) -> Option<f64> {
    let points: Vec<(f64, f64)> = growth
        .times
        .iter()
        .zip(&growth.apart)
        .skip_while(|(_, apart)| **apart == 0.0)
        .take_while(|(_, apart)| **apart < saturated)
        .filter(|(_, apart)| **apart > 0.0)
        .map(|(&time, &apart)| (time, libm::log(apart)))
        .collect();
    let (first, last) = (points.first()?, points.last()?);
    if points.len() < FEWEST || last.1 - first.1 < libm::log(LEAST_RATIO) {
        return None;
    }
    let slope = crate::fit::line(&points)?.slope;
    (slope > 0.0).then(|| std::f64::consts::LN_2 / slope)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, DVec3};

    fn frame(step: u64, x: f64) -> Frame {
        let state = BodyState::planar(DVec3::new(x, 0.0, 0.0), 0.0, DVec3::ZERO, 0.0);
        Frame { step, time: step as f64 * 0.1, bodies: vec![state], ..Frame::default() }
    }

    fn world() -> World {
        World { bodies: vec![Body::plain("ball")], ..World::planar(1.0) }
    }

    #[test]
    fn the_first_difference_is_told_with_its_place_and_the_growth_with_its_doubling_time() {
        let world = world();
        let mut comparison = Comparison::new(&world, true, 60, 1.0);
        for step in 0..60 {
            // From step 10 on a difference that doubles every second.
            let apart = if step < 10 { 0.0 } else { 1e-12 * libm::exp2((step - 10) as f64 * 0.1) };
            comparison.see(&frame(step, 0.0), &frame(step, apart), 0.0);
        }
        let first = comparison.first.clone().unwrap();
        assert_eq!((first.step, first.body.as_str(), first.component.as_str()), (10, "ball", "x"));
        assert_eq!((first.plain, first.twin), (Some(0.0), Some(1e-12)));
        assert_eq!(comparison.worst.unwrap().1, 0);
        assert!((comparison.growth().doubling.unwrap() - 1.0).abs() < 1e-9);
    }

    #[test]
    fn equal_streams_do_not_differ_and_a_jump_has_no_doubling_time() {
        let world = world();
        let mut comparison = Comparison::new(&world, true, 20, 1.0);
        (0..20).for_each(|step| comparison.see(&frame(step, 0.5), &frame(step, 0.5), 0.0));
        assert_eq!((comparison.first.clone(), comparison.worst), (None, None));
        let mut jump = Comparison::new(&world, true, 20, 1.0);
        (0..20).for_each(|step| jump.see(&frame(step, 0.5), &frame(step, if step < 5 { 0.5 } else { 0.7 }), 0.0));
        assert_eq!((jump.first.clone().unwrap().step, jump.growth().doubling), (5, None));
    }

    const DOUBLE: Resolution = Resolution { eps: f64::EPSILON, beyond: 0.0 };

    /// Two trials of a ball at 10 m that part as given by the step.
    fn parting(apart: impl Fn(u64) -> f64, resolution: &Resolution) -> (bool, f64) {
        let world = world();
        let mut comparison = Comparison::new(&world, false, 200, 1.0);
        (0..200).for_each(|step| comparison.see(&frame(step, 10.0), &frame(step, 10.0 + apart(step)), 0.0));
        (comparison.is_chaos(resolution), comparison.by_rounding(resolution, 200))
    }

    #[test]
    fn chaos_begins_with_a_rounding_and_has_one_doubling_time() {
        let ulp = 2e-15;
        let grows = move |from: f64| move |step: u64| from * libm::exp2(step as f64 * 0.25).min(1e14);
        assert!(parting(grows(ulp), &DOUBLE).0);
        // From a micrometre on the rise says nothing: something else set it off.
        assert!(!parting(grows(1e-6), &DOUBLE).0);
        // In single precision a micrometre at 10 m is one rounding.
        let single = Resolution { eps: f64::from(f32::EPSILON), ..DOUBLE };
        assert!(parting(grows(1e-6), &single).0);
        // So it is in double precision a thousand million metres away.
        assert!(parting(grows(1e-6), &Resolution { beyond: 1e9, ..DOUBLE }).0);
    }

    #[test]
    fn a_jump_after_a_rounding_is_no_chaos() {
        let jump = |step: u64| if step < 100 { 2e-15 * (1.0 + step as f64) } else { 5e-3 + 1e-5 * step as f64 };
        assert!(!parting(jump, &DOUBLE).0);
        assert!(!parting(|step| if step < 50 { 0.0 } else { 0.2 }, &DOUBLE).0);
        assert!(!parting(|_| 0.0, &DOUBLE).0);
    }

    #[test]
    fn what_roundings_come_to_goes_with_the_scalar_the_place_and_the_steps() {
        let (_, double) = parting(|_| 0.0, &DOUBLE);
        assert!((double / (f64::EPSILON * 10.0 * 216.0) - 1.0).abs() < 1e-12);
        let single = Resolution { eps: f64::from(f32::EPSILON), beyond: 90.0 };
        assert!((parting(|_| 0.0, &single).1 / (single.eps * 100.0 * 216.0) - 1.0).abs() < 1e-12);
    }

    #[test]
    fn what_underflows_in_one_of_two_units_is_no_difference() {
        let world = world();
        let moving = |spin: f64| {
            let mut frame = frame(1, 0.5);
            frame.bodies[0].spin.z = spin;
            frame
        };
        for (lost, first) in [(0.0, true), (1e-19, false)] {
            let mut comparison = Comparison::new(&world, true, 20, 1.0);
            comparison.see(&moving(1e-25), &moving(0.0), lost);
            assert_eq!(comparison.first.is_some(), first);
            comparison.see(&moving(1e-9), &moving(0.0), lost);
            assert!(comparison.first.is_some());
        }
    }
}
