//! Boxes around pieces, and four ways to find those that overlap. Every way finds the same pairs.

use crate::common::found::Found;
use crate::common::scalar::Real;
use crate::common::settings::BroadPhase;
use crate::plane::bound::{Around, Bound};
use crate::plane::grid::Grid;
use crate::plane::vector::Vec2;

/// Boxes and what finds those that overlap; its lists are kept between searches.
#[derive(Clone, Debug)]
pub(crate) struct Boxes<S> {
    pub(crate) bounds: Vec<Bound<S>>,
    pub(crate) around: Around<S>,
    pub(crate) grid: Grid<S>,
    nodes: Vec<Node<S>>,
}

/// A node of the tree: a box around a run of bounds, and where its subtree ends.
#[derive(Clone, Copy, Debug)]
struct Node<S> {
    bound: Bound<S>,
    /// First bound and one past the last, in the order of the tree.
    span: (u32, u32),
    /// The node that follows this subtree.
    skip: u32,
}

/// Bounds in a leaf of the tree.
const LEAF: usize = 4;

impl<S: Real> Default for Boxes<S> {
    fn default() -> Self {
        Boxes { bounds: Vec::new(), around: Around::NOTHING, grid: Grid::default(), nodes: Vec::new() }
    }
}

impl<S: Real> Boxes<S> {
    pub(crate) fn overlaps(&mut self, how: BroadPhase, found: &mut Found) {
        match how {
            BroadPhase::AllPairs => self.all_pairs(found),
            BroadPhase::Sort => self.sort(found),
            BroadPhase::Grid => self.grid.overlaps(&self.bounds, &self.around, found),
            BroadPhase::Tree => self.tree(found),
        }
    }

    fn all_pairs(&self, found: &mut Found) {
        for (number, a) in self.bounds.iter().enumerate() {
            found.gather(a, &self.bounds[number + 1..], Bound::pair, Bound::meets);
        }
    }

    fn sort(&mut self, found: &mut Found) {
        // The order of equal keys is settled by the index, so that it never depends on the sort.
        self.bounds.sort_unstable_by(|a, b| a.low.x.to_f64().total_cmp(&b.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
        for (number, a) in self.bounds.iter().enumerate() {
            let near = self.bounds[number + 1..].iter().take_while(|b| b.low.x <= a.high.x);
            near.filter(|b| a.meets(b)).for_each(|b| found.push(a.pair(b)));
        }
    }

    /// A tree of boxes built anew: bounds are split at the middle along the longer side of their box.
    fn tree(&mut self, found: &mut Found) {
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
                    found.gather(a, &bounds[from..node.span.1 as usize], Bound::pair, Bound::meets);
                }
                at += 1;
            }
        }
        self.bounds = bounds;
    }

    fn grow(&mut self, bounds: &mut [Bound<S>], first: usize) {
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
                |bound: &Bound<S>| if wide { bound.low.x + bound.high.x } else { bound.low.y + bound.high.y }.to_f64();
            let middle = bounds.len() / 2;
            bounds.select_nth_unstable_by(middle, |a, b| key(a).total_cmp(&key(b)).then(a.piece.cmp(&b.piece)));
            let (left, right) = bounds.split_at_mut(middle);
            self.grow(left, first);
            self.grow(right, first + middle);
        }
        self.nodes[at].skip = self.nodes.len() as u32;
    }
}
