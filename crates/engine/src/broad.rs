//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); Teschner
//! et al., "Optimized Spatial Hashing" (2003) for a grid that wraps around; Goldsmith and Salmon (1987) for the tree of boxes.

use crate::bodies::Bodies;
use crate::found::{Found, Pair};
use crate::grid::Grid;
use crate::scalar::Real;
use crate::settings::BroadPhase;
use crate::shape::{Form, Piece};
use crate::vector::Vec2;

/// Box of one piece, grown by a margin.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bound<R> {
    pub(crate) low: Vec2<R>,
    pub(crate) high: Vec2<R>,
    pub(crate) piece: u32,
}

impl<R: Real> Bound<R> {
    /// The pieces of both.
    #[inline]
    pub(crate) fn pair(&self, other: &Self) -> Pair {
        Pair::of(self.piece, other.piece)
    }

    /// The longer side.
    #[inline]
    pub(crate) fn size(&self) -> R {
        let (width, height) = (self.high.x - self.low.x, self.high.y - self.low.y);
        if width > height { width } else { height }
    }

    #[inline]
    pub(crate) fn meets(&self, other: &Self) -> bool {
        // No branch between the four, which nobody could foresee.
        (self.low.x <= other.high.x)
            & (other.low.x <= self.high.x)
            & (self.low.y <= other.high.y)
            & (other.low.y <= self.high.y)
    }
}

/// What the box around a piece asks of it, in one place of memory.
#[derive(Clone, Copy, Debug)]
struct Cover<R> {
    body: u32,
    form: CoverForm,
    /// By how much the box is grown; for a disc about its centre, how far it reaches.
    grown: R,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum CoverForm {
    /// A disc about the centre of its body.
    Centred,
    Convex,
    HalfPlane,
}

/// What all boxes together cover.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Around<R> {
    /// Least and greatest lower corner.
    pub(crate) low: Vec2<R>,
    pub(crate) high: Vec2<R>,
    /// Least and greatest size, the longer side of a box.
    pub(crate) smallest: R,
    pub(crate) largest: R,
}

impl<R: Real> Around<R> {
    const NOTHING: Self = Around {
        low: Vec2 { x: R::INFINITY, y: R::INFINITY },
        high: Vec2 { x: R::NEG_INFINITY, y: R::NEG_INFINITY },
        smallest: R::INFINITY,
        largest: R::ZERO,
    };

    #[inline]
    fn add(&mut self, bound: &Bound<R>) {
        // What is not a number changes nothing.
        let less = |a: R, b: R| if a < b { a } else { b };
        let more = |a: R, b: R| if a > b { a } else { b };
        self.low = Vec2::new(less(bound.low.x, self.low.x), less(bound.low.y, self.low.y));
        self.high = Vec2::new(more(bound.low.x, self.high.x), more(bound.low.y, self.high.y));
        self.smallest = less(bound.size(), self.smallest);
        self.largest = more(bound.size(), self.largest);
    }
}

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct Broad<R> {
    covers: Vec<Cover<R>>,
    /// Whether no body has two pieces.
    one_piece_each: bool,
    around: Around<R>,
    bounds: Vec<Bound<R>>,
    planes: Vec<u32>,
    grid: Grid<R>,
    found: Found,
    nodes: Vec<Node<R>>,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<Pair>,
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
    /// For pieces whose boxes are grown by `margin` (a share of the piece's size) and by the slack of their body.
    pub(crate) fn new(bodies: &Bodies<R>, margin: R) -> Self {
        let cover = |piece: &Piece<R>| {
            let (form, radius) = match &piece.form {
                Form::Convex(convex) if convex.corners[..] == [Vec2::ZERO] => (CoverForm::Centred, convex.radius),
                Form::Convex(_) => (CoverForm::Convex, R::ZERO),
                Form::HalfPlane { .. } => (CoverForm::HalfPlane, R::ZERO),
            };
            let share = if piece.size < R::INFINITY { margin * piece.size } else { R::ZERO };
            Cover { body: piece.body as u32, form, grown: radius + (share + bodies.slack[piece.body]) }
        };
        Broad {
            covers: bodies.pieces.iter().map(cover).collect(),
            one_piece_each: bodies.pieces_of.iter().all(|pieces| pieces.len() <= 1),
            around: Around::NOTHING,
            bounds: Vec::new(),
            planes: Vec::new(),
            grid: Grid::default(),
            found: Found::default(),
            nodes: Vec::new(),
            pairs: Vec::new(),
        }
    }

    /// Finds all pairs of pieces of different bodies that may meet and whose grown boxes overlap: as long as no body goes further than
    /// its slack, no other pair can come within the margin.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, how: BroadPhase) {
        self.found.clear();
        self.bound(bodies);
        match how {
            BroadPhase::AllPairs => self.all_pairs(),
            BroadPhase::Sort => self.sort(),
            BroadPhase::Grid => self.grid.overlaps(&self.bounds, &self.around, &mut self.found),
            BroadPhase::Tree => self.tree(),
        }
        self.beside_planes(bodies);
        if !(bodies.all_move && self.one_piece_each && bodies.all_agree) {
            let body = |piece: u32| self.covers[piece as usize].body as usize;
            let may_meet = |a, b| bodies.may_push(a, b) && (bodies.all_agree || bodies.filters_agree(a, b));
            self.found.retain(|pair| {
                let (a, b) = pair.both();
                may_meet(body(a), body(b))
            });
        }
        self.found.sort_into(&mut self.pairs, bodies.pieces.len());
    }

    /// Puts boxes around all pieces that are there.
    fn bound(&mut self, bodies: &Bodies<R>) {
        self.bounds.clear();
        self.planes.clear();
        let mut around = Around::NOTHING;
        for (piece, cover) in self.covers.iter().enumerate() {
            let body = cover.body as usize;
            if !bodies.present[body] {
                continue;
            }
            let [low, high] = match cover.form {
                CoverForm::Centred => [bodies.position[body]; 2],
                CoverForm::Convex => {
                    let Form::Convex(convex) = &bodies.pieces[piece].form else { continue };
                    convex.bounds(&bodies.pose(body))
                }
                CoverForm::HalfPlane => {
                    self.planes.push(piece as u32);
                    continue;
                }
            };
            let rim = Vec2::new(cover.grown, cover.grown);
            let bound = Bound { low: low - rim, high: high + rim, piece: piece as u32 };
            around.add(&bound);
            self.bounds.push(bound);
        }
        self.around = around;
    }

    fn all_pairs(&mut self) {
        for (number, a) in self.bounds.iter().enumerate() {
            self.found.gather(a, &self.bounds[number + 1..]);
        }
    }

    fn sort(&mut self) {
        // The order of equal keys is settled by the index, so that it never depends on the sort.
        self.bounds.sort_unstable_by(|a, b| a.low.x.to_f64().total_cmp(&b.low.x.to_f64()).then(a.piece.cmp(&b.piece)));
        for (number, a) in self.bounds.iter().enumerate() {
            let near = self.bounds[number + 1..].iter().take_while(|b| b.low.x <= a.high.x);
            near.filter(|b| a.meets(b)).for_each(|b| self.found.push(a.pair(b)));
        }
    }

    /// A tree of boxes built anew: bounds are split at the middle along the longer side of their box.
    fn tree(&mut self) {
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
                    self.found.gather(a, &bounds[from..node.span.1 as usize]);
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
                    self.found.push(Pair::of(plane, bound.piece));
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
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
            let mut broad = Broad::new(&bodies, 1e-3);
            broad.find(&bodies, BroadPhase::AllPairs);
            let expected = broad.pairs.clone();
            for how in [BroadPhase::Sort, BroadPhase::Grid, BroadPhase::Tree] {
                broad.find(&bodies, how);
                prop_assert_eq!(&broad.pairs, &expected, "{:?}", how);
            }
        }
    }
}
