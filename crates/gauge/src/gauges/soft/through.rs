//! Nodes and ties that go through a barrier.

use super::{SOFT, is_there, softs_of, ties};
use crate::advice;
use crate::entry::{GaugeEntry, Need};
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Met, Plane, Room, Space, barriers};
use ironspin_model::{DVec3, Dimension, Frame, World};
use std::collections::BTreeSet;

pub(crate) const THROUGH: GaugeEntry = GaugeEntry {
    name: "soft.tunnel",
    label: "nodes through a barrier",
    unit: "nodes",
    definition: "Number of nodes of the soft bodies that went through a barrier, or that a spring, a stick or an edge of the skin ties to a node on its other side: of which the straight way between two frames, or such a tie in any frame, goes into the barrier by one of its faces and out by an opposite one.",
    formula: "|{ nodes of ways and ties with n_in . n_out < -1/2 }|, n the outward normals of the faces by which a line comes in and goes out; a sheet of triangles has two sides, and a half space is passed by whoever sinks into it with its middle",
    source: "Cyrus and Beck (1978) for a line and a convex outline",
    limits: "A tie that cuts a corner is none: its faces are not opposite. A body that came through a gap whole counts none, one that hangs over an edge of the barrier none either. Ways are taken for straight between two frames, in the frame of the barrier.",
    usual_causes: "only the ends of a step are looked at; nodes touch and the skin between them does not; a push out on the nearest side, which is the wrong one; stiff springs that pull a net through a plate",
    needs: &[Need::Soft, Need::Against],
    counts: true,
    by_default: false,
    next_step: advice::TUNNEL,
    make: through,
    ..SOFT
};

struct Went<G: Room> {
    softs: Vec<(usize, Vec<[usize; 2]>)>,
    against: Vec<usize>,
    /// The pieces of every body.
    pieces: Vec<Vec<G::Barrier>>,
    frames: u64,
    nodes: BTreeSet<usize>,
    /// Node, barrier and time of the first.
    first: Option<(usize, usize, f64)>,
}

pub(crate) fn through(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    match world.dimension {
        Dimension::Plane => Box::new(Went::<Plane>::new(world, scope)),
        Dimension::Space => Box::new(Went::<Space>::new(world, scope)),
    }
}

/// Whether a line goes through a piece, from one face to an opposite one; a half space is gone into by a way alone.
fn pierces(met: Met, is_way: bool) -> bool {
    match met {
        // Whoever is inside has gone in by its own way.
        Met::Depths { depths, .. } => is_way && depths[0] <= 0.0 && depths[1] > 0.0,
        Met::Sheet(out) => out.is_some(),
        Met::Solid(crossing) => crossing.is_some_and(|crossing| match (crossing.entry, crossing.exit) {
            (Some(entry), Some(exit)) => entry.dot(exit) < -0.5,
            _ => false,
        }),
    }
}

impl<G: Room> Went<G> {
    fn new(world: &World, scope: &Scope) -> Self {
        let own = |soft: usize| (soft, ties(&world.softs[soft]));
        Went {
            softs: softs_of(world, &scope.of).into_iter().map(own).collect(),
            against: scope.against.iter().copied().filter(|&id| id < world.rigid_count()).collect(),
            pieces: barriers::<G>(world),
            frames: 0,
            nodes: BTreeSet::new(),
            first: None,
        }
    }

    /// Whether a line between a place in one frame and a place in another goes through a body.
    fn goes_through(&self, body: usize, [from, to]: [(&Frame, DVec3); 2], is_way: bool) -> bool {
        let seen = |(frame, place): (&Frame, DVec3)| G::seen_from(&frame.bodies[body], place);
        let way = [seen(from), seen(to)];
        self.pieces[body].iter().any(|piece| pierces(G::met(piece, way), is_way))
    }
}

impl<G: Room + Send> Gauge for Went<G> {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let now = view.now;
        let there = |id: &&usize| !now.bodies[**id].is_absent();
        let barriers: Vec<usize> = self.against.iter().filter(there).copied().collect();
        let mut found: Vec<(usize, usize)> = Vec::new();
        for (number, ties) in &self.softs {
            let soft = &view.world.softs[*number];
            if !is_there(soft, now) {
                continue;
            }
            let place = |frame: &Frame, id: usize| frame.bodies[id].pose.position;
            for &body in &barriers {
                for tie in ties {
                    let [a, b] = tie.map(|node| soft.nodes.start + node);
                    if self.goes_through(body, [(now, place(now, a)), (now, place(now, b))], false) {
                        found.extend([(a, body), (b, body)]);
                    }
                }
                let Some(before) = view.before.filter(|before| is_there(soft, before) && view.present(body)) else {
                    continue;
                };
                for id in soft.nodes.clone() {
                    if self.goes_through(body, [(before, place(before, id)), (now, place(now, id))], true) {
                        found.push((id, body));
                    }
                }
            }
        }
        for (node, body) in found {
            self.first.get_or_insert((node, body, now.time));
            self.nodes.insert(node);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body is measured");
        }
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        let Some((node, body, time)) = self.first else { return Reading::of(0.0, "nothing went through") };
        let detail = format!("first {} through {} at {time:.3} s", world.bodies[node].name, world.bodies[body].name);
        Reading::of(self.nodes.len() as f64, detail).seen_at(time, node)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{Body, BodyKind, DVec2, DVec3, Frame, Part, PlaneShape, Pose, World};

    /// The square, and in the place of the quay a thin upright plate at x = 3 that ends at y = 1.5.
    fn plate() -> World {
        let mut world = square();
        world.bodies[0] = Body {
            kind: BodyKind::Static,
            pose: Pose::at(DVec3::new(3.0, 0.0, 0.0)),
            parts: vec![Part::solid(PlaneShape::Box(DVec2::new(0.1, 3.0)), 0)],
            ..Body::plain("plate")
        };
        world
    }

    fn seen(node: impl Fn(usize, f64) -> (f64, f64)) -> Vec<Frame> {
        let mut frames = frames(11, |i, t| {
            let (x, y) = node(i, t);
            state(x, y, 0.0, 0.0)
        });
        frames.iter_mut().for_each(|frame| frame.bodies[0].pose.position.x = 3.0);
        frames
    }

    #[test]
    fn a_net_beside_or_over_a_plate_is_none_and_one_that_hangs_through_it_counts_its_nodes() {
        let world = plate();
        let count = |frames: &[Frame]| measure("soft.tunnel", &world, &[1], &[0], frames);
        assert_eq!(count(&seen(|i, t| (CORNERS[i][0] + t, CORNERS[i][1]))).value, Some(0.0));
        // Over the top: the edge cuts the corner of the plate, by its face and its end.
        let over = seen(|i, _| match i {
            0 => (2.9, 1.4),
            1 => (3.04, 1.6),
            _ => (3.0, 1.6 + 0.1 * i as f64),
        });
        assert_eq!(count(&over).value, Some(0.0), "{:?}", count(&over));
        // The two lower corners stand on both sides, below the top.
        let hangs = seen(|i, _| (CORNERS[i][0] + 2.5, CORNERS[i][1]));
        let reading = count(&hangs);
        assert_eq!(reading.value, Some(2.0), "{reading:?}");
        assert!(reading.detail.contains("first pad.node[0] through plate at 0.000 s"), "{reading:?}");
    }

    #[test]
    fn a_whole_net_that_is_beyond_the_plate_in_the_next_frame_went_through_with_its_low_nodes() {
        let jump = seen(|i, t| (CORNERS[i][0] + if t > 0.45 { 3.5 } else { 0.5 }, CORNERS[i][1]));
        // The upper ones, at 2 m, went over its end at 1.5 m.
        assert_eq!(measure("soft.tunnel", &plate(), &[1], &[0], &jump).value, Some(2.0));
    }
}
