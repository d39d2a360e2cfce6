//! Soft bodies as JSON, and back.

use super::number::Number;
use super::vector::Vector;
use super::world::is_false;
use ironspin_model::{
    Body, DVec3, Dimension, NodeSpring, NodeTraits, Pin, Pressure, SoftBody, Stick, WireIds, World, Yield,
};
use serde::{Deserialize, Serialize};

fn usual_factor() -> Number {
    Number(1.0)
}

fn one() -> u32 {
    1
}

fn all() -> u32 {
    u32::MAX
}

fn none() -> Number {
    Number(0.0)
}

/// One soft body of `build`.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct SoftRow {
    id: usize,
    #[serde(default)]
    name: String,
    material: usize,
    #[serde(default = "none")]
    radius: Number,
    #[serde(default = "one")]
    layers: u32,
    #[serde(default = "all")]
    meets: u32,
    #[serde(default = "usual_factor")]
    gravity_factor: Number,
    #[serde(default = "none")]
    damping: Number,
    #[serde(default, rename = "self", skip_serializing_if = "is_false")]
    self_contact: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    swept: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    absent: bool,
    nodes: Vec<Vector>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    velocities: Vec<Vector>,
    masses: Vec<Number>,
    #[serde(default)]
    springs: Vec<(usize, usize, Number, Number, Number)>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    skin: Vec<Vec<usize>>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    cells: Vec<Vec<usize>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pressure: Option<PressureRow>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    sticks: Vec<(usize, usize, Number)>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    matching: Option<MatchingRow>,
    #[serde(default, rename = "yield", skip_serializing_if = "Option::is_none")]
    yielding: Option<YieldRow>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pins: Vec<(usize, usize, Vector)>,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
struct MatchingRow {
    rate: Number,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
struct YieldRow {
    strain: Number,
    most: Number,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
struct PressureRow {
    amount: Number,
    #[serde(default = "none")]
    outside: Number,
}

/// Lists of so many numbers of nodes each.
fn sized<const N: usize>(lists: &[Vec<usize>], what: &str) -> Result<Vec<[usize; N]>, String> {
    let one = |list: &Vec<usize>| {
        <[usize; N]>::try_from(&list[..]).map_err(|_| format!("{what} of {} nodes where {N} are due", list.len()))
    };
    lists.iter().map(one).collect()
}

impl SoftRow {
    pub(crate) fn of(world: &World, ids: &WireIds, number: usize) -> SoftRow {
        let soft = &world.softs[number];
        let nodes = &world.bodies[soft.nodes.clone()];
        let traits = &nodes[0];
        let vector = |v: DVec3| Vector::of(world.dimension, v);
        let at_rest = nodes.iter().all(|node| node.velocity == DVec3::ZERO);
        let spring = |s: &NodeSpring| (s.ends[0], s.ends[1], Number(s.length), Number(s.stiffness), Number(s.damping));
        SoftRow {
            id: ids.rigid() + number,
            name: soft.name.clone(),
            material: soft.material,
            radius: Number(soft.radius),
            layers: traits.layers,
            meets: traits.collision_mask,
            gravity_factor: Number(traits.gravity_factor),
            damping: Number(traits.linear_damping),
            self_contact: soft.self_contact,
            swept: traits.ccd,
            absent: traits.absent,
            nodes: nodes.iter().map(|node| vector(node.pose.position)).collect(),
            velocities: if at_rest { Vec::new() } else { nodes.iter().map(|node| vector(node.velocity)).collect() },
            masses: nodes.iter().map(|node| Number(node.mass)).collect(),
            springs: soft.springs.iter().map(spring).collect(),
            skin: soft.skin_nodes().map(<[usize]>::to_vec).collect(),
            cells: (0..soft.cell_count()).map(|cell| soft.cell_nodes(cell).to_vec()).collect(),
            pressure: soft.pressure.map(|gas| PressureRow { amount: Number(gas.amount), outside: Number(gas.outside) }),
            sticks: soft.sticks.iter().map(|stick| (stick.ends[0], stick.ends[1], Number(stick.length))).collect(),
            matching: soft.matching.map(|rate| MatchingRow { rate: Number(rate) }),
            yielding: soft.yielding.map(|law| YieldRow { strain: Number(law.strain), most: Number(law.most) }),
            pins: soft.pins.iter().map(|pin| (pin.node, pin.body, vector(pin.point))).collect(),
        }
    }

    /// Adds its nodes to the bodies of a world; the soft body.
    pub(crate) fn read(self, dimension: Dimension, due: usize, bodies: &mut Vec<Body>) -> Result<SoftBody, String> {
        let wrong = |what: String| Err(format!("soft body {} has {what}", self.id));
        if self.id != due {
            return wrong(format!("an id where {due} is due"));
        }
        let count = self.nodes.len();
        if self.masses.len() != count || !(self.velocities.is_empty() || self.velocities.len() == count) {
            return wrong(format!("{count} nodes and another count of masses or velocities"));
        }
        let traits = NodeTraits {
            name: self.name.clone(),
            material: self.material,
            radius: self.radius.0,
            layers: self.layers,
            collision_mask: self.meets,
            gravity_factor: self.gravity_factor.0,
            damping: self.damping.0,
            ccd: self.swept,
            absent: self.absent,
            dimension,
        };
        let flat = dimension == Dimension::Plane;
        let first = bodies.len();
        for (node, (place, mass)) in self.nodes.iter().zip(&self.masses).enumerate() {
            let velocity = self.velocities.get(node).map_or(Ok(DVec3::ZERO), |own| own.read(dimension))?;
            bodies.push(traits.node(&format!("[{node}]"), place.read(dimension)?, velocity, mass.0));
        }
        Ok(SoftBody {
            name: self.name,
            nodes: first..bodies.len(),
            material: self.material,
            radius: self.radius.0,
            self_contact: self.self_contact,
            springs: self
                .springs
                .iter()
                .map(|&(a, b, length, stiffness, damping)| NodeSpring {
                    ends: [a, b],
                    length: length.0,
                    stiffness: stiffness.0,
                    damping: damping.0,
                })
                .collect(),
            sticks: self.sticks.iter().map(|&(a, b, length)| Stick { ends: [a, b], length: length.0 }).collect(),
            skin: if flat { sized(&self.skin, "a piece of skin")? } else { Vec::new() },
            faces: if flat { Vec::new() } else { sized(&self.skin, "a piece of skin")? },
            cells: if flat { sized(&self.cells, "a cell")? } else { Vec::new() },
            tetrahedra: if flat { Vec::new() } else { sized(&self.cells, "a cell")? },
            matching: self.matching.map(|row| row.rate.0),
            yielding: self.yielding.map(|row| Yield { strain: row.strain.0, most: row.most.0 }),
            pressure: self.pressure.map(|gas| Pressure { amount: gas.amount.0, outside: gas.outside.0 }),
            pins: self
                .pins
                .iter()
                .map(|(node, body, point)| Ok(Pin { node: *node, body: *body, point: point.read(dimension)? }))
                .collect::<Result<_, String>>()?,
        })
    }
}
