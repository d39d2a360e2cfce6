//! Vectors, matrices and rotations of space in the engine's own scalar.

use crate::common::scalar::Real;
use ironspin_model::{DMat3, DQuat, DVec3};
use std::ops::{Add, AddAssign, Mul, Neg, Sub, SubAssign};

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Vec3<R> {
    pub(crate) x: R,
    pub(crate) y: R,
    pub(crate) z: R,
}

impl<R: Real> Vec3<R> {
    pub(crate) const ZERO: Self = Vec3 { x: R::ZERO, y: R::ZERO, z: R::ZERO };

    #[inline]
    pub(crate) fn new(x: R, y: R, z: R) -> Self {
        Vec3 { x, y, z }
    }

    pub(crate) fn of(v: DVec3) -> Self {
        Vec3 { x: R::of(v.x), y: R::of(v.y), z: R::of(v.z) }
    }

    pub(crate) fn to_f64(self) -> DVec3 {
        DVec3::new(self.x.to_f64(), self.y.to_f64(), self.z.to_f64())
    }

    /// The unit vector of an axis, 0 to 2.
    #[inline(always)]
    pub(crate) fn axis(number: usize) -> Self {
        let one = |axis: usize| if axis == number { R::ONE } else { R::ZERO };
        Vec3 { x: one(0), y: one(1), z: one(2) }
    }

    #[inline(always)]
    pub(crate) fn component(self, axis: usize) -> R {
        match axis {
            0 => self.x,
            1 => self.y,
            _ => self.z,
        }
    }

    #[inline(always)]
    pub(crate) fn dot(self, other: Self) -> R {
        self.x * other.x + self.y * other.y + self.z * other.z
    }

    /// Each component of a difference of two products, so that a mirror changes signs and no bit else.
    #[inline(always)]
    pub(crate) fn cross(self, other: Self) -> Self {
        Vec3 {
            x: self.y * other.z - self.z * other.y,
            y: self.z * other.x - self.x * other.z,
            z: self.x * other.y - self.y * other.x,
        }
    }

    #[inline(always)]
    pub(crate) fn length(self) -> R {
        self.dot(self).sqrt()
    }

    /// The vector of length one along it; another one where it has no direction.
    #[inline(always)]
    pub(crate) fn unit_or(self, other: Self) -> Self {
        let length = self.length();
        if length > R::ZERO && length < R::INFINITY { self * (R::ONE / length) } else { other }
    }

    #[inline(always)]
    pub(crate) fn abs(self) -> Self {
        Vec3 { x: self.x.abs(), y: self.y.abs(), z: self.z.abs() }
    }

    #[inline(always)]
    pub(crate) fn min(self, other: Self) -> Self {
        Vec3 { x: self.x.min(other.x), y: self.y.min(other.y), z: self.z.min(other.z) }
    }

    #[inline(always)]
    pub(crate) fn max(self, other: Self) -> Self {
        Vec3 { x: self.x.max(other.x), y: self.y.max(other.y), z: self.z.max(other.z) }
    }

    #[inline(always)]
    pub(crate) fn largest(self) -> R {
        self.x.max(self.y).max(self.z)
    }

    /// Two unit vectors across a unit vector and each other: the first along the axis that it is furthest from.
    #[inline(always)]
    pub(crate) fn across(self) -> [Self; 2] {
        let size = self.abs();
        let axis = if size.x <= size.y && size.x <= size.z {
            0
        } else if size.y <= size.z {
            1
        } else {
            2
        };
        let one = |number: usize| if axis == number { R::ONE } else { R::ZERO };
        let axis = Vec3 { x: one(0), y: one(1), z: one(2) };
        let first = self.cross(axis).unit_or(axis);
        [first, self.cross(first)]
    }
}

impl<R: Real> Add for Vec3<R> {
    type Output = Self;
    #[inline(always)]
    fn add(self, other: Self) -> Self {
        Vec3 { x: self.x + other.x, y: self.y + other.y, z: self.z + other.z }
    }
}

impl<R: Real> Sub for Vec3<R> {
    type Output = Self;
    #[inline(always)]
    fn sub(self, other: Self) -> Self {
        Vec3 { x: self.x - other.x, y: self.y - other.y, z: self.z - other.z }
    }
}

impl<R: Real> Neg for Vec3<R> {
    type Output = Self;
    #[inline(always)]
    fn neg(self) -> Self {
        Vec3 { x: -self.x, y: -self.y, z: -self.z }
    }
}

impl<R: Real> Mul<R> for Vec3<R> {
    type Output = Self;
    #[inline(always)]
    fn mul(self, factor: R) -> Self {
        Vec3 { x: self.x * factor, y: self.y * factor, z: self.z * factor }
    }
}

impl<R: Real> AddAssign for Vec3<R> {
    #[inline]
    fn add_assign(&mut self, other: Self) {
        *self = *self + other;
    }
}

impl<R: Real> SubAssign for Vec3<R> {
    #[inline]
    fn sub_assign(&mut self, other: Self) {
        *self = *self - other;
    }
}

/// A matrix of three columns.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Mat3<R>(pub(crate) [Vec3<R>; 3]);

impl<R: Real> Mat3<R> {
    pub(crate) const ZERO: Self = Mat3([Vec3::ZERO; 3]);

    pub(crate) fn of(m: DMat3) -> Self {
        Mat3([Vec3::of(m.x_axis), Vec3::of(m.y_axis), Vec3::of(m.z_axis)])
    }

    /// The same number along every axis.
    #[inline(always)]
    pub(crate) fn alike(number: R) -> Self {
        Mat3([0, 1, 2].map(|axis| Vec3::axis(axis) * number))
    }

    #[inline(always)]
    pub(crate) fn times(&self, v: Vec3<R>) -> Vec3<R> {
        let [x, y, z] = self.0;
        x * v.x + y * v.y + z * v.z
    }

    /// The transposed matrix times a vector.
    #[inline(always)]
    pub(crate) fn times_back(&self, v: Vec3<R>) -> Vec3<R> {
        let [x, y, z] = self.0;
        Vec3 { x: x.dot(v), y: y.dot(v), z: z.dot(v) }
    }

    #[inline(always)]
    pub(crate) fn plus(&self, other: &Self) -> Self {
        Mat3([0, 1, 2].map(|k| self.0[k] + other.0[k]))
    }

    /// R M Rᵀ: a matrix along turned axes.
    pub(crate) fn turned(&self, axes: &Mat3<R>) -> Self {
        // Columns of M Rᵀ, which are M times the rows of R.
        let [x, y, z] = axes.0;
        let rows = [Vec3::new(x.x, y.x, z.x), Vec3::new(x.y, y.y, z.y), Vec3::new(x.z, y.z, z.z)];
        Mat3(rows.map(|row| axes.times(self.times(row))))
    }

    /// R D Rᵀ: a diagonal matrix along turned axes.
    #[inline(always)]
    pub(crate) fn stretched(diagonal: Vec3<R>, axes: &Mat3<R>) -> Self {
        let [x, y, z] = axes.0;
        let column =
            |row: [R; 3]| axes.times(Vec3 { x: diagonal.x * row[0], y: diagonal.y * row[1], z: diagonal.z * row[2] });
        Mat3([column([x.x, y.x, z.x]), column([x.y, y.y, z.y]), column([x.z, y.z, z.z])])
    }

    /// The inverse of a matrix that has one; by cofactors.
    pub(crate) fn inverse(&self) -> Self {
        let [a, b, c] = self.0;
        let rows = [b.cross(c), c.cross(a), a.cross(b)];
        let scale = R::ONE / a.dot(rows[0]);
        let [p, q, r] = rows.map(|row| row * scale);
        Mat3([Vec3::new(p.x, q.x, r.x), Vec3::new(p.y, q.y, r.y), Vec3::new(p.z, q.z, r.z)])
    }

    pub(crate) fn trace(&self) -> R {
        let [x, y, z] = self.0;
        x.x + y.y + z.z
    }
}

/// Square of an angle below which a rotation is worked out by a series.
pub(crate) const SMALL_SQUARE: f64 = 0.1;

/// A rotation as a unit quaternion.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Quat<R> {
    pub(crate) w: R,
    pub(crate) v: Vec3<R>,
}

impl<R: Real> Default for Quat<R> {
    fn default() -> Self {
        Quat { w: R::ONE, v: Vec3::ZERO }
    }
}

impl<R: Real> Quat<R> {
    /// Of length one, whatever the length of what is given.
    pub(crate) fn of(q: DQuat) -> Self {
        let exact = Quat { w: R::of(q.w), v: Vec3::new(R::of(q.x), R::of(q.y), R::of(q.z)) };
        exact.of_unit_length()
    }

    pub(crate) fn to_f64(self) -> DQuat {
        DQuat::from_xyzw(self.v.x.to_f64(), self.v.y.to_f64(), self.v.z.to_f64(), self.w.to_f64())
    }

    /// First `second`, then this one.
    #[inline(always)]
    pub(crate) fn after(self, second: Self) -> Self {
        let (a, b) = (self, second);
        Quat { w: a.w * b.w - a.v.dot(b.v), v: b.v * a.w + a.v * b.w + a.v.cross(b.v) }
    }

    /// The rotation that undoes this one.
    #[inline]
    pub(crate) fn turned_back(self) -> Self {
        Quat { w: self.w, v: -self.v }
    }

    /// The rotation vector: along the axis, as long as the angle, half a circle at most.
    pub(crate) fn vector(self) -> Vec3<R> {
        let sine = self.v.length();
        if !(sine > R::ZERO) {
            return Vec3::ZERO;
        }
        let (sine_of, w) = if self.w < R::ZERO { (-sine, -self.w) } else { (sine, self.w) };
        self.v * (R::TWO * sine.atan2(w) / sine_of)
    }

    /// The rotation by a vector whose length is the angle.
    pub(crate) fn by(vector: Vec3<R>) -> Self {
        let square = vector.dot(vector);
        if square < R::of(SMALL_SQUARE) {
            return Quat::by_little(vector);
        }
        let angle = square.sqrt();
        let (sin, cos) = (R::HALF * angle).sin_cos();
        Quat { w: cos, v: vector * (sin / angle) }
    }

    /// The same for an angle whose square is below [`SMALL_SQUARE`].
    #[inline(always)]
    pub(crate) fn by_little(vector: Vec3<R>) -> Self {
        // The series of sine and cosine of the half angle, whose next terms are below the rounding.
        let x = vector.dot(vector) * R::of(0.25);
        let series =
            |terms: &[f64]| terms.iter().rev().fold(R::ZERO, |sum, &term| R::ONE - x * sum * R::of(1.0 / term));
        let (sine, cosine) = (series(&[6.0, 20.0, 42.0, 72.0, 110.0]), series(&[2.0, 12.0, 30.0, 56.0, 90.0, 132.0]));
        Quat { w: cosine, v: vector * (R::HALF * sine) }
    }

    /// The smallest rotation that brings one direction to another of the same length, close to it.
    #[inline(always)]
    pub(crate) fn between(from: Vec3<R>, to: Vec3<R>) -> Self {
        let square = (from.dot(from) * to.dot(to)).sqrt();
        if !(square > R::ZERO) {
            return Quat::default();
        }
        Quat { w: square + from.dot(to), v: from.cross(to) }.of_unit_length()
    }

    /// The same rotation with a quaternion of length one. What is there within a rounding or two is left alone.
    #[inline(always)]
    pub(crate) fn of_unit_length(self) -> Self {
        let square = self.w * self.w + self.v.dot(self.v);
        if (square - R::ONE).abs() <= R::TWO * R::EPSILON || !(square > R::ZERO) {
            return self;
        }
        let scale = R::ONE / square.sqrt();
        Quat { w: self.w * scale, v: self.v * scale }
    }

    /// Where it turns the axes.
    #[inline(always)]
    pub(crate) fn axes(self) -> Mat3<R> {
        let Quat { w, v: Vec3 { x, y, z } } = self;
        let two = |a: R| a + a;
        Mat3([
            Vec3::new(R::ONE - two(y * y + z * z), two(x * y + w * z), two(x * z - w * y)),
            Vec3::new(two(x * y - w * z), R::ONE - two(x * x + z * z), two(y * z + w * x)),
            Vec3::new(two(x * z + w * y), two(y * z - w * x), R::ONE - two(x * x + y * y)),
        ])
    }
}

/// A place and where the axes are turned.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pose<R> {
    pub(crate) position: Vec3<R>,
    pub(crate) axes: Mat3<R>,
}

impl<R: Real> Pose<R> {
    #[inline]
    pub(crate) fn point(&self, local: Vec3<R>) -> Vec3<R> {
        self.position + self.axes.times(local)
    }

    #[inline]
    pub(crate) fn point_back(&self, world: Vec3<R>) -> Vec3<R> {
        self.axes.times_back(world - self.position)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rotation_turns_as_its_matrix_does() {
        let q = Quat::<f64>::by(Vec3::new(0.3, -1.1, 0.7));
        let v = Vec3::new(1.0, 2.0, 3.0);
        let rotation = q.to_f64();
        assert!((q.axes().times(v).to_f64() - rotation * v.to_f64()).length() < 1e-15);
        assert!((q.axes().times_back(q.axes().times(v)) - v).length() < 1e-14);
        let other = Quat::by(Vec3::new(-0.2, 0.4, 0.1));
        let both = q.after(other);
        assert!((both.axes().times(v) - q.axes().times(other.axes().times(v))).length() < 1e-14);
        let small = Quat::between(v, v + Vec3::new(1e-3, 0.0, -1e-3));
        assert!(small.axes().times(v).cross(v + Vec3::new(1e-3, 0.0, -1e-3)).length() < 1e-14);
    }

    #[test]
    fn a_matrix_and_its_inverse_undo_each_other() {
        let axes = Quat::<f64>::by(Vec3::new(0.3, -1.1, 0.7)).axes();
        let m = Mat3([Vec3::axis(0), Vec3::axis(1) * 2.0, Vec3::axis(2) * 3.0]).turned(&axes);
        let v = Vec3::new(1.0, 2.0, 3.0);
        assert!((m.inverse().times(m.times(v)) - v).length() < 1e-14);
        assert!((m.trace() - 6.0).abs() < 1e-14 && (m.times(axes.0[1]) - axes.0[1] * 2.0).length() < 1e-14);
    }
}
