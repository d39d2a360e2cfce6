//! How deep bodies lie in each other.

use crate::advice;
use crate::derived::each_skin_overlap;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{BodyKind, Dimension, World};

pub(crate) const DEEPEST: GaugeEntry = GaugeEntry {
    name: "overlap.deepest",
    label: "deepest overlap",
    unit: "m",
    better: Better::Lower,
    definition: "Deepest overlap of any two bodies, one of them measured, in any frame: the shortest way by which one would have to move to part from the other.",
    formula: "max_t max_pairs depth, depth = distance of the origin from the rim of the Minkowski difference",
    source: "de Berg et al., Computational Geometry, section 13.3",
    limits: "Frames only; what happens between them is not seen. Looked at are pairs that may touch and of which one can move: what layers, `apart` or a joint keep from touching may overlap, and is for the filter gauges. Of soft bodies nodes and pieces of skin count, rounded by their radius.",
    usual_causes: "too few iterations under a high load; overlap left alone below an absolute slop; half sizes taken for full sizes",
    next_step: advice::OVERLAP,
    by_default: true,
    make: deepest,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const SHARE: GaugeEntry = GaugeEntry {
    name: "overlap.share",
    label: "deepest overlap by size",
    unit: "1",
    definition: "Deepest overlap as in the gauge before, each as a share of the smaller of both bodies' smallest sizes.",
    formula: "max_t max_pairs depth / s",
    next_step: advice::OVERLAP,
    make: share,
    ..DEEPEST
};

pub(crate) const MEAN: GaugeEntry = GaugeEntry {
    name: "overlap.mean",
    label: "mean overlap",
    definition: "Mean over the frames of the deepest overlap in each.",
    formula: "mean_t max_pairs depth",
    next_step: advice::OVERLAP,
    make: mean,
    ..DEEPEST
};

/// Which figure is asked for.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Figure {
    Deepest,
    Share,
    Mean,
}

struct Overlap {
    figure: Figure,
    of: Membership,
    others: Membership,
    frames: u64,
    /// Sum of the deepest of each frame, m.
    sum: f64,
    /// In metres, or as a share of the size.
    worst: f64,
    worst_time: f64,
    worst_pair: (usize, usize),
}

fn new(world: &World, scope: &Scope, figure: Figure) -> Box<dyn Gauge> {
    Box::new(Overlap {
        figure,
        of: Membership::of(world, &scope.of),
        others: Membership::of_or_everything(world, &scope.against),
        frames: 0,
        sum: 0.0,
        worst: 0.0,
        worst_time: 0.0,
        worst_pair: (0, 0),
    })
}

pub(crate) fn deepest(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Figure::Deepest)
}

pub(crate) fn share(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Figure::Share)
}

pub(crate) fn mean(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Figure::Mean)
}

fn smaller_size(world: &World, (a, b): (usize, usize)) -> f64 {
    world.bodies[a].smallest_size().min(world.bodies[b].smallest_size())
}

impl Overlap {
    /// What the deepest overlap of the frame certainly is at least, m.
    fn least_depth(&self, view: &View<'_>) -> f64 {
        let mut least = 0.0_f64;
        view.cache.candidates(&self.of, &self.others, 0.0, |candidate| least = least.max(-candidate.bounds.high));
        least
    }
}

impl Gauge for Overlap {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        // What certainly lies less deep than the deepest of the frame, or of all frames so far, need not be looked at.
        let mut deepest = 0.0_f64;
        let mut least = if self.figure == Figure::Mean { self.least_depth(view) } else { self.worst };
        view.cache.candidates(&self.of, &self.others, 0.0, |candidate| {
            let (a, b) = candidate.bodies;
            let size = if self.figure == Figure::Share { view.smaller_size(a, b) } else { 1.0 };
            if -candidate.bounds.low < least * size {
                return;
            }
            let depth = -view.cache.gap_of(candidate, 0.0).distance;
            deepest = deepest.max(depth);
            if depth / size > self.worst {
                (self.worst, self.worst_time, self.worst_pair) = (depth / size, view.now.time, (a, b));
            }
            least = least.max(if self.figure == Figure::Mean { deepest } else { self.worst });
        });
        if !view.world.softs.is_empty() {
            each_skin_overlap(view, &self.of, &self.others, |depth, a, b| {
                let size = if self.figure == Figure::Share { view.smaller_size(a, b) } else { 1.0 };
                deepest = deepest.max(depth);
                if depth / size > self.worst {
                    (self.worst, self.worst_time, self.worst_pair) = (depth / size, view.now.time, (a, b));
                }
            });
        }
        self.sum += deepest;
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        if self.worst == 0.0 {
            return Reading::of(0.0, "nothing overlapped");
        }
        let (a, b) = (&world.bodies[self.worst_pair.0], &world.bodies[self.worst_pair.1]);
        let size = smaller_size(world, self.worst_pair);
        let share = 100.0 * if self.figure == Figure::Share { self.worst } else { self.worst / size };
        let detail = format!("{} in {} at {:.3} s, {share:.2} % of the smaller", b.name, a.name, self.worst_time);
        let value = if self.figure == Figure::Mean { self.sum / self.frames as f64 } else { self.worst };
        // Of a floor and a crate the crate is looked at.
        let seen = if a.kind == BodyKind::Static { self.worst_pair.1 } else { self.worst_pair.0 };
        Reading::of(value, detail).seen_at(self.worst_time, seen)
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, PlaneShape, World};

    fn yard() -> World {
        world(&[
            ("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.5), DVec2::ZERO),
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
        let share = measure("overlap.share", &yard(), &[1, 2], &[], &frames).value.unwrap();
        assert!((share - 0.05).abs() < 1e-14, "both have a size of 1: {share}");
        // The ingot sinks evenly to 0.03, but for one frame of 0.05.
        let mean = measure("overlap.mean", &yard(), &[1, 2], &[], &frames).value.unwrap();
        assert!((mean - (0.015 * 11.0 - 0.015 + 0.05) / 11.0).abs() < 1e-14, "{mean}");
        let on_quay = measure("overlap.deepest", &yard(), &[1, 2], &[0], &frames);
        assert!((on_quay.value.unwrap() - 0.03).abs() < 1e-14, "{on_quay:?}");
    }

    #[test]
    fn a_post_between_two_nodes_of_a_skin_lies_in_it() {
        use crate::gauges::soft::tests::{CORNERS, frames, square};
        let mut world = square();
        let post = ironspin_model::Body {
            kind: BodyKind::Static,
            parts: vec![ironspin_model::Part::solid(PlaneShape::Disc(0.1), 0)],
            ..ironspin_model::Body::plain("post")
        };
        world.bodies.insert(1, post);
        world.softs[0].nodes = 2..6;
        // The skin has a radius of 0.1: at a height of 0.85 the post is 0.05 deep in the lower side, far from its nodes.
        for (height, deep) in [(0.85, 0.05), (0.75, 0.0)] {
            let mut seen = frames(3, |i, _| state(CORNERS[i][0], CORNERS[i][1], 0.0, 0.0));
            seen.iter_mut().for_each(|frame| frame.bodies.insert(1, state(0.5, height, 0.0, 0.0)));
            let reading = measure("overlap.deepest", &world, &[2, 3], &[1], &seen);
            assert!((reading.value.unwrap() - deep).abs() < 1e-12, "{reading:?}");
        }
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
