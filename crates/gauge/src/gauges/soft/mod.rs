//! Gauges of soft bodies. Each is about the soft bodies of which a node is measured.

mod cells;
mod crossed;
mod dent;
mod growth;
mod law;
mod lengths;
mod nets;
mod pins;
mod shape;
mod skin;
#[cfg(test)]
mod space_tests;
mod suction;
mod through;
mod volume;

pub(crate) use cells::INVERTED;
pub(crate) use crossed::CROSSED;
pub(crate) use dent::KEPT as DENT_KEPT;
pub(crate) use growth::GROWTH;
pub(crate) use law::LAW as VOLUME_LAW;
pub(crate) use lengths::{STICK_ERROR, STRAIN};
pub(crate) use pins::ERROR as PIN_ERROR;
pub(crate) use shape::{ERROR as SHAPE_ERROR, REGAINED};
pub(crate) use skin::PASSED;
pub(crate) use suction::SUCTION;
pub(crate) use through::THROUGH;
pub(crate) use volume::CHANGE;

use nets::{edges, spring_forces, ties, untouched};

use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use ironspin_model::{DVec3, Dimension, Frame, SoftBody, World};

/// What all of them have in common.
const SOFT: GaugeEntry = GaugeEntry {
    better: Better::Lower,
    needs: &[Need::Soft],
    needs_geometry: false,
    by_default: true,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// Numbers of the soft bodies of which a node is in a list.
fn softs_of(world: &World, of: &[usize]) -> Vec<usize> {
    let mut softs: Vec<usize> = of.iter().filter_map(|&id| world.soft_of_node(id)).collect();
    softs.dedup();
    softs
}

/// Places of a soft body's nodes in a frame, by their numbers.
fn places<'a>(soft: &'a SoftBody, frame: &'a Frame) -> impl Fn(usize) -> DVec3 + Copy + 'a {
    move |node| frame.bodies[soft.nodes.start + node].pose.position
}

/// Whether it is there.
fn is_there(soft: &SoftBody, frame: &Frame) -> bool {
    !frame.bodies[soft.nodes.start].is_absent()
}

#[cfg(test)]
pub(crate) mod tests {
    use crate::gauges::trace::{state, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, Frame, NodeSpring, NodeTraits, PlaneShape, SoftBody, World};

    /// A quay and a square of four nodes with a skin, rim springs of 50 N/m and two cells.
    pub(crate) fn square() -> World {
        let mut world = world(&[("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO)]);
        let traits = NodeTraits { radius: 0.1, ..NodeTraits::plain("pad") };
        for (i, [x, y]) in CORNERS.into_iter().enumerate() {
            world.bodies.push(traits.node(
                &format!("[{i}]"),
                DVec2::new(x, y).extend(0.0),
                DVec2::ZERO.extend(0.0),
                1.0,
            ));
        }
        let spring = |a: usize, b: usize| NodeSpring { ends: [a, b], length: 1.0, stiffness: 50.0, damping: 0.0 };
        world.softs.push(SoftBody {
            name: "pad".into(),
            nodes: 1..5,
            material: 0,
            radius: 0.1,
            self_contact: false,
            springs: (0..4).map(|i| spring(i, (i + 1) % 4)).collect(),
            skin: (0..4).map(|i| [i, (i + 1) % 4]).collect(),
            cells: vec![[0, 1, 2], [0, 2, 3]],
            pressure: None,
            ..SoftBody::default()
        });
        world
    }

    /// Where its nodes are built.
    pub(crate) const CORNERS: [[f64; 2]; 4] = [[0.0, 1.0], [1.0, 1.0], [1.0, 2.0], [0.0, 2.0]];

    /// Frames every tenth of a second in which its nodes are at some places and speeds.
    pub(crate) fn frames(count: u64, node: impl Fn(usize, f64) -> BodyState) -> Vec<Frame> {
        let frame = |step: u64| {
            let time = 0.1 * step as f64;
            let mut bodies = vec![state(0.0, 0.0, 0.0, 0.0)];
            bodies.extend((0..4).map(|i| node(i, time)));
            Frame { step, time, bodies, ..Frame::default() }
        };
        (0..count).map(frame).collect()
    }
}
