//! Depth of two overlapping outlines of which one is round, by the support function of their difference.
//!
//! The shortest way out is the direction in which the difference reaches least. Directions are searched by branch and bound (Land and Doig, 1960): of a
//! spherical triangle a point of the difference, found at one corner, tells how far it reaches at least along every direction amid it.

use super::difference::{Corner, Difference, Nearest};
use ironspin_model::DVec3;
use std::cmp::Ordering;
use std::collections::BinaryHeap;

/// Triangles cut in all, and cut before the search stays near the best direction: where a whole ring of directions is as short, it would not end.
const CUTS: usize = 6000;
const WIDE_CUTS: usize = 3000;

/// Cosine of the angle within which the rest of the search stays.
const NEAR: f64 = 0.9999;

/// A direction, and the point of the difference that lies furthest along it.
#[derive(Clone, Copy)]
struct Tried {
    along: DVec3,
    corner: Corner,
    /// The same of the grown difference.
    at: DVec3,
    reach: f64,
}

/// A spherical triangle of directions.
struct Triangle {
    tried: [Tried; 3],
    /// The difference reaches at least so far along every direction amid it.
    least: f64,
    /// Which came first, so that none are alike.
    number: usize,
}

impl Triangle {
    fn new(tried: [Tried; 3], number: usize) -> Self {
        // Sound where it is not below nothing: directions amid three of unit length are sums of them with weights of one and more in all.
        let heights = tried.map(|point| tried.map(|other| point.at.dot(other.along)));
        Triangle { tried, least: value_of_game(&heights).max(0.0), number }
    }
}

/// The largest over all mixtures of rows of their least entry: any point between those found belongs to the difference too. Source: von Neumann, "Zur
/// Theorie der Gesellschaftsspiele" (1928); for three rows, by the mixtures at which columns are alike.
fn value_of_game(rows: &[[f64; 3]; 3]) -> f64 {
    let least = |mixture: [f64; 3]| {
        (0..3).map(|j| (0..3).map(|i| mixture[i] * rows[i][j]).sum::<f64>()).fold(f64::INFINITY, f64::min)
    };
    let mut best = f64::NEG_INFINITY;
    for i in 0..3 {
        let mut pure = [0.0; 3];
        pure[i] = 1.0;
        best = best.max(least(pure));
        let k = (i + 1) % 3;
        for (j, l) in [(0, 1), (1, 2), (2, 0)] {
            // The share of row i at which columns j and l are alike.
            let (own, other) = (rows[i][j] - rows[i][l], rows[k][j] - rows[k][l]);
            let share = other / (other - own);
            if share > 0.0 && share < 1.0 {
                let mut mixture = [0.0; 3];
                (mixture[i], mixture[k]) = (share, 1.0 - share);
                best = best.max(least(mixture));
            }
        }
    }
    // All three columns alike.
    let [a, b, c] = rows.map(DVec3::from_array);
    let shares = DVec3::new(b.cross(c).dot(DVec3::ONE), c.cross(a).dot(DVec3::ONE), a.cross(b).dot(DVec3::ONE));
    let sum = shares.dot(DVec3::ONE);
    let mixture = shares / sum;
    if mixture.min_element() >= 0.0 && mixture.is_finite() { best.max(least(mixture.to_array())) } else { best }
}

impl PartialEq for Triangle {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Triangle {}

impl PartialOrd for Triangle {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Triangle {
    /// The one with the least bound comes out of the heap first.
    fn cmp(&self, other: &Self) -> Ordering {
        other.least.total_cmp(&self.least).then(other.number.cmp(&self.number))
    }
}

/// The gap of two outlines that overlap, or are apart by less than `grown`, with the shortest way: the difference grown by a ball of that radius reaches as
/// much further along every direction.
pub(super) fn find(difference: &Difference<'_>, grown: f64) -> Nearest {
    let look = |along: DVec3| {
        let along = along.normalize();
        let corner = difference.support(along);
        let at = corner.at + along * grown;
        Tried { along, corner, at, reach: at.dot(along) }
    };
    let axes = [DVec3::X, DVec3::Y, DVec3::Z];
    let mut best = look(DVec3::X);
    let mut heap = BinaryHeap::new();
    let mut number = 0;
    for octant in 0..8 {
        let side = |axis: usize| if octant >> axis & 1 == 1 { -axes[axis] } else { axes[axis] };
        let tried = [look(side(0)), look(side(1)), look(side(2))];
        for one in tried {
            if one.reach < best.reach {
                best = one;
            }
        }
        heap.push(Triangle::new(tried, number));
        number += 1;
    }
    for cut in 0..CUTS {
        let Some(triangle) = heap.pop() else { break };
        if triangle.least >= best.reach - difference.fine {
            break;
        }
        let far = |tried: &Tried| tried.along.dot(best.along) < NEAR;
        if cut > WIDE_CUTS && triangle.tried.iter().all(far) {
            continue;
        }
        // Across its longest side.
        let [p, q, r] = triangle.tried;
        let sides = [[p, q, r], [q, r, p], [r, p, q]];
        let chord = |side: &[Tried; 3]| side[0].along.distance_squared(side[1].along);
        let longest = sides.iter().fold(&sides[0], |best, side| if chord(side) > chord(best) { side } else { best });
        let [from, to, other] = *longest;
        let middle = look(from.along + to.along);
        if middle.reach < best.reach {
            best = middle;
        }
        for tried in [[from, middle, other], [middle, to, other]] {
            heap.push(Triangle::new(tried, number));
            number += 1;
        }
    }
    let [on_a, on_b] = difference.sources(&[best.corner], &[1.0]);
    Nearest { distance: grown - best.reach.max(0.0), normal: -best.along, on_a, on_b }
}
