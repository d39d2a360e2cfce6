//! Broad phase: pairs of pieces whose boxes overlap. Every way finds the same pairs in the same order.
//!
//! Source: Baraff, "Dynamic Simulation of Non-Penetrating Rigid Bodies" (1992), section 2.3.2 (sort and sweep); `box_tree.rs` for the tree.

use crate::common::cells::follow;
use crate::common::found::Found;
use crate::common::pair::Pair;
use crate::common::scalar::Real;
use crate::common::settings::BroadPhase;
use crate::common::tolerance::SLOP;
use crate::space::bodies::Bodies;
use crate::space::box_tree::{Bounds, BoxTree};
use crate::space::grid::Grid;
use crate::space::shape::Form;
use crate::space::vector::Vec3;

/// A box along the world's axes around a piece. Coordinates are from the middle of the world and rounded to the nearest of single precision, which keeps
/// their order: boxes that overlap still do, and a few that hardly miss each other do as well.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bound {
    pub(crate) bounds: Bounds<f32>,
    pub(crate) piece: u32,
}

impl Bound {
    pub(crate) fn meets(&self, other: &Bound) -> bool {
        self.bounds.meets(&other.bounds)
    }

    pub(crate) fn pair(&self, other: &Bound) -> Pair {
        Pair::of(self.piece, other.piece)
    }

    /// The longest side, m.
    #[inline(always)]
    pub(crate) fn size(&self) -> f32 {
        let (low, high) = (self.bounds.low, self.bounds.high);
        (high.x - low.x).max(high.y - low.y).max(high.z - low.z)
    }
}

/// What a box around a piece is made of.
#[derive(Clone, Copy, Debug)]
struct Cover<R> {
    piece: u32,
    body: u32,
    /// Radius of a ball in its body's centre; below zero for other forms.
    radius: R,
    /// How much the box is wider than the piece on every side.
    grown: R,
}

/// Largest coordinate, m; what is further out is taken to be there.
const FURTHEST: f32 = 1e38;
/// Places by which the middle of the world is found.
const SAMPLES: usize = 15;
/// Searches after which covers are put in the order of the grid again.
const RENEWAL: u32 = 16;

/// Pair finder that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Broad<R> {
    /// All pieces but half-spaces, in an order in which neighbours mostly follow each other, which is that of the pieces at first.
    covers: Vec<Cover<R>>,
    /// Covers while they are put in order.
    unplaced: Vec<Option<Cover<R>>>,
    half_spaces: Vec<u32>,
    /// Those that are there: the piece, its normal and how far along it the surface lies.
    surfaces: Vec<(u32, Vec3<R>, R)>,
    /// Whether no body has two pieces, and all that can move may meet.
    all_agree: bool,
    bounds: Vec<Bound>,
    grid: Grid,
    tree: BoxTree<f32>,
    found: Found,
    searches: u32,
    /// Pairs of pieces, the lower index first, sorted.
    pub(crate) pairs: Vec<Pair>,
}

impl<R: Real> Broad<R> {
    /// For the pieces of a world, whose boxes are grown by the contact margin and by how far their bodies may go.
    pub(crate) fn new(bodies: &Bodies<R>) -> Self {
        let mut broad = Broad {
            all_agree: bodies.all_agree() && bodies.pieces.windows(2).all(|two| two[0].body != two[1].body),
            ..Broad::default()
        };
        for (number, piece) in bodies.pieces.iter().enumerate() {
            if matches!(piece.form, Form::HalfSpace(_)) {
                broad.half_spaces.push(number as u32);
                continue;
            }
            // What has no thickness leaves the margin to the other.
            let size = if piece.size < R::INFINITY { piece.size } else { R::ZERO };
            broad.covers.push(Cover {
                piece: number as u32,
                body: piece.body as u32,
                radius: piece.centred_ball().unwrap_or(-R::ONE),
                grown: R::of(SLOP) * size + bodies.slack[piece.body],
            });
        }
        broad
    }

    /// Finds all pairs of pieces of different bodies that may meet and whose boxes overlap. With more than [`most_pairs`] there are none, and the answer
    /// is no.
    pub(crate) fn find(&mut self, bodies: &Bodies<R>, how: BroadPhase) -> bool {
        let most = most_pairs(bodies.pieces.len());
        self.found.clear();
        self.bound(bodies);
        match how {
            BroadPhase::AllPairs => all_pairs(&self.bounds, most, &mut self.found),
            BroadPhase::Sort => sort(&mut self.bounds, most, &mut self.found),
            BroadPhase::Grid => {
                self.grid.overlaps(&self.bounds, most, &mut self.found);
                if self.searches.is_multiple_of(RENEWAL) {
                    // Results are sorted and do not depend on it.
                    let (order, pieces) = (self.grid.order(), bodies.pieces.len());
                    follow(&mut self.covers, &mut self.unplaced, pieces, order, |cover| cover.piece);
                }
                self.searches = self.searches.wrapping_add(1);
            }
            BroadPhase::Tree => {
                self.tree.build(self.bounds.iter().map(|bound| bound.bounds));
                tree(&self.tree, &self.bounds, most, &mut self.found);
            }
        }
        if self.found.len() > most {
            self.pairs.clear();
            return false;
        }
        let body = |piece: u32| bodies.pieces[piece as usize].body;
        if self.all_agree {
            let moves = |piece: u32| bodies.inverse[body(piece)].moves();
            self.found.retain(|pair| {
                let (a, b) = pair.both();
                moves(a) || moves(b)
            });
        } else {
            self.found.retain(|pair| {
                let (a, b) = pair.both();
                bodies.may_meet(body(a), body(b))
            });
        }
        self.found.sort_into(&mut self.pairs, bodies.pieces.len());
        true
    }

    /// Puts boxes around all pieces that are there, and notes those beside half-spaces.
    fn bound(&mut self, bodies: &Bodies<R>) {
        self.bounds.clear();
        self.surfaces.clear();
        for &number in &self.half_spaces {
            let piece = &bodies.pieces[number as usize];
            let Form::HalfSpace(normal) = piece.form else { continue };
            if bodies.present[piece.body] {
                let pose = piece.pose(&bodies.pose(piece.body));
                let normal = pose.axes.times(normal);
                self.surfaces.push((number, normal, normal.dot(pose.position)));
            }
        }
        let origin = self.middle(bodies);
        for cover in &self.covers {
            let body = cover.body as usize;
            if !bodies.present[body] {
                continue;
            }
            let (middle, half) = if cover.radius >= R::ZERO {
                let radius = cover.radius;
                (bodies.position[body], Vec3::new(radius, radius, radius))
            } else {
                let piece = &bodies.pieces[cover.piece as usize];
                piece.around(&piece.pose(&bodies.pose(body)))
            };
            let extent = half + Vec3::new(cover.grown, cover.grown, cover.grown);
            for &(number, normal, level) in &self.surfaces {
                self.found.note(number, cover.piece, normal.dot(middle) - level <= normal.abs().dot(extent));
            }
            let from = middle - origin;
            let rounded = |v: Vec3<R>| {
                // Far from what overflows, and from there on in the same order.
                let single = |coordinate: R| (coordinate.to_f64() as f32).clamp(-FURTHEST, FURTHEST);
                Vec3 { x: single(v.x), y: single(v.y), z: single(v.z) }
            };
            let bounds = Bounds { low: rounded(from - extent), high: rounded(from + extent) };
            self.bounds.push(Bound { bounds, piece: cover.piece });
        }
    }

    /// About the middle of the world: of each axis the middle one of a few places, which a body far out does not move.
    fn middle(&self, bodies: &Bodies<R>) -> Vec3<R> {
        let step = self.covers.len().div_ceil(SAMPLES).max(1);
        let along = |axis: usize| {
            let (mut places, mut count) = ([R::ZERO; SAMPLES], 0);
            for cover in self.covers.iter().step_by(step) {
                places[count] = bodies.position[cover.body as usize].component(axis);
                count += 1;
            }
            places[..count].sort_unstable_by(|a, b| a.to_f64().total_cmp(&b.to_f64()));
            places[count / 2]
        };
        Vec3::new(along(0), along(1), along(2))
    }
}

/// More pairs than any world has whose bodies do not stand in one place: their contacts would fill the memory.
pub(crate) fn most_pairs(pieces: usize) -> usize {
    2_000_000 + 32 * pieces
}

fn all_pairs(bounds: &[Bound], most: usize, found: &mut Found) {
    for (number, a) in bounds.iter().enumerate() {
        if found.len() > most {
            return;
        }
        found.gather(a, &bounds[number + 1..], Bound::pair, Bound::meets);
    }
}

/// Along x.
fn sort(bounds: &mut [Bound], most: usize, found: &mut Found) {
    bounds.sort_by(|a, b| a.bounds.low.x.total_cmp(&b.bounds.low.x).then(a.piece.cmp(&b.piece)));
    for (number, a) in bounds.iter().enumerate() {
        if found.len() > most {
            return;
        }
        let near = bounds[number + 1..].iter().take_while(|b| b.bounds.low.x <= a.bounds.high.x);
        near.filter(|b| a.meets(b)).for_each(|b| found.push(a.pair(b)));
    }
}

/// By a tree of boxes.
fn tree(tree: &BoxTree<f32>, bounds: &[Bound], most: usize, found: &mut Found) {
    for (number, a) in bounds.iter().enumerate() {
        if found.len() > most {
            return;
        }
        tree.meeting(&a.bounds, &mut |other| {
            if other > number {
                found.push(a.pair(&bounds[other]));
            }
        });
    }
}
