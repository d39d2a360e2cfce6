//! What nodes need of the vectors of a room: those of the plane and of space.

use super::best_turn::best_turn;
use super::rows::Row;
use crate::common::scalar::Real;
use crate::plane::vector::Vec2;
use crate::space::vector::Vec3;
use ironspin_model::{DQuat, DVec3, SoftBody, turn};
use std::fmt::Debug;
use std::ops::{Add, AddAssign, Mul, Neg, Sub, SubAssign};

/// A place or a vector.
pub(crate) trait Place<R: Real>:
    Copy
    + Debug
    + Default
    + PartialEq
    + Add<Output = Self>
    + Sub<Output = Self>
    + Neg<Output = Self>
    + Mul<R, Output = Self>
    + AddAssign
    + SubAssign
    + Send
    + Sync
    + 'static
{
    /// A piece of skin by numbers of nodes: a segment, or a triangle.
    type Piece: Copy + Debug + Send + Sync + 'static;
    /// How a shape is turned.
    type Turn: Copy + Debug + Default + PartialEq + Send + Sync + 'static;

    const ZERO: Self;

    fn of_space(v: DVec3) -> Self;
    fn to_space(self) -> DVec3;
    /// Its numbers, filled up with nothing, and back.
    fn row(self) -> Row<R>;
    fn of_row(row: Row<R>) -> Self;
    /// How many numbers it has.
    const AXES: f64;
    fn dot(self, other: Self) -> R;
    fn length(self) -> R;

    /// The unit vector along it, or another where it has none.
    fn unit_or(self, other: Self) -> Self;
    /// Along y.
    fn upward() -> Self;
    /// The same along each axis.
    fn alike(part: R) -> Self;
    /// The lower and the upper of two along each axis.
    fn lower(self, other: Self) -> Self;
    fn upper(self, other: Self) -> Self;
    /// Whether it lies further along any axis than another.
    fn beyond(self, other: Self) -> bool;

    /// The skin of a soft body, numbered from a first node on.
    fn skin(soft: &SoftBody, from: usize) -> Vec<Self::Piece>;

    /// Adds how what a skin encloses grows with each node: a share of each piece evenly to its nodes, outwards. It is what a pressure of 1 does.
    fn grow(skin: &[Self::Piece], place: impl Fn(usize) -> Self, add: impl FnMut(usize, Self));

    /// The turn that carries the first of each pair, from a centre on, nearest to the second, by their weights. Where several do, the one nearest
    /// to what it was.
    fn turn_fitting(was: Self::Turn, pairs: &mut dyn Iterator<Item = (R, Self, Self)>) -> Self::Turn;

    fn turned(self, turn: Self::Turn) -> Self;
}

/// Cosine and sine.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct PlaneTurn<R>(pub(crate) [R; 2]);

impl<R: Real> Default for PlaneTurn<R> {
    fn default() -> Self {
        PlaneTurn([R::ONE, R::ZERO])
    }
}

impl<R: Real> Place<R> for Vec2<R> {
    type Piece = [usize; 2];
    type Turn = PlaneTurn<R>;

    const ZERO: Self = Vec2::ZERO;

    fn of_space(v: DVec3) -> Self {
        Vec2::of(v.truncate())
    }

    fn to_space(self) -> DVec3 {
        DVec3::new(self.x.to_f64(), self.y.to_f64(), 0.0)
    }

    const AXES: f64 = 2.0;

    #[inline]
    fn row(self) -> Row<R> {
        [self.x, self.y, R::ZERO, R::ZERO]
    }

    #[inline]
    fn of_row([x, y, ..]: Row<R>) -> Self {
        Vec2::new(x, y)
    }

    #[inline]
    fn dot(self, other: Self) -> R {
        Vec2::dot(self, other)
    }

    #[inline]
    fn length(self) -> R {
        Vec2::length(self)
    }

    fn unit_or(self, other: Self) -> Self {
        Vec2::unit_or(self, other)
    }

    fn upward() -> Self {
        Vec2::new(R::ZERO, R::ONE)
    }

    fn alike(part: R) -> Self {
        Vec2::new(part, part)
    }

    fn lower(self, other: Self) -> Self {
        Vec2::new(self.x.min(other.x), self.y.min(other.y))
    }

    fn upper(self, other: Self) -> Self {
        Vec2::new(self.x.max(other.x), self.y.max(other.y))
    }

    fn beyond(self, other: Self) -> bool {
        self.x > other.x || self.y > other.y
    }

    fn skin(soft: &SoftBody, from: usize) -> Vec<[usize; 2]> {
        soft.skin.iter().map(|ends| ends.map(|end| from + end)).collect()
    }

    #[inline]
    fn grow(skin: &[[usize; 2]], place: impl Fn(usize) -> Self, mut add: impl FnMut(usize, Self)) {
        for &[a, b] in skin {
            // The inside lies to the left, so that outwards is to the right.
            let push = -(place(b) - place(a)).left() * R::HALF;
            [a, b].into_iter().for_each(|node| add(node, push));
        }
    }

    fn turn_fitting(was: PlaneTurn<R>, pairs: &mut dyn Iterator<Item = (R, Self, Self)>) -> PlaneTurn<R> {
        let (mut along, mut across) = (R::ZERO, R::ZERO);
        for (weight, from, to) in pairs {
            along += weight * Vec2::dot(from, to);
            across += weight * from.cross(to);
        }
        let size = (along * along + across * across).sqrt();
        if size > R::ZERO { PlaneTurn([along / size, across / size]) } else { was }
    }

    fn turned(self, PlaneTurn([cos, sin]): PlaneTurn<R>) -> Self {
        Vec2::new(cos * self.x - sin * self.y, sin * self.x + cos * self.y)
    }
}

impl<R: Real> Place<R> for Vec3<R> {
    type Piece = [usize; 3];
    /// In double precision whatever the engine's: it is worked out anew at every evaluation.
    type Turn = DQuat;

    const ZERO: Self = Vec3::ZERO;

    fn of_space(v: DVec3) -> Self {
        Vec3::of(v)
    }

    fn to_space(self) -> DVec3 {
        Vec3::to_f64(self)
    }

    const AXES: f64 = 3.0;

    #[inline]
    fn row(self) -> Row<R> {
        [self.x, self.y, self.z, R::ZERO]
    }

    #[inline]
    fn of_row([x, y, z, _]: Row<R>) -> Self {
        Vec3::new(x, y, z)
    }

    #[inline]
    fn dot(self, other: Self) -> R {
        Vec3::dot(self, other)
    }

    #[inline]
    fn length(self) -> R {
        Vec3::length(self)
    }

    fn unit_or(self, other: Self) -> Self {
        Vec3::unit_or(self, other)
    }

    fn upward() -> Self {
        Vec3::axis(1)
    }

    fn alike(part: R) -> Self {
        Vec3::new(part, part, part)
    }

    fn lower(self, other: Self) -> Self {
        self.min(other)
    }

    fn upper(self, other: Self) -> Self {
        self.max(other)
    }

    fn beyond(self, other: Self) -> bool {
        self.x > other.x || self.y > other.y || self.z > other.z
    }

    fn skin(soft: &SoftBody, from: usize) -> Vec<[usize; 3]> {
        soft.faces.iter().map(|corners| corners.map(|corner| from + corner)).collect()
    }

    #[inline]
    fn grow(skin: &[[usize; 3]], place: impl Fn(usize) -> Self, mut add: impl FnMut(usize, Self)) {
        let sixth = R::of(1.0 / 6.0);
        for &[a, b, c] in skin {
            let push = (place(b) - place(a)).cross(place(c) - place(a)) * sixth;
            [a, b, c].into_iter().for_each(|node| add(node, push));
        }
    }

    fn turn_fitting(was: DQuat, pairs: &mut dyn Iterator<Item = (R, Self, Self)>) -> DQuat {
        best_turn(was, pairs.map(|(weight, from, to)| (weight.to_f64(), from.to_f64(), to.to_f64())))
    }

    fn turned(self, turn: DQuat) -> Self {
        Vec3::of(turn::turned(turn, self.to_f64()))
    }
}
