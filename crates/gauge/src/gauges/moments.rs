//! Times between frames: when a condition becomes true, and when something is hit.

use crate::advice;
use crate::derived::Between;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{BodyState, Dimension, Measure, Moment, Nth, World};

pub(crate) const WHEN: GaugeEntry = GaugeEntry {
    name: "time.when",
    label: "time at which it becomes true",
    unit: "s",
    better: Better::Nearer,
    definition: "The nth time (the first when not said) at which the claim's condition `becomes` true, for any of the bodies. A condition that holds in the first frame of the window has not become true there.",
    formula: "t_n = n-th t with becomes(t - 0) false and becomes(t + 0) true, between frames for the interpolated state: x by the cubic through place and velocity at both ends, v by its slope (even in time where the places do not follow from the velocities); in a step in which a body was hit, by its flights before and after, which meet at the blow",
    source: "definition; Hermite's interpolation, of fourth order in place and third in velocity",
    limits: "A condition is looked at four times a step: one that is true for less than a quarter of a step may be missed. An engine that puts a blow off to the end of its step has it late by up to a step.",
    usual_causes: "a wrong force or restitution on the way; an impact found a step late; time of a wrong scale",
    needs: &[Need::Becomes],
    takes: &[Need::Nth],
    next_step: advice::MOTION,
    make: when,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const IMPACT: GaugeEntry = GaugeEntry {
    name: "time.impact",
    label: "time of an impact",
    unit: "s",
    better: Better::Nearer,
    definition: "The nth time (the first when not said, `nth = \"last\"` for the last) at which any of the bodies hits one of those they are measured against (all others when not named): its velocity changes in a step by more than twice what gravity gives, four times what it changed by in the steps before, and the other is within reach.",
    formula: "the time at which the flight from the frame before, x0 + v0 s + a s^2 / 2, and the flight to the frame after, x1 - v1 (h - s) + a (h - s)^2 / 2, are nearest, a by gravity and scripted forces",
    source: "definition; Galileo's law of falling bodies on both sides of the blow",
    limits: "One impact a body and step, and steps that follow each other without a free one between them count as one impact. Impacts slower than 2 g dt are resting contact. Of an engine that puts a blow off to the end of its step the time comes up to a step late.",
    usual_causes: "a wrong force or restitution on the way; an impact found a step late; an impact missed",
    takes: &[Need::Nth],
    next_step: advice::IMPACTS,
    make: impact,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// At which shares of a step conditions are looked at.
const SHARES: [f64; 4] = [0.25, 0.5, 0.75, 1.0];
/// Halvings of the part of a step in which a condition becomes true.
const HALVINGS: usize = 50;
/// An approach slower than this many steps of gravity is resting contact.
const CLEAR_STEPS: f64 = 2.0;
/// A blow changes the velocity by this share of the fastest motion seen at least.
const CLEAR_SHARE: f64 = 1e-6;

/// Which of several times is wanted, and what was found.
struct Times {
    nth: Nth,
    count: u64,
    found: Option<(f64, usize)>,
    frames: u64,
}

impl Times {
    fn of(scope: &Scope) -> Times {
        Times { nth: scope.details.nth.unwrap_or(Nth::Nth(1)), count: 0, found: None, frames: 0 }
    }

    /// Takes the times of a step, s, with the bodies.
    fn take(&mut self, mut times: Vec<(f64, usize)>) {
        times.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        for time in times {
            self.count += 1;
            if self.nth == Nth::Last || self.nth == Nth::Nth(self.count) {
                self.found = Some(time);
            }
        }
    }

    fn reading(&self, world: &World, what: &str) -> Reading {
        let times = |count: u64| if count == 1 { "once".to_owned() } else { format!("{count} times") };
        match (self.found, self.nth) {
            _ if self.frames == 0 => Reading::nothing("no frame lies in the window"),
            (Some((time, body)), nth) => {
                let name = world.bodies.get(body).map_or("", |body| body.name.as_str());
                let which = match nth {
                    Nth::Last => "the last".to_owned(),
                    Nth::Nth(number) => format!("number {number}"),
                };
                Reading::of(time, format!("{name}, {which} of {}", self.count)).seen_at(time, body)
            }
            (None, Nth::Last) => Reading::nothing(format!("{what} never")),
            (None, Nth::Nth(number)) => {
                Reading::nothing(format!("{what} {}, and number {number} is asked for", times(self.count)))
            }
        }
    }
}

struct Turning {
    of: Vec<usize>,
    becomes: Option<Measure>,
    between: Between,
    /// Whether the condition holds for each body.
    holds: Vec<bool>,
    times: Times,
    states: Vec<BodyState>,
}

pub(crate) fn when(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    let whole = scope.details.becomes.as_ref().is_some_and(Measure::is_whole);
    Box::new(Turning {
        of: if whole { scope.of.iter().take(1).copied().collect() } else { scope.of.clone() },
        becomes: scope.details.becomes.clone(),
        between: Between::of(scope.details.becomes.as_ref().and_then(|becomes| becomes.needs(&scope.of))),
        holds: Vec::new(),
        times: Times::of(scope),
        states: Vec::new(),
    })
}

impl Gauge for Turning {
    fn observe(&mut self, view: &View<'_>) {
        let Some(becomes) = &self.becomes else { return };
        self.times.frames += 1;
        let truth = |states: &[BodyState], body: usize, time: f64| {
            let value = becomes.at(&Moment { bodies: states, body, of: &self.of, time });
            value != 0.0 && !value.is_nan()
        };
        let Some(before) = view.before else {
            let (states, time) = (&view.now.bodies, view.now.time);
            self.holds = self.of.iter().map(|&body| truth(states, body, time)).collect();
            self.between.note(view);
            return;
        };
        let span = view.span();
        let time_at = |share: f64| if share < 1.0 { before.time + share * span } else { view.now.time };
        let mut found = Vec::new();
        let mut last = 0.0;
        for share in SHARES {
            self.between.fill(view, share, &mut self.states);
            let now: Vec<bool> = self.of.iter().map(|&body| truth(&self.states, body, time_at(share))).collect();
            for ((&body, was), &is) in self.of.iter().zip(&mut self.holds).zip(&now) {
                if is && !*was {
                    let (mut low, mut high) = (last, share);
                    for _ in 0..HALVINGS {
                        let middle = 0.5 * (low + high);
                        self.between.fill(view, middle, &mut self.states);
                        if truth(&self.states, body, time_at(middle)) { high = middle } else { low = middle }
                    }
                    found.push((time_at(high), body));
                }
                *was = is;
            }
            last = share;
        }
        self.times.take(found);
        self.between.note(view);
    }

    fn reading(&self, world: &World) -> Reading {
        self.times.reading(world, "it became true")
    }
}

struct Impacts {
    of: Vec<usize>,
    others: Membership,
    between: Between,
    /// Whether each body was hit in the step before.
    just_hit: Vec<bool>,
    fastest: f64,
    times: Times,
}

pub(crate) fn impact(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Impacts {
        of: scope.of.clone(),
        others: Membership::of_or_everything(world, &scope.against),
        between: Between::of(Some(scope.of.clone())),
        just_hit: vec![false; scope.of.len()],
        fastest: 0.0,
        times: Times::of(scope),
    })
}

impl Impacts {
    /// Whether one of the others is within reach of a body at either end of the step.
    fn has_partner(&self, view: &View<'_>, id: usize) -> bool {
        let speed = |id: usize| view.cache.swiftness(When::Before, id).max(view.cache.swiftness(When::Now, id));
        let others =
            (0..view.world.bodies.len()).filter(|&other| other != id && self.others.has(other) && view.present(other));
        others.into_iter().any(|other| {
            let within = 1.5 * (speed(id) + speed(other)) * view.span() + 0.01 * view.smaller_size(id, other);
            [When::Before, When::Now].into_iter().any(|when| view.gap(when, id, other, within).distance <= within)
        })
    }
}

impl Gauge for Impacts {
    fn observe(&mut self, view: &View<'_>) {
        self.times.frames += 1;
        let there = self.of.iter().filter(|&&id| view.present(id));
        self.fastest = there.map(|&id| view.now.bodies[id].velocity.length()).fold(self.fastest, f64::max);
        if let Some(before) = view.before {
            let span = view.span();
            let mut found = Vec::new();
            for (number, &id) in self.of.iter().enumerate() {
                let clear = CLEAR_STEPS * view.fall(id).length() * span + CLEAR_SHARE * self.fastest;
                let blow = self.between.blow(view, id).filter(|(_, change)| change.length() > clear);
                let hit = blow.filter(|_| self.has_partner(view, id));
                if let Some((share, _)) = hit.filter(|_| !self.just_hit[number]) {
                    found.push((before.time + share * span, id));
                }
                self.just_hit[number] = hit.is_some();
            }
            self.times.take(found);
        }
        self.between.note(view);
    }

    fn reading(&self, world: &World) -> Reading {
        self.times.reading(world, "it was hit")
    }
}

#[cfg(test)]
mod tests {
    use crate::gauge::{Reading, Scope};
    use crate::gauges::trace::{bouncing, measure_with, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, Details, Frame, Measure, Nth, PlaneShape, World};

    const G: f64 = 9.81;

    fn floor_and_ball() -> World {
        world(&[
            ("floor", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::new(0.0, 1.05)),
        ])
    }

    fn bounces(e: f64, until: f64) -> Vec<Frame> {
        trace(1.0 / 60.0, until, move |t| {
            let (gap, speed) = bouncing(1.0, e, t);
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.05, 0.0, speed)]
        })
    }

    fn found(gauge: &str, nth: Nth, becomes: Option<Measure>, frames: &[Frame]) -> Reading {
        let details = Details { nth: Some(nth), becomes, ..Details::default() };
        let scope = Scope { of: vec![1], details, ..Scope::default() };
        measure_with(gauge, &floor_and_ball(), &scope, frames)
    }

    /// Landings at t0 (1 + 2 e + 2 e^2 + ...), t0 the time of the first fall.
    fn landing(e: f64, number: i32) -> f64 {
        let first = (2.0 / G).sqrt();
        first * (1.0 + (1..number).map(|k| 2.0 * e.powi(k)).sum::<f64>())
    }

    #[test]
    fn the_times_of_landings_are_those_of_the_closed_form_between_frames() {
        for number in 1..4 {
            let time = found("time.impact", Nth::Nth(number), None, &bounces(0.7, 2.0)).value.unwrap();
            assert!((time - landing(0.7, number as i32)).abs() < 1e-11, "{number}: {time}");
        }
        // Of a ball that lands five times within the trace, the last.
        let last = found("time.impact", Nth::Last, None, &bounces(0.7, 2.0));
        let number = (1..).take_while(|&k| landing(0.7, k) < 2.0).last().unwrap();
        assert!((last.value.unwrap() - landing(0.7, number)).abs() < 1e-11, "{last:?}");
        // Another restitution is another time.
        let livelier = found("time.impact", Nth::Nth(2), None, &bounces(0.75, 2.0)).value.unwrap();
        assert!((livelier - landing(0.7, 2)).abs() > 0.01);
        let never = found("time.impact", Nth::Nth(99), None, &bounces(0.7, 2.0));
        assert!(never.value.is_none() && never.detail.contains("number 99 is asked for"), "{never:?}");
    }

    #[test]
    fn the_time_of_a_turning_point_is_found_between_frames() {
        // The second time that it begins to fall: at the top of its first hop.
        let falls = || Some(Measure::new("vy < 0", |state: &BodyState, _| f64::from(u8::from(state.velocity.y < 0.0))));
        let second = found("time.when", Nth::Nth(2), falls(), &bounces(0.7, 2.0)).value.unwrap();
        let first = (2.0 / G).sqrt();
        assert!((second - (first + 0.7 * first)).abs() < 1e-11, "{second}");
        let late = found("time.when", Nth::Nth(2), falls(), &bounces(0.6, 2.0)).value.unwrap();
        assert!((late - second).abs() > 0.02);
        // What is true from the start has not become true; what never is has no time.
        let high =
            || Some(Measure::new("y > -1", |state: &BodyState, _| f64::from(u8::from(state.pose.position.y > -1.0))));
        assert!(found("time.when", Nth::Nth(1), high(), &bounces(0.7, 2.0)).detail.contains("0 times"));
    }
}
