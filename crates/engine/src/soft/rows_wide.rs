//! Springs with the vectors that the machine has, four at once, and rows of triangles. The bits are the same as one by one.

use super::nodes::Spring;
use super::rows::{Moving, Row, Rows};
use crate::common::scalar::Real;
use std::any::Any;
use std::arch::x86_64::{
    __m256d, _CMP_GT_OQ, _mm256_add_pd, _mm256_and_pd, _mm256_cmp_pd, _mm256_div_pd, _mm256_mul_pd,
    _mm256_permute2f128_pd, _mm256_permute4x64_pd, _mm256_set1_pd, _mm256_setr_pd, _mm256_setzero_pd, _mm256_sqrt_pd,
    _mm256_storeu_pd, _mm256_sub_pd, _mm256_unpackhi_pd, _mm256_unpacklo_pd,
};

/// Springs in a block.
const BLOCK: usize = 4;

/// Adds what those of the first springs pull that make whole blocks, and gives their number: none in single precision and on machines without such
/// vectors.
pub(super) fn pull_blocks<R: Real>(springs: &impl Any, rows: &mut Rows<R>) -> usize {
    if !is_x86_feature_detected!("avx2") {
        return 0;
    }
    let springs = (springs as &dyn Any).downcast_ref::<Vec<Spring<f64>>>();
    let (Some(springs), Some(rows)) = (springs, (rows as &mut dyn Any).downcast_mut::<Rows<f64>>()) else { return 0 };
    let (blocks, _) = springs.as_chunks::<BLOCK>();
    // SAFETY: the machine has the instructions.
    #[allow(unsafe_code)]
    unsafe {
        pull_blocks_avx2(blocks, &rows.moving, &mut rows.force);
    }
    BLOCK * blocks.len()
}

/// Adds how what triangles enclose grows with each node; whether it did, as in double precision and with such vectors it does.
pub(super) fn grow_faces<R: Real>(skin: &impl Any, rows: &mut Rows<R>) -> bool {
    if !is_x86_feature_detected!("avx2") {
        return false;
    }
    let skin = (skin as &dyn Any).downcast_ref::<Vec<[usize; 3]>>();
    let (Some(skin), Some(rows)) = (skin, (rows as &mut dyn Any).downcast_mut::<Rows<f64>>()) else { return false };
    // SAFETY: the machine has the instructions.
    #[allow(unsafe_code)]
    unsafe {
        grow_faces_avx2(skin, &rows.moving, &mut rows.growth);
    }
    true
}

#[target_feature(enable = "avx2")]
fn grow_faces_avx2(skin: &[[usize; 3]], moving: &[Moving<f64>], growth: &mut [Row<f64>]) {
    let growth = &mut growth[..moving.len()];
    let sixth = _mm256_set1_pd(1.0 / 6.0);
    for &[a, b, c] in skin {
        let corner = lanes(&moving[a].place);
        let (p, q) = (_mm256_sub_pd(lanes(&moving[b].place), corner), _mm256_sub_pd(lanes(&moving[c].place), corner));
        // y z x and z x y.
        let ahead = _mm256_mul_pd(_mm256_permute4x64_pd::<0xc9>(p), _mm256_permute4x64_pd::<0xd2>(q));
        let behind = _mm256_mul_pd(_mm256_permute4x64_pd::<0xd2>(p), _mm256_permute4x64_pd::<0xc9>(q));
        let push = _mm256_mul_pd(_mm256_sub_pd(ahead, behind), sixth);
        for node in [a, b, c] {
            let sum = _mm256_add_pd(lanes(&growth[node]), push);
            store(&mut growth[node], sum);
        }
    }
}

#[target_feature(enable = "avx2")]
fn pull_blocks_avx2(blocks: &[[Spring<f64>; BLOCK]], moving: &[Moving<f64>], force: &mut [Row<f64>]) {
    // Of one length, so that an end is looked at once.
    let force = &mut force[..moving.len()];
    let one = _mm256_set1_pd(1.0);
    for few in blocks {
        let [(a, p, u), (b, q, v), (c, r, w), (d, s, x)] =
            [look(&few[0], moving), look(&few[1], moving), look(&few[2], moving), look(&few[3], moving)];
        let (square, growth) = (sums([p, q, r, s]), sums([u, v, w, x]));
        let over = _mm256_div_pd(one, _mm256_sqrt_pd(square));
        let [length, stiffness, damping] = laws(few);
        let slack = _mm256_mul_pd(_mm256_mul_pd(stiffness, length), over);
        let damped = _mm256_mul_pd(_mm256_mul_pd(_mm256_mul_pd(damping, growth), over), over);
        let share = _mm256_add_pd(_mm256_sub_pd(stiffness, slack), damped);
        // A spring of no extent has no direction, and pulls nowhere.
        let share = _mm256_and_pd(share, _mm256_cmp_pd::<_CMP_GT_OQ>(square, _mm256_setzero_pd()));
        add(&few[0], _mm256_mul_pd(a, _mm256_permute4x64_pd::<0x00>(share)), force);
        add(&few[1], _mm256_mul_pd(b, _mm256_permute4x64_pd::<0x55>(share)), force);
        add(&few[2], _mm256_mul_pd(c, _mm256_permute4x64_pd::<0xaa>(share)), force);
        add(&few[3], _mm256_mul_pd(d, _mm256_permute4x64_pd::<0xff>(share)), force);
    }
}

/// The way along a spring, its squares, and its products with how fast it grows.
#[inline]
#[target_feature(enable = "avx2")]
fn look(spring: &Spring<f64>, moving: &[Moving<f64>]) -> (__m256d, __m256d, __m256d) {
    let [a, b] = spring.ends();
    let (from, to) = (&moving[a], &moving[b]);
    let way = _mm256_sub_pd(lanes(&to.place), lanes(&from.place));
    (way, _mm256_mul_pd(way, way), _mm256_mul_pd(way, _mm256_sub_pd(lanes(&to.speed), lanes(&from.speed))))
}

#[inline]
#[target_feature(enable = "avx2")]
fn add(spring: &Spring<f64>, pull: __m256d, force: &mut [Row<f64>]) {
    let [a, b] = spring.ends();
    let (from, to) = (_mm256_add_pd(lanes(&force[a]), pull), _mm256_sub_pd(lanes(&force[b]), pull));
    store(&mut force[a], from);
    store(&mut force[b], to);
}

/// Lengths, stiffnesses and dampings of four springs.
#[inline]
#[target_feature(enable = "avx2")]
fn laws(few: &[Spring<f64>; BLOCK]) -> [__m256d; 3] {
    let numbers = |spring: &Spring<f64>| lanes(&[0.0, spring.length, spring.stiffness, spring.damping]);
    let [a, b, c, d] = [numbers(&few[0]), numbers(&few[1]), numbers(&few[2]), numbers(&few[3])];
    let (high, tall) = (_mm256_unpackhi_pd(a, b), _mm256_unpackhi_pd(c, d));
    let length = _mm256_permute2f128_pd::<0x20>(high, tall);
    let damping = _mm256_permute2f128_pd::<0x31>(high, tall);
    let stiffness = _mm256_permute2f128_pd::<0x31>(_mm256_unpacklo_pd(a, b), _mm256_unpacklo_pd(c, d));
    [length, stiffness, damping]
}

/// The sums of the first three numbers of four rows, from left to right.
#[inline]
#[target_feature(enable = "avx2")]
fn sums([a, b, c, d]: [__m256d; BLOCK]) -> __m256d {
    let (low, high) = (_mm256_unpacklo_pd(a, b), _mm256_unpacklo_pd(c, d));
    let x = _mm256_permute2f128_pd::<0x20>(low, high);
    let z = _mm256_permute2f128_pd::<0x31>(low, high);
    let y = _mm256_permute2f128_pd::<0x20>(_mm256_unpackhi_pd(a, b), _mm256_unpackhi_pd(c, d));
    _mm256_add_pd(_mm256_add_pd(x, y), z)
}

#[inline]
#[target_feature(enable = "avx2")]
fn lanes(&[a, b, c, d]: &Row<f64>) -> __m256d {
    _mm256_setr_pd(a, b, c, d)
}

#[inline]
#[target_feature(enable = "avx2")]
fn store(row: &mut Row<f64>, of: __m256d) {
    // SAFETY: the row has room for four numbers.
    #[allow(unsafe_code)]
    unsafe {
        _mm256_storeu_pd(row.as_mut_ptr(), of);
    }
}
