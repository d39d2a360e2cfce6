//! What a grid does with the vectors that the machine has: cells of four boxes at once, and comparisons of two runs of four boxes, without
//! a branch that nobody could foresee. The cells and pairs are the same.

#[cfg(target_arch = "x86_64")]
use crate::common::blocks::{Chosen, chosen, chosen_pairs};
use crate::common::found::{BLOCK, Found};
use crate::common::scalar::Real;
use crate::plane::bound::Bound;
#[cfg(target_arch = "x86_64")]
use crate::plane::grid::Sides;
use crate::plane::grid::{Grid, Layout};
#[cfg(target_arch = "x86_64")]
use std::any::Any;
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::{
    __m128i, __m256, __m256d, __m256i, _CMP_LE_OQ, _mm_add_epi32, _mm_extract_epi32, _mm_mullo_epi32, _mm_set1_epi32,
    _mm256_castps_si256, _mm256_castsi256_ps, _mm256_cmp_ps, _mm256_cmpeq_epi32, _mm256_cvttpd_epi32, _mm256_max_pd,
    _mm256_movemask_ps, _mm256_mul_pd, _mm256_packs_epi16, _mm256_packs_epi32, _mm256_set1_epi32, _mm256_set1_pd,
    _mm256_setr_epi32, _mm256_setr_pd, _mm256_setr_ps, _mm256_setzero_pd, _mm256_sub_pd,
};

impl<S: Real> Grid<S> {
    /// Compares all boxes of a grid that is not wrapped. Says no when there are no such vectors.
    pub(crate) fn gather_wide(&self, width: usize, found: &mut Found) -> bool {
        #[cfg(target_arch = "x86_64")]
        if let Some(grid) = (self as &dyn Any).downcast_ref::<Grid<f32>>()
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

impl Layout {
    /// The cells of all boxes in a grid that is not wrapped. Says no when there are no such vectors.
    pub(crate) fn cells_wide<S: Real>(&self, bounds: &[Bound<S>], cells: &mut Vec<u32>) -> bool {
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") {
            // SAFETY: the machine has the instructions.
            #[allow(unsafe_code)]
            unsafe {
                self.cells_avx2(bounds, cells);
            }
            return true;
        }
        false
    }

    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn cells_avx2<S: Real>(&self, bounds: &[Bound<S>], cells: &mut Vec<u32>) {
        let (fours, rest) = bounds.as_chunks::<4>();
        cells.resize(bounds.len() - rest.len(), 0);
        let (low_x, low_y) = (_mm256_set1_pd(self.low[0]), _mm256_set1_pd(self.low[1]));
        let (rate, width) = (_mm256_set1_pd(self.rate), _mm_set1_epi32(self.width as i32));
        for ([a, b, c, d], cells) in fours.iter().zip(cells.as_chunks_mut::<4>().0) {
            let x = _mm256_setr_pd(a.low.x.to_f64(), b.low.x.to_f64(), c.low.x.to_f64(), d.low.x.to_f64());
            let y = _mm256_setr_pd(a.low.y.to_f64(), b.low.y.to_f64(), c.low.y.to_f64(), d.low.y.to_f64());
            let column = whole(_mm256_mul_pd(_mm256_sub_pd(x, low_x), rate));
            let row = whole(_mm256_mul_pd(_mm256_sub_pd(y, low_y), rate));
            let one = _mm_set1_epi32(1);
            let cell = _mm_add_epi32(_mm_mullo_epi32(_mm_add_epi32(row, one), width), _mm_add_epi32(column, one));
            *cells = [
                _mm_extract_epi32::<0>(cell) as u32,
                _mm_extract_epi32::<1>(cell) as u32,
                _mm_extract_epi32::<2>(cell) as u32,
                _mm_extract_epi32::<3>(cell) as u32,
            ];
        }
        cells.extend(rest.iter().map(|bound| self.cell(bound)));
    }
}

/// Rounded down; 0 for what is below or not a number.
#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn whole(of: __m256d) -> __m128i {
    _mm256_cvttpd_epi32(_mm256_max_pd(of, _mm256_setzero_pd()))
}

/// Boxes of each run in a block.
#[cfg(target_arch = "x86_64")]
const HALF: usize = BLOCK / 2;

/// For each set of boxes as the comparison gives it, those of even number first, the numbers in order.
#[cfg(target_arch = "x86_64")]
const CHOSEN: Chosen = chosen([bit(0), bit(1), bit(2), bit(3), bit(4), bit(5), bit(6), bit(7)]);

/// Where the comparison puts a box of a block.
#[cfg(target_arch = "x86_64")]
const fn bit(number: usize) -> usize {
    number / 2 + number % 2 * HALF
}

/// The first so many of both halves of a block, as the comparison gives sets.
#[cfg(target_arch = "x86_64")]
const FIRST: [[u8; HALF + 1]; 2] = {
    let mut table = [[0; HALF + 1]; 2];
    let mut half = 0;
    while half < 2 {
        let mut count = 0;
        while count < HALF {
            table[half][count + 1] = table[half][count] | 1 << bit(HALF * half + count);
            count += 1;
        }
        half += 1;
    }
    table
};

#[cfg(target_arch = "x86_64")]
impl Grid<f32> {
    #[target_feature(enable = "avx2,popcnt")]
    fn gather_avx2(&self, width: usize, found: &mut Found) {
        let count = self.along.cell.len();
        let whole = count + BLOCK;
        let (sides, pieces) = (&self.along.sides[..whole], &self.along.piece[..whole]);
        for place in 0..count {
            let [first, second] = self.runs(place, width);
            let piece = _mm256_set1_epi32(pieces[place] as i32);
            // What none of the four numbers of another box must be above.
            let limits = {
                let [x, y, z, w] = sides[place];
                _mm256_setr_ps(-z, -w, -x, -y, -z, -w, -x, -y)
            };
            let (mut a, mut b) = (first.start, second.start);
            let (mut left_a, mut left_b) = (first.end - a, second.end - b);
            // How long runs are cannot be foreseen either: a whole block costs less than stopping at their ends.
            loop {
                let set = overlapping(limits, half(sides, a), half(sides, b))
                    & usize::from(FIRST[0][left_a.min(HALF)] | FIRST[1][left_b.min(HALF)]);
                let partners = both(half(pieces, a), half(pieces, b));
                found.make_room(BLOCK);
                found.put_block(chosen_pairs(&CHOSEN, piece, partners, set), set.count_ones());
                if left_a <= HALF && left_b <= HALF {
                    break;
                }
                let (more_a, more_b) = (left_a.min(HALF), left_b.min(HALF));
                (a, b, left_a, left_b) = (a + more_a, b + more_b, left_a - more_a, left_b - more_b);
            }
        }
    }
}

/// Which boxes of two halves of a block are nowhere above the limits, as bits, those of even number first.
#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn overlapping(limits: __m256, first: [Sides<f32>; HALF], second: [Sides<f32>; HALF]) -> usize {
    let [a, b, c, d] = first;
    let [e, f, g, h] = second;
    let (ab, cd) = (below(a, b, limits), below(c, d, limits));
    let (ef, gh) = (below(e, f, limits), below(g, h, limits));
    let all = _mm256_packs_epi16(_mm256_packs_epi32(ab, cd), _mm256_packs_epi32(ef, gh));
    _mm256_movemask_ps(_mm256_castsi256_ps(_mm256_cmpeq_epi32(all, _mm256_set1_epi32(-1)))) as usize
}

#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn below(a: Sides<f32>, b: Sides<f32>, limits: __m256) -> __m256i {
    let both = _mm256_setr_ps(a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3]);
    _mm256_castps_si256(_mm256_cmp_ps::<_CMP_LE_OQ>(both, limits))
}

#[cfg(target_arch = "x86_64")]
#[inline]
#[target_feature(enable = "avx2")]
fn both(a: [u32; HALF], b: [u32; HALF]) -> __m256i {
    let ([a, b, c, d], [e, f, g, h]) = (a, b);
    _mm256_setr_epi32(a as i32, b as i32, c as i32, d as i32, e as i32, f as i32, g as i32, h as i32)
}

/// Half a block of a list from a place on.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn half<T: Copy>(list: &[T], from: usize) -> [T; HALF] {
    list[from..from + HALF].try_into().expect("half a block")
}
