//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); Teschner
//! et al., "Optimized Spatial Hashing" (2003) for a grid that wraps around; Goldsmith and Salmon (1987) for the tree of boxes.

use crate::bodies::Bodies;
use crate::grid::Grid;
use crate::scalar::Real;
use crate::settings::BroadPhase;
use crate::shape::Form;
use crate::vector::Vec2;

/// Box of one piece, grown by a margin.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bound<R> {
    pub(crate) low: Vec2<R>,
    pub(crate) high: Vec2<R>,
    pub(crate) piece: u32,
    pub(crate) body: u32,
}

impl<R: Real> Bound<R> {
    #[inline]
    pub(crate) fn meets(&self, other: &Self) -> bool {
        // No branch between the four, which nobody could foresee.
        (self.low.x <= other.high.x)
            & (other.low.x <= self.high.x)
            & (self.low.y <= other.high.y)
            & (other.low.y <= self.high.y)
    }
}

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Broad<R> {
    bounds: Vec<Bound<R>>,
    planes: Vec<u32>,
    grid: Grid<R>,
    /// Where the pairs of each first piece start.
    starts: Vec<u32>,
    sorted: Vec<(u32, u32)>,
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
                    let [low, high] = convex.bounds(&bodies.pose(shape.body));
                    let grown =
                        if shape.size < R::INFINITY { margin * shape.size } else { R::ZERO } + bodies.slack[shape.body];
                    let rim = Vec2::new(grown, grown);
                    self.bounds.push(Bound {
                        low: low - rim,
                        high: high + rim,
                        piece: piece as u32,
                        body: shape.body as u32,
                    });
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
            return;
        }
        self.starts.clear();
        self.starts.resize(pieces + 1, 0);
        for &(a, _) in &self.pairs {
            self.starts[a as usize + 1] += 1;
        }
        let mut sum = 0;
        for start in &mut self.starts {
            sum += *start;
            *start = sum;
        }
        self.sorted.resize(self.pairs.len(), (0, 0));
        for &(a, b) in &self.pairs {
            let place = &mut self.starts[a as usize];
            self.sorted[*place as usize] = (a, b);
            *place += 1;
        }
        // Each start has moved to the end of its own run.
        let mut from = 0;
        for &to in &self.starts[..pieces] {
            let run = &mut self.sorted[from..to as usize];
            from = to as usize;
            if run.len() > 16 {
                run.sort_unstable();
                continue;
            }
            for next in 1..run.len() {
                let mut place = next;
                while place > 0 && run[place - 1] > run[place] {
                    run.swap(place - 1, place);
                    place -= 1;
                }
            }
        }
        std::mem::swap(&mut self.pairs, &mut self.sorted);
    }

    fn keep(pairs: &mut Vec<(u32, u32)>, bodies: &Bodies<R>, a: &Bound<R>, b: &Bound<R>) {
        let [one, other] = [a.body, b.body].map(|body| body as usize);
        if one != other
            && (bodies.inverse[one].moves() || bodies.inverse[other].moves())
            && (bodies.all_agree || bodies.filters_agree(one, other))
        {
            pairs.push((a.piece.min(b.piece), a.piece.max(b.piece)));
        }
    }

    fn all_pairs(&mut self, bodies: &Bodies<R>) {
        for (number, a) in self.bounds.iter().enumerate() {
            for b in self.bounds[number + 1..].iter().filter(|b| a.meets(b)) {
                Self::keep(&mut self.pairs, bodies, a, b);
            }
        }
    }

    fn sort(&mut self, bodies: &Bodies<R>) {
        // The order of equal keys is settled by the index, so that it never depends on the sort.
        self.bounds.sort_unstable_by(|a, b| a.low.x.to_f64().total_cmp(&b.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
        for (number, a) in self.bounds.iter().enumerate() {
            for b in self.bounds[number + 1..].iter().take_while(|b| b.low.x <= a.high.x) {
                if a.low.y <= b.high.y && b.low.y <= a.high.y {
                    Self::keep(&mut self.pairs, bodies, a, b);
                }
            }
        }
    }

    fn grid(&mut self, bodies: &Bodies<R>) {
        let Broad { grid, bounds, pairs, .. } = self;
        grid.overlaps(bounds, |a, b| Self::keep(pairs, bodies, a, b));
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
                        Self::keep(&mut self.pairs, bodies, a, b);
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
            let pose = &bodies.pose(piece.body);
            let normal = pose.rotation.turn(*normal);
            let level = *offset + normal.dot(pose.position);
            for bound in &self.bounds {
                let lowest = Vec2::new(
                    if normal.x > R::ZERO { bound.low.x } else { bound.high.x },
                    if normal.y > R::ZERO { bound.low.y } else { bound.high.y },
                );
                if normal.dot(lowest) <= level {
                    let of_plane = Bound { piece: plane, body: piece.body as u32, ..*bound };
                    Self::keep(&mut self.pairs, bodies, &of_plane, bound);
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
