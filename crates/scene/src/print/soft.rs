//! Soft bodies of a resolved scene: nodes one by one, every spring, piece of skin and cell.

use super::{layers, number, quoted, vector};
use ironspin_model::{DVec3, NODE, Pin, SoftBody, Stick, World};
use std::fmt::Write;

pub(super) fn soft_table(soft: &SoftBody, world: &World, names: &[String]) -> String {
    let nodes = &world.bodies[soft.nodes.clone()];
    let traits = &nodes[0];
    let list = |items: Vec<String>| format!("[{}]", items.join(", "));
    let places = list(nodes.iter().map(|node| vector(world.dimension, node.pose.position)).collect());
    // Labels of two indices are those of rows of so many nodes, of three those of layers of so many rows.
    let index = |name: &str, from_the_end: usize| {
        let indices: Vec<&str> = name.rsplit_once(NODE)?.1.split('[').skip(1).collect();
        let place = indices.len().checked_sub(1 + from_the_end).filter(|_| indices.len() > 1 + from_the_end)?;
        indices[place].trim_end_matches(']').parse::<usize>().ok()
    };
    let most = |from_the_end: usize, key: &str| {
        let last = nodes.iter().filter_map(|node| index(&node.name, from_the_end)).max();
        last.map_or_else(String::new, |last| format!(", {key} = {}", last + 1))
    };
    let width = format!("{}{}", most(0, "width"), most(1, "depth"));
    let mut out = format!("\n[[soft]]\nname = {}\n", quoted(&soft.name));
    // Writing to a string cannot fail.
    let _ = writeln!(
        out,
        "made_of = {{ nodes = {{ at = {places}{width} }} }}\nat = {}",
        vector(world.dimension, DVec3::ZERO)
    );
    let _ = writeln!(out, "material = {}", quoted(&world.materials[soft.material].name));
    let _ = writeln!(out, "masses = {}", list(nodes.iter().map(|node| number(node.mass)).collect()));
    if nodes.iter().any(|node| node.velocity != DVec3::ZERO) {
        let velocities = nodes.iter().map(|node| vector(world.dimension, node.velocity)).collect();
        let _ = writeln!(out, "velocities = {}", list(velocities));
    }
    let _ = writeln!(out, "radius = {}", number(soft.radius));
    let spring = |spring: &ironspin_model::NodeSpring| {
        let [a, b] = spring.ends;
        let [length, stiffness, damping] = [spring.length, spring.stiffness, spring.damping].map(number);
        format!("[{a}, {b}, {length}, {stiffness}, {damping}]")
    };
    let _ = writeln!(out, "springs = {}", list(soft.springs.iter().map(spring).collect()));
    if !soft.sticks.is_empty() {
        let stick = |stick: &Stick| format!("[{}, {}, {}]", stick.ends[0], stick.ends[1], number(stick.length));
        let _ = writeln!(out, "sticks = {}", list(soft.sticks.iter().map(stick).collect()));
    }
    if let Some(rate) = soft.matching {
        let _ = writeln!(out, "matching = {{ rate = {} }}", number(rate));
    }
    if let Some(law) = soft.yielding {
        let _ = writeln!(out, "yield = {{ strain = {}, most = {} }}", number(law.strain), number(law.most));
    }
    if !soft.pins.is_empty() {
        let pin = |pin: &Pin| {
            let node = &nodes[pin.node].name[soft.name.len() + 1..];
            let body = quoted(&world.bodies[pin.body].name);
            format!("{{ node = {}, body = {body}, point = {} }}", quoted(node), vector(world.dimension, pin.point))
        };
        let _ = writeln!(out, "pins = {}", list(soft.pins.iter().map(pin).collect()));
    }
    let _ = writeln!(out, "skin = {}", list(soft.skin_nodes().map(|nodes| format!("{nodes:?}")).collect()));
    if soft.cell_count() > 0 {
        let cells = (0..soft.cell_count()).map(|cell| format!("{:?}", soft.cell_nodes(cell)));
        let _ = writeln!(out, "cells = {}", list(cells.collect()));
    }
    if let Some(gas) = soft.pressure {
        let _ = writeln!(out, "pressure = {{ amount = {}, outside = {} }}", number(gas.amount), number(gas.outside));
    }
    for (key, value, usual) in [("damping", traits.linear_damping, 0.0), ("gravity_factor", traits.gravity_factor, 1.0)]
    {
        if value != usual {
            let _ = writeln!(out, "{key} = {}", number(value));
        }
    }
    for (key, value) in [("swept", traits.ccd), ("self", soft.self_contact), ("absent", traits.absent)] {
        if value {
            let _ = writeln!(out, "{key} = true");
        }
    }
    if names.len() > 1 || traits.layers != 1 {
        let _ = writeln!(out, "layers = {}", layers(traits.layers, names));
    }
    if traits.collision_mask != u32::MAX {
        let _ = writeln!(out, "meets = {}", layers(traits.collision_mask, names));
    }
    out.pop();
    out
}
