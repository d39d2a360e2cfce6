//! Bodies whose middle goes through a skin.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::{GaugeEntry, Need};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec2, DVec3, World};

pub(crate) const PASSED: GaugeEntry = GaugeEntry {
    name: "skin.passed",
    label: "passages through a skin",
    unit: "passages",
    definition: "How often the middle of one of the other bodies crosses a piece of skin of the soft bodies between two frames, both on their straight ways; through and back counts twice.",
    formula: "count of sign changes of (b - a) x (p - a) at which p lies between a and b; in space of ((b - a) x (c - a)) . (p - a) at which p lies in the triangle",
    source: "orientation test",
    limits: "The middle of a body, not its rim: see the overlap gauges for that. Ways are taken for straight between two frames. A node of another soft body is a body of its own.",
    usual_causes: "only nodes touch and the segments between them do not; a fast body is seen only at the end of its step; a push out on the wrong side",
    needs: &[Need::Soft, Need::Against],
    counts: true,
    by_default: false,
    next_step: advice::SOFT,
    make: passed,
    ..SOFT
};

struct Passed {
    softs: Vec<usize>,
    bodies: Vec<usize>,
    frames: u64,
    count: u64,
    /// Body, soft body and time of the first.
    first: Option<(usize, usize, f64)>,
}

pub(crate) fn passed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| world.softs[soft].has_skin());
    Box::new(Passed { softs, bodies: scope.against.clone(), frames: 0, count: 0, first: None })
}

/// Whether a point crosses a segment, both moving evenly: their sides at the ends and the place at the time between.
fn crosses(point: [DVec2; 2], a: [DVec2; 2], b: [DVec2; 2]) -> bool {
    let side = |k: usize| (b[k] - a[k]).perp_dot(point[k] - a[k]);
    let (was, is) = (side(0), side(1));
    // A point on the line belongs to its left.
    if (was >= 0.0) == (is >= 0.0) {
        return false;
    }
    let when = was / (was - is);
    let [point, a, b] = [point, a, b].map(|ends| ends[0].lerp(ends[1], when));
    let along = b - a;
    let share = (point - a).dot(along);
    (0.0..along.length_squared()).contains(&share)
}

/// Whether a point goes through a triangle, all moving evenly: their sides at the ends and the place at the time between.
fn pierces(point: [DVec3; 2], corners: [[DVec3; 2]; 3]) -> bool {
    let side = |k: usize| {
        let [a, b, c] = corners.map(|corner| corner[k]);
        (b - a).cross(c - a).dot(point[k] - a)
    };
    let (was, is) = (side(0), side(1));
    if (was >= 0.0) == (is >= 0.0) {
        return false;
    }
    let when = was / (was - is);
    let [a, b, c] = corners.map(|ends| ends[0].lerp(ends[1], when));
    let p = point[0].lerp(point[1], when);
    let normal = (b - a).cross(c - a);
    // An edge belongs to the triangle to whose left it lies.
    let within = |from: DVec3, to: DVec3| (to - from).cross(p - from).dot(normal) >= 0.0;
    within(a, b) && within(b, c) && within(c, a)
}

impl Gauge for Passed {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let Some(before) = view.before else { return };
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !(is_there(soft, before) && is_there(soft, view.now)) {
                continue;
            }
            let (then, now) = (places(soft, before), places(soft, view.now));
            let node = |k: usize| [then(k), now(k)];
            let flat = |k: usize| node(k).map(DVec3::truncate);
            let around = soft.skin_nodes().flatten().flat_map(|&k| node(k));
            let (low, high) =
                around.fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(low, high), p| (low.min(p), high.max(p)));
            for &id in self.bodies.iter().filter(|&&id| !soft.nodes.contains(&id) && view.present(id)) {
                let ends = [before, view.now].map(|frame| frame.bodies[id].pose.position);
                let (from, to) = (ends[0].min(ends[1]), ends[0].max(ends[1]));
                if from.cmpgt(high).any() || to.cmplt(low).any() {
                    continue;
                }
                let level = ends.map(DVec3::truncate);
                let segments = soft.skin.iter().filter(|&&[a, b]| crosses(level, flat(a), flat(b))).count();
                let faces = soft.faces.iter().filter(|corners| pierces(ends, corners.map(node))).count();
                let through = (segments + faces) as u64;
                self.count += through;
                if through > 0 {
                    self.first.get_or_insert((id, number, view.now.time));
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has a skin");
        }
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let Some((body, soft, time)) = self.first else { return Reading::of(0.0, "nothing went through") };
        let detail =
            format!("first {} through the skin of {} at {time:.3} s", world.bodies[body].name, world.softs[soft].name);
        Reading::of(self.count as f64, detail).seen_at(time, body)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{Body, Frame, Part, PlaneShape, World};

    /// The square, and a ball that flies by a law; the ball stands before the nodes.
    fn shot(ball: impl Fn(f64) -> (f64, f64)) -> (World, Vec<Frame>) {
        let mut world = square();
        world
            .bodies
            .insert(1, Body { mass: 1.0, parts: vec![Part::solid(PlaneShape::Disc(0.1), 0)], ..Body::plain("shot") });
        world.softs[0].nodes = 2..6;
        let mut seen = frames(21, |i, t| state(CORNERS[i][0] + 0.3 * t, CORNERS[i][1], 0.3, 0.0));
        for frame in &mut seen {
            let (x, y) = ball(frame.time);
            frame.bodies.insert(1, state(x, y, 0.0, 0.0));
        }
        (world, seen)
    }

    #[test]
    fn a_ball_that_stays_outside_passes_nothing_and_one_that_flies_through_passes_twice() {
        let (world, rest) = shot(|t| (-1.0 + 0.3 * t, 1.5));
        assert_eq!(measure("skin.passed", &world, &[2], &[1], &rest).value, Some(0.0));
        let (world, through) = shot(|t| (-1.0 + 9.7 * t, 1.53));
        let reading = measure("skin.passed", &world, &[2], &[1], &through);
        assert_eq!(reading.value, Some(2.0), "{reading:?}");
        assert!(reading.detail.contains("first shot through the skin of pad"), "{reading:?}");
        let (world, beside) = shot(|t| (-1.0 + 9.7 * t, 2.2));
        assert_eq!(measure("skin.passed", &world, &[2], &[1], &beside).value, Some(0.0));
    }
}
