//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); `box_tree.rs` for the tree.

use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::common::settings::BroadPhase;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::box_tree::{Bounds, BoxTree};
use crate::space::shape::Form;
use crate::space::vector::Vec3;

/// A box along the world's axes around a piece.
#[derive(Clone, Copy, Debug)]
struct Bound<R> {
    bounds: Bounds<R>,
    piece: u32,
}

impl<R: Real> Bound<R> {
    fn meets(&self, other: &Bound<R>) -> bool {
        self.bounds.meets(&other.bounds)
    }
}

/// Cells along an axis that a box may lie in before it is looked at with every other.
const WIDE: f64 = 4.0;

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Broad<R> {
    bounds: Vec<Bound<R>>,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<Pair>,
}

impl<R: Real> Broad<R> {
    /// Finds all pairs of pieces of different bodies that may meet and whose boxes, grown by the contact margin and by how far their bodies
    /// may go, overlap.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, how: BroadPhase) {
        self.bounds.clear();
        let mut found = Vec::new();
        for (number, piece) in bodies.pieces.iter().enumerate().filter(|(_, piece)| bodies.present[piece.body]) {
            if matches!(piece.form, Form::HalfSpace(_)) {
                continue;
            }
            let pose = piece.pose(&bodies.pose(piece.body));
            // What has no thickness leaves the margin to the other.
            let size = if piece.size < R::INFINITY { piece.size } else { R::ZERO };
            let grown = R::of(SLOP) * size + bodies.slack[piece.body];
            let (middle, half) = piece.around(&pose);
            let extent = half + Vec3::new(grown, grown, grown);
            let bounds = Bounds { low: middle - extent, high: middle + extent };
            self.bounds.push(Bound { bounds, piece: number as u32 });
        }
        let mut note = |a: u32, b: u32| found.push(Pair::of(a, b));
        match how {
            BroadPhase::AllPairs => all_pairs(&self.bounds, &mut note),
            BroadPhase::Sort => sort(&mut self.bounds, &mut note),
            BroadPhase::Grid => grid(&self.bounds, &mut note),
            BroadPhase::Tree => tree(&self.bounds, &mut note),
        }
        self.beside_half_spaces(bodies, &mut note);
        let body = |piece: u32| bodies.pieces[piece as usize].body;
        found.retain(|pair| {
            let (a, b) = pair.both();
            bodies.may_meet(body(a), body(b))
        });
        found.sort_unstable();
        self.pairs = found;
    }

    fn beside_half_spaces(&self, bodies: &Bodies<R>, note: &mut dyn FnMut(u32, u32)) {
        for (number, piece) in bodies.pieces.iter().enumerate().filter(|(_, piece)| bodies.present[piece.body]) {
            let Form::HalfSpace(normal) = piece.form else { continue };
            let pose = piece.pose(&bodies.pose(piece.body));
            let normal = pose.axes.times(normal);
            for bound in &self.bounds {
                let Bounds { low, high } = bound.bounds;
                let (middle, half) = ((low + high) * R::HALF, (high - low) * R::HALF);
                if normal.dot(middle - pose.position) <= normal.abs().dot(half) {
                    note(number as u32, bound.piece);
                }
            }
        }
    }
}

fn all_pairs<R: Real>(bounds: &[Bound<R>], note: &mut dyn FnMut(u32, u32)) {
    for (number, a) in bounds.iter().enumerate() {
        bounds[number + 1..].iter().filter(|b| a.meets(b)).for_each(|b| note(a.piece, b.piece));
    }
}

/// Along x.
fn sort<R: Real>(bounds: &mut [Bound<R>], note: &mut dyn FnMut(u32, u32)) {
    bounds.sort_by(|a, b| a.bounds.low.x.to_f64().total_cmp(&b.bounds.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
    for (number, a) in bounds.iter().enumerate() {
        let near = bounds[number + 1..].iter().take_while(|b| b.bounds.low.x <= a.bounds.high.x);
        near.filter(|b| a.meets(b)).for_each(|b| note(a.piece, b.piece));
    }
}

/// Cells as large as the box in the middle of all sizes; boxes much larger than that are compared with every other.
fn grid<R: Real>(bounds: &[Bound<R>], note: &mut dyn FnMut(u32, u32)) {
    let mut sizes: Vec<f64> =
        bounds.iter().map(|bound| (bound.bounds.high - bound.bounds.low).largest().to_f64()).collect();
    if sizes.is_empty() {
        return;
    }
    let middle = sizes.len() / 2;
    sizes.select_nth_unstable_by(middle, f64::total_cmp);
    let cell = sizes[middle];
    let index = |coordinate: R| (coordinate.to_f64() / cell).floor();
    let mut entries: Vec<([i64; 3], u32)> = Vec::new();
    let mut wide: Vec<u32> = Vec::new();
    for (number, bound) in bounds.iter().enumerate() {
        let range =
            [0, 1, 2].map(|axis| (index(bound.bounds.low.component(axis)), index(bound.bounds.high.component(axis))));
        if range.iter().any(|(low, high)| !(high - low <= WIDE)) {
            wide.push(number as u32);
            continue;
        }
        let [x, y, z] = range.map(|(low, high)| low as i64..=high as i64);
        for i in x {
            for j in y.clone() {
                entries.extend(z.clone().map(|k| ([i, j, k], number as u32)));
            }
        }
    }
    entries.sort_unstable();
    for run in entries.chunk_by(|a, b| a.0 == b.0) {
        for (place, &(key, first)) in run.iter().enumerate() {
            let a = &bounds[first as usize];
            for &(_, second) in &run[place + 1..] {
                let b = &bounds[second as usize];
                // Of all cells that both lie in, the pair counts in the first.
                let home =
                    [0, 1, 2].map(|axis| index(a.bounds.low.component(axis).max(b.bounds.low.component(axis))) as i64);
                if home == key && a.meets(b) {
                    note(a.piece, b.piece);
                }
            }
        }
    }
    for (place, &number) in wide.iter().enumerate() {
        let a = &bounds[number as usize];
        for (other, b) in bounds.iter().enumerate() {
            let twice = wide[..=place].binary_search(&(other as u32)).is_ok();
            if !twice && a.meets(b) {
                note(a.piece, b.piece);
            }
        }
    }
}

/// By a tree of boxes.
fn tree<R: Real>(bounds: &[Bound<R>], note: &mut dyn FnMut(u32, u32)) {
    let mut tree = BoxTree::default();
    tree.build(bounds.iter().map(|bound| bound.bounds));
    for (number, a) in bounds.iter().enumerate() {
        tree.meeting(&a.bounds, &mut |other| {
            if other > number {
                note(a.piece, bounds[other].piece);
            }
        });
    }
}
