//! What may push a body, and what of a change of its velocity that explains.

use super::motion::{Unexplained, unexplained};
use crate::frame_cache::{Dimensioned, When};
use crate::geometry::{Cone, Plane, Room, Space, velocity_at};
use crate::step::Step;
use ironspin_model::{DVec3, Dimension, World};
use std::collections::BTreeMap;

/// A direction in which a body may be pushed.
#[derive(Clone, Copy, Debug)]
struct Push {
    other: usize,
    normal: DVec3,
    half: f64,
    /// m.
    distance: f64,
}

impl Push {
    /// What it explains alone.
    fn cone<G: Room>(&self) -> <G::Cone as Cone>::One {
        G::Cone::one(self.normal, self.half)
    }
}

/// A push that explained a change of a body's velocity, its cone, and where both were.
#[derive(Clone, Copy, Debug)]
struct Known<G: Room> {
    push: Push,
    cone: <G::Cone as Cone>::One,
    poses: [G::Pose; 2],
}

/// What may push one body: kept between steps, since what rests is pushed as it was.
#[derive(Clone, Debug)]
struct Explainer<G: Room> {
    pushes: Vec<Push>,
    cone: G::Cone,
    known: Option<Known<G>>,
    /// The widest angle of friction of the body, rad.
    friction: Option<f64>,
    /// The frame in which it was asked last, by its number, and the answer.
    reported: Option<(u64, f64)>,
}

impl<G: Room> Default for Explainer<G> {
    fn default() -> Self {
        Explainer { pushes: Vec::new(), cone: G::Cone::default(), known: None, friction: None, reported: None }
    }
}

/// What may push each body, for the gauges of a trial whose windows begin at the same time: they ask for the same bodies in the same frames,
/// so that each finds what it would find alone. A world has bodies of one dimension.
#[derive(Clone, Debug, Default)]
pub(crate) struct Explainers {
    plane: BTreeMap<u64, Vec<Explainer<Plane>>>,
    space: BTreeMap<u64, Vec<Explainer<Space>>>,
}

impl Explainers {
    /// Does something with what of each body's change of velocity over the step is not explained, m/s, for a window that starts at a time (s): see
    /// [`Explainer::ghost`].
    pub(crate) fn each(
        &mut self,
        start: f64,
        step: &Step<'_>,
        bodies: impl Iterator<Item = usize>,
        each: impl FnMut(usize, f64),
    ) {
        fn ask<G: Dimensioned>(
            all: &mut BTreeMap<u64, Vec<Explainer<G>>>,
            start: f64,
            step: &Step<'_>,
            bodies: impl Iterator<Item = usize>,
            mut each: impl FnMut(usize, f64),
        ) {
            let explainers = all.entry(start.to_bits()).or_default();
            explainers.resize_with(explainers.len().max(step.world.bodies.len()), Explainer::default);
            for id in bodies {
                each(id, explainers[id].ghost(step, id));
            }
        }
        match step.world.dimension {
            Dimension::Plane => ask(&mut self.plane, start, step, bodies, each),
            Dimension::Space => ask(&mut self.space, start, step, bodies, each),
        }
    }
}

impl<G: Dimensioned> Explainer<G> {
    /// What of a body's change of velocity over the step is not explained, m/s; 0 when that lies below the rounding of the velocity. A
    /// body that nothing may push is also asked for its rim.
    fn ghost(&mut self, step: &Step<'_>, id: usize) -> f64 {
        let frame = step.cache.frame();
        if let Some((_, reported)) = self.reported.filter(|(of, _)| *of == frame) {
            return reported;
        }
        let ghost = unexplained(step, id).map_or(0.0, |change| self.unexplained(step, id, &change));
        self.reported = Some((frame, ghost));
        ghost
    }

    fn unexplained(&mut self, step: &Step<'_>, id: usize, change: &Unexplained) -> f64 {
        let size = change.velocity.length();
        let noise = 1e-12 * (step.cache.speed(When::Now, id) + size + change.explained);
        let turned = change.spin.length() * step.cache.shapes().reach(id);
        if size <= noise && turned <= noise {
            return 0.0;
        }
        let beyond = self.beyond(step, id, change.velocity);
        let ghost = if self.anything() { beyond } else { beyond.max(turned) };
        if ghost <= noise { 0.0 } else { ghost }
    }

    /// How much of a change of a body's velocity nothing that it may touch explains, m/s.
    fn beyond(&mut self, step: &Step<'_>, id: usize, change: DVec3) -> f64 {
        if let Some(known) = &self.known
            && G::Cone::holds(&known.cone, change)
            && still_there(step, id, known)
        {
            return 0.0;
        }
        self.known = None;
        self.pushes.clear();
        let friction = *self.friction.get_or_insert_with(|| libm::atan(largest_friction(step.world, id)));
        fill::<G>(step, id, friction, &mut self.pushes);
        // The push most along the change is asked first: mostly it explains all.
        let along = |push: &Push| push.normal.dot(change);
        self.pushes.sort_by(|a, b| along(b).total_cmp(&along(a)));
        // One from afar stands whatever the body is moved off.
        let afar = |push: &&Push| is_long(push, shift_of(step, id, push));
        if self.pushes.iter().filter(afar).any(|push| G::Cone::holds(&push.cone::<G>(), change)) {
            return 0.0;
        }
        if let Some(first) = self.pushes.first().copied() {
            let cone = first.cone::<G>();
            if G::Cone::holds(&cone, change) && stands::<G>(step, id, &first, &self.pushes) {
                self.known = step.cache.of::<G>().map(|room| Known {
                    push: first,
                    cone,
                    poses: [id, first.other].map(|body| *room.pose(body)),
                });
                return 0.0;
            }
        }
        self.cone.clear();
        self.pushes.iter().for_each(|push| self.cone.add(push.normal, push.half));
        let outside = self.cone.outside(change);
        if outside > 0.0 {
            return outside;
        }
        // A cone only grows by more pushes: those that need no look come first, and none is looked at that could add nothing.
        self.cone.clear();
        self.pushes.iter().filter(afar).for_each(|push| self.cone.add(push.normal, push.half));
        let mut outside = self.cone.outside(change);
        for push in self.pushes.iter().filter(|push| !afar(push)) {
            if outside == 0.0 {
                break;
            }
            if stands::<G>(step, id, push, &self.pushes) {
                self.cone.add(push.normal, push.half);
                outside = self.cone.outside(change);
            }
        }
        outside
    }

    /// Whether anything at all may push the body, as far as it was asked.
    fn anything(&self) -> bool {
        self.known.is_some() || !self.pushes.is_empty()
    }
}

/// Whether a push that explained a change is still there: neither body has moved by a thousandth of its size.
fn still_there<G: Dimensioned>(step: &Step<'_>, id: usize, known: &Known<G>) -> bool {
    let Some(room) = step.cache.of::<G>() else { return false };
    [id, known.push.other].into_iter().zip(&known.poses).all(|(body, pose)| {
        let size = step.cache.shapes().size(body);
        let near = if size.is_finite() { 1e-3 * size } else { 0.0 };
        let [moved, turned] = G::change(room.pose(body), pose);
        moved <= near && turned <= 1e-3
    })
}

/// Whether a push is there for good. It is not when it is gone as soon as the body is moved off another one by a hundredth of its
/// size: the side of a plate that lies level with its neighbour, seen by a slider that has sunk in by less than can be measured.
fn stands<G: Dimensioned>(step: &Step<'_>, id: usize, push: &Push, pushes: &[Push]) -> bool {
    pushes.iter().all(|other| {
        other.other == push.other || other.normal.dot(push.normal) >= 0.7 || is_solid::<G>(step, id, push, other.normal)
    })
}

/// How far a body is moved to see whether a push is solid, m.
fn shift_of(step: &Step<'_>, id: usize, push: &Push) -> f64 {
    0.01 * step.smaller_size(id, push.other)
}

/// Whether the way from one body to the other is so long that it keeps about its direction when one of them is shifted: it changes by
/// no more than the shift, since a projection onto a convex set is nonexpansive.
fn is_long(push: &Push, shift: f64) -> bool {
    shift <= 0.7 * push.distance
}

/// Whether a push is still there, in about the same direction, when the body is moved a little another way.
fn is_solid<G: Dimensioned>(step: &Step<'_>, id: usize, push: &Push, way: DVec3) -> bool {
    let shift = shift_of(step, id, push);
    if step.before.is_none() || is_long(push, shift) {
        return true;
    }
    let by = shift * way;
    let Some(room) = step.cache.of::<G>() else { return true };
    [When::Before, When::Now].into_iter().any(|when| {
        room.colliders(when, id).iter().any(|part| {
            let moved = G::shifted(part, by);
            // What lies clearly above the edge has that edge below it, and not beside it.
            let beside = |other: &G::Collider| {
                G::shown(G::gap_within(other, &moved, f64::INFINITY)).normal.dot(push.normal) > 0.7
            };
            room.colliders(when, push.other).iter().any(beside)
        })
    })
}

/// Everything that may push a body over the step: parts of others as near as both travel within one and a half steps.
fn fill<G: Dimensioned>(step: &Step<'_>, id: usize, friction: f64, pushes: &mut Vec<Push>) {
    let (Some(before), Some(room)) = (step.before, step.cache.of::<G>()) else { return };
    let swift = |id: usize| {
        let [was, is] = [When::Before, When::Now].map(|when| step.cache.swiftness(when, id));
        was.max(is) + step.fall(id).length() * step.span()
    };
    let (own, shapes) = (swift(id), step.cache.shapes());
    let fastest = step.cache.fastest().max(own);
    let size = shapes.size(id);
    let near = if size.is_finite() { 0.01 * size } else { 0.0 };
    room.neighbours_of(id, 1.5 * (own + fastest) * step.span() + near, |neighbour| {
        let other = neighbour.body;
        if !step.present(other) {
            return;
        }
        let size = step.smaller_size(id, other);
        let within = 1.5 * (own + swift(other)) * step.span() + 0.01 * size;
        for (when, frame) in [(When::Before, before), (When::Now, step.now)] {
            room.gaps_beside(when, id, neighbour, within, |gap| {
                let gap = G::shown(gap);
                if gap.distance > within {
                    return;
                }
                // A graze turns the normal while the bodies pass each other; what only falls on each other does not.
                let slip = velocity_at(&frame.bodies[id], gap.point) - velocity_at(&frame.bodies[other], gap.point);
                let turned = |id: usize| G::turned_by(&before.bodies[id], &step.now.bodies[id]);
                let curved = gap.normal.cross(slip).length() * step.span() / size;
                let round = [id, other].iter().any(|&id| is_round(step, id));
                let slack = turned(id) + turned(other) + if round { curved } else { 0.0 } + 1e-3;
                let half = friction + slack;
                pushes.push(Push { other, normal: gap.normal, half, distance: gap.distance });
            });
        }
    });
}

/// Whether a body has a part without straight edges.
fn is_round(step: &Step<'_>, id: usize) -> bool {
    step.world.bodies[id].parts.iter().any(|part| part.shape.is_round())
}

/// The largest friction of a body with any material of the world: no contact pushes it further from the normal.
fn largest_friction(world: &World, id: usize) -> f64 {
    let mut largest = 0.0_f64;
    for part in &world.bodies[id].parts {
        for other in 0..world.materials.len() {
            largest = largest.max(world.mixed(part.material, other).0);
        }
    }
    largest
}

/// What of a body's change of velocity its allowed contacts do not explain, m/s, for other gauges.
pub(crate) fn beyond_contacts(step: &Step<'_>, id: usize) -> f64 {
    let Some(change) = unexplained(step, id) else { return 0.0 };
    match step.world.dimension {
        Dimension::Plane => Explainer::<Plane>::default().beyond(step, id, change.velocity),
        Dimension::Space => Explainer::<Space>::default().beyond(step, id, change.velocity),
    }
}
