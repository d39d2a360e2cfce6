//! The comparisons of a grid with the vectors that the machine has: blocks of four boxes, without a branch that nobody could foresee.
//! The pairs are the same.

use crate::found::{BLOCK, Found};
use crate::grid::{Grid, Sides};
use crate::scalar::Real;
#[cfg(target_arch = "x86_64")]
use std::any::Any;
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::{
    __m128i, __m256d, _CMP_LE_OQ, _mm_max_epu32, _mm_min_epu32, _mm_set1_epi32, _mm_setr_epi32, _mm_unpackhi_epi32,
    _mm_unpacklo_epi32, _mm256_cmp_pd, _mm256_extract_epi64, _mm256_movemask_pd, _mm256_permutevar8x32_epi32,
    _mm256_setr_epi32, _mm256_setr_m128i, _mm256_setr_pd,
};

impl<R: Real> Grid<R> {
    /// Compares each box with those after it in its own cell and with those of four cells around, in a grid that is not wrapped.
    /// Says no when there are no such vectors.
    pub(crate) fn gather_wide(&self, width: usize, found: &mut Found) -> bool {
        #[cfg(target_arch = "x86_64")]
        if let Some(grid) = (self as &dyn Any).downcast_ref::<Grid<f64>>()
            && is_x86_feature_detected!("avx2")
            && is_x86_feature_detected!("popcnt")
        {
            // SAFETY: the machine has the instructions.
            #[allow(unsafe_code)]
            unsafe {
                grid.gather_avx2(width, found);
            }
            return true;
        }
        false
    }
}

/// For each set of lanes, as bits, where the words of its pairs are.
#[cfg(target_arch = "x86_64")]
const CHOSEN: [[i32; 8]; 16] = {
    let mut table = [[0; 8]; 16];
    let mut set = 0;
    while set < 16 {
        let (mut lane, mut place) = (0, 0);
        while lane < 4 {
            if set >> lane & 1 == 1 {
                (table[set][2 * place], table[set][2 * place + 1]) = (2 * lane, 2 * lane + 1);
                place += 1;
            }
            lane += 1;
        }
        set += 1;
    }
    table
};

#[cfg(target_arch = "x86_64")]
impl Grid<f64> {
    #[target_feature(enable = "avx2,popcnt")]
    fn gather_avx2(&self, width: usize, found: &mut Found) {
        let count = self.sorted_cell.len();
        let (boxes, pieces) = (&self.sorted[..count + BLOCK], &self.sorted_piece[..count + BLOCK]);
        for place in 0..count {
            let cell = self.sorted_cell[place] as usize;
            // What none of the four numbers of another box must be above.
            let limits = {
                let [x_low, y_low, x_high, y_high] = boxes[place];
                _mm256_setr_pd(-x_high, -y_high, -x_low, -y_low)
            };
            let piece = _mm_set1_epi32(pieces[place] as i32);
            let runs =
                [(place + 1, self.start(cell + 2)), (self.start(cell + width - 1), self.start(cell + width + 2))];
            for (start, end) in runs {
                found.make_room(end - start + BLOCK);
                let mut from = start;
                // How long a run is cannot be foreseen either: a whole block costs less than stopping at its end.
                while let (Some(others), Some(partners)) = (block(boxes, from), block(pieces, from)) {
                    // Lanes beyond the end do not count.
                    let set = overlapping(limits, others) & (0b1111 >> BLOCK.saturating_sub(end - from));
                    found.put_block(chosen_pairs(piece, partners, set), set.count_ones());
                    from += BLOCK;
                    if from >= end {
                        break;
                    }
                }
            }
        }
    }
}

/// Which boxes of a block are nowhere above the limits, as bits.
#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn overlapping(limits: __m256d, others: &[Sides<f64>; BLOCK]) -> usize {
    let mut set = 0;
    for (lane, &[x_low, y_low, x_high, y_high]) in others.iter().enumerate() {
        let below = _mm256_cmp_pd::<_CMP_LE_OQ>(_mm256_setr_pd(x_low, y_low, x_high, y_high), limits);
        // All four bits and one more carry into the fifth.
        set |= ((_mm256_movemask_pd(below) as usize + 1) >> 4) << lane;
    }
    set
}

/// The pairs of a piece with those of a block that are in a set, as words that sort by the lower and then by the higher of both, at
/// the front.
#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn chosen_pairs(piece: __m128i, partners: &[u32; BLOCK], set: usize) -> [u64; BLOCK] {
    let [a, b, c, d] = *partners;
    let partners = _mm_setr_epi32(a as i32, b as i32, c as i32, d as i32);
    let (lower, higher) = (_mm_min_epu32(piece, partners), _mm_max_epu32(piece, partners));
    let pairs = _mm256_setr_m128i(_mm_unpacklo_epi32(higher, lower), _mm_unpackhi_epi32(higher, lower));
    let [a, b, c, d, e, f, g, h] = CHOSEN[set];
    let chosen = _mm256_permutevar8x32_epi32(pairs, _mm256_setr_epi32(a, b, c, d, e, f, g, h));
    [
        _mm256_extract_epi64::<0>(chosen) as u64,
        _mm256_extract_epi64::<1>(chosen) as u64,
        _mm256_extract_epi64::<2>(chosen) as u64,
        _mm256_extract_epi64::<3>(chosen) as u64,
    ]
}

/// The block of a list that begins at a place.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn block<T>(list: &[T], from: usize) -> Option<&[T; BLOCK]> {
    list.get(from..)?.first_chunk()
}
