//! Changes of velocity that nothing explains.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{DVec3, Dimension, SoftBody, World};

pub(crate) const SPEED: GaugeEntry = GaugeEntry {
    name: "ghost.speed",
    label: "ghost push",
    unit: "m/s",
    better: Better::Lower,
    definition: "Largest change of a body's velocity in one step that gravity, damping, actions and the contacts it could have had do not explain. A contact explains what lies in the cone of its normal and friction; without any contact in reach, a change of spin counts too, with the body's reach as lever.",
    formula: "max_steps dist(dv - g dt, cone of { n_k turned by +- (atan mu + margin) }), margin = travel / size",
    source: "Coulomb's law of friction; Newton's second law",
    limits: "Bodies with joints or pins are left out, and so is every body while it is within reach of a skin. A contact that is gone when the body is lifted by a hundredth of its size off another contact is none: so inner edges are distinguished from steps. Contacts are sought as far as the bodies travel within one and a half steps, so that a fast scene with a long step hides more. Impacts turn normals by up to the margin.",
    usual_causes: "inner edges of tiles or of a chain of segments; contacts kept after bodies parted; surrounding boxes taken for shapes; half or double sizes",
    next_step: advice::GHOST,
    by_default: true,
    make: speed,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const COUNT: GaugeEntry = GaugeEntry {
    name: "ghost.count",
    label: "ghost pushes",
    unit: "steps",
    definition: "Number of steps in which the velocity of one of the bodies changed, in a way that the ghost push measures, by more than a thousandth of its speed and by more than a tenth of a step of gravity.",
    formula: "count of body steps with ghost > max(0.001 |v|, 0.1 g dt)",
    counts: true,
    next_step: advice::GHOST,
    make: count,
    ..SPEED
};

struct Ghost {
    of: Vec<usize>,
    jointed: Membership,
    /// Time of the first frame of the window, s.
    start: Option<f64>,
    counts: bool,
    frames: u64,
    count: u64,
    worst: Worst,
}

/// The largest push so far.
#[derive(Clone, Copy, Default)]
struct Worst {
    /// m/s.
    speed: f64,
    /// s.
    time: f64,
    body: usize,
}

fn new(world: &World, scope: &Scope, counts: bool) -> Box<dyn Gauge> {
    let held = world.joints.iter().map(|joint| joint.bodies).chain(world.pinned_pairs()).flatten();
    let jointed: Vec<usize> = held.chain(world.rigid_count()..world.bodies.len()).collect();
    Box::new(Ghost {
        jointed: Membership::of(world, &jointed),
        start: None,
        of: scope.of.clone(),
        counts,
        frames: 0,
        count: 0,
        worst: Worst::default(),
    })
}

pub(crate) fn speed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false)
}

pub(crate) fn count(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true)
}

/// Boxes around the soft bodies that touch with a skin: between its nodes it pushes bodies that no node is near.
fn boxes_of_skins(view: &View<'_>) -> Vec<[DVec3; 2]> {
    let around = |soft: &SoftBody| {
        let nodes = view.now.bodies[soft.nodes.clone()].iter().map(|node| node.pose.position);
        let [low, high] =
            nodes.fold([DVec3::INFINITY, DVec3::NEG_INFINITY], |[low, high], p| [low.min(p), high.max(p)]);
        [low - soft.radius, high + soft.radius]
    };
    let skins = view.world.softs.iter().filter(|soft| soft.has_skin() && view.present(soft.nodes.start));
    skins.map(around).collect()
}

/// Whether a body may have touched something in a box within the step.
fn is_near(view: &View<'_>, id: usize, [low, high]: &[DVec3; 2]) -> bool {
    let reach = view.cache.shapes().reach(id) + 3.0 * view.cache.fastest() * view.span();
    let place = view.now.bodies[id].pose.position;
    (place + reach).cmpge(*low).all() && (place - reach).cmple(*high).all()
}

impl Gauge for Ghost {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let start = *self.start.get_or_insert(view.now.time);
        if view.before.is_none() {
            return;
        }
        let skins = boxes_of_skins(view);
        let asked = |id: &usize| {
            view.cache.traits(*id).mass > 0.0
                && !self.jointed.has(*id)
                && view.present(*id)
                && !skins.iter().any(|around| is_near(view, *id, around))
        };
        let bodies = self.of.iter().copied().filter(asked);
        let (count, worst) = (&mut self.count, &mut self.worst);
        view.derived.explainers.borrow_mut().each(start, view, bodies, |id, ghost| {
            if ghost == 0.0 {
                return;
            }
            let speed = view.cache.speed(When::Now, id);
            if ghost > (1e-3 * speed).max(0.1 * view.fall(id).length() * view.span()) {
                *count += 1;
            }
            if ghost > worst.speed {
                *worst = Worst { speed: ghost, time: view.now.time, body: id };
            }
        });
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        if self.of.iter().all(|&id| self.jointed.has(id)) {
            return Reading::unsupported("all of the bodies have joints, which may push them at any time");
        }
        let Worst { speed, time, body } = self.worst;
        let detail = if speed == 0.0 {
            "every change of velocity is explained".to_owned()
        } else {
            format!("{} by {speed:.2e} m/s at {time:.3} s", world.bodies[body].name)
        };
        let reading = Reading::of(if self.counts { self.count as f64 } else { speed }, detail);
        if speed > 0.0 { reading.seen_at(time, body) } else { reading }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::derived::Derived;
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use crate::step::Step;
    use ironspin_model::{BodyKind, DVec2, Frame, PlaneShape};

    /// Two tiles, a block that slides over their seam without friction at 2 m/s.
    fn tiles() -> World {
        let tile = |x: f64| ("tile", BodyKind::Static, PlaneShape::Box(DVec2::new(2.0, 1.0)), DVec2::new(x, -0.5));
        let mut world = world(&[
            tile(-1.0),
            tile(1.0),
            ("block", BodyKind::Dynamic, PlaneShape::Box(DVec2::new(0.2, 0.2)), DVec2::new(-1.0, 0.1)),
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
                    frame.bodies[2].pose.position.y -= depth;
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
                frame.bodies[1].pose.position.y += 0.005;
                frame.bodies[2].pose.position.x -= 0.1;
                frame
            })
            .collect();
        world.bodies[1].pose.position.y += 0.005;
        let stopped = measure("ghost.count", &world, &[2], &[], &raised);
        assert_eq!(stopped.value, Some(0.0), "{stopped:?}");
    }

    #[test]
    fn a_bounce_is_explained_and_hovering_or_spinning_up_in_the_air_is_not() {
        let world = world(&[
            ("anvil", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::new(0.0, 1.1)),
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

    /// Two gauges of one trial share what they know, and read what each would read alone.
    #[test]
    fn gauges_that_share_a_trial_read_what_they_would_read_alone() {
        let frames = trace(0.01, 2.0, |t| {
            let caught = t >= 1.005;
            let x = if caught { -0.4 } else { -2.0 + 1.6 * t };
            vec![
                state(-1.0, -0.5, 0.0, 0.0),
                state(1.0, -0.5, 0.0, 0.0),
                state(x, 0.5, if caught { 0.0 } else { 1.6 }, 0.0),
            ]
        });
        let world = tiles();
        let scope = Scope { of: vec![2], ..Scope::default() };
        let mut gauges = [speed(&world, &scope), count(&world, &scope)];
        let mut cache = crate::frame_cache::FrameCache::new(&world);
        let derived = Derived::default();
        let mut before = None;
        for now in &frames {
            cache.update(now);
            let view = View {
                step: Step { world: &world, before, now, gravity: world.gravity, effects: &[], cache: &cache },
                derived: &derived,
            };
            gauges.iter_mut().for_each(|gauge| gauge.observe(&view));
            before = Some(now);
        }
        let alone = ["ghost.speed", "ghost.count"].map(|name| measure(name, &world, &[2], &[], &frames));
        assert_eq!([gauges[0].reading(&world), gauges[1].reading(&world)], alone);
        assert!(alone[1].value > Some(0.0), "{alone:?}");
    }
}
