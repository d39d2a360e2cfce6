//! Broad phase: pairs of pieces whose boxes overlap, by sorting along x and sweeping.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep).

use crate::bodies::Bodies;
use crate::scalar::Real;
use crate::shape::Form;
use crate::vector::Vec2;

/// Box of one piece, grown by a margin.
#[derive(Clone, Copy, Debug)]
struct Bound<R> {
    low: Vec2<R>,
    high: Vec2<R>,
    piece: usize,
}

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Broad<R> {
    bounds: Vec<Bound<R>>,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<(usize, usize)>,
}

impl<R: Real> Broad<R> {
    /// Finds all pairs of pieces of different bodies, one of them movable, whose boxes grown by `margin` (a share of the
    /// piece's size) overlap.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, margin: R) {
        self.bounds.clear();
        self.pairs.clear();
        for (piece, shape) in bodies.pieces.iter().enumerate() {
            match &shape.form {
                Form::Convex(convex) => {
                    let [low, high] = convex.bounds(&bodies.pose[shape.body]);
                    let rim = Vec2::new(margin * shape.size, margin * shape.size);
                    self.bounds.push(Bound { low: low - rim, high: high + rim, piece });
                }
                Form::HalfPlane { .. } => self.pair_with_all(bodies, piece),
            }
        }
        // The order of equal keys is settled by the index, so that it never depends on the sort.
        self.bounds.sort_unstable_by(|a, b| a.low.x.to_f64().total_cmp(&b.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
        for (number, a) in self.bounds.iter().enumerate() {
            for b in &self.bounds[number + 1..] {
                if !(b.low.x <= a.high.x) {
                    break;
                }
                if a.low.y <= b.high.y && b.low.y <= a.high.y && may_meet(bodies, a.piece, b.piece) {
                    self.pairs.push((a.piece.min(b.piece), a.piece.max(b.piece)));
                }
            }
        }
        self.pairs.sort_unstable();
    }

    /// A half-plane has no box; every movable piece is its neighbour.
    fn pair_with_all(&mut self, bodies: &Bodies<R>, plane: usize) {
        for other in 0..bodies.pieces.len() {
            if matches!(bodies.pieces[other].form, Form::Convex(_)) && may_meet(bodies, plane, other) {
                self.pairs.push((plane.min(other), plane.max(other)));
            }
        }
    }
}

fn may_meet<R: Real>(bodies: &Bodies<R>, a: usize, b: usize) -> bool {
    let (a, b) = (bodies.pieces[a].body, bodies.pieces[b].body);
    a != b && (bodies.inverse[a].moves() || bodies.inverse[b].moves())
}
