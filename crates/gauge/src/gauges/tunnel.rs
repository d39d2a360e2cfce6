//! Bodies that went through a barrier.

use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Outline, Shapes, cross};
use ironspin_model::{BodyState, DVec2, World};

/// How a body stands to one part of a barrier.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Stage {
    Outside,
    /// Its centre is inside, having come in through the face with this outward normal; none if it was built inside.
    Inside {
        by: Option<DVec2>,
        speed: f64,
    },
}

/// A body that went through.
#[derive(Clone, Copy, Debug)]
struct Passage {
    barrier: usize,
    time: f64,
    /// Speed relative to the barrier when it went in, m/s.
    speed: f64,
}

struct Tunnel {
    scope: Scope,
    shapes: Shapes,
    /// One for each measured body, barrier and part of it, in this order.
    stages: Vec<Stage>,
    passages: Vec<Option<Passage>>,
    /// Highest speed of each measured body, m/s.
    fastest: Vec<f64>,
    frames: u64,
}

pub(crate) fn count(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let shapes = Shapes::new(world);
    let parts: usize = scope.against.iter().map(|&barrier| shapes.parts(barrier).len()).sum();
    Box::new(Tunnel {
        stages: vec![Stage::Outside; parts * scope.of.len()],
        passages: vec![None; scope.of.len()],
        fastest: vec![0.0; scope.of.len()],
        shapes,
        scope: scope.clone(),
        frames: 0,
    })
}

/// A point in the frame of a barrier.
fn seen_from(barrier: &BodyState, point: DVec2) -> DVec2 {
    let away = point - barrier.position.truncate();
    let (sin, cos) = (libm::sin(barrier.angle), libm::cos(barrier.angle));
    DVec2::new(cos * away.x + sin * away.y, cos * away.y - sin * away.x)
}

/// The stage after a straight path in the barrier's frame, and whether the body has gone through on it.
fn follow(outline: &Outline, stage: Stage, path: [DVec2; 2], speed: f64, reach: f64) -> (Stage, Option<f64>) {
    if let Outline::HalfPlane { normal, level } = outline {
        // A half-plane has no far side: through means wholly inside, having come from outside.
        let depth = path.map(|point| level - normal.dot(point));
        return match stage {
            Stage::Outside if depth[1] > 0.0 => {
                let by = (depth[0] <= 0.0).then_some(*normal);
                (Stage::Inside { by, speed }, (by.is_some() && depth[1] > reach).then_some(speed))
            }
            Stage::Inside { .. } if depth[1] <= 0.0 => (Stage::Outside, None),
            Stage::Inside { by: Some(_), speed } if depth[1] > reach => (stage, Some(speed)),
            _ => (stage, None),
        };
    }
    let Some(crossing) = cross(outline, path[0], path[1]) else { return (Stage::Outside, None) };
    let (by, speed) = match (crossing.entry, stage) {
        (Some(normal), _) => (Some(normal), speed),
        (None, Stage::Inside { by, speed }) => (by, speed),
        (None, Stage::Outside) => (None, speed),
    };
    match crossing.exit {
        None => (Stage::Inside { by, speed }, None),
        Some(out) => (Stage::Outside, by.filter(|by| by.dot(out) < 0.0).map(|_| speed)),
    }
}

impl Gauge for Tunnel {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let Some(before) = view.before else { return };
        let mut number = 0;
        for (slot, &id) in self.scope.of.iter().enumerate() {
            let (was, is) = (&before.bodies[id], &view.now.bodies[id]);
            self.fastest[slot] = self.fastest[slot].max(was.velocity.length());
            let step = (is.position - was.position).length();
            for &barrier in &self.scope.against {
                let (stood, stands) = (&before.bodies[barrier], &view.now.bodies[barrier]);
                let parts = self.shapes.parts(barrier);
                let near = self.shapes.reach(barrier) + step + (stands.position - stood.position).length();
                let here = view.present(id) && view.present(barrier);
                let far = !here || barrier == id || (was.position - stood.position).length() > near;
                let stages = &mut self.stages[number..number + parts.len()];
                number += parts.len();
                if !here {
                    stages.fill(Stage::Outside);
                }
                if far && stages.iter().all(|stage| *stage == Stage::Outside) {
                    continue;
                }
                let path = [seen_from(stood, was.position.truncate()), seen_from(stands, is.position.truncate())];
                let speed = (was.velocity - stood.velocity).length();
                for (stage, outline) in stages.iter_mut().zip(parts) {
                    let (next, through) = follow(outline, *stage, path, speed, self.shapes.reach(id));
                    *stage = next;
                    if let (Some(speed), None) = (through, self.passages[slot]) {
                        self.passages[slot] = Some(Passage { barrier, time: view.now.time, speed });
                    }
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let all = self.scope.of.len();
        let through = self.passages.iter().flatten().count();
        let stopped =
            self.passages.iter().zip(&self.fastest).filter(|(passage, _)| passage.is_none()).map(|(_, speed)| *speed);
        let stopped = stopped.fold(0.0, f64::max);
        let slowest = self
            .passages
            .iter()
            .zip(&self.scope.of)
            .filter_map(|(passage, &id)| passage.map(|passage| (passage, id)))
            .min_by(|a, b| a.0.speed.total_cmp(&b.0.speed).then(a.1.cmp(&b.1)));
        let detail = match slowest {
            None => format!("none of {all} went through, up to {stopped:.6} m/s"),
            Some((passage, id)) => format!(
                "{through} of {all} went through, from {:.6} m/s on ({} through {} at {:.3} s); fastest one stopped: {stopped:.6} m/s",
                passage.speed, world.bodies[id].name, world.bodies[passage.barrier].name, passage.time
            ),
        };
        let stuck = self.stages.iter().filter(|stage| matches!(stage, Stage::Inside { by: Some(_), .. })).count();
        let reading = Reading::of(through as f64, tidy(&detail));
        if stuck > 0 { reading.warn(format!("{stuck} ended with their centre inside a barrier")) } else { reading }
    }
}

/// Takes the zeros off the end of the decimals of a text: `64.000000 m/s` to `64 m/s`.
fn tidy(text: &str) -> String {
    let trim = |word: &str| -> String {
        match word.split_once('.') {
            Some((_, decimals)) if decimals.len() == 6 && decimals.bytes().all(|b| b.is_ascii_digit()) => {
                word.trim_end_matches('0').trim_end_matches('.').to_owned()
            }
            _ => word.to_owned(),
        }
    };
    text.split(' ').map(trim).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, Shape, World};

    fn plate() -> World {
        world(&[
            ("plate", BodyKind::Static, Shape::Box(DVec2::new(0.1, 2.0)), DVec2::ZERO),
            ("rivet", BodyKind::Dynamic, Shape::Disc(0.05), DVec2::new(-1.0, 0.0)),
        ])
    }

    fn through(barrier: impl Fn(f64) -> BodyState, rivet: impl Fn(f64) -> BodyState, dt: f64) -> f64 {
        let frames = trace(dt, 1.0, |t| vec![barrier(t), rivet(t)]);
        measure("tunnel.count", &plate(), &[1], &[0], &frames).value.unwrap()
    }

    #[test]
    fn a_straight_shot_goes_through_at_any_step() {
        let still = |_| state(0.0, 0.0, 0.0, 0.0);
        for dt in [0.3, 0.1, 0.01, 0.001] {
            assert_eq!(through(still, |t| state(4.0 * t - 1.0, 0.0, 4.0, 0.0), dt), 1.0, "step {dt}");
        }
    }

    #[test]
    fn stopping_turning_back_and_passing_beside_are_not_tunnelling() {
        let still = |_| state(0.0, 0.0, 0.0, 0.0);
        assert_eq!(through(still, |t| state((4.0 * t - 1.0).min(-0.1), 0.0, 4.0, 0.0), 0.01), 0.0);
        assert_eq!(through(still, |t| state(-(4.0 * t - 1.0).abs(), 0.0, 4.0, 0.0), 0.01), 0.0);
        assert_eq!(
            through(still, |t| state(-(4.0 * t - 1.0).abs() + 0.03, 0.0, 4.0, 0.0), 0.01),
            0.0,
            "in and out by the same face"
        );
        assert_eq!(through(still, |t| state(4.0 * t - 1.0, 1.5, 4.0, 0.0), 0.01), 0.0);
    }

    #[test]
    fn the_barrier_may_be_the_one_that_moves() {
        let rivet = |_| state(-1.0, 0.0, 0.0, 0.0);
        assert_eq!(through(|t| state(-4.0 * t, 0.0, -4.0, 0.0), rivet, 0.1), 1.0);
        // A plate that turns about its end sweeps over the rivet.
        let turning = |t: f64| {
            BodyState::planar(DVec3::new(-libm::sin(3.0 * t), -libm::cos(3.0 * t), 0.0), -3.0 * t, DVec3::ZERO, -3.0)
        };
        assert_eq!(through(turning, |_| state(-1.0, -0.2, 0.0, 0.0), 0.05), 1.0);
    }

    #[test]
    fn sinking_into_a_half_plane_counts_when_it_is_whole() {
        let floor = world(&[
            ("floor", BodyKind::Static, Shape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::Y),
        ]);
        let fall = |end: f64| {
            trace(0.01, 1.0, move |t| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, (1.0 - 2.0 * t).max(end), 0.0, -2.0)])
        };
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(0.09)).value, Some(0.0));
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(-0.05)).value, Some(0.0));
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(-0.5)).value, Some(1.0));
    }
}
