//! Pairs of a piece with those of a block of eight that are in a set, by vectors.

use crate::common::found::BLOCK;
use std::arch::x86_64::{
    __m256i, _mm256_extract_epi64, _mm256_max_epu32, _mm256_min_epu32, _mm256_permute2x128_si256,
    _mm256_permutevar8x32_epi32, _mm256_setr_epi32, _mm256_unpackhi_epi32, _mm256_unpacklo_epi32,
};

/// For each set of a block the numbers in it, in order.
pub(crate) type Chosen = [[i32; BLOCK]; 1 << BLOCK];

/// The numbers of each set, where `bits` says which bit stands for each.
pub(crate) const fn chosen(bits: [usize; BLOCK]) -> Chosen {
    let mut table = [[0; BLOCK]; 1 << BLOCK];
    let mut set = 0;
    while set < 1 << BLOCK {
        let (mut number, mut place) = (0, 0);
        while number < BLOCK {
            if set >> bits[number] & 1 == 1 {
                table[set][place] = number as i32;
                place += 1;
            }
            number += 1;
        }
        set += 1;
    }
    table
}

/// The pairs of a piece with those of a block that are in a set, as words that sort by the lower and then by the higher of both, at
/// the front.
#[inline]
#[target_feature(enable = "avx2")]
pub(crate) fn chosen_pairs(chosen: &Chosen, piece: __m256i, partners: __m256i, set: usize) -> [[u64; BLOCK / 2]; 2] {
    let [a, b, c, d, e, f, g, h] = chosen[set];
    let taken = _mm256_permutevar8x32_epi32(partners, _mm256_setr_epi32(a, b, c, d, e, f, g, h));
    let (lower, higher) = (_mm256_min_epu32(piece, taken), _mm256_max_epu32(piece, taken));
    let (even, odd) = (_mm256_unpacklo_epi32(higher, lower), _mm256_unpackhi_epi32(higher, lower));
    [words(_mm256_permute2x128_si256::<0x20>(even, odd)), words(_mm256_permute2x128_si256::<0x31>(even, odd))]
}

#[inline]
#[target_feature(enable = "avx2")]
fn words(of: __m256i) -> [u64; BLOCK / 2] {
    [
        _mm256_extract_epi64::<0>(of) as u64,
        _mm256_extract_epi64::<1>(of) as u64,
        _mm256_extract_epi64::<2>(of) as u64,
        _mm256_extract_epi64::<3>(of) as u64,
    ]
}
