//! What no engine can build of a soft body.

use super::SoftBody;
use crate::World;
use glam::DVec3;

/// Most nodes of a soft body.
pub const NODE_LIMIT: usize = 200_000;
/// Most springs of a soft body.
pub const SPRING_LIMIT: usize = 2_000_000;
/// Most pieces of a skin, and most cells.
pub const CELL_LIMIT: usize = 2_000_000;

impl SoftBody {
    /// What is wrong with it in its world, if anything: numbers of nodes that there are not, sizes that are not finite or below zero, a skin that
    /// is open or inside out with gas inside, a cell turned inside out.
    pub fn complaint(&self, world: &World) -> Option<String> {
        self.lists()
            .or_else(|| self.numbers(world))
            .or_else(|| self.inside(|node| world.bodies[self.nodes.start + node].pose.position))
    }

    /// Numbers of nodes in its lists.
    fn lists(&self) -> Option<String> {
        let count = self.nodes.len();
        if count == 0 {
            return Some("no node".to_owned());
        }
        let ties = self.springs.len() + self.sticks.len();
        if ties > SPRING_LIMIT || self.skin.len() + self.faces.len() > CELL_LIMIT || self.cell_count() > CELL_LIMIT {
            return Some("too many springs, sticks, pieces of skin or cells".to_owned());
        }
        let springs = self.springs.iter().map(|spring| ("a spring", spring.ends.to_vec()));
        let sticks = self.sticks.iter().map(|stick| ("a stick", stick.ends.to_vec()));
        let skin = self.skin_nodes().map(|nodes| ("a piece of skin", nodes.to_vec()));
        let cells = (0..self.cell_count()).map(|cell| ("a cell", self.cell_nodes(cell).to_vec()));
        for (what, numbers) in springs.chain(sticks).chain(skin).chain(cells) {
            if let Some(unknown) = numbers.iter().find(|&&number| number >= count) {
                return Some(format!("{what} of node {unknown}, and there are {count}"));
            }
            if (1..numbers.len()).any(|place| numbers[..place].contains(&numbers[place])) {
                return Some(format!("{what} that names node {} twice", numbers[0]));
            }
        }
        let mut pinned: Vec<usize> = self.pins.iter().map(|pin| pin.node).collect();
        pinned.sort_unstable();
        if let Some(unknown) = pinned.last().filter(|&&node| node >= count) {
            return Some(format!("a pin of node {unknown}, and there are {count}"));
        }
        if let Some(two) = pinned.windows(2).find(|two| two[0] == two[1]) {
            return Some(format!("two pins of node {}", two[0]));
        }
        let mut pieces = self.skin.clone();
        pieces.sort_unstable();
        pieces.windows(2).find(|two| two[0] == two[1]).map(|two| format!("the piece of skin {:?} twice", two[0]))
    }

    /// Sizes and factors.
    fn numbers(&self, world: &World) -> Option<String> {
        let not_negative = |x: f64| x >= 0.0 && x.is_finite();
        if self.material >= world.materials.len() {
            return Some("an unknown material".to_owned());
        }
        if !not_negative(self.radius) {
            return Some("a radius that is not finite or below zero".to_owned());
        }
        for node in &world.bodies[self.nodes.clone()] {
            if !(not_negative(node.mass) && node.pose.position.is_finite() && node.velocity.is_finite()) {
                return Some(
                    "a node whose mass, place or velocity is not finite, or whose mass is below zero".to_owned(),
                );
            }
            if !(not_negative(node.linear_damping) && node.gravity_factor.is_finite()) {
                return Some("a damping below zero, or a factor that is not finite".to_owned());
            }
        }
        let held = |pin: &super::Pin| pin.body < world.rigid_count() && pin.point.is_finite();
        if !self.pins.iter().all(held) {
            return Some("a pin to no rigid body, or at a point that is not finite".to_owned());
        }
        let sound = |spring: &super::NodeSpring| {
            not_negative(spring.length) && not_negative(spring.stiffness) && not_negative(spring.damping)
        };
        if !self.springs.iter().all(sound) {
            return Some("a spring whose length, stiffness or damping is not finite or below zero".to_owned());
        }
        if self.sticks.iter().any(|stick| !(stick.length > 0.0 && stick.length.is_finite())) {
            return Some("a stick whose length is not positive and finite".to_owned());
        }
        if self.matching.is_some_and(|rate| !not_negative(rate)) {
            return Some("a rate of matching that is not finite or below zero".to_owned());
        }
        let law = |law: super::Yield| not_negative(law.strain) && (0.0..1.0).contains(&law.most);
        if self.yielding.is_some_and(|own| !law(own)) {
            return Some(
                "a yield whose strain is not finite or below zero, or whose most is not from 0 to below 1".to_owned(),
            );
        }
        let gas = self.pressure.is_some_and(|gas| !(not_negative(gas.amount) && not_negative(gas.outside)));
        gas.then(|| "a pressure that is not finite or below zero".to_owned())
    }

    /// What it encloses as built.
    fn inside(&self, at: impl Fn(usize) -> DVec3 + Copy) -> Option<String> {
        if self.pressure.is_some() {
            if !self.has_skin() {
                return Some("a pressure and no skin that could hold it".to_owned());
            }
            if let Some(node) = self.open_node() {
                return Some(format!(
                    "a pressure in a skin that is not closed, or not evenly oriented, at node {node}"
                ));
            }
            if !(self.enclosed(at) > 0.0) {
                return Some(
                    "a pressure in a skin that encloses nothing, or is inside out: the inside lies to the left"
                        .to_owned(),
                );
            }
        }
        let inverted = (0..self.cell_count()).find(|&cell| !(self.cell_turn(cell, at) > 0.0));
        inverted.map(|cell| {
            format!("cell {cell} of nodes {:?} turned inside out: they run counter-clockwise", self.cell_nodes(cell))
        })
    }

    /// The first node at which the skin is open: that begins other than as many segments as it ends, or an edge of a triangle that no other triangle
    /// has the other way round.
    pub fn open_node(&self) -> Option<usize> {
        let edges = self.faces.iter().flat_map(|&[a, b, c]| [(a, b), (b, c), (c, a)]);
        let mut known = std::collections::BTreeMap::new();
        edges.for_each(|edge| *known.entry(edge).or_insert(0_u32) += 1);
        let open = known.iter().find(|&(&(a, b), &times)| times != 1 || known.get(&(b, a)) != Some(&1));
        if let Some((&(node, _), _)) = open {
            return Some(node);
        }
        let mut balance = vec![0_i32; self.nodes.len()];
        for &[a, b] in &self.skin {
            balance[a] += 1;
            balance[b] -= 1;
        }
        balance.iter().position(|&ends| ends != 0)
    }
}
