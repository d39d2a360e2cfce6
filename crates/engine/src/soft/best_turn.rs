//! The rotation that fits one set of points of space to another.
//!
//! Source: Horn, "Closed-form solution of absolute orientation using unit quaternions" (1987): it is the eigenvector of the largest eigenvalue of a
//! symmetric matrix of four rows; eigenvectors by Jacobi's rotations (Golub and Van Loan, Matrix Computations, section 8.5).

use ironspin_model::{DQuat, DVec3};

/// Eigenvalues nearer to the largest than this share of it belong to rotations that fit as well.
const EQUAL: f64 = 1e-9;
/// Rounds of Jacobi's rotations; each squares what is left, so that six are enough.
const ROUNDS: usize = 12;

/// The rotation that carries the first point of each pair nearest to the second, by their weights: the largest sum of weight second . R first.
/// Where several do as well, the one nearest to `was`.
pub(super) fn best_turn(was: DQuat, pairs: impl Iterator<Item = (f64, DVec3, DVec3)>) -> DQuat {
    let mut m = [[0.0; 3]; 3];
    for (weight, from, to) in pairs {
        for (row, &a) in m.iter_mut().zip(&from.to_array()) {
            for (sum, &b) in row.iter_mut().zip(&to.to_array()) {
                *sum += weight * a * b;
            }
        }
    }
    let [[xx, xy, xz], [yx, yy, yz], [zx, zy, zz]] = m;
    let matrix = [
        [xx + yy + zz, yz - zy, zx - xz, xy - yx],
        [yz - zy, xx - yy - zz, xy + yx, zx + xz],
        [zx - xz, xy + yx, yy - xx - zz, yz + zy],
        [xy - yx, zx + xz, yz + zy, zz - xx - yy],
    ];
    let size = matrix.iter().flatten().fold(0.0_f64, |most, part| most.max(part.abs()));
    if !(size > 0.0 && size.is_finite()) {
        return was;
    }
    let (values, vectors) = eigen(matrix.map(|row| row.map(|part| part / size)));
    let largest = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let old = [was.w, was.x, was.y, was.z];
    // What it was, seen in all that fit equally.
    let mut sum = [0.0; 4];
    let mut best = 0;
    for k in 0..4 {
        if values[k] > values[best] {
            best = k;
        }
        if largest - values[k] <= EQUAL {
            let share: f64 = (0..4).map(|row| vectors[row][k] * old[row]).sum();
            (0..4).for_each(|row| sum[row] += share * vectors[row][k]);
        }
    }
    let length = sum.iter().map(|part| part * part).sum::<f64>().sqrt();
    let [w, x, y, z] =
        if length > 1e-6 { sum.map(|part| part / length) } else { [0, 1, 2, 3].map(|row| vectors[row][best]) };
    DQuat::from_xyzw(x, y, z, w).normalize()
}

/// Eigenvalues and, as columns, eigenvectors of a symmetric matrix.
fn eigen(mut a: [[f64; 4]; 4]) -> ([f64; 4], [[f64; 4]; 4]) {
    let mut v = [[0.0; 4]; 4];
    (0..4).for_each(|k| v[k][k] = 1.0);
    for _ in 0..ROUNDS {
        let off: f64 = (0..4).flat_map(|p| (p + 1..4).map(move |q| (p, q))).map(|(p, q)| a[p][q] * a[p][q]).sum();
        if off < 1e-34 {
            break;
        }
        for p in 0..3 {
            for q in p + 1..4 {
                rotate(&mut a, &mut v, p, q);
            }
        }
    }
    ([0, 1, 2, 3].map(|k| a[k][k]), v)
}

/// Makes one entry off the diagonal vanish.
fn rotate(a: &mut [[f64; 4]; 4], v: &mut [[f64; 4]; 4], p: usize, q: usize) {
    if a[p][q] == 0.0 {
        return;
    }
    let theta = (a[q][q] - a[p][p]) / (2.0 * a[p][q]);
    let t = theta.signum() / (theta.abs() + (theta * theta + 1.0).sqrt());
    let t = if theta == 0.0 { 1.0 } else { t };
    let c = 1.0 / (t * t + 1.0).sqrt();
    let s = t * c;
    for row in a.iter_mut() {
        (row[p], row[q]) = (c * row[p] - s * row[q], s * row[p] + c * row[q]);
    }
    for column in 0..4 {
        (a[p][column], a[q][column]) = (c * a[p][column] - s * a[q][column], s * a[p][column] + c * a[q][column]);
    }
    for row in v.iter_mut() {
        (row[p], row[q]) = (c * row[p] - s * row[q], s * row[p] + c * row[q]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::turn;

    fn fitted(points: &[DVec3], by: DQuat, was: DQuat) -> DQuat {
        best_turn(was, points.iter().map(|&p| (2.0, p, turn::turned(by, p))))
    }

    fn angle(a: DQuat, b: DQuat) -> f64 {
        2.0 * (1.0 - a.dot(b).abs().min(1.0)).sqrt()
    }

    #[test]
    fn a_turned_shape_is_found_turned_back_and_half_a_turn_away_too() {
        let points = [DVec3::new(1.0, 0.2, 0.0), DVec3::new(-0.3, 1.0, 0.4), DVec3::new(0.0, -0.5, 0.9), DVec3::NEG_X];
        for by in [
            DQuat::from_xyzw(0.5, 0.5, 0.5, 0.5),
            DQuat::from_xyzw(1.0, 0.0, 0.0, 0.0),
            DQuat::from_xyzw(0.6, 0.0, 0.0, 0.8),
        ] {
            assert!(angle(fitted(&points, by, DQuat::IDENTITY), by) < 1e-7, "{by}");
        }
        // In a plane, too.
        let flat = [DVec3::X, DVec3::Y, -DVec3::X - DVec3::Y];
        let by = DQuat::from_xyzw(0.0, 0.6, 0.0, 0.8);
        assert!(angle(fitted(&flat, by, DQuat::IDENTITY), by) < 1e-7);
    }

    #[test]
    fn of_all_turns_that_fit_a_line_the_one_nearest_to_the_last_is_taken() {
        let line = [DVec3::X, -DVec3::X];
        let was = DQuat::from_xyzw(0.6, 0.0, 0.0, 0.8);
        // About the line nothing is known.
        assert!(angle(fitted(&line, DQuat::IDENTITY, was), was) < 1e-7);
        assert_eq!(best_turn(was, std::iter::empty()), was);
    }
}
