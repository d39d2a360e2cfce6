//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); Teschner
//! et al., "Optimized Spatial Hashing" (2003) for the grid; Goldsmith and Salmon (1987) for the tree of boxes.

use crate::bodies::Bodies;
use crate::scalar::Real;
use crate::settings::BroadPhase;
use crate::shape::Form;
use crate::vector::Vec2;

/// Box of one piece, grown by a margin.
#[derive(Clone, Copy, Debug)]
struct Bound<R> {
    low: Vec2<R>,
    high: Vec2<R>,
    piece: u32,
}

impl<R: Real> Bound<R> {
    fn meets(&self, other: &Self) -> bool {
        self.low.x <= other.high.x
            && other.low.x <= self.high.x
            && self.low.y <= other.high.y
            && other.low.y <= self.high.y
    }
}

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Broad<R> {
    bounds: Vec<Bound<R>>,
    planes: Vec<u32>,
    /// Cells of the grid: cell and number of the bound, sorted.
    cells: Vec<(u64, u32)>,
    order: Vec<u32>,
    nodes: Vec<Node<R>>,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<(u32, u32)>,
}

/// A node of the tree: a box around a run of bounds, and where its subtree ends.
#[derive(Clone, Copy, Debug)]
struct Node<R> {
    bound: Bound<R>,
    /// First bound and one past the last, in the order of the tree.
    span: (u32, u32),
    /// The node that follows this subtree.
    skip: u32,
}

/// Bounds in a leaf of the tree.
const LEAF: usize = 4;
/// Cells a bound may cover before it is compared with all others instead.
const CELL_LIMIT: i64 = 64;

impl<R: Real> Broad<R> {
    /// Finds all pairs of pieces of different bodies that may meet and whose boxes, grown by `margin` (a share of the piece's size),
    /// overlap.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, margin: R, how: BroadPhase) {
        self.bounds.clear();
        self.planes.clear();
        self.pairs.clear();
        for (piece, shape) in bodies.pieces.iter().enumerate() {
            if !bodies.present[shape.body] {
                continue;
            }
            match &shape.form {
                Form::Convex(convex) => {
                    let [low, high] = convex.bounds(&bodies.pose[shape.body]);
                    let grown = if shape.size < R::INFINITY { margin * shape.size } else { R::ZERO };
                    let rim = Vec2::new(grown, grown);
                    self.bounds.push(Bound { low: low - rim, high: high + rim, piece: piece as u32 });
                }
                Form::HalfPlane { .. } => self.planes.push(piece as u32),
            }
        }
        match how {
            BroadPhase::AllPairs => self.all_pairs(bodies),
            BroadPhase::Sort => self.sort(bodies),
            BroadPhase::Grid => self.grid(bodies),
            BroadPhase::Tree => self.tree(bodies),
        }
        self.beside_planes(bodies);
        self.pairs.sort_unstable();
        self.pairs.dedup();
    }

    fn keep(pairs: &mut Vec<(u32, u32)>, bodies: &Bodies<R>, a: u32, b: u32) {
        if bodies.may_meet(bodies.pieces[a as usize].body, bodies.pieces[b as usize].body) {
            pairs.push((a.min(b), a.max(b)));
        }
    }

    fn all_pairs(&mut self, bodies: &Bodies<R>) {
        for (number, a) in self.bounds.iter().enumerate() {
            for b in self.bounds[number + 1..].iter().filter(|b| a.meets(b)) {
                Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
            }
        }
    }

    fn sort(&mut self, bodies: &Bodies<R>) {
        // The order of equal keys is settled by the index, so that it never depends on the sort.
        self.bounds.sort_unstable_by(|a, b| a.low.x.to_f64().total_cmp(&b.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
        for (number, a) in self.bounds.iter().enumerate() {
            for b in self.bounds[number + 1..].iter().take_while(|b| b.low.x <= a.high.x) {
                if a.low.y <= b.high.y && b.low.y <= a.high.y {
                    Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
                }
            }
        }
    }

    /// Cells as large as a typical bound; a bound that covers very many is compared with all others.
    fn grid(&mut self, bodies: &Bodies<R>) {
        let size = |bound: &Bound<R>| (bound.high.x - bound.low.x).max(bound.high.y - bound.low.y).to_f64();
        let count = self.bounds.len();
        if count == 0 {
            return;
        }
        // The mean of the logarithms is not drawn up by a few large ones; base two keeps it exact in units.
        let mean =
            self.bounds.iter().map(|bound| libm::log2(size(bound).max(f64::MIN_POSITIVE))).sum::<f64>() / count as f64;
        let rate = 1.0 / (2.0 * libm::exp2(libm::floor(mean)));
        let cell = |v: R| (v.to_f64() * rate).floor().clamp(-2e9, 2e9) as i64;
        self.cells.clear();
        self.order.clear();
        for (number, bound) in self.bounds.iter().enumerate() {
            let (left, right) = (cell(bound.low.x), cell(bound.high.x));
            let (bottom, top) = (cell(bound.low.y), cell(bound.high.y));
            if (right - left + 1).saturating_mul(top - bottom + 1) > CELL_LIMIT {
                self.order.push(number as u32);
                continue;
            }
            for y in bottom..=top {
                for x in left..=right {
                    self.cells.push((((y as u32 as u64) << 32) | u64::from(x as u32), number as u32));
                }
            }
        }
        self.cells.sort_unstable();
        let mut from = 0;
        while from < self.cells.len() {
            let key = self.cells[from].0;
            let to = from + self.cells[from..].iter().take_while(|(cell, _)| *cell == key).count();
            for i in from..to {
                let a = self.bounds[self.cells[i].1 as usize];
                for j in i + 1..to {
                    let b = self.bounds[self.cells[j].1 as usize];
                    // A pair is kept only in the cell that holds the lower corner of what they share.
                    let home = (cell(a.low.x.max(b.low.x)), cell(a.low.y.max(b.low.y)));
                    let here = (((home.1 as u32 as u64) << 32) | u64::from(home.0 as u32)) == key;
                    if here && a.meets(&b) {
                        Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
                    }
                }
            }
            from = to;
        }
        for &large in &self.order {
            let a = self.bounds[large as usize];
            for b in self.bounds.iter().filter(|b| a.meets(b)) {
                Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
            }
        }
    }

    /// A tree of boxes built anew: bounds are split at the middle along the longer side of their box.
    fn tree(&mut self, bodies: &Bodies<R>) {
        self.nodes.clear();
        let count = self.bounds.len();
        if count == 0 {
            return;
        }
        let mut bounds = std::mem::take(&mut self.bounds);
        self.grow(&mut bounds, 0);
        for (number, a) in bounds.iter().enumerate() {
            let mut at = 0;
            while let Some(node) = self.nodes.get(at) {
                // Only bounds after this one in the order of the tree, so that each pair comes once.
                if node.span.1 as usize <= number + 1 || !node.bound.meets(a) {
                    at = node.skip as usize;
                    continue;
                }
                if node.skip as usize == at + 1 {
                    let from = (node.span.0 as usize).max(number + 1);
                    for b in bounds[from..node.span.1 as usize].iter().filter(|b| a.meets(b)) {
                        Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
                    }
                }
                at += 1;
            }
        }
        self.bounds = bounds;
    }

    fn grow(&mut self, bounds: &mut [Bound<R>], first: usize) {
        let mut around = bounds[0];
        for bound in &bounds[1..] {
            around.low = Vec2::new(around.low.x.min(bound.low.x), around.low.y.min(bound.low.y));
            around.high = Vec2::new(around.high.x.max(bound.high.x), around.high.y.max(bound.high.y));
        }
        let at = self.nodes.len();
        let span = (first as u32, (first + bounds.len()) as u32);
        self.nodes.push(Node { bound: around, span, skip: 0 });
        if bounds.len() > LEAF {
            let wide = around.high.x - around.low.x >= around.high.y - around.low.y;
            let key =
                |bound: &Bound<R>| if wide { bound.low.x + bound.high.x } else { bound.low.y + bound.high.y }.to_f64();
            let middle = bounds.len() / 2;
            bounds.select_nth_unstable_by(middle, |a, b| key(a).total_cmp(&key(b)).then(a.piece.cmp(&b.piece)));
            let (left, right) = bounds.split_at_mut(middle);
            self.grow(left, first);
            self.grow(right, first + middle);
        }
        self.nodes[at].skip = self.nodes.len() as u32;
    }

    /// A half-plane has no box; pieces whose box reaches below its surface are its neighbours.
    fn beside_planes(&mut self, bodies: &Bodies<R>) {
        for &plane in &self.planes {
            let piece = &bodies.pieces[plane as usize];
            let Form::HalfPlane { normal, offset } = &piece.form else { continue };
            let pose = &bodies.pose[piece.body];
            let normal = pose.rotation.turn(*normal);
            let level = *offset + normal.dot(pose.position);
            for bound in &self.bounds {
                let lowest = Vec2::new(
                    if normal.x > R::ZERO { bound.low.x } else { bound.high.x },
                    if normal.y > R::ZERO { bound.low.y } else { bound.high.y },
                );
                if normal.dot(lowest) <= level {
                    Self::keep(&mut self.pairs, bodies, plane, bound.piece);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::scalar::Real;
    use ironspin_model::{Body, BodyKind, DVec2, DVec3, Material, Part, Shape, World};
    use proptest::prelude::*;

    fn yard(places: &[(f64, f64, f64)]) -> Bodies<f64> {
        let mut world = World::planar(1.0);
        world.materials.push(Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.0 });
        world.bodies.push(Body {
            kind: BodyKind::Static,
            parts: vec![Part::solid(Shape::HalfPlane(DVec2::Y), 0)],
            ..Body::plain("floor")
        });
        for &(x, y, size) in places {
            world.bodies.push(Body {
                position: DVec3::new(x, y, 0.0),
                mass: 1.0,
                inertia: 1.0,
                parts: vec![Part::solid(Shape::Box(DVec2::new(size, 0.5 * size)), 0)],
                ..Body::plain("box")
            });
        }
        Bodies::new(&world).unwrap()
    }

    proptest! {
        /// Every way finds what comparing all pairs finds, also with a few bodies far larger than the rest.
        #[test]
        fn all_ways_agree(
            places in prop::collection::vec((-10.0..10.0_f64, -10.0..10.0_f64, prop_oneof![0.1..2.0_f64, 5.0..30.0_f64]), 0..60),
        ) {
            let bodies = yard(&places);
            let mut broad = Broad::default();
            broad.find(&bodies, f64::of(1e-3), BroadPhase::AllPairs);
            let expected = broad.pairs.clone();
            for how in [BroadPhase::Sort, BroadPhase::Grid, BroadPhase::Tree] {
                broad.find(&bodies, f64::of(1e-3), how);
                prop_assert_eq!(&broad.pairs, &expected, "{:?}", how);
            }
        }
    }
}
