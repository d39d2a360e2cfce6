//! Comparisons of a box with runs of eight by vectors, without a branch that nobody could foresee. The pairs are the same.

use crate::common::found::Found;
use crate::space::grid::Grid;
#[cfg(target_arch = "x86_64")]
use crate::{
    common::blocks::{Chosen, chosen, chosen_pairs},
    common::found::BLOCK,
};
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::{
    __m256, _CMP_LE_OQ, _mm256_and_ps, _mm256_cmp_ps, _mm256_movemask_ps, _mm256_set1_epi32, _mm256_set1_ps,
    _mm256_setr_epi32, _mm256_setr_ps,
};

impl Grid {
    /// Compares all boxes of a grid that is not wrapped, until there are more than `most` pairs; `rows` is how much further on the rows of neighbours
    /// are. Says no when there are no such vectors.
    pub(super) fn gather_wide(&self, rows: [usize; 4], most: usize, found: &mut Found) -> bool {
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") && is_x86_feature_detected!("popcnt") {
            // SAFETY: the machine has the instructions.
            #[allow(unsafe_code)]
            unsafe {
                self.gather_avx2(rows, most, found);
            }
            return true;
        }
        false
    }
}

/// The boxes of each set, whose bits are in their order.
#[cfg(target_arch = "x86_64")]
const CHOSEN: Chosen = chosen([0, 1, 2, 3, 4, 5, 6, 7]);

/// Six sides of eight boxes, or those of one eight times.
#[cfg(target_arch = "x86_64")]
struct Eight {
    low: [__m256; 3],
    high: [__m256; 3],
}

#[cfg(target_arch = "x86_64")]
impl Grid {
    #[target_feature(enable = "avx2,popcnt")]
    fn gather_avx2(&self, rows: [usize; 4], most: usize, found: &mut Found) {
        for place in 0..self.along.cell.len() {
            if found.len() > most {
                return;
            }
            let along = &self.along;
            let one = |sides: &[Vec<f32>; 3]| [0, 1, 2].map(|axis| _mm256_set1_ps(sides[axis][place]));
            let own = Eight { low: one(&along.low), high: one(&along.high) };
            let piece = _mm256_set1_epi32(along.piece[place] as i32);
            for run in self.runs(place, rows) {
                let mut at = run.start;
                // How long runs are cannot be foreseen either: a whole block costs less than stopping at their ends.
                while at < run.end {
                    let within = 0xff >> (BLOCK - (run.end - at).min(BLOCK));
                    let set = self.overlapping(&own, at) & within;
                    let [a, b, c, d, e, f, g, h] = eight(&along.piece, at).map(|piece| piece as i32);
                    let partners = _mm256_setr_epi32(a, b, c, d, e, f, g, h);
                    found.make_room(BLOCK);
                    found.put_block(chosen_pairs(&CHOSEN, piece, partners, set), set.count_ones());
                    at += BLOCK;
                }
            }
        }
    }

    /// Which of eight boxes from a place on overlap one.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn overlapping(&self, own: &Eight, at: usize) -> usize {
        let along = |axis: usize| {
            let low = numbers(eight(&self.along.low[axis], at));
            let high = numbers(eight(&self.along.high[axis], at));
            let below = _mm256_cmp_ps::<_CMP_LE_OQ>(own.low[axis], high);
            _mm256_and_ps(below, _mm256_cmp_ps::<_CMP_LE_OQ>(low, own.high[axis]))
        };
        _mm256_movemask_ps(_mm256_and_ps(_mm256_and_ps(along(0), along(1)), along(2))) as usize
    }
}

#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn numbers([a, b, c, d, e, f, g, h]: [f32; BLOCK]) -> __m256 {
    _mm256_setr_ps(a, b, c, d, e, f, g, h)
}

/// A block of a list from a place on.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn eight<T: Copy>(list: &[T], from: usize) -> [T; BLOCK] {
    list[from..from + BLOCK].try_into().expect("a block")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::space::box_tree::Bounds;
    use crate::space::broad::Bound;
    use crate::space::vector::Vec3;

    #[test]
    fn eight_at_a_time_find_what_one_by_one_find() {
        let mut seed = 0x2545_f491_4f6c_dd1d_u64;
        let mut roll = || {
            seed ^= seed << 13;
            seed ^= seed >> 7;
            seed ^= seed << 17;
            (seed >> 40) as f32 / (1 << 24) as f32
        };
        // Closer and closer, so that runs are longer than a block, too.
        for side in [9.0, 5.0, 2.0] {
            let bounds: Vec<Bound> = (0..700)
                .map(|piece| {
                    let low = Vec3 { x: side * roll(), y: side * roll(), z: side * roll() };
                    let high = Vec3 { x: low.x + 0.3 + 0.2 * roll(), y: low.y + 0.4, z: low.z + 0.5 * roll() };
                    Bound { bounds: Bounds { low, high }, piece }
                })
                .collect();
            let (mut grid, mut wide, mut plain) = (Grid::default(), Found::default(), Found::default());
            let layout = grid.lay(&bounds);
            assert!(!layout.wrapped);
            let all = bounds.iter().enumerate().flat_map(|(k, a)| bounds[k + 1..].iter().map(move |b| (a, b)));
            let mut expected: Vec<_> = all.filter(|(a, b)| a.meets(b)).map(|(a, b)| a.pair(b)).collect();
            expected.sort_unstable();
            assert!(expected.len() > 100, "{} pairs", expected.len());
            grid.gather_plain(layout.rows(), usize::MAX, &mut plain);
            let mut pairs = Vec::new();
            plain.sort_into(&mut pairs, bounds.len());
            assert_eq!(pairs, expected);
            // A machine without such vectors has only the other way.
            if grid.gather_wide(layout.rows(), usize::MAX, &mut wide) {
                wide.sort_into(&mut pairs, bounds.len());
                assert_eq!(pairs, expected);
            }
        }
    }
}
