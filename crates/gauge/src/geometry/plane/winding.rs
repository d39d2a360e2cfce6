//! How often a closed chain goes round a point.

use ironspin_model::DVec2;

/// The winding number of a closed chain of points (the last joined to the first) round a point: 0 outside, without the rounding
/// of angles (Sunday, "Inclusion of a point in a polygon", 2001).
pub(crate) fn winding(chain: &[DVec2], point: DVec2) -> i32 {
    let mut turns = 0;
    for (i, &p) in chain.iter().enumerate() {
        let q = chain[(i + 1) % chain.len()];
        let side = (q - p).perp_dot(point - p);
        if p.y <= point.y && q.y > point.y && side > 0.0 {
            turns += 1;
        } else if p.y > point.y && q.y <= point.y && side < 0.0 {
            turns -= 1;
        }
    }
    turns
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_basin_holds_what_is_inside_and_a_chain_run_twice_counts_twice() {
        let basin: Vec<DVec2> =
            [(0.0, 0.0), (4.0, 0.0), (4.0, 3.0), (2.0, 1.0), (0.0, 3.0)].map(|(x, y)| DVec2::new(x, y)).to_vec();
        assert_eq!(winding(&basin, DVec2::new(1.0, 1.0)), 1);
        assert_eq!(winding(&basin, DVec2::new(2.0, 2.0)), 0);
        assert_eq!(winding(&basin, DVec2::new(-1.0, 0.0)), 0);
        let twice = [basin.clone(), basin.clone()].concat();
        assert_eq!(winding(&twice, DVec2::new(1.0, 1.0)), 2);
        let back: Vec<DVec2> = basin.into_iter().rev().collect();
        assert_eq!(winding(&back, DVec2::new(1.0, 1.0)), -1);
    }

    proptest! {
        /// Against the sum of the angles under which the point sees the edges.
        #[test]
        fn agrees_with_the_sum_of_angles(points in prop::collection::vec((-3.0..3.0_f64, -3.0..3.0_f64), 3..9), x in -3.0..3.0_f64, y in -3.0..3.0_f64) {
            let chain: Vec<DVec2> = points.into_iter().map(|(x, y)| DVec2::new(x, y)).collect();
            let point = DVec2::new(x, y);
            let sum: f64 = (0..chain.len()).map(|i| {
                let (p, q) = (chain[i] - point, chain[(i + 1) % chain.len()] - point);
                p.perp_dot(q).atan2(p.dot(q))
            }).sum();
            prop_assert_eq!(winding(&chain, point), (sum / std::f64::consts::TAU).round() as i32);
        }
    }
}
