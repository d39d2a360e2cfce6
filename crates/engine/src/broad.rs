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
    /// Cells of the grid with the number of a bound in each, bucket by bucket.
    cells: Vec<(u64, u32)>,
    /// The same with their bucket, in the order of the bounds.
    entries: Vec<(u64, u32, u32)>,
    /// Where each bucket starts.
    starts: Vec<u32>,
    sorted: Vec<(u32, u32)>,
    order: Vec<u32>,
    nodes: Vec<Node<R>>,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<(u32, u32)>,
}

/// A cell as one number.
fn cell_key(x: i64, y: i64) -> u64 {
    (u64::from(y as u32) << 32) | u64::from(x as u32)
}

/// A fixed hash of a cell (the finaliser of Stafford's mix 13).
fn spread(key: u64) -> u64 {
    let mut z = key;
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
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
    /// Finds all pairs of pieces of different bodies that may meet and whose boxes overlap, grown by `margin` (a share of the piece's
    /// size) and by the slack of their body: as long as none goes further than its slack, no other pair can come within the margin.
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
                    let grown =
                        if shape.size < R::INFINITY { margin * shape.size } else { R::ZERO } + bodies.slack[shape.body];
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
        self.sort_pairs(bodies.pieces.len());
    }

    /// Sorts the pairs: by counting for the first piece, by insertion for the few seconds of each.
    fn sort_pairs(&mut self, pieces: usize) {
        if self.pairs.len() < 64 {
            self.pairs.sort_unstable();
        } else {
            self.starts.clear();
            self.starts.resize(pieces + 1, 0);
            for &(a, _) in &self.pairs {
                self.starts[a as usize + 1] += 1;
            }
            for piece in 0..pieces {
                self.starts[piece + 1] += self.starts[piece];
            }
            self.sorted.clear();
            self.sorted.resize(self.pairs.len(), (0, 0));
            for &(a, b) in &self.pairs {
                let place = &mut self.starts[a as usize];
                self.sorted[*place as usize] = (a, b);
                *place += 1;
            }
            let mut from = 0;
            while from < self.sorted.len() {
                let first = self.sorted[from].0;
                let to = from + self.sorted[from..].iter().take_while(|(a, _)| *a == first).count();
                if to - from > 1 {
                    self.sorted[from..to].sort_unstable();
                }
                from = to;
            }
            std::mem::swap(&mut self.pairs, &mut self.sorted);
        }
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

    /// Cells as large as a typical bound, in buckets by a fixed hash; a bound that covers very many cells is compared with all others.
    fn grid(&mut self, bodies: &Bodies<R>) {
        let Some(rate) = self.cell_rate() else { return };
        let cell = |v: R| (v.to_f64() * rate).floor().clamp(-2e9, 2e9) as i64;
        let buckets = (2 * self.bounds.len()).next_power_of_two();
        let mask = buckets as u64 - 1;
        self.entries.clear();
        self.order.clear();
        self.starts.clear();
        self.starts.resize(buckets + 1, 0);
        for (number, bound) in self.bounds.iter().enumerate() {
            let (left, right) = (cell(bound.low.x), cell(bound.high.x));
            let (bottom, top) = (cell(bound.low.y), cell(bound.high.y));
            if (right - left + 1).saturating_mul(top - bottom + 1) > CELL_LIMIT {
                self.order.push(number as u32);
                continue;
            }
            for y in bottom..=top {
                for x in left..=right {
                    let key = cell_key(x, y);
                    let bucket = (spread(key) & mask) as u32;
                    self.starts[bucket as usize + 1] += 1;
                    self.entries.push((key, bucket, number as u32));
                }
            }
        }
        for bucket in 0..buckets {
            self.starts[bucket + 1] += self.starts[bucket];
        }
        // Counting sort: the entries of a bucket side by side, in the order of the bounds.
        self.cells.clear();
        self.cells.resize(self.entries.len(), (0, 0));
        for &(key, bucket, number) in self.entries.iter().rev() {
            let end = &mut self.starts[bucket as usize + 1];
            *end -= 1;
            self.cells[*end as usize] = (key, number);
        }
        // Taking one off for each entry has moved each end to the start of its own bucket.
        for bucket in 0..buckets {
            let from = self.starts[bucket + 1] as usize;
            let to = self.starts.get(bucket + 2).map_or(self.cells.len(), |&start| start as usize);
            for i in from..to {
                let (key, first) = self.cells[i];
                let a = self.bounds[first as usize];
                for &(_, second) in self.cells[i + 1..to].iter().filter(|(other, _)| *other == key) {
                    let b = self.bounds[second as usize];
                    // A pair is kept only in the cell that holds the lower corner of what they share.
                    if a.meets(&b) && cell_key(cell(a.low.x.max(b.low.x)), cell(a.low.y.max(b.low.y))) == key {
                        Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
                    }
                }
            }
        }
        for &large in &self.order {
            let a = self.bounds[large as usize];
            for b in self.bounds.iter().filter(|b| a.meets(b)) {
                Self::keep(&mut self.pairs, bodies, a.piece, b.piece);
            }
        }
    }

    /// Cells a unit of length: twice the size that nine bounds in ten stay below, up to a power of two, so that the cells are the
    /// same in any unit.
    fn cell_rate(&self) -> Option<f64> {
        let exponent = |bound: &Bound<R>| {
            let size = (bound.high.x - bound.low.x).max(bound.high.y - bound.low.y).to_f64();
            (size.to_bits() >> 52) as usize & 0x7ff
        };
        let mut counts = [0_u32; 0x800];
        for bound in &self.bounds {
            counts[exponent(bound)] += 1;
        }
        let mut left = self.bounds.len() as u32 - self.bounds.len() as u32 / 10;
        let chosen = counts.iter().position(|&count| {
            left = left.saturating_sub(count);
            left == 0
        })?;
        // An exponent of 0x3ff is one; a size below the next power of two fits into a cell of that.
        (!self.bounds.is_empty()).then(|| libm::ldexp(1.0, 0x3ff - 2 - chosen as i32))
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
