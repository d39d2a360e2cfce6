//! Balance of linear and angular momentum.

use crate::advice;
use crate::derived::driven;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{DVec3, Dimension, Frame, SoftBody, World};

pub(crate) const LINEAR: GaugeEntry = GaugeEntry {
    name: "momentum.balance",
    label: "momentum balance",
    unit: "1",
    better: Better::Lower,
    definition: "Largest change of the bodies' common momentum that neither gravity nor actions and forces of the scene explain, summed over all steps in which none of them is near a body outside the set, as a share of the sum of the magnitudes of their momenta.",
    formula: "max_t |sum_steps (dP - sum(m g dt + J))| / max_t sum(m |v|), J the impulses of actions and forces",
    source: "Newton's third law",
    limits: "Steps within 1.5 steps' travel of a body outside the set are left out; when nine in ten are, a warning says so. A step in which a body of the set comes or goes is left out; before and after it the bodies that are there are balanced. Nodes that are held, or that springs or gas tie to nodes outside the set, are not free.",
    usual_causes: "one body of a pair answers and the other does not; mass ignored; position correction that moves only one body; damping",
    next_step: advice::MOMENTUM,
    by_default: true,
    make: linear,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const ANGULAR: GaugeEntry = GaugeEntry {
    name: "angular.balance",
    label: "angular momentum balance",
    unit: "1",
    better: Better::Lower,
    definition: "Largest change of the bodies' common angular momentum about the origin that neither gravity nor actions and forces of the scene explain, over the same steps as the momentum balance, as a share of the sum of the magnitudes of its parts.",
    formula: "max_t |sum_steps (dL - sum(x_mid x m g dt + moments of actions and forces))| / max_t sum(|x| m |v| + |I w|), with L = sum(x x m v + I w), I the moment about z or in space the matrix turned with the body",
    source: "Newton's third law in its strong form; Euler's second law",
    limits: "As the momentum balance. Gravity's moment is exact when a body flies a parabola within the step.",
    usual_causes: "friction without its lever arm; wrong inertia; impulses applied at other points than they were worked out for",
    next_step: advice::MOMENTUM,
    by_default: true,
    make: angular,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// Which momentum is balanced.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Kind {
    Linear,
    Angular,
}

struct Balance {
    scope: Scope,
    of: Membership,
    outside: Membership,
    kind: Kind,
    unexplained: DVec3,
    largest_sum: f64,
    worst: f64,
    worst_time: f64,
    /// A body of the set and a node outside it that springs or gas of the same soft body tie to it.
    tied: Vec<(usize, usize)>,
    /// A body of the set and one outside that touched in the last step.
    touched: Option<(usize, usize)>,
    counted: u64,
    skipped: u64,
    /// Steps in which a body of the set came or went.
    came_or_went: u64,
}

pub(crate) fn linear(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Balance::new(world, scope, Kind::Linear))
}

pub(crate) fn angular(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Balance::new(world, scope, Kind::Angular))
}

/// The first spring or gas of each soft body that reaches over the rim of a set: a node inside, and one outside or held for good.
fn tied(world: &World, of: &[usize]) -> Vec<(usize, usize)> {
    let members = Membership::of(world, of);
    let inside = |id: usize| members.has(id) && world.bodies[id].mass > 0.0;
    let across = |[a, b]: [usize; 2]| match (inside(a), inside(b)) {
        (true, false) => Some((a, b)),
        (false, true) => Some((b, a)),
        _ => None,
    };
    let tie = |soft: &SoftBody| {
        let id = |node: usize| soft.nodes.start + node;
        let springs = soft.springs.iter().map(|spring| spring.ends);
        let sticks = soft.sticks.iter().map(|stick| stick.ends);
        let edges = soft.faces.iter().flat_map(|&[a, b, c]| [[a, b], [b, c], [c, a]]);
        let skin = soft.skin.iter().copied().chain(edges).filter(|_| soft.pressure.is_some());
        // What draws nodes to their shape ties each to all others.
        let drawn = soft.matching.map(|_| (1..soft.nodes.len()).map(|node| [node - 1, node])).into_iter().flatten();
        springs.chain(sticks).chain(skin).chain(drawn).map(|ends| ends.map(id)).find_map(across)
    };
    world.softs.iter().filter_map(tie).chain(world.pinned_pairs().filter_map(across)).collect()
}

impl Balance {
    fn new(world: &World, scope: &Scope, kind: Kind) -> Self {
        Balance {
            scope: scope.clone(),
            of: Membership::of(world, &scope.of),
            outside: Membership::all_but(world, &scope.of),
            kind,
            unexplained: DVec3::ZERO,
            largest_sum: 0.0,
            worst: 0.0,
            worst_time: 0.0,
            tied: tied(world, &scope.of),
            touched: None,
            counted: 0,
            skipped: 0,
            came_or_went: 0,
        }
    }

    /// Whether a body of the set may have touched one outside it during the step.
    fn touched_outside(&mut self, view: &View<'_>) -> bool {
        if view.before.is_none() {
            return true;
        }
        if self.tied.iter().any(|&(a, b)| view.present(a) && view.present(b)) {
            return true;
        }
        if self.scope.of.iter().any(|&id| view.cache.is_held(id)) {
            return true;
        }
        let speed = |when: When, id: usize| view.cache.speed(when, id);
        let reach = |id: usize| {
            // As far as either speed carries, and a hundredth of the size for engines that keep a slop.
            let size = view.cache.shapes().size(id);
            1.5 * view.span() * speed(When::Before, id).max(speed(When::Now, id))
                + if size.is_finite() { 0.01 * size } else { 0.0 }
        };
        let touch = |when: When, a: usize, b: usize| {
            let within = reach(a) + reach(b);
            view.gap(when, a, b, within).distance <= within
        };
        // Mostly whoever touched last still does.
        if self.touched.is_some_and(|(a, b)| touch(When::Now, a, b)) {
            return true;
        }
        let furthest =
            |set: &Membership| (0..view.world.bodies.len()).filter(|&id| set.has(id)).map(reach).fold(0.0, f64::max);
        let within = furthest(&self.of) + furthest(&self.outside);
        [When::Before, When::Now].into_iter().any(|when| {
            self.touched = None;
            view.cache.near_pairs(when, &self.of, &self.outside, within, |a, b| {
                if self.touched.is_none() && touch(when, a, b) {
                    self.touched = Some((a, b));
                }
            });
            self.touched.is_some()
        })
    }

    /// Momentum of one body, and the size of its contributions.
    fn momentum(&self, view: &View<'_>, frame: &Frame, id: usize) -> (DVec3, f64) {
        let (body, state) = (view.cache.traits(id), &frame.bodies[id]);
        let linear = body.mass * state.velocity;
        match self.kind {
            Kind::Linear => (linear, linear.length()),
            Kind::Angular => {
                let turning = body.turning.momentum(state.pose.rotation, state.spin);
                (
                    state.pose.position.cross(linear) + turning,
                    state.pose.position.length() * linear.length() + turning.length(),
                )
            }
        }
    }

    /// Impulse, or moment of it, that gravity gives over the step; exact for a parabola.
    fn by_gravity(&self, view: &View<'_>, before: &Frame, id: usize) -> DVec3 {
        let impulse = view.cache.traits(id).mass * view.fall(id) * view.span();
        match self.kind {
            Kind::Linear => impulse,
            Kind::Angular => {
                (0.5 * (before.bodies[id].pose.position + view.now.bodies[id].pose.position)).cross(impulse)
            }
        }
    }
}

/// Impulse, or moment of it, that actions give to a body at the start of the step and over it.
fn by_actions(view: &View<'_>, before: &Frame, id: usize, kind: Kind) -> DVec3 {
    if !view.effects.iter().any(|(body, _)| *body == id) {
        return DVec3::ZERO;
    }
    let Some(driven) = driven(view, id) else { return DVec3::ZERO };
    let (was, traits) = (&before.bodies[id], view.cache.traits(id));
    let jolt = traits.mass * (driven.velocity - was.velocity);
    let push = driven.force * view.span();
    match kind {
        Kind::Linear => jolt + push,
        Kind::Angular => {
            let middle = 0.5 * (was.pose.position + view.now.bodies[id].pose.position);
            let turning = |spin: DVec3| traits.turning.momentum(was.pose.rotation, spin);
            was.pose.position.cross(jolt) + middle.cross(push) + driven.torque * view.span() + turning(driven.spin)
                - turning(was.spin)
        }
    }
}

impl Gauge for Balance {
    fn observe(&mut self, view: &View<'_>) {
        let Some(before) = view.before else { return };
        let there = |frame: &Frame, id: usize| !frame.bodies[id].is_absent();
        if self.scope.of.iter().any(|&id| there(before, id) != there(view.now, id)) {
            // Who comes or goes brings or takes momentum in this step; before and after, those that are there are balanced.
            self.came_or_went += 1;
            return;
        }
        let members: Vec<usize> = self.scope.of.iter().copied().filter(|&id| there(view.now, id)).collect();
        if members.is_empty() {
            return;
        }
        let sum: f64 = members.iter().map(|&id| self.momentum(view, view.now, id).1).sum();
        self.largest_sum = self.largest_sum.max(sum);
        if self.touched_outside(view) {
            self.skipped += 1;
            return;
        }
        self.counted += 1;
        let mut change = DVec3::ZERO;
        for &id in &members {
            change += self.momentum(view, view.now, id).0
                - self.momentum(view, before, id).0
                - self.by_gravity(view, before, id)
                - by_actions(view, before, id, self.kind);
        }
        self.unexplained += change;
        if self.unexplained.length() > self.worst {
            self.worst = self.unexplained.length();
            self.worst_time = view.now.time;
        }
    }

    fn reading(&self, _: &World) -> Reading {
        if self.counted == 0 {
            return Reading::nothing(if self.skipped > 0 {
                "the bodies were never free of all others for a step"
            } else {
                "no body was there for a whole step"
            });
        }
        if self.largest_sum == 0.0 {
            return Reading::of(0.0, "nothing moved").warn("nothing moved, so there was no momentum to gain or lose");
        }
        let moved = if self.came_or_went > 0 {
            format!(", {} left out in which a body came or went", self.came_or_went)
        } else {
            String::new()
        };
        let detail = format!("over {} free steps{moved}; worst at {:.3} s", self.counted, self.worst_time);
        let reading = Reading::of(self.worst / self.largest_sum, detail);
        if self.skipped > 9 * self.counted {
            return reading.warn(format!("{} steps in contact with other bodies were left out", self.skipped));
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, PlaneShape};

    fn two() -> ironspin_model::World {
        let mut world = world(&[
            ("a", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
            ("b", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::X),
        ]);
        world.bodies[1].mass = 6.0;
        world
    }

    /// Masses 2 and 6 fall and collide at t = 0.5 along x with restitution 1: 4, 0 before, -2, 2 after.
    fn collision(passed_on: f64) -> Vec<ironspin_model::Frame> {
        trace(0.01, 1.0, move |t| {
            let fall = (-4.905 * t * t, -9.81 * t);
            let after = (t - 0.5).max(0.0);
            let hit = t >= 0.5;
            let (va, vb) = if hit { (-2.0, 2.0 * passed_on) } else { (4.0, 0.0) };
            let xa = 4.0 * t.min(0.5) - 2.0 * after;
            vec![state(xa, fall.0, va, fall.1), state(2.2 + 2.0 * passed_on * after, fall.0, vb, fall.1)]
        })
    }

    /// The collision, and a third body that is taken out at 0.2 s.
    fn with_one_removed(passed_on: f64) -> (ironspin_model::World, Vec<ironspin_model::Frame>) {
        let mut world = two();
        world.bodies.push(ironspin_model::Body { name: "c".into(), ..world.bodies[0].clone() });
        let mut frames = collision(passed_on);
        for frame in &mut frames {
            let (t, gone) = (frame.time, frame.time > 0.2);
            let third = state(-50.0, -4.905 * t * t, 0.0, -9.81 * t);
            frame.bodies.push(if gone { BodyState::absent() } else { third });
        }
        (world, frames)
    }

    #[test]
    fn a_body_that_is_taken_out_leaves_the_others_in_the_balance() {
        for gauge in ["momentum.balance", "angular.balance"] {
            let (world, frames) = with_one_removed(1.0);
            let reading = measure(gauge, &world, &[0, 1, 2], &[], &frames);
            assert!(reading.value.unwrap() < 1e-13, "{gauge}: {reading:?}");
            assert!(reading.detail.contains("1 left out in which a body came or went"), "{}", reading.detail);
            // A blow that is not passed on long after somebody has gone.
            let (world, frames) = with_one_removed(0.9);
            let reading = measure(gauge, &world, &[0, 1, 2], &[], &frames);
            assert!(reading.value.unwrap() > 1e-3, "{gauge}: {reading:?}");
        }
    }

    #[test]
    fn momentum_that_vanishes_after_a_removal_is_missed() {
        let (world, mut frames) = with_one_removed(1.0);
        for frame in frames.iter_mut().filter(|frame| frame.time > 0.7) {
            for body in &mut frame.bodies[..2] {
                body.velocity = DVec3::ZERO;
            }
        }
        assert!(measure("momentum.balance", &world, &[0, 1, 2], &[], &frames).value.unwrap() > 0.5);
    }

    #[test]
    fn a_set_that_is_never_there_is_not_measured() {
        let (world, mut frames) = with_one_removed(1.0);
        frames.iter_mut().for_each(|frame| frame.bodies.iter_mut().for_each(|body| *body = BodyState::absent()));
        let reading = measure("momentum.balance", &world, &[0, 1], &[], &frames);
        assert_eq!((reading.value, reading.detail.as_str()), (None, "no body was there for a whole step"));
    }

    #[test]
    fn a_collision_in_free_fall_balances() {
        for gauge in ["momentum.balance", "angular.balance"] {
            let value = measure(gauge, &two(), &[0, 1], &[], &collision(1.0)).value.unwrap();
            assert!(value < 1e-13, "{gauge}: {value}");
        }
    }

    #[test]
    fn a_blow_that_is_not_passed_on_is_caught() {
        let value = measure("momentum.balance", &two(), &[0, 1], &[], &collision(0.9)).value.unwrap();
        assert!(value > 0.01, "{value}");
    }

    #[test]
    fn turning_that_comes_from_nothing_is_caught() {
        let frames = trace(0.01, 1.0, |t| {
            let spin = if t > 0.5 { 1.0 } else { 0.0 };
            let at = |x: f64| BodyState::planar(DVec3::new(x, 0.0, 0.0), 0.0, DVec3::X, spin);
            vec![at(t), at(t + 1.0)]
        });
        let mut still = two();
        still.gravity = DVec3::ZERO;
        assert!(measure("angular.balance", &still, &[0, 1], &[], &frames).value.unwrap() > 0.01);
        assert!(measure("momentum.balance", &still, &[0, 1], &[], &frames).value.unwrap() < 1e-15);
    }
}
