//! Plane vectors and rotations.

use crate::common::scalar::Real;
use std::ops::{Add, AddAssign, Mul, Neg, Sub, SubAssign};

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Vec2<R> {
    pub(crate) x: R,
    pub(crate) y: R,
}

impl<R: Real> Vec2<R> {
    pub(crate) const ZERO: Self = Vec2 { x: R::ZERO, y: R::ZERO };

    pub(crate) fn new(x: R, y: R) -> Self {
        Vec2 { x, y }
    }

    pub(crate) fn of(v: glam::DVec2) -> Self {
        Vec2 { x: R::of(v.x), y: R::of(v.y) }
    }

    pub(crate) fn to_f64(self) -> glam::DVec2 {
        glam::DVec2::new(self.x.to_f64(), self.y.to_f64())
    }

    #[inline]
    pub(crate) fn dot(self, other: Self) -> R {
        self.x * other.x + self.y * other.y
    }

    /// z component of the cross product.
    #[inline]
    pub(crate) fn cross(self, other: Self) -> R {
        self.x * other.y - self.y * other.x
    }

    /// A quarter turn counter-clockwise; also the velocity of this point about the origin at spin 1.
    #[inline]
    pub(crate) fn left(self) -> Self {
        Vec2 { x: -self.y, y: self.x }
    }

    #[inline]
    pub(crate) fn length(self) -> R {
        self.dot(self).sqrt()
    }

    /// The unit vector along this one, or `other` for the zero vector.
    pub(crate) fn unit_or(self, other: Self) -> Self {
        // Scaled by the larger component first, so that tiny and huge vectors keep their direction.
        let largest = self.x.abs().max(self.y.abs());
        if !(largest > R::ZERO && largest < R::INFINITY) {
            return other;
        }
        let scaled = Vec2 { x: self.x / largest, y: self.y / largest };
        let length = scaled.length();
        Vec2 { x: scaled.x / length, y: scaled.y / length }
    }
}

impl<R: Real> Add for Vec2<R> {
    type Output = Self;
    #[inline]
    fn add(self, other: Self) -> Self {
        Vec2 { x: self.x + other.x, y: self.y + other.y }
    }
}

impl<R: Real> Sub for Vec2<R> {
    type Output = Self;
    #[inline]
    fn sub(self, other: Self) -> Self {
        Vec2 { x: self.x - other.x, y: self.y - other.y }
    }
}

impl<R: Real> Neg for Vec2<R> {
    type Output = Self;
    #[inline]
    fn neg(self) -> Self {
        Vec2 { x: -self.x, y: -self.y }
    }
}

impl<R: Real> Mul<R> for Vec2<R> {
    type Output = Self;
    #[inline]
    fn mul(self, factor: R) -> Self {
        Vec2 { x: self.x * factor, y: self.y * factor }
    }
}

impl<R: Real> AddAssign for Vec2<R> {
    #[inline]
    fn add_assign(&mut self, other: Self) {
        *self = *self + other;
    }
}

impl<R: Real> SubAssign for Vec2<R> {
    #[inline]
    fn sub_assign(&mut self, other: Self) {
        *self = *self - other;
    }
}

/// A rotation as cosine and sine.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Rotation<R> {
    cos: R,
    sin: R,
}

impl<R: Real> Default for Rotation<R> {
    fn default() -> Self {
        Rotation { cos: R::ONE, sin: R::ZERO }
    }
}

impl<R: Real> Rotation<R> {
    pub(crate) fn by(angle: R) -> Self {
        let (sin, cos) = angle.sin_cos();
        Rotation { cos, sin }
    }

    /// From the body's frame to the world's.
    #[inline]
    pub(crate) fn turn(self, v: Vec2<R>) -> Vec2<R> {
        Vec2 { x: self.cos * v.x - self.sin * v.y, y: self.sin * v.x + self.cos * v.y }
    }
}

/// A place in the plane: rotation, then translation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Pose<R> {
    pub(crate) position: Vec2<R>,
    pub(crate) rotation: Rotation<R>,
}

impl<R: Real> Pose<R> {
    #[inline]
    pub(crate) fn point(&self, local: Vec2<R>) -> Vec2<R> {
        self.position + self.rotation.turn(local)
    }
}
