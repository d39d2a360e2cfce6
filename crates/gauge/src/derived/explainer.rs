//! What may push a body, and what of a change of its velocity that explains.

use super::motion::{Unexplained, unexplained};
use crate::frame_cache::{Cache, When};
use crate::geometry::{Collider, Plane, Pose, velocity_at};
use crate::step::Step;
use ironspin_model::{BodyState, DVec2, World};
use std::collections::BTreeMap;

/// Directions that contacts can push a body in, as the edges of their cones.
#[derive(Clone, Debug, Default)]
struct Cone {
    edges: Vec<DVec2>,
    whole: bool,
}

impl Cone {
    fn clear(&mut self) {
        self.edges.clear();
        self.whole = false;
    }

    /// Adds all directions within `half` of a normal.
    fn add(&mut self, normal: DVec2, half: f64) {
        match Cone::edges(normal, half) {
            Some(edges) => self.edges.extend(edges),
            None => self.whole = true,
        }
    }

    /// The edges of all directions within `half` of a normal; none when that is everywhere.
    fn edges(normal: DVec2, half: f64) -> Option<[DVec2; 2]> {
        let turn = DVec2::new(libm::cos(half), libm::sin(half));
        (half < std::f64::consts::FRAC_PI_2).then(|| [turn.rotate(normal), DVec2::new(turn.x, -turn.y).rotate(normal)])
    }

    /// How far a vector lies outside everything that pushes along these directions add up to.
    fn outside(&self, vector: DVec2) -> f64 {
        if self.whole {
            return 0.0;
        }
        let (mut left, mut right) = (f64::INFINITY, f64::INFINITY);
        let mut nearest = vector.length();
        for edge in &self.edges {
            let (along, across) = (vector.dot(*edge), vector.perp_dot(*edge));
            if along > 0.0 {
                nearest = nearest.min(across.abs());
            }
            let angle = libm::atan2(across.abs(), along);
            if across >= 0.0 {
                left = left.min(angle);
            }
            if across <= 0.0 {
                right = right.min(angle);
            }
        }
        // Between one edge on each side, less than half a turn apart, lies what both together can give.
        if left + right < std::f64::consts::PI { 0.0 } else { nearest }
    }
}

/// A direction in which a body may be pushed.
#[derive(Clone, Copy, Debug)]
struct Push {
    other: usize,
    normal: DVec2,
    half: f64,
    /// m.
    distance: f64,
}

impl Push {
    /// Whether it explains a change of velocity alone.
    fn explains(&self, edges: &Option<[DVec2; 2]>, change: DVec2) -> bool {
        edges.is_none_or(|[left, right]| {
            change.perp_dot(left) >= 0.0 && change.perp_dot(right) <= 0.0 && change.dot(self.normal) >= 0.0
        })
    }
}

/// A push that explained a change of a body's velocity, the edges of its cone, and where both were.
#[derive(Clone, Copy, Debug)]
struct Known {
    push: Push,
    edges: Option<[DVec2; 2]>,
    poses: [Pose; 2],
}

/// What may push one body: kept between steps, since what rests is pushed as it was.
#[derive(Clone, Debug, Default)]
pub(crate) struct Explainer {
    pushes: Vec<Push>,
    cone: Cone,
    known: Option<Known>,
    /// The widest angle of friction of the body, rad.
    friction: Option<f64>,
    /// The frame in which it was asked last, by its number, and the answer.
    reported: Option<(u64, f64)>,
}

/// What may push each body, for the gauges of a trial whose windows begin at the same time: they ask for the same bodies in the same frames,
/// so that each finds what it would find alone.
#[derive(Clone, Debug, Default)]
pub(crate) struct Explainers(BTreeMap<u64, Vec<Explainer>>);

impl Explainers {
    /// One for each body, for a window that starts at a time (s).
    pub(crate) fn since(&mut self, start: f64, world: &World) -> &mut [Explainer] {
        let explainers = self.0.entry(start.to_bits()).or_default();
        explainers.resize_with(explainers.len().max(world.bodies.len()), Explainer::default);
        explainers
    }
}

impl Explainer {
    /// What of a body's change of velocity over the step is not explained, m/s; 0 when that lies below the rounding of the velocity. A
    /// body that nothing may push is also asked for its rim.
    pub(crate) fn ghost(&mut self, step: &Step<'_>, id: usize) -> f64 {
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
        let beyond = self.beyond(step, id, change.velocity.truncate());
        let ghost = if self.anything() { beyond } else { beyond.max(turned) };
        if ghost <= noise { 0.0 } else { ghost }
    }

    /// How much of a change of a body's velocity nothing that it may touch explains, m/s.
    fn beyond(&mut self, step: &Step<'_>, id: usize, change: DVec2) -> f64 {
        if let Some(known) = &self.known
            && known.push.explains(&known.edges, change)
            && still_there(step, id, known)
        {
            return 0.0;
        }
        self.known = None;
        self.pushes.clear();
        let friction = *self.friction.get_or_insert_with(|| libm::atan(largest_friction(step.world, id)));
        fill(step, id, friction, &mut self.pushes);
        // The push most along the change is asked first: mostly it explains all.
        let along = |push: &Push| push.normal.dot(change);
        self.pushes.sort_by(|a, b| along(b).total_cmp(&along(a)));
        // One from afar stands whatever the body is moved off.
        let afar = |push: &&Push| is_long(push, shift_of(step, id, push));
        if self.pushes.iter().filter(afar).any(|push| push.explains(&Cone::edges(push.normal, push.half), change)) {
            return 0.0;
        }
        if let Some(first) = self.pushes.first().copied() {
            let edges = Cone::edges(first.normal, first.half);
            if first.explains(&edges, change) && stands(step, id, &first, &self.pushes) {
                let known = |plane: &Cache<Plane>| Known {
                    push: first,
                    edges,
                    poses: [id, first.other].map(|body| *plane.pose(body)),
                };
                self.known = step.cache.plane().map(known);
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
            if stands(step, id, push, &self.pushes) {
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
fn still_there(step: &Step<'_>, id: usize, known: &Known) -> bool {
    let Some(plane) = step.cache.plane() else { return false };
    [id, known.push.other].into_iter().zip(&known.poses).all(|(body, pose)| {
        let now = plane.pose(body);
        let size = step.cache.shapes().size(body);
        let near = if size.is_finite() { 1e-3 * size } else { 0.0 };
        (now.place() - pose.place()).length() <= near && (now.angle() - pose.angle()).abs() <= 1e-3
    })
}

/// Whether a push is there for good. It is not when it is gone as soon as the body is moved off another one by a hundredth of its
/// size: the side of a plate that lies level with its neighbour, seen by a slider that has sunk in by less than can be measured.
fn stands(step: &Step<'_>, id: usize, push: &Push, pushes: &[Push]) -> bool {
    pushes.iter().all(|other| {
        other.other == push.other || other.normal.dot(push.normal) >= 0.7 || is_solid(step, id, push, other.normal)
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
fn is_solid(step: &Step<'_>, id: usize, push: &Push, way: DVec2) -> bool {
    let shift = shift_of(step, id, push);
    if step.before.is_none() || is_long(push, shift) {
        return true;
    }
    let by = shift * way;
    let Some(plane) = step.cache.plane() else { return true };
    [When::Before, When::Now].into_iter().any(|when| {
        plane.colliders(when, id).iter().any(|part| {
            let moved = part.shifted(by);
            // What lies clearly above the edge has that edge below it, and not beside it.
            let beside = |other: &Collider| other.gap_to(&moved).normal.dot(push.normal) > 0.7;
            plane.colliders(when, push.other).iter().any(beside)
        })
    })
}

/// Everything that may push a body over the step: parts of others as near as both travel within one and a half steps.
fn fill(step: &Step<'_>, id: usize, friction: f64, pushes: &mut Vec<Push>) {
    let (Some(before), Some(plane)) = (step.before, step.cache.plane()) else { return };
    let swift = |id: usize| {
        let [was, is] = [When::Before, When::Now].map(|when| step.cache.swiftness(when, id));
        was.max(is) + step.fall(id).length() * step.span()
    };
    let (own, shapes) = (swift(id), step.cache.shapes());
    let fastest = step.cache.fastest().max(own);
    let size = shapes.size(id);
    let near = if size.is_finite() { 0.01 * size } else { 0.0 };
    plane.neighbours_of(id, 1.5 * (own + fastest) * step.span() + near, |neighbour| {
        let other = neighbour.body;
        if !step.present(other) {
            return;
        }
        let size = step.smaller_size(id, other);
        let within = 1.5 * (own + swift(other)) * step.span() + 0.01 * size;
        for (when, frame) in [(When::Before, before), (When::Now, step.now)] {
            plane.gaps_beside(when, id, neighbour, within, |gap| {
                if gap.distance > within {
                    return;
                }
                // A graze turns the normal while the bodies pass each other; what only falls on each other does not.
                let slip = velocity_of(&frame.bodies[id], gap.point) - velocity_of(&frame.bodies[other], gap.point);
                let turned = |id: usize| (before.bodies[id].pose.angle - step.now.bodies[id].pose.angle).abs();
                let curved = gap.normal.perp_dot(slip).abs() * step.span() / size;
                let round = [id, other].iter().any(|&id| is_round(step, id));
                let slack = turned(id) + turned(other) + if round { curved } else { 0.0 } + 1e-3;
                let half = friction + slack;
                pushes.push(Push { other, normal: gap.normal, half, distance: gap.distance });
            });
        }
    });
}

/// Velocity of the point of a body that is at a point of the plane now, m/s.
fn velocity_of(state: &BodyState, point: DVec2) -> DVec2 {
    velocity_at(state, point.extend(0.0)).truncate()
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
    Explainer::default().beyond(step, id, change.velocity.truncate())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A sum of pushes along the directions lies inside; a vector against all of them lies outside by its length.
        #[test]
        fn what_contacts_add_up_to_is_inside(pushes in prop::collection::vec((0.0..6.2_f64, 0.0..1.0_f64, 0.0..3.0_f64), 1..4)) {
            let mut cone = Cone::default();
            let mut sum = DVec2::ZERO;
            for (angle, half, push) in pushes {
                let normal = DVec2::from_angle(angle);
                cone.add(normal, half);
                sum += push * DVec2::from_angle(angle + 0.9 * half);
            }
            prop_assert!(cone.outside(sum) < 1e-9, "{}", cone.outside(sum));
        }
    }

    #[test]
    fn outside_of_one_cone_the_distance_is_that_of_its_edge() {
        let mut cone = Cone::default();
        cone.add(DVec2::Y, 0.0);
        assert!((cone.outside(DVec2::new(3.0, 4.0)) - 3.0).abs() < 1e-15);
        assert_eq!(cone.outside(DVec2::new(0.0, -2.0)), 2.0);
        assert_eq!(cone.outside(DVec2::new(0.0, 2.0)), 0.0);
        assert_eq!(Cone::default().outside(DVec2::new(3.0, 4.0)), 5.0);
    }

    proptest! {
        /// A push explains alone what lies in its cone.
        #[test]
        fn one_push_explains_what_lies_in_its_cone(angle in 0.0..6.2_f64, half in 0.0..2.0_f64, off in -3.0..3.0_f64, size in 0.1..9.0_f64) {
            // On the edge itself roundings decide.
            prop_assume!((off.abs() - half).abs() > 1e-9);
            let normal = DVec2::from_angle(angle);
            let push = Push { other: 0, normal, half, distance: 0.0 };
            let change = size * DVec2::from_angle(angle + off);
            let mut cone = Cone::default();
            cone.add(normal, half);
            prop_assert_eq!(push.explains(&Cone::edges(normal, half), change), cone.outside(change) == 0.0);
        }
    }
}
