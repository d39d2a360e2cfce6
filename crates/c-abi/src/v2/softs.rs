//! Soft bodies as plain arrays, and back.
#![allow(unsafe_code)]

use super::raw;
use crate::unpack::{list, text};
use ironspin_model::{Body, DVec3, Dimension, NodeSpring, NodeTraits, Pin, Pressure, SoftBody, Stick, World, Yield};
use std::ffi::c_char;

/// The lists of all soft bodies of a world.
#[derive(Debug, Default)]
pub(super) struct Lists {
    pub(super) softs: Vec<raw::Soft>,
    pub(super) nodes: Vec<raw::Node>,
    pub(super) springs: Vec<raw::Spring>,
    pub(super) skin: Vec<u64>,
    pub(super) cells: Vec<u64>,
    pub(super) sticks: Vec<raw::Stick>,
    pub(super) laws: Vec<raw::Law>,
    pub(super) pins: Vec<raw::Pin>,
}

impl Lists {
    pub(super) fn of(world: &World, mut named: impl FnMut(&str) -> *const c_char) -> Lists {
        let mut lists = Lists::default();
        let side = skin_size(world.dimension);
        for (number, soft) in world.softs.iter().enumerate() {
            let nodes = &world.bodies[soft.nodes.clone()];
            let traits = &nodes[0];
            lists.softs.push(raw::Soft {
                name: named(&soft.name),
                material: soft.material as u64,
                radius: soft.radius,
                layers: traits.layers,
                meets: traits.collision_mask,
                swept: u32::from(traits.ccd),
                absent: u32::from(traits.absent),
                touches_itself: u32::from(soft.self_contact),
                has_pressure: u32::from(soft.pressure.is_some()),
                gravity_factor: traits.gravity_factor,
                damping: traits.linear_damping,
                amount: soft.pressure.map_or(0.0, |gas| gas.amount),
                outside: soft.pressure.map_or(0.0, |gas| gas.outside),
                first_node: lists.nodes.len() as u64,
                node_count: nodes.len() as u64,
                first_spring: lists.springs.len() as u64,
                spring_count: soft.springs.len() as u64,
                first_skin: (lists.skin.len() / side) as u64,
                skin_count: (soft.skin.len() + soft.faces.len()) as u64,
                first_cell: (lists.cells.len() / (side + 1)) as u64,
                cell_count: soft.cell_count() as u64,
            });
            lists.nodes.extend(nodes.iter().map(|node| raw::Node {
                position: node.pose.position.to_array(),
                velocity: node.velocity.to_array(),
                mass: node.mass,
            }));
            lists.springs.extend(soft.springs.iter().map(|spring| raw::Spring {
                ends: spring.ends.map(|end| end as u64),
                length: spring.length,
                stiffness: spring.stiffness,
                damping: spring.damping,
            }));
            lists.skin.extend(soft.skin_nodes().flatten().map(|&node| node as u64));
            let cells = (0..soft.cell_count()).flat_map(|cell| soft.cell_nodes(cell));
            lists.cells.extend(cells.map(|&node| node as u64));
            lists.add_laws(soft);
            lists.pins.extend(soft.pins.iter().map(|pin| raw::Pin {
                soft: number as u64,
                node: pin.node as u64,
                body: pin.body as u64,
                point: pin.point.to_array(),
            }));
        }
        lists
    }

    fn add_laws(&mut self, soft: &SoftBody) {
        self.laws.push(raw::Law {
            first_stick: self.sticks.len() as u64,
            stick_count: soft.sticks.len() as u64,
            has_matching: u32::from(soft.matching.is_some()),
            has_yield: u32::from(soft.yielding.is_some()),
            matching: soft.matching.unwrap_or(0.0),
            strain: soft.yielding.map_or(0.0, |limits| limits.strain),
            most: soft.yielding.map_or(0.0, |limits| limits.most),
        });
        let stick = |stick: &Stick| raw::Stick { ends: stick.ends.map(|end| end as u64), length: stick.length };
        self.sticks.extend(soft.sticks.iter().map(stick));
    }

    /// Whether any soft body has sticks, matching or yield.
    pub(super) fn have_laws(&self) -> bool {
        let has = |law: &raw::Law| law.stick_count > 0 || law.has_matching + law.has_yield > 0;
        self.laws.iter().any(has)
    }
}

/// Nodes of a piece of skin; a cell has one more.
pub(super) fn skin_size(dimension: Dimension) -> usize {
    usize::from(dimension.number())
}

/// A part of a list; nothing where it leads beyond.
fn part<T>(list: &[T], first: u64, count: u64, each: usize) -> Result<&[T], String> {
    let (first, count) = (first as usize, count as usize);
    let ends = first.checked_mul(each).zip(first.checked_add(count).and_then(|end| end.checked_mul(each)));
    ends.and_then(|(from, to)| list.get(from..to)).ok_or_else(|| "a list of a soft body beyond its end".to_owned())
}

/// A soft body with nothing but the laws that stand in a row.
fn with_laws(law: Option<&raw::Law>, sticks: &[raw::Stick]) -> Result<SoftBody, String> {
    let Some(law) = law else { return Ok(SoftBody::default()) };
    let stick = |stick: &raw::Stick| Stick { ends: stick.ends.map(|end| end as usize), length: stick.length };
    Ok(SoftBody {
        sticks: part(sticks, law.first_stick, law.stick_count, 1)?.iter().map(stick).collect(),
        matching: (law.has_matching != 0).then_some(law.matching),
        yielding: (law.has_yield != 0).then_some(Yield { strain: law.strain, most: law.most }),
        ..SoftBody::default()
    })
}

/// The soft bodies that stand in some arrays; their nodes are put to the bodies.
///
/// # Errors
/// Says what is wrong with them.
///
/// # Safety
/// Every pointer must lead to as many items as the counts beside it say.
pub(super) unsafe fn read(
    reported: &raw::World,
    dimension: Dimension,
    bodies: &mut Vec<Body>,
    [has_laws, has_pins]: [bool; 2],
) -> Result<Vec<SoftBody>, String> {
    let side = skin_size(dimension);
    // The caller guarantees it, here and below.
    let (softs, nodes, springs, skin, cells) = unsafe {
        (
            list(reported.softs, reported.soft_count),
            list(reported.nodes, reported.node_count),
            list(reported.springs, reported.spring_count),
            list(reported.skin, side as u64 * reported.skin_count),
            list(reported.cells, (side as u64 + 1) * reported.cell_count),
        )
    };
    // Worlds without them are shorter.
    let (sticks, laws) = match has_laws {
        true => unsafe { (list(reported.sticks, reported.stick_count), list(reported.laws, reported.soft_count)) },
        false => (&[][..], &[][..]),
    };
    // The caller guarantees it.
    let pins = if has_pins { unsafe { list(reported.pins, reported.pin_count) } } else { &[] };
    let mut found: Vec<SoftBody> = Vec::new();
    for (number, row) in softs.iter().enumerate() {
        let name = unsafe { text(row.name) };
        let traits = NodeTraits {
            name: name.clone(),
            material: row.material as usize,
            radius: row.radius,
            layers: row.layers,
            collision_mask: row.meets,
            gravity_factor: row.gravity_factor,
            damping: row.damping,
            ccd: row.swept != 0,
            absent: row.absent != 0,
            dimension,
        };
        let first = bodies.len();
        for (number, node) in part(nodes, row.first_node, row.node_count, 1)?.iter().enumerate() {
            let [position, velocity] = [node.position, node.velocity].map(DVec3::from_array);
            bodies.push(traits.node(&format!("[{number}]"), position, velocity, node.mass));
        }
        let spring = |spring: &raw::Spring| NodeSpring {
            ends: spring.ends.map(|end| end as usize),
            length: spring.length,
            stiffness: spring.stiffness,
            damping: spring.damping,
        };
        let numbers = |list: &[u64]| list.iter().map(|&node| node as usize).collect::<Vec<_>>();
        let own_skin = numbers(part(skin, row.first_skin, row.skin_count, side)?);
        let own_cells = numbers(part(cells, row.first_cell, row.cell_count, side + 1)?);
        found.push(SoftBody {
            name,
            nodes: first..bodies.len(),
            material: traits.material,
            radius: traits.radius,
            self_contact: row.touches_itself != 0,
            springs: part(springs, row.first_spring, row.spring_count, 1)?.iter().map(spring).collect(),
            skin: if side == 2 { own_skin.as_chunks::<2>().0.to_vec() } else { Vec::new() },
            faces: if side == 3 { own_skin.as_chunks::<3>().0.to_vec() } else { Vec::new() },
            cells: if side == 2 { own_cells.as_chunks::<3>().0.to_vec() } else { Vec::new() },
            tetrahedra: if side == 3 { own_cells.as_chunks::<4>().0.to_vec() } else { Vec::new() },
            pressure: (row.has_pressure != 0).then_some(Pressure { amount: row.amount, outside: row.outside }),
            ..with_laws(laws.get(number), sticks)?
        });
    }
    for pin in pins {
        let soft = found.get_mut(pin.soft as usize).ok_or_else(|| format!("a pin of soft body {}", pin.soft))?;
        let point = DVec3::from_array(pin.point);
        soft.pins.push(Pin { node: pin.node as usize, body: pin.body as usize, point });
    }
    Ok(found)
}
