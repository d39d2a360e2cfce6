//! How far a soft body is from the shape that it was built in.

use super::{SOFT, is_there, softs_of};
use crate::advice;
use crate::derived::goals;
use crate::entry::{Better, GaugeEntry};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, SoftBody, World};

pub(crate) const ERROR: GaugeEntry = GaugeEntry {
    name: "shape.error",
    label: "distance from the built shape",
    unit: "m",
    definition: "Largest distance of any node of the soft bodies from where it would be if the body had its built shape, moved and turned rigidly so that it fits best, over all frames. Where the window holds the end alone it tells how well a shape is regained.",
    formula: "max_t max_nodes |x - g|, g = c + R (x0 - c0) with the mass-weighted centres c, c0 and the rotation R that makes sum m |x - g|^2 least",
    source: "Horn (1987); Müller, Bender, Chentanez and Macklin (2016) for the rotation",
    limits: "Mirrored shapes count as far away. Nodes on a line have no single best rotation, and no error comes of it.",
    usual_causes: "matching that is left out, or adds turning; yield that gives way too early or never; springs without bracing; a net that has turned inside out",
    by_default: false,
    next_step: advice::SOFT,
    make: error,
    ..SOFT
};

pub(crate) const REGAINED: GaugeEntry = GaugeEntry {
    name: "shape.regained",
    label: "shape regained",
    better: Better::Higher,
    definition: "Share of the largest distance from the built shape that is gone again in the last frame of the window: 1 for a soft body that is wholly as it was built, 0 for one that stays as far off as it ever was. The least of the soft bodies counts.",
    formula: "min_softs 1 - e(t_end) / max_t e(t), e the distance from the built shape as shape.error has it",
    source: "Horn (1987) for the best fit",
    limits: "Of a soft body that was never off its shape by more than a rounding nothing is told. A load that is still there holds it off its shape.",
    usual_causes: "yield that is not asked for; a net without bracing that folds; cells turned over that stay so; matching that is left out",
    unit: "1",
    make: regained,
    ..ERROR
};

/// Share of a soft body's size below which its distance from its shape is a rounding.
const NEVER_OFF: f64 = 1e-9;

struct Regained {
    softs: Vec<Course>,
    frames: u64,
}

/// How far a soft body was from its shape.
struct Course {
    soft: usize,
    /// The furthest, m, and when that was, s.
    worst: f64,
    when: f64,
    /// In the last frame, m.
    last: f64,
}

/// The node of a soft body that is furthest from where the built shape would have it, and how far that is, m.
fn furthest(view: &View<'_>, soft: &SoftBody) -> (usize, f64) {
    let far = |(node, goal): (usize, DVec3)| (node, goal.distance(view.now.bodies[node].pose.position));
    let all = soft.nodes.clone().zip(goals(view.world, soft, &view.now.bodies)).map(far);
    // The first of several.
    all.reduce(|best, own| if own.1 > best.1 { own } else { best }).unwrap_or((soft.nodes.start, 0.0))
}

fn regained(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let softs = softs_of(world, &scope.of).into_iter().map(|soft| Course { soft, worst: 0.0, when: 0.0, last: 0.0 });
    Box::new(Regained { softs: softs.collect(), frames: 0 })
}

impl Gauge for Regained {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        for course in &mut self.softs {
            let soft = &view.world.softs[course.soft];
            if !is_there(soft, view.now) {
                continue;
            }
            course.last = furthest(view, soft).1;
            if course.last > course.worst {
                (course.worst, course.when) = (course.last, view.now.time);
            }
        }
    }

    /// The end of the window decides.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body is measured");
        }
        let size = |soft: usize| {
            let places = world.bodies[world.softs[soft].nodes.clone()].iter().map(|node| node.pose.position);
            let (low, high) =
                places.fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(low, high), p| (low.min(p), high.max(p)));
            (high - low).length()
        };
        let off = self.softs.iter().filter(|course| course.worst > NEVER_OFF * size(course.soft));
        let share = |course: &Course| 1.0 - course.last / course.worst;
        let Some(least) = off.min_by(|a, b| share(a).total_cmp(&share(b))) else {
            let why = if self.frames == 0 { "no frame lies in the window" } else { "nothing was off its built shape" };
            return Reading::nothing(why);
        };
        let &Course { soft, worst, when, last } = least;
        let soft = &world.softs[soft];
        let detail =
            format!("{} was {worst:.6} m off its shape at {when:.3} s and is {last:.6} m off at the end", soft.name);
        Reading::of(share(least), detail).seen_at(when, soft.nodes.start)
    }
}

struct ShapeError {
    softs: Vec<usize>,
    worst: f64,
    /// Node and time of the worst.
    at: Option<(usize, f64)>,
}

fn error(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(ShapeError { softs: softs_of(world, &scope.of), worst: 0.0, at: None })
}

impl Gauge for ShapeError {
    fn observe(&mut self, view: &View<'_>) {
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            let (node, off) = furthest(view, soft);
            if self.at.is_none() || off > self.worst {
                (self.worst, self.at) = (off, Some((node, view.now.time)));
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body is measured");
        }
        let Some((node, time)) = self.at else { return Reading::nothing("no frame lies in the window") };
        let detail = format!("{} at {time:.3} s", world.bodies[node].name);
        Reading::of(self.worst, detail).seen_at(time, node)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{BodyState, DQuat, DVec3, Dimension, Frame, NodeTraits, Pose, SoftBody, World, turn};

    #[test]
    fn moving_and_turning_is_no_error_and_a_shift_of_one_corner_is() {
        let turned = frames(9, |i, t| {
            let (sin, cos) = (libm::sin(2.0 * t), libm::cos(2.0 * t));
            let [x, y] = CORNERS[i];
            state(5.0 * t + cos * x - sin * y, sin * x + cos * y, 0.0, 0.0)
        });
        assert!(measure("shape.error", &square(), &[1], &[], &turned).value.unwrap() < 1e-12);
        // Grown by a share: each corner goes that share of its way from the middle.
        let grown = frames(2, |i, _| state(1.1 * CORNERS[i][0], 1.1 * CORNERS[i][1], 0.0, 0.0));
        let reading = measure("shape.error", &square(), &[1], &[], &grown);
        let half_diagonal =
            0.5 * ((CORNERS[2][0] - CORNERS[0][0]).powi(2) + (CORNERS[2][1] - CORNERS[0][1]).powi(2)).sqrt();
        assert!((reading.value.unwrap() - 0.1 * half_diagonal).abs() < 1e-12, "{reading:?}");
    }

    #[test]
    fn a_square_that_comes_back_by_three_quarters_has_regained_them() {
        let share = |t: f64| if t < 0.45 { t } else { 0.1 };
        let squeezed =
            frames(9, |i, t| state(CORNERS[i][0] * (1.0 + share(t)), CORNERS[i][1] * (1.0 + share(t)), 0.0, 0.0));
        let reading = measure("shape.regained", &square(), &[1], &[], &squeezed);
        assert!((reading.value.unwrap() - 0.75).abs() < 1e-12, "{reading:?}");
        assert!(reading.detail.contains("off its shape at 0.400 s"), "{reading:?}");
        let stays = frames(9, |i, t| state(CORNERS[i][0] * (1.0 + t), CORNERS[i][1] * (1.0 + t), 0.0, 0.0));
        assert!(measure("shape.regained", &square(), &[1], &[], &stays).value.unwrap().abs() < 1e-12);
        let built = frames(3, |i, _| state(CORNERS[i][0], CORNERS[i][1], 0.0, 0.0));
        assert_eq!(measure("shape.regained", &square(), &[1], &[], &built).value, None);
    }

    #[test]
    fn in_space_a_turn_about_any_axis_is_no_error() {
        let corners = [DVec3::ZERO, DVec3::X, 2.0 * DVec3::Y, 3.0 * DVec3::Z];
        let traits = NodeTraits { dimension: Dimension::Space, ..NodeTraits::plain("pad") };
        let nodes = corners.iter().enumerate().map(|(i, &at)| traits.node(&format!("[{i}]"), at, DVec3::ZERO, 1.0));
        let softs = vec![SoftBody { name: "pad".into(), nodes: 0..4, ..SoftBody::default() }];
        let world = World { dimension: Dimension::Space, bodies: nodes.collect(), softs, ..World::planar(1.0) };
        let frame = |rotation: DQuat, grown: f64| Frame {
            bodies: corners
                .map(|at| BodyState {
                    pose: Pose::at(turn::turned(rotation, grown * at) + DVec3::ONE),
                    velocity: DVec3::ZERO,
                    spin: DVec3::ZERO,
                })
                .to_vec(),
            ..Frame::default()
        };
        for axis in [DVec3::X, DVec3::new(1.0, -2.0, 0.5), DVec3::new(-1.0, -1.0, 3.0)] {
            for angle in [0.3, 2.0, 3.1] {
                let rotation = DQuat::from_axis_angle(axis.normalize(), angle);
                let reading = measure("shape.error", &world, &[0], &[], &[frame(rotation, 1.0)]);
                assert!(reading.value.unwrap() < 1e-10, "{axis} {angle} {reading:?}");
                let reading = measure("shape.error", &world, &[0], &[], &[frame(rotation, 1.2)]);
                assert!(reading.value.unwrap() > 0.1, "{reading:?}");
            }
        }
    }
}
