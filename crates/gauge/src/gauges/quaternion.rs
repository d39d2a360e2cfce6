//! Whether quaternions stay of unit length.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{Dimension, World};

pub(crate) const NORM: GaugeEntry = GaugeEntry {
    name: "quaternion.norm",
    label: "quaternion off unit length",
    better: Better::Lower,
    definition: "Largest difference from one of the length of a body's quaternion, as the engine told it, over all frames. Everything else is measured with the quaternion made of unit length. Measured by default: in every scene of space that claims nothing.",
    formula: "max over frames and bodies of | sqrt(qw^2 + qx^2 + qy^2 + qz^2) - 1 |",
    source: "a rotation is a quaternion of unit length (Hamilton)",
    limits: "Below 1e-12 it counts as 0. The protocol lets an engine be off by 1e-6, which single precision is within. One of no length tells no rotation, and ends the trial.",
    usual_causes: "half the spin times the quaternion added and the sum never made of unit length again; only every so often; the angle of a half turn forgotten in a product",
    next_step: advice::MOTION,
    needs_geometry: false,
    by_default: true,
    dimensions: Dimension::SPACE_ONLY,
    make: norm,
    ..PLAIN
};

struct Norm {
    members: Membership,
    worst: f64,
    at: Option<(f64, usize)>,
    frames: u64,
}

pub(crate) fn norm(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Norm { members: Membership::of(world, &scope.of), worst: 0.0, at: None, frames: 0 })
}

impl Gauge for Norm {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        for &(id, off) in view.now.off_unit.iter().filter(|(id, _)| self.members.has(*id)) {
            if off.abs() > self.worst {
                (self.worst, self.at) = (off.abs(), Some((view.now.time, id)));
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        match (self.frames, self.at) {
            (0, _) => Reading::nothing("no frame lies in the window"),
            (_, None) => Reading::of(0.0, "all of unit length"),
            (_, Some((time, id))) => {
                Reading::of(self.worst, format!("{} at {time:.3} s", world.bodies[id].name)).seen_at(time, id)
            }
        }
    }
}
