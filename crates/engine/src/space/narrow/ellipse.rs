//! The point of an ellipse nearest to a point of its plane.
//!
//! Source: Eberly, "Distance from a Point to an Ellipse" (2013), by the root of a decreasing function, found by halving and Newton's method.

use crate::common::scalar::Real;

/// Most steps; halving alone ends after as many as a number has digits.
const STEPS: u32 = 128;

/// An axis below this share of the other is nothing.
const THIN: f64 = 1e-9;

/// Unit vectors, by their parts along the two axes, in which a point lies nearest to the rim of an ellipse with half axes `long` and `short` about the
/// origin: outward normals at the nearest points of the rim, among all and among those beside them. For a thin one also those across it, and the way from
/// its nearer end.
pub(super) fn normals_toward<R: Real>(long: R, short: R, point: [R; 2]) -> [Option<[R; 2]>; 6] {
    let near = locally_best(long, short, point);
    let sign = |x: R| if x < R::ZERO { -R::ONE } else { R::ONE };
    let (sx, sy) = (sign(point[0]), sign(point[1]));
    let (x, y) = (point[0].abs(), point[1].abs());
    if !(short > R::of(THIN) * long) {
        let end = x - long;
        let length = (end * end + y * y).sqrt();
        let from_end = if length > R::ZERO { [sx * end / length, sy * y / length] } else { [sx, R::ZERO] };
        return [Some([R::ZERO, sy]), Some(from_end), near[0], near[1], near[2], near[3]];
    }
    let normal = if y > R::ZERO {
        let ratio = long / short;
        let ratio = ratio * ratio;
        let (u, v) = (x / long, y / short);
        // In s + 1, which keeps its digits where s comes near -1.
        let shift = root(ratio, u, v);
        [u * long / (shift - R::ONE + ratio), v * short / shift]
    } else {
        let beyond = long * x;
        let square = long * long - short * short;
        if beyond < square {
            let share = beyond / square;
            [share / long, (R::ONE - share * share).max(R::ZERO).sqrt() / short]
        } else {
            [R::ONE, R::ZERO]
        }
    };
    let length = (normal[0] * normal[0] + normal[1] * normal[1]).sqrt();
    let unit = if length > R::ZERO { [sx * normal[0] / length, sy * normal[1] / length] } else { [sx, R::ZERO] };
    [Some(unit), Some([unit[0], -unit[1]]), near[0], near[1], near[2], near[3]]
}

/// Directions tried around the rim: evenly by their own angle, and by that of the circle that the ellipse is a shadow of.
const SAMPLES: usize = 64;

/// Steps by which one is made better.
const REFINED: u32 = 44;

/// Directions such that none beside them parts the rim and the point by more; each may be found twice.
fn locally_best<R: Real>(long: R, short: R, point: [R; 2]) -> [Option<[R; 2]>; 4] {
    let gap = |[p, q]: [R; 2]| {
        let (a, b) = (long * p, short * q);
        (point[0] * p + point[1] * q) - (a * a + b * b).sqrt()
    };
    let (sin, cos) = R::of(std::f64::consts::TAU / SAMPLES as f64).sin_cos();
    let mut even = [[R::ONE, R::ZERO]; SAMPLES];
    for k in 1..SAMPLES {
        let [p, q] = even[k - 1];
        even[k] = [p * cos - q * sin, p * sin + q * cos];
    }
    let shadows = even.map(|[p, q]| {
        let (a, b) = (short * p, long * q);
        let length = (a * a + b * b).sqrt();
        if length > R::ZERO { [a / length, b / length] } else { [R::ONE, R::ZERO] }
    });
    let mut found = [None; 4];
    for (ways, found) in [even, shadows].iter().zip(found.chunks_exact_mut(2)) {
        let gaps = ways.map(gap);
        let mut count = 0;
        for k in 0..SAMPLES {
            let (before, after) = ((k + SAMPLES - 1) % SAMPLES, (k + 1) % SAMPLES);
            if count < 2 && gaps[k] >= gaps[before] && gaps[k] > gaps[after] {
                found[count] = Some(refined(&gap, ways[before], ways[after]));
                count += 1;
            }
        }
    }
    found
}

/// Golden sections between two directions (Kiefer, 1953).
fn refined<R: Real>(gap: &dyn Fn([R; 2]) -> R, from: [R; 2], to: [R; 2]) -> [R; 2] {
    let at = |share: R| {
        let way = [from[0] + (to[0] - from[0]) * share, from[1] + (to[1] - from[1]) * share];
        let length = (way[0] * way[0] + way[1] * way[1]).sqrt();
        [way[0] / length, way[1] / length]
    };
    let golden = R::of(0.618_033_988_749_894_9);
    let (mut low, mut high) = (R::ZERO, R::ONE);
    let (mut p, mut q) = (R::ONE - golden, golden);
    let (mut at_p, mut at_q) = (gap(at(p)), gap(at(q)));
    for _ in 0..REFINED {
        if at_p > at_q {
            (high, q, at_q) = (q, p, at_p);
            p = high - (high - low) * golden;
            at_p = gap(at(p));
        } else {
            (low, p, at_p) = (p, q, at_q);
            q = low + (high - low) * golden;
            at_q = gap(at(q));
        }
    }
    at((low + high) * R::HALF)
}

/// The root over t > 0 of (r u / (t - 1 + r))² + (v / t)² - 1.
fn root<R: Real>(ratio: R, u: R, v: R) -> R {
    let (mut low, mut high) = (v, ((ratio * u) * (ratio * u) + v * v).sqrt());
    let mut t = if low > R::ZERO { low } else { high };
    for _ in 0..STEPS {
        let (p, q) = (ratio * u / (t - R::ONE + ratio), v / t);
        let value = p * p + q * q - R::ONE;
        if value > R::ZERO {
            low = t;
        } else if value < R::ZERO {
            high = t;
        } else {
            return t;
        }
        let slope = -(p * p / (t - R::ONE + ratio) + q * q / t) * R::TWO;
        let newton = t - value / slope;
        let next = if newton > low && newton < high { newton } else { (low + high) * R::HALF };
        if next == t || !(high - low > R::EPSILON * high) {
            return next;
        }
        t = next;
    }
    t
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_point_of_the_rim_is_nearer_than_the_one_found() {
        for (long, short) in [(2.0_f64, 1.0_f64), (1.0, 1.0), (3.0, 1e-3), (1.0, 0.0)] {
            for point in [[0.3, 0.2], [2.5, -1.5], [-0.1, 0.0], [1.9, 1e-9], [0.0, 0.4], [-5.0, 3.0], [0.0, 0.0]] {
                let height = |u: [f64; 2]| ((long * u[0]).powi(2) + (short * u[1]).powi(2)).sqrt();
                let gap = |u: [f64; 2]| u[0] * point[0] + u[1] * point[1] - height(u);
                let found =
                    normals_toward(long, short, point).into_iter().flatten().map(gap).fold(f64::NEG_INFINITY, f64::max);
                let best = (0..100_000)
                    .map(|k| f64::from(k) * std::f64::consts::TAU / 1e5)
                    .map(|t| gap([t.cos(), t.sin()]))
                    .fold(f64::NEG_INFINITY, f64::max);
                assert!(found >= best - 1e-12 && found <= best + 1e-4, "{long} {short} {point:?}: {found} {best}");
            }
        }
    }
}
