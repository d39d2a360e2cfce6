//! Soft bodies: point masses with forces between them, and a skin by which they touch.
//!
//! | what | file |
//! |---|---|
//! | [`SoftBody`], [`NodeSpring`], [`Pressure`]: what a soft body is made of | `mod.rs` |
//! | area inside a skin, energy of springs and gas | `store.rs` |
//! | what cannot be built | `checks.rs` |
//! | how fast a net swings, and how long a step may be | `net.rs` |
//!
//! A node is a body of the world: a point that does not turn, with a disc or a ball of the skin's radius as its part. Every gauge, selector,
//! trace and picture that knows bodies knows nodes by that. Nodes stand behind all rigid bodies, soft body after soft body.

mod checks;
mod net;
mod store;

pub use checks::{CELL_LIMIT, NODE_LIMIT, SPRING_LIMIT};
pub use net::{Net, SOFT_SUBSTEPS, SoftMethod, largest_step};

use crate::{Body, BodyKind, Dimension, Inertia, Part, PlaneShape, SpaceShape, World};
use glam::DVec3;
use std::ops::Range;

/// A soft body. As a whole it has an id behind those of all bodies: see [`World::soft_id`].
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SoftBody {
    /// Name as selectors know it.
    pub name: String,
    /// Its nodes: ids of bodies of the world. Layers, gravity factor, damping, `ccd` and `absent` stand there, the same for all of them.
    pub nodes: Range<usize>,
    /// Index into [`World::materials`].
    pub material: usize,
    /// Nodes and skin are rounded by it, m; contact begins at that distance.
    pub radius: f64,
    /// Whether it touches itself.
    pub self_contact: bool,
    /// Springs between its nodes.
    pub springs: Vec<NodeSpring>,
    /// Distances that stay as they are.
    pub sticks: Vec<Stick>,
    /// In the plane: segments by which it touches, as numbers of nodes; the inside lies to the left. Without any skin it touches with its nodes.
    pub skin: Vec<[usize; 2]>,
    /// In space: triangles by which it touches, counter-clockwise seen from outside.
    pub faces: Vec<[usize; 3]>,
    /// In the plane: triangles of the inside, counter-clockwise as built. They carry no force.
    pub cells: Vec<[usize; 3]>,
    /// In space: tetrahedra of the inside, positively oriented as built. They carry no force.
    pub tetrahedra: Vec<[usize; 4]>,
    /// Gas inside the skin.
    pub pressure: Option<Pressure>,
    /// How fast its nodes swing about the built shape, placed as it fits best, rad/s; nothing where they are not drawn to it.
    pub matching: Option<f64>,
    /// From where on its springs give way for good.
    pub yielding: Option<Yield>,
    /// Nodes that are held to points of rigid bodies.
    pub pins: Vec<Pin>,
}

/// A distance between two nodes that stays as it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stick {
    /// Numbers of its nodes within the soft body.
    pub ends: [usize; 2],
    /// m.
    pub length: f64,
}

/// A spring strained beyond `strain` gives way until its strain is that; its length never leaves the built one by more than the share `most`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Yield {
    /// As a share of the built length.
    pub strain: f64,
    /// As a share of the built length.
    pub most: f64,
}

/// A node that is held to a point of a rigid body.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pin {
    /// Number of the node within the soft body.
    pub node: usize,
    /// Id of a rigid body.
    pub body: usize,
    /// In the frame of the body, m.
    pub point: DVec3,
}

/// A spring between two nodes: it pulls with stiffness (l - length) + damping dl/dt.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NodeSpring {
    /// Numbers of its nodes within the soft body.
    pub ends: [usize; 2],
    /// At which it neither pulls nor pushes, m.
    pub length: f64,
    /// N/m.
    pub stiffness: f64,
    /// N s/m.
    pub damping: f64,
}

/// Gas in a closed skin: p = amount / volume - outside acts along the outward normals.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pressure {
    /// n R T, J; in the plane per metre of depth.
    pub amount: f64,
    /// Pressure outside, Pa.
    pub outside: f64,
}

/// What all nodes of a soft body share.
#[derive(Clone, Debug, PartialEq)]
pub struct NodeTraits {
    /// Name of the soft body.
    pub name: String,
    /// Index into [`World::materials`].
    pub material: usize,
    /// m.
    pub radius: f64,
    /// The layers it is on, one a bit.
    pub layers: u32,
    /// The layers it meets.
    pub collision_mask: u32,
    /// Multiplies gravity.
    pub gravity_factor: f64,
    /// The speed of a node falls as exp(-c t), 1/s.
    pub damping: f64,
    /// No node passes a wall within a step.
    pub ccd: bool,
    /// It is not there until an action adds it.
    pub absent: bool,
    /// Of the world it is in.
    pub dimension: Dimension,
}

impl NodeTraits {
    /// Points of the first material that meet everything, in the first layer, not damped.
    pub fn plain(name: &str) -> Self {
        NodeTraits {
            name: name.to_owned(),
            material: 0,
            radius: 0.0,
            layers: 1,
            collision_mask: u32::MAX,
            gravity_factor: 1.0,
            damping: 0.0,
            ccd: false,
            absent: false,
            dimension: Dimension::Plane,
        }
    }

    /// The node behind a label such as `[3]`, as a body of the world. Of mass 0 it is held.
    pub fn node(&self, label: &str, position: DVec3, velocity: DVec3, mass: f64) -> Body {
        Body {
            kind: if mass > 0.0 { BodyKind::Dynamic } else { BodyKind::Static },
            pose: crate::Pose::at(position),
            velocity: if mass > 0.0 { velocity } else { DVec3::ZERO },
            mass,
            inertia: Inertia::ZERO,
            gravity_factor: self.gravity_factor,
            linear_damping: self.damping,
            fixed_turn: true,
            ccd: self.ccd,
            layers: self.layers,
            collision_mask: self.collision_mask,
            absent: self.absent,
            parts: vec![match self.dimension {
                Dimension::Plane => Part::solid(PlaneShape::Disc(self.radius), self.material),
                Dimension::Space => Part::solid(SpaceShape::Sphere(self.radius), self.material),
            }],
            ..Body::plain(format!("{}{NODE}{label}", self.name))
        }
    }
}

/// What stands between the name of a soft body and the index of its node in the name of the node.
pub const NODE: &str = ".node";

impl World {
    /// Rigid bodies: those before the first node.
    pub fn rigid(&self) -> &[Body] {
        &self.bodies[..self.rigid_count()]
    }

    /// How many bodies are rigid; the ids of nodes begin here.
    pub fn rigid_count(&self) -> usize {
        self.softs.first().map_or(self.bodies.len(), |soft| soft.nodes.start)
    }

    /// Nodes that are held to rigid bodies, as ids: the body, and the node.
    pub fn pinned_pairs(&self) -> impl Iterator<Item = [usize; 2]> + '_ {
        self.softs.iter().flat_map(|soft| soft.pins.iter().map(|pin| [pin.body, soft.nodes.start + pin.node]))
    }

    /// The id of a soft body as a whole, for actions on all of it: behind all bodies.
    pub fn soft_id(&self, soft: usize) -> usize {
        self.bodies.len() + soft
    }

    /// The soft body that an id of a node belongs to; nothing for a rigid body.
    pub fn soft_of_node(&self, id: usize) -> Option<usize> {
        if id < self.rigid_count() {
            return None;
        }
        let soft = self.softs.partition_point(|soft| soft.nodes.end <= id);
        self.softs.get(soft).filter(|soft| soft.nodes.contains(&id)).map(|_| soft)
    }

    /// The soft body of which an id means the whole.
    pub fn whole_soft(&self, id: usize) -> Option<&SoftBody> {
        id.checked_sub(self.bodies.len()).and_then(|soft| self.softs.get(soft))
    }

    /// The bodies that an id of an action means: one, or all nodes of a soft body.
    pub fn meant_by(&self, id: usize) -> Range<usize> {
        self.whole_soft(id).map_or(id..id + 1, |soft| soft.nodes.clone())
    }

    /// The name of a body, a node, or a soft body as a whole.
    pub fn name_of(&self, id: usize) -> &str {
        let body = self.bodies.get(id).map(|body| body.name.as_str());
        body.or_else(|| self.whole_soft(id).map(|soft| soft.name.as_str())).unwrap_or("")
    }
}
