//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); Teschner
//! et al., "Optimized Spatial Hashing" (2003) for a grid that wraps around; Goldsmith and Salmon (1987) for the tree of boxes.

use crate::common::cells::follow;
use crate::common::found::Found;
use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::common::settings::BroadPhase;
use crate::plane::bodies::Bodies;
use crate::plane::bound::{Around, Bound};
use crate::plane::boxes::Boxes;
use crate::plane::shape::{Form, Piece};
use crate::plane::vector::Vec2;

/// What the box around a piece asks of it, in one place of memory.
#[derive(Clone, Copy, Debug)]
struct Cover<R> {
    piece: u32,
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

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct Broad<R> {
    /// In an order in which neighbours mostly follow each other, which is that of the pieces at first.
    covers: Vec<Cover<R>>,
    /// Covers while they are put in order.
    unplaced: Vec<Option<Cover<R>>>,
    /// Whether no body has two pieces.
    one_piece_each: bool,
    /// Boxes in single precision, half as much memory; and in double, for worlds too wide or too small for that.
    boxes: Boxes<f32>,
    wide_boxes: Boxes<f64>,
    planes: Vec<u32>,
    found: Found,
    searches: u32,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<Pair>,
}

/// Largest coordinate, in sizes of the smallest box, up to which boxes are rounded to single precision: beyond it they would grow by more
/// than a sixteenth of that size.
const FURTHEST: f32 = (1 << 20) as f32;

/// Searches after which covers are put in the order of the grid again.
const RENEWAL: u32 = 16;

impl<R: Real> Broad<R> {
    /// For pieces whose boxes are grown by `margin` (a share of the piece's size) and by the margin of their body.
    pub(crate) fn new(bodies: &Bodies<R>, margin: R) -> Self {
        let cover = |(number, piece): (usize, &Piece<R>)| {
            let (form, radius) = match &piece.form {
                Form::Convex(convex) if convex.corners[..] == [Vec2::ZERO] => (CoverForm::Centred, convex.radius),
                Form::Convex(_) => (CoverForm::Convex, R::ZERO),
                Form::HalfPlane { .. } => (CoverForm::HalfPlane, R::ZERO),
            };
            let share = if piece.size < R::INFINITY { margin * piece.size } else { R::ZERO };
            let grown = radius + (share + bodies.slack[piece.body]);
            Cover { piece: number as u32, body: piece.body as u32, form, grown }
        };
        Broad {
            covers: bodies.pieces.iter().enumerate().map(cover).collect(),
            unplaced: Vec::new(),
            one_piece_each: bodies.pieces_of.iter().all(|pieces| pieces.len() <= 1),
            boxes: Boxes::default(),
            wide_boxes: Boxes::default(),
            planes: Vec::new(),
            found: Found::default(),
            searches: 0,
            pairs: Vec::new(),
        }
    }

    /// Finds all pairs of pieces of different bodies that may meet and whose grown boxes overlap: as long as no body goes further than
    /// its margin, no other pair can come within the margin. Rounding may add pairs that are a little further apart, the same in
    /// every way of finding them.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, how: BroadPhase) {
        self.found.clear();
        bound(&self.covers, bodies, &mut self.boxes, &mut self.planes);
        let around = self.boxes.around;
        if around.smallest() >= f32::MIN_POSITIVE && around.furthest() <= FURTHEST * around.smallest() {
            self.boxes.overlaps(how, &mut self.found);
            // Twice what a corner is rounded by, along both axes.
            let rounding = R::of(f64::from(around.furthest() * f32::EPSILON) * 2.0);
            beside_planes(&self.planes, bodies, &self.boxes.bounds, rounding, &mut self.found);
            if how == BroadPhase::Grid && self.searches.is_multiple_of(RENEWAL) {
                // Results are sorted and do not depend on it.
                let (order, pieces) = (self.boxes.grid.order(), bodies.pieces.len());
                follow(&mut self.covers, &mut self.unplaced, pieces, order, |cover| cover.piece);
            }
            self.searches = self.searches.wrapping_add(1);
        } else {
            bound(&self.covers, bodies, &mut self.wide_boxes, &mut self.planes);
            self.wide_boxes.overlaps(how, &mut self.found);
            beside_planes(&self.planes, bodies, &self.wide_boxes.bounds, R::ZERO, &mut self.found);
        }
        if !(bodies.all_move && self.one_piece_each && bodies.all_agree) {
            let body = |piece: u32| bodies.pieces[piece as usize].body;
            let may_meet = |a, b| bodies.may_push(a, b) && (bodies.all_agree || bodies.filters_agree(a, b));
            self.found.retain(|pair| {
                let (a, b) = pair.both();
                may_meet(body(a), body(b))
            });
        }
        self.found.sort_into(&mut self.pairs, bodies.pieces.len());
    }
}

/// Puts boxes around all pieces that are there, and lists the planes.
fn bound<R: Real, S: Real>(covers: &[Cover<R>], bodies: &Bodies<R>, boxes: &mut Boxes<S>, planes: &mut Vec<u32>) {
    planes.clear();
    boxes.bounds.resize(covers.len(), Bound::default());
    let (mut around, mut count) = (Around::NOTHING, 0);
    for cover in covers {
        let body = cover.body as usize;
        if !bodies.present[body] {
            continue;
        }
        let [low, high] = match cover.form {
            CoverForm::Centred => [bodies.position[body]; 2],
            CoverForm::Convex => {
                let Form::Convex(convex) = &bodies.pieces[cover.piece as usize].form else { continue };
                convex.bounds(&bodies.pose(body))
            }
            CoverForm::HalfPlane => {
                planes.push(cover.piece);
                continue;
            }
        };
        let rim = Vec2::new(cover.grown, cover.grown);
        let bound = Bound::rounded(low - rim, high + rim, cover.piece);
        around.add(&bound);
        boxes.bounds[count] = bound;
        count += 1;
    }
    boxes.bounds.truncate(count);
    boxes.around = around;
}

/// A half-plane has no box; pieces whose box reaches below its surface, or above it by no more than `rounding`, are its neighbours.
fn beside_planes<R: Real, S: Real>(
    planes: &[u32],
    bodies: &Bodies<R>,
    bounds: &[Bound<S>],
    rounding: R,
    found: &mut Found,
) {
    for &plane in planes {
        let piece = &bodies.pieces[plane as usize];
        let Form::HalfPlane { normal, offset } = &piece.form else { continue };
        let pose = &bodies.pose(piece.body);
        let normal = pose.rotation.turn(*normal);
        let level = *offset + normal.dot(pose.position) + rounding;
        for bound in bounds {
            let x = if normal.x > R::ZERO { bound.low.x } else { bound.high.x };
            let y = if normal.y > R::ZERO { bound.low.y } else { bound.high.y };
            if normal.dot(Vec2::new(R::of(x.to_f64()), R::of(y.to_f64()))) <= level {
                found.push(Pair::of(plane, bound.piece));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, BodyKind, DVec2, DVec3, Inertia, Material, Part, PlaneShape, Pose, World};
    use proptest::prelude::*;

    fn yard(places: &[(f64, f64, f64)]) -> Bodies<f64> {
        let mut world = World::planar(1.0);
        world.materials.push(Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.0 });
        world.bodies.push(Body {
            kind: BodyKind::Static,
            parts: vec![Part::solid(PlaneShape::HalfPlane(DVec2::Y), 0)],
            ..Body::plain("floor")
        });
        for &(x, y, size) in places {
            world.bodies.push(Body {
                pose: Pose::at(DVec3::new(x, y, 0.0)),
                mass: 1.0,
                inertia: Inertia::planar(1.0),
                parts: vec![Part::solid(PlaneShape::Box(DVec2::new(size, 0.5 * size)), 0)],
                ..Body::plain("box")
            });
        }
        Bodies::new(&world).unwrap()
    }

    fn crowd() -> impl Strategy<Value = Vec<(f64, f64, f64)>> {
        let size = prop_oneof![0.1..2.0_f64, 5.0..30.0_f64];
        prop::collection::vec((-10.0..10.0_f64, -10.0..10.0_f64, size), 0..60)
    }

    fn found(bodies: &Bodies<f64>, how: BroadPhase) -> Vec<Pair> {
        let mut broad = Broad::new(bodies, 1e-3);
        broad.find(bodies, how);
        broad.pairs
    }

    proptest! {
        /// Every way finds what comparing all pairs finds, also with a few bodies far larger than the rest, far from the origin where
        /// single precision does not do, and of sizes that it does not have.
        #[test]
        fn all_ways_agree(
            places in crowd(),
            (scale, shift) in prop_oneof![Just((1.0, 0.0)), Just((1.0, 3e4)), Just((1.0, 1e9)), Just((1e-45, 0.0)), Just((1e60, 0.0))],
        ) {
            let places: Vec<_> = places.iter().map(|&(x, y, size)| (scale * (x + shift), scale * y, scale * size)).collect();
            let bodies = yard(&places);
            let expected = found(&bodies, BroadPhase::AllPairs);
            for how in [BroadPhase::Sort, BroadPhase::Grid, BroadPhase::Tree] {
                prop_assert_eq!(&found(&bodies, how), &expected, "{:?}", how);
            }
        }

        /// Rounding to single precision loses no pair, and adds none that is further apart than it may round.
        #[test]
        fn rounding_loses_no_pair(places in crowd(), shift in prop_oneof![Just(0.0), Just(3e3)]) {
            let places: Vec<_> = places.iter().map(|&(x, y, size)| (x + shift, y, size)).collect();
            let bodies = yard(&places);
            let pairs = |growth: f64| {
                let mut broad = Broad::new(&bodies, 1e-3);
                broad.covers.iter_mut().for_each(|cover| cover.grown += growth);
                let (mut boxes, mut found) = (Boxes::<f64>::default(), Found::default());
                bound(&broad.covers, &bodies, &mut boxes, &mut broad.planes);
                boxes.overlaps(BroadPhase::AllPairs, &mut found);
                beside_planes(&broad.planes, &bodies, &boxes.bounds, 0.0, &mut found);
                let mut pairs = Vec::new();
                found.sort_into(&mut pairs, bodies.pieces.len());
                pairs
            };
            let (exact, rounded, wider) = (pairs(0.0), found(&bodies, BroadPhase::Grid), pairs(2e-3));
            prop_assert!(exact.iter().all(|pair| rounded.binary_search(pair).is_ok()));
            prop_assert!(rounded.iter().all(|pair| wider.binary_search(pair).is_ok()));
        }

        /// Whatever order the covers have come into, the pairs are the same.
        #[test]
        fn the_order_of_covers_does_not_matter(places in crowd(), moved in crowd()) {
            let mut bodies = yard(&places);
            let mut broad = Broad::new(&bodies, 1e-3);
            for _ in 0..RENEWAL + 2 {
                broad.find(&bodies, BroadPhase::Grid);
            }
            for (body, &(x, y, angle)) in moved.iter().enumerate().take(places.len()) {
                bodies.place(body + 1, Vec2::new(x, y), angle);
            }
            bodies.present[places.len() / 2] = false;
            broad.find(&bodies, BroadPhase::Grid);
            prop_assert_eq!(&broad.pairs, &found(&bodies, BroadPhase::AllPairs));
        }
    }
}
