//! How many impacts there were, and of which pairs.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Membership, velocity_at};
use ironspin_model::{DVec3, Dimension, World};
use std::collections::{BTreeMap, BTreeSet};

pub(crate) const COUNT: GaugeEntry = GaugeEntry {
    name: "impacts.count",
    label: "impacts",
    unit: "impacts",
    better: Better::Nearer,
    definition: "Number of impacts between the bodies and those they are measured against (all others when not named). A step counts by the engine's contact notices when their impulses explain the change of momentum in the states to a millionth; otherwise by the states alone: a pair within reach that loses over half of its approach speed.",
    formula: "sum over steps and pairs",
    source: "definition; momentum law for the check of the notices",
    limits: "From states alone a pair is counted once a step at most. In a step in which a body was hit by two others, only an engine that says how many impacts each notice stands for shows how many there were: otherwise the count is the least there can have been, and whether it is right is not known. Approaches slower than 2 g dt are resting contact. Friction changes momentum without a notice, so notices are believed only where none acts.",
    usual_causes: "several impacts within one step of which only the first is seen; a body squeezed through another; restitution not exactly elastic",
    counts: true,
    next_step: advice::IMPACTS,
    make: count,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// An approach slower than this many steps of gravity is resting contact, not an impact.
const CLEAR_STEPS: f64 = 2.0;
/// Share of the momentum that notices must explain to be believed.
const BELIEVED: f64 = 1e-6;

type PairOfBodies = (usize, usize);

struct Impacts {
    of: Membership,
    others: Membership,
    counts: BTreeMap<PairOfBodies, u64>,
    /// Pairs whose impact is counted and that have not parted since.
    together: BTreeSet<PairOfBodies>,
    steps_by_notices: u64,
    unexplained_steps: u64,
    /// Steps in which there may have been more impacts than anything shows.
    open_steps: u64,
    frames: u64,
    /// Kept for the next step, to spare allocations.
    notices: Vec<(PairOfBodies, u64)>,
    /// Bodies that hit each other in this step, both ways.
    partners: BTreeSet<PairOfBodies>,
    /// Whether the notices of this step may be sums.
    step_is_open: bool,
    /// Of each body the inverse of its mass, 1/kg, 0 for one that nothing moves; and its fall over the step, m/s².
    inverse: Vec<f64>,
    falls: Vec<f64>,
    fastest: f64,
}

pub(crate) fn count(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Impacts {
        of: Membership::of(world, &scope.of),
        others: Membership::of_or_everything(world, &scope.against),
        counts: BTreeMap::new(),
        together: BTreeSet::new(),
        steps_by_notices: 0,
        unexplained_steps: 0,
        open_steps: 0,
        frames: 0,
        notices: Vec::new(),
        partners: BTreeSet::new(),
        step_is_open: false,
        inverse: world.bodies.iter().map(|body| if body.mass > 0.0 { 1.0 / body.mass } else { 0.0 }).collect(),
        falls: Vec::new(),
        fastest: 0.0,
    })
}

impl Impacts {
    /// The engine's contact notices of this step as a list of impacts, in their order; points of one manifold that
    /// follow each other are one impact. `None` when the notices do not explain the change of momentum in the states.
    fn believed_notices(&mut self, view: &View<'_>) -> bool {
        self.notices.clear();
        let Some(before) = view.before else { return false };
        if view.now.contacts.is_empty() {
            return false;
        }
        let span = view.span();
        let bodies = &view.world.bodies;
        self.falls.clear();
        self.falls.extend((0..bodies.len()).map(|id| view.fall(id).length()));
        let (inverse, falls) = (&self.inverse, &self.falls);
        let mut last: Option<&ironspin_model::Contact> = None;
        self.partners.clear();
        let mut sums = Vec::new();
        for contact in &view.now.contacts {
            let (a, b) = (contact.bodies[0], contact.bodies[1]);
            if !(a < bodies.len() && b < bodies.len()) {
                continue;
            }
            let change = contact.impulse * (inverse[a] + inverse[b]);
            let fall = falls[a].max(falls[b]);
            let slow = (CLEAR_STEPS * fall * span).max(1e-9 * self.fastest);
            if !(change > slow) {
                last = None;
                continue;
            }
            // Points of one manifold follow each other; of two impacts with another row between them both count, whosever it is.
            let same_manifold = last.replace(contact).is_some_and(|last| {
                let single = |contact: &ironspin_model::Contact| contact.times.is_none_or(|times| times == 1);
                last.bodies == contact.bodies && single(last) && single(contact) && last.point != contact.point
            });
            self.partners.extend([(a, b), (b, a)]);
            if !same_manifold && self.of.links(&self.others, a, b) {
                self.notices.push(((a, b), contact.times.unwrap_or(1)));
                sums.extend(contact.times.is_none().then_some([a, b]));
            }
        }
        // A notice of a body that only one other has hit stands for one impact: nothing brought the two together again.
        let several = |id: usize| inverse[id] > 0.0 && self.partners.range((id, 0)..(id + 1, 0)).count() > 1;
        self.step_is_open = sums.into_iter().flatten().any(several);
        if self.notices.is_empty() {
            return false;
        }
        // What the notices say each body was given, N s, and how much that is without its directions.
        let mut pushes = vec![(DVec3::ZERO, 0.0); view.world.bodies.len()];
        for contact in &view.now.contacts {
            for (id, sign) in contact.bodies.into_iter().zip([-1.0, 1.0]) {
                if let Some((reported, sum)) = pushes.get_mut(id) {
                    *reported += sign * contact.impulse * contact.normal;
                    *sum += contact.impulse.abs();
                }
            }
        }
        let mut there = (0..view.world.bodies.len()).filter(|&id| self.of.has(id) && view.present(id));
        there.all(|id| {
            let body = view.cache.traits(id);
            let changed =
                body.mass * (view.now.bodies[id].velocity - before.bodies[id].velocity - view.fall(id) * span);
            let (reported, sum) = pushes[id];
            let size = changed.length() + body.mass * 1e-6 * before.bodies[id].velocity.length() + sum;
            (reported - changed).length() <= BELIEVED * size
        })
    }

    /// Impacts as the states alone show them: a pair within reach loses more than half of its approach in the step.
    fn count_by_states(&mut self, view: &View<'_>) {
        let Some(before) = view.before else { return };
        let span = view.span();
        // Where nothing moves fast enough to collide, and nothing must be seen to part, there is nothing to report.
        let members = (0..view.world.bodies.len()).filter(|&id| self.of.has(id));
        let gentlest = members.map(|id| view.fall(id).length()).fold(f64::INFINITY, f64::min);
        if self.together.is_empty() && 2.0 * view.cache.fastest() <= CLEAR_STEPS * gentlest * span {
            return;
        }
        let mut found = Vec::new();
        let mut close = BTreeSet::new();
        let swift = |id: usize| view.cache.swiftness(When::Before, id).max(view.cache.swiftness(When::Now, id));
        // How fast two bodies can come together anywhere within a distance of their rims, m/s.
        let closing = |frame: &ironspin_model::Frame, a: usize, b: usize, within: f64| {
            let turning = |id: usize| {
                let spin = frame.bodies[id].spin.length();
                if spin == 0.0 { 0.0 } else { spin * (view.cache.shapes().reach(id) + within) }
            };
            (frame.bodies[b].velocity - frame.bodies[a].velocity).length() + turning(a) + turning(b)
        };
        let within = 2.0 * view.cache.fastest() * span + 0.02 * view.cache.shapes().widest();
        let together = &self.together;
        view.cache.near_pairs(When::Before, &self.of, &self.others, within, |a, b| {
            if !(view.present(a) && view.present(b)) {
                return;
            }
            let fall = view.fall(a).length().max(view.fall(b).length());
            let slow = CLEAR_STEPS * fall * span;
            // What does not move fast enough to collide has nothing to report, unless it must be seen to part.
            let bound = swift(a) + swift(b);
            let parting = together.contains(&(a, b));
            if bound <= slow && !parting {
                return;
            }
            let size = view.smaller_size(a, b);
            let mut within = 2.0 * bound * span + 0.02 * size;
            if !parting {
                let [was, is] = [before, view.now].map(|frame| closing(frame, a, b, within));
                if was <= slow {
                    return;
                }
                within = within.min(1.5 * was.max(is) * span + 0.01 * size);
            }
            let (then, now) = (view.gap(When::Before, a, b, within), view.gap(When::Now, a, b, within));
            if !then.distance.is_finite() && !now.distance.is_finite() {
                found.push(((a, b), false, true));
                return;
            }
            let nearer = if now.distance < then.distance { now } else { then };
            let speed = |frame: &ironspin_model::Frame| {
                (velocity_at(&frame.bodies[b], nearer.point) - velocity_at(&frame.bodies[a], nearer.point))
                    .dot(nearer.normal)
            };
            let (was, is) = (speed(before), speed(view.now));
            let reached = nearer.distance <= 1.5 * was.abs().max(is.abs()) * span + 0.01 * size;
            if reached && was.abs().max(is.abs()) > slow {
                close.extend([(a, b), (b, a)]);
            }
            found.push(((a, b), reached && -was > slow && -is < -0.5 * was, is > slow || !reached));
        });
        // Whoever was pushed while two others were within reach may have been hit by them in turns.
        let pushed = |id: usize| {
            let change = view.now.bodies[id].velocity - before.bodies[id].velocity - view.fall(id) * span;
            change.length() > CLEAR_STEPS * view.fall(id).length() * span + 1e-9 * self.fastest
        };
        let several = |id: usize| close.range((id, 0)..(id + 1, 0)).count() > 1;
        let movers = (0..view.world.bodies.len()).filter(|&id| self.inverse[id] > 0.0 && view.present(id));
        let open = !close.is_empty() && movers.into_iter().any(|id| several(id) && pushed(id));
        self.open_steps += u64::from(open);
        for (pair, hit, parted) in found {
            if hit && !self.together.contains(&pair) {
                *self.counts.entry(pair).or_default() += 1;
                self.together.insert(pair);
            }
            if parted {
                self.together.remove(&pair);
            }
        }
    }
}

impl Gauge for Impacts {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let speeds =
            (0..view.world.bodies.len()).filter(|&id| (self.of.has(id) || self.others.has(id)) && view.present(id));
        self.fastest = speeds.map(|id| view.cache.swiftness(When::Now, id)).fold(self.fastest, f64::max);
        if view.before.is_none() {
            return;
        }
        if self.believed_notices(view) {
            self.steps_by_notices += 1;
            self.open_steps += u64::from(self.step_is_open);
            for &(pair, times) in &self.notices {
                *self.counts.entry(pair).or_default() += times;
            }
        } else {
            self.unexplained_steps += u64::from(!self.notices.is_empty());
            self.count_by_states(view);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let total: u64 = self.counts.values().sum();
        let mut pairs: Vec<(&PairOfBodies, &u64)> = self.counts.iter().collect();
        pairs.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
        let name = |id: usize| world.bodies[id].name.as_str();
        let mut reported: Vec<String> =
            pairs.iter().take(3).map(|((a, b), count)| format!("{count} of {} with {}", name(*a), name(*b))).collect();
        if pairs.len() > 3 {
            reported.push(format!("{} more pairs", pairs.len() - 3));
        }
        let mut reading = Reading::of(total as f64, reported.join(", "));
        if self.open_steps > 0 {
            reading = reading.at_least(format!(
                "in {} steps a body was hit by several others, and nothing says how often",
                self.open_steps
            ));
        }
        if self.unexplained_steps > 0 {
            return reading.warn(format!(
                "in {} steps the engine's contact notices did not explain the motion, so impacts were counted from the states: at most one a pair and step",
                self.unexplained_steps
            ));
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use ironspin_model::{BodyKind, Contact, DVec2, DVec3, Frame, PlaneShape, World};

    fn floor_and_ball() -> World {
        world(&[
            ("floor", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::new(0.0, 1.05)),
        ])
    }

    fn bounces(e: f64, until: f64) -> Vec<Frame> {
        trace(1.0 / 240.0, until, move |t| {
            let (gap, speed) = bouncing(1.0, e, t);
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.05, 0.0, speed)]
        })
    }

    #[test]
    fn the_landings_of_an_elastic_ball_are_counted_from_states_alone() {
        // Landings at (2k + 1) sqrt(2h/g): ten before 9.1 s.
        assert_eq!(measure("impacts.count", &floor_and_ball(), &[1], &[0], &bounces(1.0, 9.0)).value, Some(10.0));
        assert_eq!(measure("impacts.count", &floor_and_ball(), &[1], &[], &bounces(0.0, 3.0)).value, Some(1.0));
    }

    /// A ball between two walls hits each of them three times in one step and comes out as it was.
    fn six_in_a_step(impulse: f64) -> (World, Vec<Frame>) {
        let mut walls = world(&[
            ("left", BodyKind::Static, PlaneShape::HalfPlane(DVec2::X), DVec2::ZERO),
            ("right", BodyKind::Static, PlaneShape::HalfPlane(DVec2::NEG_X), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
        ]);
        walls.gravity = DVec3::ZERO;
        let at = |x: f64| vec![state(-0.2, 0.0, 0.0, 0.0), state(0.2, 0.0, 0.0, 0.0), state(x, 0.0, 3.0, 0.0)];
        let mut frames = trace(1.0, 1.0, |_| at(0.0));
        for turn in 0..6 {
            let left = turn % 2 == 1;
            let bodies = if left { [0, 2] } else { [1, 2] };
            let normal = if left { DVec3::X } else { DVec3::NEG_X };
            frames[1].contacts.push(Contact {
                bodies,
                point: DVec3::ZERO,
                normal,
                depth: 0.0,
                impulse,
                times: Some(1),
            });
        }
        (walls, frames)
    }

    #[test]
    fn notices_that_explain_the_motion_count_several_impacts_of_one_step() {
        let (walls, frames) = six_in_a_step(12.0);
        assert_eq!(measure("impacts.count", &walls, &[2], &[], &frames).value, Some(6.0));
    }

    #[test]
    fn the_impacts_with_one_partner_are_counted_whoever_comes_between() {
        let (walls, frames) = six_in_a_step(12.0);
        for wall in [0, 1] {
            let reading = measure("impacts.count", &walls, &[2], &[wall], &frames);
            assert_eq!((reading.value, reading.at_least_because.as_str()), (Some(3.0), ""), "wall {wall}");
        }
    }

    #[test]
    fn a_row_that_only_presses_is_no_point_of_the_impact_after_it() {
        let (walls, mut frames) = six_in_a_step(12.0);
        let first = frames[1].contacts[0];
        let pressing = Contact { impulse: 0.0, point: DVec3::Y, ..first };
        frames[1].contacts.insert(0, pressing);
        assert_eq!(measure("impacts.count", &walls, &[2], &[], &frames).value, Some(6.0));
        // A second point of the same impact does follow it.
        let half = Contact { impulse: 6.0, ..first };
        frames[1].contacts.splice(0..2, [half, Contact { point: DVec3::Y, ..half }]);
        assert_eq!(measure("impacts.count", &walls, &[2], &[], &frames).value, Some(6.0));
    }

    #[test]
    fn notices_that_may_be_sums_leave_the_count_open_where_a_body_was_hit_by_two_others() {
        let (walls, mut frames) = six_in_a_step(12.0);
        // The same as an engine reports it that adds up the impacts of a pair and does not say how many they were.
        let sums = [[0, 2], [1, 2]].map(|bodies| {
            let own = frames[1].contacts.iter().filter(|contact| contact.bodies == bodies);
            let first = *own.clone().next().unwrap();
            Contact { impulse: own.map(|contact| contact.impulse).sum(), times: None, ..first }
        });
        frames[1].contacts = sums.to_vec();
        for against in [&[] as &[usize], &[0]] {
            let reading = measure("impacts.count", &walls, &[2], against, &frames);
            assert!(reading.at_least_because.contains("hit by several others"), "{reading:?}");
        }
        // With the numbers said it is known.
        frames[1].contacts.iter_mut().for_each(|contact| contact.times = Some(3));
        let reading = measure("impacts.count", &walls, &[2], &[], &frames);
        assert_eq!((reading.value, reading.at_least_because.as_str()), (Some(6.0), ""));
        // One partner alone leaves nothing open.
        let mut frames = bounces(1.0, 3.0);
        for step in 1..frames.len() {
            let change = frames[step].bodies[1].velocity.y - frames[step - 1].bodies[1].velocity.y + 9.81 / 240.0;
            let contact = Contact {
                bodies: [0, 1],
                point: DVec3::ZERO,
                normal: DVec3::Y,
                depth: 0.0,
                impulse: 2.0 * change,
                times: None,
            };
            frames[step].contacts.extend((change > 1.0).then_some(contact));
        }
        let reading = measure("impacts.count", &floor_and_ball(), &[1], &[0], &frames);
        assert_eq!(reading.at_least_because, "");
    }

    #[test]
    fn from_states_alone_two_partners_within_reach_leave_the_count_open() {
        let (walls, mut frames) = six_in_a_step(12.0);
        frames[1].contacts.clear();
        // Comes out of a step of six impacts the other way.
        frames[1].bodies[2].velocity = DVec3::new(-3.0, 0.0, 0.0);
        let reading = measure("impacts.count", &walls, &[2], &[], &frames);
        assert!(reading.at_least_because.contains("hit by several others"), "{reading:?}");
    }

    #[test]
    fn an_engine_that_makes_up_notices_is_not_believed() {
        let (walls, mut frames) = six_in_a_step(12.0);
        frames[1].contacts.pop();
        let reading = measure("impacts.count", &walls, &[2], &[], &frames);
        assert_eq!(reading.value, Some(0.0));
        assert_eq!(reading.warnings.len(), 1);
    }

    #[test]
    fn a_missed_landing_is_caught() {
        // The ball is pushed up without touching in its second fall: one landing fewer than the closed form.
        let frames: Vec<Frame> = bounces(1.0, 9.0)
            .into_iter()
            .map(|mut frame| {
                if frame.time > 1.2 && frame.time < 1.9 {
                    frame.bodies[1] = state(0.0, 2.0, 0.0, 0.0);
                }
                frame
            })
            .collect();
        assert_eq!(measure("impacts.count", &floor_and_ball(), &[1], &[0], &frames).value, Some(9.0));
    }
}
