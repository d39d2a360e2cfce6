//! Rebound by speed and by height.

use crate::advice;
use crate::derived::{closing, first_touch};
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, World};

pub(crate) const BY_SPEED: GaugeEntry = GaugeEntry {
    name: "rebound.speed",
    label: "rebound by speed",
    unit: "1",
    better: Better::Nearer,
    definition: "Mean ratio of the normal speed after an impact to that before it, over all impacts clear of resting contact: of both surfaces at the point and along the normal of their first touch, to which free flight carries them from both ends of the step. Where one step does not show a whole impact, both speeds are carried to the surface along the normals of the frames.",
    formula: "mean(u_after / u_before), u = (v + w x r)_n of one against the other at the touch; or u = sqrt(v_n^2 + 2 g_n gap), of a gap at most what is flown through in the step",
    source: "Newton's law of restitution",
    limits: "Impacts slower than 16 g dt are left out, since one step more or less of gravity would decide the ratio.",
    usual_causes: "restitution taken for a ratio of heights (then the square root comes out); restitution dropped below a fixed speed; speed of the step's end used instead of the impact's",
    needs: &[Need::Against],
    next_step: advice::REBOUND,
    make: by_speed,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const BY_HEIGHT: GaugeEntry = GaugeEntry {
    name: "rebound.height",
    label: "rebound by height",
    unit: "1",
    better: Better::Nearer,
    definition: "Mean ratio of the gap at one summit to that at the summit before; the summit between two frames is that of the parabola through three samples. Of an engine that turns bodies round at a margin above the surface, deeper than what one step flies through, the gaps above that margin are taken.",
    formula: "mean(h_k+1 / h_k) = e^2",
    source: "Newton's law of restitution with h = u^2 / 2g",
    limits: "Summits that a body falls from at less than 16 g dt are left out.",
    usual_causes: "as rebound by speed; besides, an integrator that loses or gains height in free flight",
    needs: &[Need::Against],
    next_step: advice::REBOUND,
    make: by_height,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// An approach slower than this many steps of gravity is not measured: one step more or less would change it too much.
const CLEAR_STEPS: f64 = 16.0;

/// Gap, normal speed (apart positive) and fall towards the surface of a body over what it bounces on.
#[derive(Clone, Copy, Debug)]
struct Over {
    /// The body that it is over.
    other: usize,
    gap: f64,
    speed: f64,
    fall: f64,
}

impl Over {
    /// How far free flight carries it within `span`.
    fn reach(&self, span: f64) -> f64 {
        self.speed.abs() * span + 0.5 * self.fall.abs() * span * span
    }

    /// Speed that this state has, or had, at the surface: energy is kept on the way there. Of a gap only what can be flown through within
    /// `span` counts: an engine that keeps bodies apart by a margin turns them round above the surface, and a body held there at rest does
    /// not fall through its margin once a step.
    fn speed_at_surface(&self, span: f64) -> f64 {
        let reach = self.reach(span);
        // Not `clamp`, which panics where an engine reports a speed that is no number.
        let gap = self.gap.max(-reach).min(reach);
        (self.speed * self.speed + 2.0 * self.fall * gap).max(0.0).sqrt()
    }
}

fn over(view: &View<'_>, when: When, id: usize, against: &[usize]) -> Option<Over> {
    let frame = match when {
        When::Now => view.now,
        When::Before => view.before?,
    };
    let mut best: Option<(f64, Over)> = None;
    for &other in against {
        let gap = view.gap(when, other, id, f64::INFINITY);
        if gap.distance.is_finite() && best.is_none_or(|(distance, _)| gap.distance < distance) {
            let normal = gap.normal;
            let speed = (frame.bodies[id].velocity - frame.bodies[other].velocity).dot(normal);
            best = Some((gap.distance, Over { other, gap: gap.distance, speed, fall: -view.fall(id).dot(normal) }));
        }
    }
    best.map(|(_, over)| over)
}

/// Normal speeds with which two bodies come together and part where they first touch within the step, if that is to be seen: both flying
/// freely before and after it.
fn speeds_at_touch(view: &View<'_>, other: usize, id: usize) -> Option<[f64; 2]> {
    let touch = first_touch(view, [other, id])?;
    // What flew away since, carried back.
    let after = [0, 1].map(|k| {
        let now = &view.now.bodies[[other, id][k]];
        let mut then = touch.states[k];
        then.velocity = now.velocity - touch.fall[k] * (view.span() - touch.time);
        then.spin = now.spin;
        then
    });
    Some([closing(&touch.states, &touch.gap), -closing(&after, &touch.gap)])
}

/// Ratios gathered over impacts.
#[derive(Clone, Debug, Default)]
struct Ratios {
    count: u64,
    sum: f64,
    low: f64,
    high: f64,
    too_slow: u64,
}

impl Ratios {
    fn add(&mut self, ratio: f64) {
        self.low = if self.count == 0 { ratio } else { self.low.min(ratio) };
        self.high = if self.count == 0 { ratio } else { self.high.max(ratio) };
        self.count += 1;
        self.sum += ratio;
    }

    fn reading(&self) -> Reading {
        if self.count == 0 {
            // Impacts that a step of gravity blurs say nothing for or against an engine.
            return match self.too_slow {
                0 => Reading::nothing("no impact was seen"),
                slow => Reading::unsupported(format!("{slow} impacts, all too slow for this step to measure")),
            };
        }
        let detail = match self.count {
            1 => "one impact".to_owned(),
            count => format!("mean of {count} impacts, from {:.4} to {:.4}", self.low, self.high),
        };
        Reading::of(self.sum / self.count as f64, detail)
    }
}

struct BySpeed {
    scope: Scope,
    /// Speed at the surface of a body that is being stopped.
    approach: Vec<Option<f64>>,
    ratios: Ratios,
}

pub(crate) fn by_speed(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(BySpeed { approach: vec![None; scope.of.len()], scope: scope.clone(), ratios: Ratios::default() })
}

impl Gauge for BySpeed {
    fn observe(&mut self, view: &View<'_>) {
        if view.before.is_none() {
            return;
        }
        let span = view.span();
        for (slot, &id) in self.scope.of.iter().enumerate() {
            if !view.present(id) {
                continue;
            }
            let (Some(was), Some(is)) =
                (over(view, When::Before, id, &self.scope.against), over(view, When::Now, id, &self.scope.against))
            else {
                continue;
            };
            // What the surface added to the speed, beyond gravity.
            let pushed = is.speed - was.speed + is.fall * span;
            let natural = was.speed.abs().max(is.fall.abs() * span);
            let within_the_step = self.approach[slot].is_none() && was.other == is.other && pushed > 0.05 * natural;
            if let Some([comes, parts]) = within_the_step.then(|| speeds_at_touch(view, is.other, id)).flatten()
                && comes > CLEAR_STEPS * is.fall.abs() * span
                && parts > 0.0
            {
                self.ratios.add(parts / comes);
            } else if pushed > 0.05 * natural && (was.speed < 0.0 || self.approach[slot].is_some()) {
                let approach = *self.approach[slot].get_or_insert_with(|| was.speed_at_surface(span));
                if is.speed >= -1e-9 * approach {
                    self.approach[slot] = None;
                    if approach >= CLEAR_STEPS * is.fall.abs() * span && approach > 0.0 {
                        self.ratios.add(is.speed_at_surface(span) / approach);
                    } else {
                        self.ratios.too_slow += 1;
                    }
                }
            } else {
                self.approach[slot] = None;
            }
        }
    }

    fn reading(&self, _: &World) -> Reading {
        self.ratios.reading()
    }
}

/// The last gaps of one body, and its last summit.
#[derive(Clone, Copy, Debug)]
struct Climb {
    last: Option<[f64; 2]>,
    summit: Option<f64>,
    /// The lowest that it came since that summit, less what can be flown through unseen in a step.
    turn: f64,
}

struct ByHeight {
    scope: Scope,
    climbs: Vec<Climb>,
    ratios: Ratios,
}

pub(crate) fn by_height(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(ByHeight {
        climbs: vec![Climb { last: None, summit: None, turn: f64::INFINITY }; scope.of.len()],
        scope: scope.clone(),
        ratios: Ratios::default(),
    })
}

impl Gauge for ByHeight {
    fn observe(&mut self, view: &View<'_>) {
        for (slot, &id) in self.scope.of.iter().enumerate().filter(|(_, id)| view.present(**id)) {
            let Some(is) = over(view, When::Now, id, &self.scope.against) else { continue };
            let climb = &mut self.climbs[slot];
            climb.turn = climb.turn.min(is.gap - is.reach(view.span()));
            let Some([older, old]) = climb.last else {
                // A body let go at rest starts from its first summit.
                climb.last = Some([is.gap, is.gap]);
                climb.summit = (is.speed == 0.0 && is.gap > 0.0).then_some(is.gap);
                continue;
            };
            let from_start = older == old && climb.summit == Some(old);
            if !from_start && old > older && old >= is.gap {
                let top = summit(older, old, is.gap);
                let clear = CLEAR_STEPS * is.fall.abs() * view.span();
                // Heights are above the surface, or above the margin where an engine turns bodies round before it.
                let turn = climb.turn.max(0.0);
                if let Some(last) = climb.summit {
                    if 2.0 * is.fall * (last - turn) >= clear * clear {
                        self.ratios.add((top - turn) / (last - turn));
                    } else {
                        self.ratios.too_slow += 1;
                    }
                }
                climb.summit = Some(top);
                climb.turn = f64::INFINITY;
            }
            climb.last = Some([old, is.gap]);
        }
    }

    fn reading(&self, _: &World) -> Reading {
        self.ratios.reading()
    }
}

/// Highest value of the parabola through three values at equal distances, the middle one the largest.
fn summit(a: f64, b: f64, c: f64) -> f64 {
    let bend = a - 2.0 * b + c;
    if bend < 0.0 { b - (a - c) * (a - c) / (8.0 * bend) } else { b }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, DVec3, PlaneShape, World};

    fn floor_and_ball() -> World {
        world(&[
            ("floor", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::new(0.0, 1.05)),
        ])
    }

    fn bounces(e: f64) -> Vec<ironspin_model::Frame> {
        trace(1.0 / 240.0, 4.0, move |t| {
            let (gap, speed) = bouncing(1.0, e, t);
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.05, 0.0, speed)]
        })
    }

    #[test]
    fn the_closed_form_is_measured_to_rounding() {
        for e in [0.2, 0.5, 0.9] {
            let by_speed = measure("rebound.speed", &floor_and_ball(), &[1], &[0], &bounces(e));
            assert!((by_speed.value.unwrap() - e).abs() < 1e-9, "{e}: {by_speed:?}");
            let by_height = measure("rebound.height", &floor_and_ball(), &[1], &[0], &bounces(e));
            // The summit of a very low bounce may fall where two of its three samples lie on other bounces.
            assert!((by_height.value.unwrap() / (e * e) - 1.0).abs() < 1e-9, "{e}: {by_height:?}");
        }
    }

    /// A ball that hits a round anvil beside its middle, with or without the spin that friction gives it; nothing pulls.
    fn oblique(e: f64, spun: f64, dt: f64) -> (World, Vec<ironspin_model::Frame>) {
        let mut yard = world(&[
            ("anvil", BodyKind::Static, PlaneShape::Disc(0.5), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::new(0.3, 2.0)),
        ]);
        yard.gravity = DVec3::ZERO;
        // Touches where its centre stands 0.6 from the anvil's.
        let touch = DVec2::new(0.3, (0.36_f64 - 0.09).sqrt());
        let normal = touch / 0.6;
        let coming = DVec2::new(0.0, -3.0);
        let parting = coming - (1.0 + e) * coming.dot(normal) * normal;
        let lands = (2.0 - touch.y) / 3.0;
        let frames = trace(dt, 1.0, move |t| {
            let (at, v, w) = if t < lands {
                (DVec2::new(0.3, 2.0) + coming * t, coming, 0.0)
            } else {
                (touch + parting * (t - lands), parting, spun)
            };
            let mut ball = state(at.x, at.y, v.x, v.y);
            ball.spin.z = w;
            vec![state(0.0, 0.0, 0.0, 0.0), ball]
        });
        (yard, frames)
    }

    #[test]
    fn an_oblique_impact_is_measured_along_the_normal_of_its_first_touch() {
        for (e, spun) in [(0.4, 0.0), (0.4, 7.0), (0.9, -3.0), (1.0, 0.0)] {
            for dt in [1.0 / 30.0, 1.0 / 60.0, 1.0 / 240.0] {
                let (yard, frames) = oblique(e, spun, dt);
                let reading = measure("rebound.speed", &yard, &[1], &[0], &frames);
                assert!((reading.value.unwrap() - e).abs() < 1e-9, "{e}, spin {spun}, {dt}: {reading:?}");
            }
        }
        // An engine that pushes along another normal shows another ratio: here the ball flies off to the side.
        let (yard, mut frames) = oblique(0.4, 0.0, 1.0 / 60.0);
        let lands = frames.iter().position(|frame| frame.bodies[1].velocity.x != 0.0).unwrap();
        frames[lands..].iter_mut().for_each(|frame| frame.bodies[1].velocity = DVec3::new(2.0, 1.2, 0.0));
        let wrong = measure("rebound.speed", &yard, &[1], &[0], &frames).value.unwrap();
        assert!((wrong - 0.4).abs() > 0.1, "{wrong}");
    }

    #[test]
    fn restitution_taken_for_a_ratio_of_heights_is_caught() {
        // An engine that applies 0.5 to the height bounces with the speed ratio sqrt(0.5).
        let wrong = measure("rebound.speed", &floor_and_ball(), &[1], &[0], &bounces(0.5_f64.sqrt()));
        assert!((wrong.value.unwrap() - 0.5).abs() > 0.2);
        let wrong = measure("rebound.height", &floor_and_ball(), &[1], &[0], &bounces(0.5_f64.sqrt()));
        assert!((wrong.value.unwrap() - 0.25).abs() > 0.2);
    }

    /// Engines keep bodies apart by a margin, some of them by one that is many steps of free fall deep.
    #[test]
    fn a_ball_that_comes_to_rest_above_the_floor_does_not_bounce_there() {
        let (dt, margin, e) = (1.0 / 960.0, 0.004, 0.03);
        // One impact a margin above the floor, and rest there from the next on: each step takes away what gravity gave.
        let ends = (2.0 * (1.0 - margin) / 9.81_f64).sqrt() * (1.0 + 2.0 * e);
        let frames = trace(dt, 1.5, move |t| {
            let (gap, speed) = if t > ends { (0.0, 0.0) } else { bouncing(1.0 - margin, e, t) };
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + margin + 0.05, 0.0, speed)]
        });
        let reading = measure("rebound.speed", &floor_and_ball(), &[1], &[0], &frames);
        assert_eq!(reading.detail, "one impact");
        // The margin is deeper than a step's fall, so that the surface is missed by one step of gravity either way.
        let slack = (1.0 + e) * 9.81 * dt / (2.0 * 9.81_f64).sqrt();
        assert!((reading.value.unwrap() - e).abs() < slack, "{reading:?}");
    }

    #[test]
    fn heights_are_above_the_margin_where_bodies_turn_round() {
        let (dt, margin, e) = (1.0 / 960.0, 0.02, 0.5);
        // It bounces on its margin and trembles there when it has come to rest.
        let frames = trace(dt, 2.0, move |t| {
            let (gap, speed) = bouncing(1.0 - margin, e, t);
            let trembles = if gap < 1e-9 { 1e-6 * libm::sin(400.0 * t) } else { 0.0 };
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + trembles + margin + 0.05, 0.0, speed)]
        });
        let reading = measure("rebound.height", &floor_and_ball(), &[1], &[0], &frames);
        // Where within its last step it turned round is not seen: 16 g dt^2 of the lowest summit, 128 g dt^2.
        assert!((reading.value.unwrap() - e * e).abs() < e * e / 8.0, "{reading:?}");
        assert!(reading.detail.starts_with("mean of 4") || reading.detail.starts_with("mean of 5"), "{reading:?}");
    }

    #[test]
    fn speeds_that_are_no_numbers_are_borne() {
        let mut frames = bounces(0.5);
        for (number, frame) in frames.iter_mut().enumerate().filter(|(number, _)| number % 7 > 3) {
            frame.bodies[1].velocity.y = [f64::NAN, f64::INFINITY, f64::NEG_INFINITY][number % 3];
        }
        for gauge in ["rebound.speed", "rebound.height"] {
            measure(gauge, &floor_and_ball(), &[1], &[0], &frames);
        }
    }

    #[test]
    fn a_ball_that_never_lands_is_not_measured() {
        let frames = trace(0.01, 1.0, |_| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, 5.0, 0.0, 0.0)]);
        for gauge in ["rebound.speed", "rebound.height"] {
            assert_eq!(measure(gauge, &floor_and_ball(), &[1], &[0], &frames).value, None);
        }
    }
}
