//! Changes of velocity that nothing explains.

use crate::gauge::{Gauge, Reading, Scope, View};
use crate::gauges::motion::unexplained;
use crate::geometry::{Membership, When, velocity_at};
use crate::table::{Better, GaugeEntry, PLAIN};
use ironspin_model::{BodyState, DVec2, World};

pub(crate) const SPEED: GaugeEntry = GaugeEntry {
    name: "ghost.speed",
    label: "ghost push",
    unit: "m/s",
    better: Better::Lower,
    definition: "Largest change of a body's velocity in one step that gravity, damping, deeds and the contacts it could have had do not explain. A contact explains what lies in the cone of its normal and friction; without any contact in reach, a change of spin counts too, with the body's reach as lever.",
    formula: "max_steps dist(dv - g dt, cone of { n_k turned by +- (atan mu + slack) }), slack = travel / size",
    source: "Coulomb's law of friction; Newton's second law",
    limits: "Bodies with joints are left out. A contact that is gone when the body is lifted by a hundredth of its size off another contact is none: so inner edges are told from steps. Contacts are sought as far as the bodies travel within one and a half steps, so that a fast scene with a long step hides more. Impacts turn normals by up to the slack.",
    usual_causes: "inner edges of tiles or of a chain of segments; contacts kept after bodies parted; surrounding boxes taken for shapes; half or double sizes",
    make: speed,
    ..PLAIN
};

pub(crate) const COUNT: GaugeEntry = GaugeEntry {
    name: "ghost.count",
    label: "ghost pushes",
    unit: "steps",
    definition: "Number of steps in which the velocity of one of the bodies changed, in a way that the ghost push measures, by more than a thousandth of its speed and by more than a tenth of a step of gravity.",
    formula: "count of body steps with ghost > max(0.001 |v|, 0.1 g dt)",
    counts: true,
    make: count,
    ..SPEED
};

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
        if half >= std::f64::consts::FRAC_PI_2 {
            self.whole = true;
            return;
        }
        let turn = DVec2::new(libm::cos(half), libm::sin(half));
        self.edges.extend([turn.rotate(normal), DVec2::new(turn.x, -turn.y).rotate(normal)]);
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
}

/// A push that explained a change of a body's velocity, and where both were.
#[derive(Clone, Copy, Debug)]
struct Known {
    push: Push,
    places: [BodyState; 2],
}

/// What may push one body: kept between steps, since what rests is pushed as it was.
#[derive(Clone, Debug, Default)]
struct Explainer {
    pushes: Vec<Push>,
    cone: Cone,
    known: Option<Known>,
}

impl Explainer {
    /// How much of a change of a body's velocity nothing that it may touch explains, m/s.
    fn beyond(&mut self, view: &View<'_>, id: usize, change: DVec2) -> f64 {
        if let Some(known) = &self.known
            && still_there(view, id, known)
        {
            self.cone.clear();
            self.cone.add(known.push.normal, known.push.half);
            if self.cone.outside(change) == 0.0 {
                return 0.0;
            }
        }
        self.known = None;
        self.pushes.clear();
        fill(view, id, &mut self.pushes);
        // The push most along the change is asked first: mostly it explains all.
        let along = |push: &Push| push.normal.dot(change);
        self.pushes.sort_by(|a, b| along(b).total_cmp(&along(a)));
        if let Some(first) = self.pushes.first().copied() {
            self.cone.clear();
            self.cone.add(first.normal, first.half);
            if self.cone.outside(change) == 0.0 && stands(view, id, &first, &self.pushes) {
                let places = [view.now.bodies[id], view.now.bodies[first.other]];
                self.known = Some(Known { push: first, places });
                return 0.0;
            }
        }
        self.cone.clear();
        self.pushes.iter().for_each(|push| self.cone.add(push.normal, push.half));
        let outside = self.cone.outside(change);
        if outside > 0.0 {
            return outside;
        }
        self.cone.clear();
        for push in &self.pushes {
            if stands(view, id, push, &self.pushes) {
                self.cone.add(push.normal, push.half);
            }
        }
        self.cone.outside(change)
    }

    /// Whether anything at all may push the body, as far as it was asked.
    fn anything(&self) -> bool {
        self.known.is_some() || !self.pushes.is_empty()
    }
}

/// Whether a push that explained a change is still there: neither body has moved by a thousandth of its size.
fn still_there(view: &View<'_>, id: usize, known: &Known) -> bool {
    [id, known.push.other].into_iter().zip(&known.places).all(|(body, then)| {
        let now = &view.now.bodies[body];
        let size = view.world.bodies[body].smallest_size();
        let near = if size.is_finite() { 1e-3 * size } else { 0.0 };
        (now.position - then.position).length() <= near && (now.angle - then.angle).abs() <= 1e-3
    })
}

/// Whether a push is there for good. It is not when it is gone as soon as the body is moved off another one by a hundredth of its
/// size: the side of a plate that lies level with its neighbour, seen by a slider that has sunk in by less than can be told.
fn stands(view: &View<'_>, id: usize, push: &Push, pushes: &[Push]) -> bool {
    pushes.iter().all(|other| {
        other.other == push.other || other.normal.dot(push.normal) >= 0.7 || is_solid(view, id, push, other.normal)
    })
}

/// Whether a push is still there, in about the same direction, when the body is moved a little another way.
fn is_solid(view: &View<'_>, id: usize, push: &Push, way: DVec2) -> bool {
    let size = view.world.bodies[id].smallest_size().min(view.world.bodies[push.other].smallest_size());
    let shift = |state: &BodyState| BodyState { position: state.position + 0.01 * size * way.extend(0.0), ..*state };
    let Some(before) = view.before else { return true };
    [before, view.now].iter().any(|frame| {
        let state = shift(&frame.bodies[id]);
        view.sight.shapes().parts(id).iter().any(|part| {
            let moved = part.placed(&state);
            let counterparts = view.sight.shapes().parts(push.other).iter();
            counterparts.map(|other| other.placed(&frame.bodies[push.other]).gap_to(&moved)).any(|gap| {
                // What lies clearly above the edge has that edge below it, and not beside it.
                gap.normal.dot(push.normal) > 0.7
            })
        })
    })
}

/// Everything that may push a body over the step: parts of others as near as both travel within one and a half steps.
fn fill(view: &View<'_>, id: usize, pushes: &mut Vec<Push>) {
    let Some(before) = view.before else { return };
    let world = view.world;
    let swift = |id: usize| {
        let reach = view.sight.shapes().reach(id);
        let arm = if reach.is_finite() { reach } else { 0.0 };
        let of = |state: &BodyState| state.velocity.length() + state.spin.length() * arm;
        of(&before.bodies[id]).max(of(&view.now.bodies[id])) + view.fall(id).length() * view.span()
    };
    let own = swift(id);
    let fastest = view.sight.fastest().max(own);
    let size = world.bodies[id].smallest_size();
    let near = if size.is_finite() { 0.01 * size } else { 0.0 };
    let mut others = Vec::new();
    view.sight.neighbours_of(id, 1.5 * (own + fastest) * view.span() + near, |other| others.push(other));
    let friction = libm::atan(largest_friction(world, id));
    for other in others {
        if !view.present(other) {
            continue;
        }
        let size = size.min(world.bodies[other].smallest_size());
        let within = 1.5 * (own + swift(other)) * view.span() + 0.01 * size;
        for (when, frame) in [(When::Before, before), (When::Now, view.now)] {
            view.sight.gaps(when, other, id, within, |gap| {
                if gap.distance > within {
                    return;
                }
                // A graze turns the normal while the bodies pass each other; what only falls on each other does not.
                let slip = velocity_at(&frame.bodies[id], gap.point) - velocity_at(&frame.bodies[other], gap.point);
                let turned = |id: usize| (before.bodies[id].angle - view.now.bodies[id].angle).abs();
                let curved = gap.normal.perp_dot(slip).abs() * view.span() / size;
                let round = [id, other].iter().any(|&id| is_round(view, id));
                let slack = turned(id) + turned(other) + if round { curved } else { 0.0 } + 1e-3;
                pushes.push(Push { other, normal: gap.normal, half: friction + slack });
            });
        }
    }
}

/// Whether a body has a part without straight edges.
fn is_round(view: &View<'_>, id: usize) -> bool {
    use ironspin_model::Shape;
    view.world.bodies[id].parts.iter().any(|part| matches!(part.shape, Shape::Disc(_) | Shape::Capsule { .. }))
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

struct Ghost {
    of: Vec<usize>,
    jointed: Membership,
    /// One for each measured body.
    explainers: Vec<Explainer>,
    counts: bool,
    frames: u64,
    count: u64,
    worst: f64,
    worst_time: f64,
    worst_body: usize,
}

fn new(world: &World, scope: &Scope, counts: bool) -> Box<dyn Gauge> {
    let jointed: Vec<usize> = world.joints.iter().flat_map(|joint| joint.bodies).collect();
    Box::new(Ghost {
        jointed: Membership::of(world, &jointed),
        explainers: vec![Explainer::default(); scope.of.len()],
        of: scope.of.clone(),
        counts,
        frames: 0,
        count: 0,
        worst: 0.0,
        worst_time: 0.0,
        worst_body: 0,
    })
}

pub(crate) fn speed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false)
}

pub(crate) fn count(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true)
}

impl Gauge for Ghost {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        if view.before.is_none() {
            return;
        }
        for (explainer, &id) in self.explainers.iter_mut().zip(&self.of) {
            if view.world.bodies[id].mass == 0.0 || self.jointed.has(id) || !view.present(id) {
                continue;
            }
            let Some(change) = unexplained(view, id) else { continue };
            // Below the rounding of the velocity there is nothing to see.
            let speed = view.now.bodies[id].velocity.length();
            let size = change.velocity.length();
            let noise = 1e-12 * (speed + size + change.explained);
            let turned = change.spin.abs() * view.sight.shapes().reach(id);
            if size <= noise && turned <= noise {
                continue;
            }
            let mut ghost = explainer.beyond(view, id, change.velocity.truncate());
            if !explainer.anything() {
                ghost = ghost.max(turned);
            }
            if ghost <= noise {
                continue;
            }
            if ghost > (1e-3 * speed).max(0.1 * view.fall(id).length() * view.span()) {
                self.count += 1;
            }
            if ghost > self.worst {
                (self.worst, self.worst_time, self.worst_body) = (ghost, view.now.time, id);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        if self.of.iter().all(|&id| self.jointed.has(id)) {
            return Reading::unsupported("all of the bodies have joints, which may push them at any time");
        }
        let detail = if self.worst == 0.0 {
            "every change of velocity is explained".to_owned()
        } else {
            format!("{} by {:.2e} m/s at {:.3} s", world.bodies[self.worst_body].name, self.worst, self.worst_time)
        };
        let reading = Reading::of(if self.counts { self.count as f64 } else { self.worst }, detail);
        if self.worst > 0.0 { reading.seen_at(self.worst_time, self.worst_body) } else { reading }
    }
}

/// What of a body's change of velocity its allowed contacts do not explain, m/s, for other gauges.
pub(crate) fn beyond_contacts(view: &View<'_>, id: usize) -> f64 {
    let Some(change) = unexplained(view, id) else { return 0.0 };
    Explainer::default().beyond(view, id, change.velocity.truncate())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use ironspin_model::{BodyKind, Frame, Shape};
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

    /// Two tiles, a block that slides over their seam without friction at 2 m/s.
    fn tiles() -> World {
        let tile = |x: f64| ("tile", BodyKind::Static, Shape::Box(DVec2::new(2.0, 1.0)), DVec2::new(x, -0.5));
        let mut world = world(&[
            tile(-1.0),
            tile(1.0),
            ("block", BodyKind::Dynamic, Shape::Box(DVec2::new(0.2, 0.2)), DVec2::new(-1.0, 0.1)),
        ]);
        world.materials[0].friction = 0.0;
        world
    }

    fn slide(trip: f64) -> Vec<Frame> {
        trace(0.01, 0.9, move |t| {
            let x = -1.0 + 2.0 * t;
            let speed = if x < 0.0 { 2.0 } else { 2.0 - trip };
            let x = if x < 0.0 { x } else { x * speed / 2.0 };
            vec![state(-1.0, -0.5, 0.0, 0.0), state(1.0, -0.5, 0.0, 0.0), state(x, 0.1, speed, 0.0)]
        })
    }

    #[test]
    fn a_seam_that_trips_a_slider_is_seen_and_a_smooth_one_is_not() {
        assert_eq!(measure("ghost.speed", &tiles(), &[2], &[], &slide(0.0)).value, Some(0.0));
        let tripped = measure("ghost.speed", &tiles(), &[2], &[], &slide(0.3));
        assert!((tripped.value.unwrap() - 0.3).abs() < 1e-2, "{tripped:?}");
        assert_eq!(measure("ghost.count", &tiles(), &[2], &[], &slide(0.3)).value, Some(1.0));
    }

    #[test]
    fn a_seam_under_a_slider_that_has_sunk_in_a_little_is_no_wall_and_a_step_is() {
        let sunk = |depth: f64| -> Vec<Frame> {
            slide(0.3)
                .into_iter()
                .map(|mut frame| {
                    frame.bodies[2].position.y -= depth;
                    frame
                })
                .collect()
        };
        let mut world = tiles();
        let tripped = measure("ghost.count", &world, &[2], &[], &sunk(1e-4));
        assert_eq!(tripped.value, Some(1.0), "{tripped:?}");
        // A second tile that stands 5 mm higher is a wall to the block.
        let raised: Vec<Frame> = slide(0.3)
            .into_iter()
            .map(|mut frame| {
                frame.bodies[1].position.y += 0.005;
                frame.bodies[2].position.x -= 0.1;
                frame
            })
            .collect();
        world.bodies[1].position.y += 0.005;
        let stopped = measure("ghost.count", &world, &[2], &[], &raised);
        assert_eq!(stopped.value, Some(0.0), "{stopped:?}");
    }

    #[test]
    fn a_bounce_is_explained_and_hovering_or_spinning_up_in_the_air_is_not() {
        let world = world(&[
            ("anvil", BodyKind::Static, Shape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::new(0.0, 1.1)),
        ]);
        let bounce = trace(0.005, 2.0, |t| {
            let (gap, speed) = bouncing(1.0, 0.8, t);
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.1, 0.0, speed)]
        });
        let found = measure("ghost.speed", &world, &[1], &[], &bounce);
        assert!(found.value.unwrap() < 1e-12, "{found:?}");
        let hover = trace(0.005, 1.0, |_| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, 1.1, 0.0, 0.0)]);
        let found = measure("ghost.speed", &world, &[1], &[], &hover).value.unwrap();
        assert!((found - 9.81 * 0.005).abs() < 1e-12, "{found}");
        let turning = trace(0.005, 0.3, |t| {
            let mut ball = state(0.0, 1.1 - 4.905 * t * t, 0.0, -9.81 * t);
            ball.spin.z = if t > 0.1 { 2.0 } else { 0.0 };
            vec![state(0.0, 0.0, 0.0, 0.0), ball]
        });
        assert!((measure("ghost.speed", &world, &[1], &[], &turning).value.unwrap() - 0.2).abs() < 1e-12);
    }
}
