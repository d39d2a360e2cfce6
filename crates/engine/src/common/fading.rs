//! The exact course of a damped motion.

use crate::common::scalar::Real;

/// exp(-x), (1 - exp(-x)) / x and (x - 1 + exp(-x)) / x^2, the last two by their series where they would lose digits.
pub(crate) fn fading<R: Real>(x: R) -> [R; 3] {
    let whole = (-x).exp();
    if x > R::HALF {
        let first = (R::ONE - whole) / x;
        return [whole, first, (R::ONE - first) / x];
    }
    let (mut first, mut second) = (R::ZERO, R::ZERO);
    let mut term = R::ONE;
    for n in 1..16 {
        // The term is (-x)^(n-1) / (n-1)!.
        let next = term / R::of(f64::from(n));
        first += next;
        second += next / R::of(f64::from(n + 1));
        term = next * -x;
    }
    [whole, first, second]
}
