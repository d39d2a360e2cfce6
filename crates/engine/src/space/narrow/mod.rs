//! Gap and contact points of two pieces, by their forms. Separating axes and clipping for blocks, closed forms for the rest.
//!
//! | function | duty | file |
//! |---|---|---|
//! | `collide` | contact points of two pieces within a margin | `mod.rs` |
//! | `gap` | distance or depth of two pieces, and its direction | `mod.rs` |
//! | | what a ball or a half-space is one of | `round.rs` |
//! | | two blocks: axes that separate them, points by clipping | `blocks.rs` |
//! | | two blocks: distance when they are apart | `apart.rs` |

mod apart;
mod blocks;
mod round;

use crate::common::scalar::Real;
use crate::space::contact::POINTS;
use crate::space::shape::{Form, Piece};
use crate::space::vector::{Pose, Vec3};

/// A point where two pieces touch.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Point<R> {
    /// Midway between both surfaces.
    pub(crate) position: Vec3<R>,
    pub(crate) gap: R,
    /// What touches what, the same from step to step.
    pub(crate) feature: u32,
}

/// Where two pieces touch.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Manifold<R> {
    /// From the first to the second.
    pub(crate) normal: Vec3<R>,
    points: [Point<R>; POINTS],
    pub(crate) count: usize,
}

impl<R: Real> Manifold<R> {
    pub(crate) fn points(&self) -> &[Point<R>] {
        &self.points[..self.count]
    }

    fn one(normal: Vec3<R>, position: Vec3<R>, gap: R, feature: u32) -> Self {
        let mut manifold = Manifold { normal, ..Manifold::default() };
        manifold.push(Point { position, gap, feature });
        manifold
    }

    /// Adds a point while there is room.
    fn push(&mut self, point: Point<R>) {
        if self.count < POINTS {
            self.points[self.count] = point;
            self.count += 1;
        }
    }

    fn turned_round(mut self) -> Self {
        self.normal = -self.normal;
        self
    }
}

/// Distance of two pieces, or the length of the shortest way out as a negative one, and the direction in which the second moves away
/// from the first.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Gap<R> {
    pub(crate) distance: R,
    pub(crate) normal: Vec3<R>,
}

/// Contact points of two pieces that overlap or are apart by no more than a margin, at the poses of their bodies.
pub(crate) fn collide<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
    margin: R,
) -> Manifold<R> {
    let (one, other) = (first.pose(first_body), second.pose(second_body));
    let found = match (first.form, second.form) {
        (Form::Ball(a), Form::Ball(b)) => round::balls(one.position, a, other.position, b),
        (Form::Ball(radius), Form::Block(half)) => {
            round::block_and_ball(half, &other, one.position, radius).turned_round()
        }
        (Form::Block(half), Form::Ball(radius)) => round::block_and_ball(half, &one, other.position, radius),
        (Form::HalfSpace(normal), Form::Ball(radius)) => {
            round::half_space_and_ball(normal, &one, other.position, radius)
        }
        (Form::Ball(radius), Form::HalfSpace(normal)) => {
            round::half_space_and_ball(normal, &other, one.position, radius).turned_round()
        }
        (Form::HalfSpace(normal), Form::Block(half)) => round::half_space_and_block(normal, &one, half, &other, margin),
        (Form::Block(half), Form::HalfSpace(normal)) => {
            round::half_space_and_block(normal, &other, half, &one, margin).turned_round()
        }
        (Form::Block(a), Form::Block(b)) => blocks::collide(a, &one, b, &other, margin),
        (Form::HalfSpace(_), Form::HalfSpace(_)) => Manifold::default(),
    };
    // What is apart by more than the margin does not touch.
    if found.points().iter().all(|point| point.gap > margin) { Manifold::default() } else { found }
}

/// The gap of two pieces, however far they are apart; nothing for two half-spaces.
pub(crate) fn gap<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
) -> Option<Gap<R>> {
    let (one, other) = (first.pose(first_body), second.pose(second_body));
    if let (Form::Block(a), Form::Block(b)) = (first.form, second.form) {
        return Some(blocks::gap(a, &one, b, &other));
    }
    let found = collide(first, first_body, second, second_body, R::INFINITY);
    let nearest = found.points().iter().map(|point| point.gap).reduce(R::min)?;
    Some(Gap { distance: nearest, normal: found.normal })
}
