//! Where energy came from or went: an impact, a joint, an action, or nothing that can be seen.

use crate::derived::unexplained;
use crate::frame_cache::When;
use crate::geometry::{Membership, velocity_at};
use crate::step::Step;
use ironspin_model::World;
use std::collections::BTreeMap;

/// What a change of energy is put down to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Cause {
    Contact(usize, usize),
    Joint(usize),
    Soft(usize),
    Effect,
    Nothing,
}

/// Changes put down to one cause, J.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Share {
    pub(super) gained: f64,
    pub(super) lost: f64,
    pub(super) steps: u64,
}

/// The account of all causes.
#[derive(Clone, Debug, Default)]
pub(super) struct Causes(BTreeMap<Cause, Share>);

impl Causes {
    pub(super) fn add(&mut self, cause: Cause, change: f64) {
        let share = self.0.entry(cause).or_default();
        share.gained += change.max(0.0);
        share.lost -= change.min(0.0);
        share.steps += 1;
    }

    /// Gains and losses of the causes that a rule picks.
    pub(super) fn sum(&self, counts: impl Fn(&Cause) -> bool) -> Share {
        self.0.iter().filter(|(cause, _)| counts(cause)).fold(Share::default(), |sum, (_, share)| Share {
            gained: sum.gained + share.gained,
            lost: sum.lost + share.lost,
            steps: sum.steps + share.steps,
        })
    }

    /// The cause with the largest of some figure, in words; nothing when that is zero for all.
    pub(super) fn largest(&self, world: &World, figure: impl Fn(&Share) -> f64) -> Option<String> {
        let mut best: Option<(&Cause, f64, u64)> = None;
        for (cause, share) in &self.0 {
            let value = figure(share);
            if value > best.map_or(0.0, |(_, most, _)| most) {
                best = Some((cause, value, share.steps));
            }
        }
        let (cause, value, steps) = best?;
        let name = |id: usize| world.bodies[id].name.as_str();
        let words = match *cause {
            Cause::Contact(a, b) => format!("the contact of {} with {}", name(a), name(b)),
            Cause::Joint(number) => {
                let [a, b] = world.joints[number].bodies;
                format!("the joint of {} and {}", name(a), name(b))
            }
            Cause::Soft(soft) => format!("the springs of {}", world.softs[soft].name),
            Cause::Effect => "scripted actions".to_owned(),
            Cause::Nothing => "nothing that can be seen".to_owned(),
        };
        Some(format!("{value:.2e} J in {words}, {steps} steps"))
    }
}

/// What the change of this step is put down to: of the contacts of the set, the one that changed the most motion; otherwise a joint
/// or a soft body of the set, an action, or nothing.
pub(super) fn cause(step: &Step<'_>, of: &[usize], members: &Membership, everything: &Membership) -> Cause {
    let Some(before) = step.before else { return Cause::Nothing };
    let there = || of.iter().copied().filter(|&id| step.present(id));
    let fastest = there().map(|id| before.bodies[id].velocity.length().max(step.now.bodies[id].velocity.length()));
    let within = 2.0 * fastest.fold(0.0, f64::max) * step.span();
    // What nothing but contacts explains of each body's momentum, N s, worked out when it is first asked for.
    let mut changes = vec![f64::NAN; step.world.bodies.len()];
    let mut change = |id: usize| {
        if changes[id].is_nan() {
            let mass = step.world.bodies[id].mass;
            changes[id] = unexplained(step, id).map_or(0.0, |change| mass * change.velocity.length());
        }
        changes[id]
    };
    // How fast turning moves what is fixed to a body so far beyond its rim, m/s.
    let turning = |id: usize, beyond: f64| {
        let spin = before.bodies[id].spin.length();
        if spin == 0.0 { 0.0 } else { spin * (step.cache.shapes().reach(id) + beyond) }
    };
    let mut best: Option<(f64, (usize, usize))> = None;
    step.cache.near_pairs(When::Before, members, everything, within, |a, b| {
        if !(step.present(a) && step.present(b)) {
            return;
        }
        // Both bodies of an impact are changed by it: the smaller change decides, but what never moves is not changed at all.
        let weight = match (step.world.bodies[a].mass > 0.0, step.world.bodies[b].mass > 0.0) {
            (true, true) => change(a).min(change(b)),
            (true, false) => change(a),
            _ => change(b),
        };
        // What would explain less than what is known need not be looked at.
        if best.is_some_and(|(most, _)| weight <= most) {
            return;
        }
        let size = step.smaller_size(a, b);
        let fall = step.fall(a).length().max(step.fall(b).length()) * step.span();
        // Nothing further apart than they could have gone is near enough, whatever point is nearest.
        let apart = (before.bodies[b].velocity - before.bodies[a].velocity).length();
        let fastest = apart + turning(a, within + size) + turning(b, within + size);
        let within = (within + size).min(1.5 * (fastest + fall) * step.span() + 0.01 * size);
        let (then, now) = (step.gap(When::Before, a, b, within), step.gap(When::Now, a, b, within));
        let nearer = if now.distance < then.distance { now } else { then };
        let speed =
            (velocity_at(&before.bodies[b], nearer.point) - velocity_at(&before.bodies[a], nearer.point)).length();
        if nearer.distance > 1.5 * (speed + fall) * step.span() + 0.01 * size {
            return;
        }
        best = Some((weight, (a, b)));
    });
    if let Some((_, (a, b))) = best {
        return Cause::Contact(a, b);
    }
    let joint =
        step.world.joints.iter().position(|joint| joint.bodies.iter().any(|&id| members.has(id) && step.present(id)));
    if let Some(number) = joint {
        return Cause::Joint(number);
    }
    let soft =
        step.world.softs.iter().position(|soft| soft.nodes.clone().any(|id| members.has(id) && step.present(id)));
    if let Some(soft) = soft {
        return Cause::Soft(soft);
    }
    if step.effects.iter().any(|(id, _)| members.has(*id)) { Cause::Effect } else { Cause::Nothing }
}
