//! How deep bodies lie in each other.

use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Membership, Shapes};
use ironspin_model::World;

struct Overlap {
    shapes: Shapes,
    of: Membership,
    others: Membership,
    frames: u64,
    worst: f64,
    worst_time: f64,
    worst_pair: (usize, usize),
}

pub(crate) fn deepest(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Overlap {
        shapes: Shapes::new(world),
        of: Membership::of(world, &scope.of),
        others: Membership::of_or_everything(world, &scope.against),
        frames: 0,
        worst: 0.0,
        worst_time: 0.0,
        worst_pair: (0, 0),
    })
}

impl Gauge for Overlap {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let (shapes, worst) = (&self.shapes, &mut self.worst);
        let (worst_time, worst_pair) = (&mut self.worst_time, &mut self.worst_pair);
        shapes.near_pairs(view.now, &self.of, &self.others, 0.0, |a, b| {
            let depth = -shapes.gap(view.now, a, b, 0.0).distance;
            if depth > *worst {
                (*worst, *worst_time, *worst_pair) = (depth, view.now.time, (a, b));
            }
        });
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        if self.worst == 0.0 {
            return Reading::of(0.0, "nothing overlapped");
        }
        let (a, b) = (&world.bodies[self.worst_pair.0], &world.bodies[self.worst_pair.1]);
        let share = 100.0 * self.worst / a.smallest_size().min(b.smallest_size());
        Reading::of(
            self.worst,
            format!("{} in {} at {:.3} s, {share:.2} % of the smaller", b.name, a.name, self.worst_time),
        )
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, Shape, World};

    fn yard() -> World {
        world(&[
            ("quay", BodyKind::Static, Shape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ingot", BodyKind::Dynamic, Shape::Box(DVec2::ONE), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, Shape::Disc(0.5), DVec2::ZERO),
        ])
    }

    #[test]
    fn the_deepest_of_all_pairs_is_found_to_rounding() {
        // The ingot sinks to 0.03; the ball sits 0.05 deep on top of it in the middle of the trial.
        let frames = trace(0.1, 1.0, |t| {
            let ball = if (t - 0.5).abs() < 0.01 { 1.45 - 0.03 * t } else { 1.5 };
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, 0.5 - 0.03 * t, 0.0, 0.0), state(0.2, ball, 0.0, 0.0)]
        });
        let deepest = measure("overlap.deepest", &yard(), &[1, 2], &[], &frames);
        assert!((deepest.value.unwrap() - 0.05).abs() < 1e-14, "{deepest:?}");
        let on_quay = measure("overlap.deepest", &yard(), &[1, 2], &[0], &frames);
        assert!((on_quay.value.unwrap() - 0.03).abs() < 1e-14, "{on_quay:?}");
    }

    #[test]
    fn touching_is_no_overlap_and_half_sizes_taken_for_full_ones_are_caught() {
        let rest = |y: f64| {
            trace(0.1, 1.0, move |_| {
                vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, y, 0.0, 0.0), state(9.0, 9.0, 0.0, 0.0)]
            })
        };
        assert_eq!(measure("overlap.deepest", &yard(), &[1], &[], &rest(0.5)).value, Some(0.0));
        assert!((measure("overlap.deepest", &yard(), &[1], &[], &rest(0.25)).value.unwrap() - 0.25).abs() < 1e-15);
    }
}
