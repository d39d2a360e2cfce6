//! Cells turned inside out.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::World;

pub(crate) const INVERTED: GaugeEntry = GaugeEntry {
    name: "cells.inverted",
    label: "cells turned inside out",
    unit: "cells",
    definition: "Largest number of cells of the soft bodies that are turned inside out or flat in one frame: triangles whose corners no longer run counter-clockwise, in space tetrahedra whose corners are no longer right-handed, as they were when built.",
    formula: "max_t count of cells with (x_b - x_a) x (x_c - x_a) <= 0; in space (x_b - x_a) . ((x_c - x_a) x (x_d - x_a)) <= 0",
    source: "orientation of a simplex by the sign of its determinant",
    limits: "Soft bodies with cells only. A cell that turned over and back between two frames is not seen.",
    usual_causes: "springs resist a change of length and not of orientation: missing diagonals or pressure; a step too long; an impact that moves a node through its own body",
    counts: true,
    next_step: advice::SOFT,
    make: inverted,
    ..SOFT
};

struct Inverted {
    softs: Vec<usize>,
    frames: u64,
    worst: u64,
    /// Time of the worst frame, s.
    worst_time: f64,
    /// Soft body, cell and time of the first that turned.
    first: Option<(usize, usize, f64)>,
}

pub(crate) fn inverted(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| world.softs[soft].cell_count() > 0);
    Box::new(Inverted { softs, frames: 0, worst: 0, worst_time: 0.0, first: None })
}

impl Gauge for Inverted {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let mut count = 0;
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            let at = places(soft, view.now);
            for cell in 0..soft.cell_count() {
                if !(soft.cell_turn(cell, at) > 0.0) {
                    count += 1;
                    self.first.get_or_insert((number, cell, view.now.time));
                }
            }
        }
        if count > self.worst {
            (self.worst, self.worst_time) = (count, view.now.time);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has cells");
        }
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        let Some((soft, cell, time)) = self.first else { return Reading::of(0.0, "none turned over") };
        let soft = &world.softs[soft];
        let name = |node: usize| world.bodies[soft.nodes.start + node].name.as_str();
        let nodes = soft.cell_nodes(cell);
        let corners: Vec<&str> = nodes.iter().map(|&node| name(node)).collect();
        let detail = format!("first {} at {time:.3} s; most at {:.3} s", corners.join(", "), self.worst_time);
        Reading::of(self.worst as f64, detail).seen_at(time, soft.nodes.start + nodes[0])
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::DVec2;

    #[test]
    fn turning_as_a_whole_inverts_nothing() {
        let turned = frames(21, |i, t| {
            let [x, y] = CORNERS[i];
            let p = DVec2::from_angle(t).rotate(DVec2::new(x, y));
            state(p.x, p.y, 0.0, 0.0)
        });
        assert_eq!(measure("cells.inverted", &square(), &[1], &[], &turned).value, Some(0.0));
    }

    #[test]
    fn a_corner_pushed_through_its_square_turns_the_cells_at_it() {
        // Corner 2 goes from (1, 2) along the diagonal past corner 0.
        let pushed = frames(21, |i, t| {
            let [x, y] = CORNERS[i];
            let way = if i == 2 { 1.2 * (t / 2.0) } else { 0.0 };
            state(x - way, y - way, 0.0, 0.0)
        });
        let reading = measure("cells.inverted", &square(), &[3], &[], &pushed);
        assert_eq!(reading.value, Some(2.0), "{reading:?}");
        assert!(reading.detail.contains("pad.node[0], pad.node[1], pad.node[2]"), "{reading:?}");
        assert_eq!(measure("cells.inverted", &square(), &[3], &[], &pushed[..10]).value, Some(0.0));
    }
}
