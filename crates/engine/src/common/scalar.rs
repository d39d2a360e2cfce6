//! The scalar the engine is generic over.

use std::fmt::Debug;
use std::ops::{Add, AddAssign, Div, Mul, Neg, Sub, SubAssign};

/// A floating-point number. Transcendental functions come from `libm`, so that results do not depend on the platform.
pub(crate) trait Real:
    Copy
    + Debug
    + Default
    + PartialEq
    + PartialOrd
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + Div<Output = Self>
    + Neg<Output = Self>
    + AddAssign
    + SubAssign
    + Send
    + Sync
    + 'static
{
    const ZERO: Self;
    const ONE: Self;
    const TWO: Self;
    const HALF: Self;
    const INFINITY: Self;
    /// The share by which numbers are rounded.
    const EPSILON: Self;
    /// The share of a step below which two times are as good as one, some thousand roundings and more.
    const INSTANT: Self;

    fn of(value: f64) -> Self;
    fn to_f64(self) -> f64;
    fn sqrt(self) -> Self;
    fn abs(self) -> Self;
    fn min(self, other: Self) -> Self;
    fn max(self, other: Self) -> Self;
    fn exp(self) -> Self;
    /// Sine and cosine.
    fn sin_cos(self) -> (Self, Self);
    /// The angle of a point with this height above the axis and `x` along it.
    fn atan2(self, x: Self) -> Self;
    /// The nearest whole number.
    fn round(self) -> Self;

    /// The value held between two others.
    fn held(self, low: Self, high: Self) -> Self {
        self.max(low).min(high)
    }
}

macro_rules! real {
    ($scalar:ty, $instant:expr, $sin:path, $cos:path, $exp:path, $atan2:path) => {
        impl Real for $scalar {
            const ZERO: Self = 0.0;
            const ONE: Self = 1.0;
            const TWO: Self = 2.0;
            const HALF: Self = 0.5;
            const INFINITY: Self = <$scalar>::INFINITY;
            const EPSILON: Self = <$scalar>::EPSILON;
            const INSTANT: Self = $instant;

            #[inline]
            fn of(value: f64) -> Self {
                value as $scalar
            }
            #[inline]
            fn to_f64(self) -> f64 {
                f64::from(self)
            }
            #[inline]
            fn sqrt(self) -> Self {
                <$scalar>::sqrt(self)
            }
            #[inline]
            fn abs(self) -> Self {
                <$scalar>::abs(self)
            }
            #[inline]
            fn min(self, other: Self) -> Self {
                if self < other { self } else { other }
            }
            #[inline]
            fn max(self, other: Self) -> Self {
                if self > other { self } else { other }
            }
            #[inline]
            fn exp(self) -> Self {
                $exp(self)
            }
            #[inline]
            fn sin_cos(self) -> (Self, Self) {
                ($sin(self), $cos(self))
            }
            #[inline]
            fn atan2(self, x: Self) -> Self {
                $atan2(self, x)
            }
            #[inline]
            fn round(self) -> Self {
                <$scalar>::round(self)
            }
        }
    };
}

real!(f64, 1e-9, libm::sin, libm::cos, libm::exp, libm::atan2);
real!(f32, 1e-4, libm::sinf, libm::cosf, libm::expf, libm::atan2f);
