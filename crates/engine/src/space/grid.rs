//! A grid of cells over the world: each box lies in the cell of its lower corner, and only boxes of neighbouring cells can overlap.

use crate::common::cells::{LARGE, Starts, beside_large};
use crate::common::found::Found;
use crate::common::pair::Pair;
use crate::space::broad::Bound;
use std::ops::Range;

/// Cells a box; a world that would need more is wrapped around.
const CELLS_A_BOX: u64 = 8;
/// Fewest cells along an axis of a world that is wrapped around: the neighbours of a cell are then all different.
const FEWEST: u64 = 4;
/// Boxes in ten that are ordinary. Larger ones are compared with all others.
const ORDINARY: usize = 9;

/// The sides of a box: lower x, y, z and nothing, upper x, y, z and nothing, all of them negated.
#[derive(Clone, Copy, Debug, Default)]
#[repr(align(32))]
struct Sides {
    low: [f32; 4],
    high: [f32; 4],
}

/// Whether two boxes overlap: no branch between the six, which nobody could foresee.
#[cfg(not(target_arch = "x86_64"))]
#[inline(always)]
fn overlap(a: &Sides, b: &Sides) -> bool {
    let below = |low: &[f32; 4], high: &[f32; 4]| (low[0] <= -high[0]) & (low[1] <= -high[1]) & (low[2] <= -high[2]);
    below(&a.low, &b.high) & below(&b.low, &a.high)
}

/// The same by vectors.
#[cfg(target_arch = "x86_64")]
#[allow(unsafe_code)]
#[inline(always)]
fn overlap(a: &Sides, b: &Sides) -> bool {
    use std::arch::x86_64::{_mm_add_ps, _mm_and_ps, _mm_cmple_ps, _mm_load_ps, _mm_movemask_ps, _mm_setzero_ps};
    // SAFETY: every machine of this kind has these, and each four numbers begin at a multiple of 16 bytes.
    unsafe {
        let (a_low, a_high) = (_mm_load_ps(a.low.as_ptr()), _mm_load_ps(a.high.as_ptr()));
        let (b_low, b_high) = (_mm_load_ps(b.low.as_ptr()), _mm_load_ps(b.high.as_ptr()));
        // One is not above the other negated where their sum is not above zero: sums of two numbers keep their sign.
        let one = _mm_cmple_ps(_mm_add_ps(a_low, b_high), _mm_setzero_ps());
        let other = _mm_cmple_ps(_mm_add_ps(b_low, a_high), _mm_setzero_ps());
        _mm_movemask_ps(_mm_and_ps(one, other)) == 15
    }
}

/// Boxes counted into cells; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid {
    /// Cell of each box, in the order of the boxes; `LARGE` for one that fits into no cell.
    cell: Vec<u32>,
    /// Where each cell's boxes start in the order along the cells.
    starts: Starts,
    /// Along the cells: sides, piece and cell of each box.
    sides: Vec<Sides>,
    piece: Vec<u32>,
    along: Vec<u32>,
    sizes: Vec<f32>,
}

/// Where cells lie.
struct Layout {
    low: [f64; 3],
    rate: f64,
    /// Cells along each axis; the outermost stay empty unless the world is wrapped around.
    count: [u64; 3],
    wrapped: bool,
}

impl Layout {
    /// Cells of a side over all boxes, with an empty rim; wrapped around when they would be too many.
    fn new(boxes: usize, low: [f64; 3], high: [f64; 3], side: f64) -> Layout {
        let rate = if side > 0.0 { 1.0 / side } else { 0.0 };
        let mut count = [0, 1, 2].map(|axis| (((high[axis] - low[axis]) * rate) as u64).saturating_add(3));
        let most = CELLS_A_BOX * boxes as u64 + 64;
        let cells = |count: [u64; 3]| count[0].saturating_mul(count[1]).saturating_mul(count[2]);
        let wrapped = cells(count) > most;
        while cells(count) > most {
            // The longest way is halved, so that a flat or narrow world keeps its short ways.
            let longest = (0..3).fold(0, |most, axis| if count[axis] > count[most] { axis } else { most });
            if count[longest] <= FEWEST {
                break;
            }
            count[longest] = (count[longest] / 2).max(FEWEST);
        }
        Layout { low, rate, count: if wrapped { count.map(|count| count.max(FEWEST)) } else { count }, wrapped }
    }

    #[inline(always)]
    fn cell(&self, bound: &Bound) -> u32 {
        // Not below zero, so that the conversion rounds down. What lies beyond the largest number shares the last cell.
        let low = bound.bounds.low;
        let at =
            |coordinate: f32, axis: usize| u64::from(((f64::from(coordinate) - self.low[axis]) * self.rate) as u32);
        let [x, y, z] = [at(low.x, 0), at(low.y, 1), at(low.z, 2)];
        let [nx, ny, nz] = self.count;
        let cell = match self.wrapped {
            true => (z % nz * ny + y % ny) * nx + x % nx,
            false => ((z + 1) * ny + y + 1) * nx + x + 1,
        };
        cell as u32
    }
}

impl Grid {
    /// Writes down every two boxes that overlap; gives up when there are more than `most`.
    pub(crate) fn overlaps(&mut self, bounds: &[Bound], most: usize, found: &mut Found) {
        if bounds.is_empty() {
            return;
        }
        let ordinary = self.ordinary_size(bounds);
        let (mut low, mut high) = ([f64::INFINITY; 3], [f64::NEG_INFINITY; 3]);
        for bound in bounds.iter().filter(|bound| bound.size() <= ordinary) {
            let corner = bound.bounds.low;
            for (axis, side) in [corner.x, corner.y, corner.z].into_iter().enumerate() {
                low[axis] = low[axis].min(f64::from(side));
                high[axis] = high[axis].max(f64::from(side));
            }
        }
        // A little more than the size, so that rounding never puts two cells between boxes that touch.
        let layout = Layout::new(bounds.len(), low, high, f64::from(ordinary) * (1.0 + 1e-6));
        self.arrange(bounds, &layout, ordinary);
        if layout.wrapped {
            self.gather_wrapped(&layout, most, found);
        } else {
            let [nx, ny, _] = layout.count.map(|count| count as usize);
            let layer = nx * ny;
            for place in 0..self.along.len() {
                if found.len() > most {
                    return;
                }
                let cell = self.along[place] as usize;
                self.gather(place, place + 1..self.start(cell + 2), found);
                for row in [nx, layer - nx, layer, layer + nx] {
                    self.gather(place, self.start(cell + row - 1)..self.start(cell + row + 2), found);
                }
            }
        }
        if self.along.len() < bounds.len() {
            beside_large((bounds, &self.cell), most, found, Bound::pair, Bound::meets);
        }
    }

    /// The pieces of all boxes that fit into cells, along the cells.
    pub(crate) fn order(&self) -> impl Iterator<Item = u32> {
        self.piece.iter().copied()
    }

    /// The largest size of those that nine boxes in ten stay below, or of all when they are much alike.
    fn ordinary_size(&mut self, bounds: &[Bound]) -> f32 {
        let (least, most) = bounds.iter().fold((f32::INFINITY, 0.0), |(least, most): (f32, f32), bound| {
            let size = bound.size();
            (least.min(size), most.max(size))
        });
        if most <= 2.0 * least {
            return most;
        }
        self.sizes.clear();
        self.sizes.extend(bounds.iter().map(Bound::size));
        let place = (bounds.len() * ORDINARY).div_ceil(10) - 1;
        let (_, chosen, _) = self.sizes.select_nth_unstable_by(place, f32::total_cmp);
        // What is hardly larger is no exception.
        let limit = 2.0 * *chosen;
        self.sizes.iter().copied().filter(|&size| size <= limit).fold(0.0, f32::max)
    }

    /// Sorts the boxes into cells by counting.
    fn arrange(&mut self, bounds: &[Bound], layout: &Layout, ordinary: f32) {
        self.cell.clear();
        let cell = |bound: &Bound| if bound.size() <= ordinary { layout.cell(bound) } else { LARGE };
        self.cell.extend(bounds.iter().map(cell));
        let cells = (layout.count[0] * layout.count[1] * layout.count[2]) as usize;
        let count = self.starts.count(&self.cell, cells);
        self.sides.resize(count, Sides::default());
        self.piece.resize(count, 0);
        self.along.resize(count, 0);
        for (bound, &cell) in bounds.iter().zip(&self.cell).filter(|&(_, &cell)| cell != LARGE) {
            let place = self.starts.place(cell);
            let (low, high) = (bound.bounds.low, bound.bounds.high);
            self.sides[place] = Sides { low: [low.x, low.y, low.z, 0.0], high: [-high.x, -high.y, -high.z, 0.0] };
            (self.piece[place], self.along[place]) = (bound.piece, cell);
        }
    }

    #[inline(always)]
    fn start(&self, cell: usize) -> usize {
        self.starts.of(cell)
    }

    #[inline(always)]
    fn gather(&self, place: usize, run: Range<usize>, found: &mut Found) {
        let own = &self.sides[place];
        let piece = self.piece[place];
        let others = self.sides[run.clone()].iter().zip(&self.piece[run.clone()]);
        found.note_all(run.len(), others.map(|(sides, &other)| (Pair::of(piece, other), overlap(own, sides))));
    }

    fn gather_wrapped(&self, layout: &Layout, most: usize, found: &mut Found) {
        let [nx, ny, nz] = layout.count.map(|count| count as usize);
        for place in 0..self.along.len() {
            if found.len() > most {
                return;
            }
            let cell = self.along[place] as usize;
            let (x, y, z) = (cell % nx, cell / nx % ny, cell / (nx * ny));
            self.gather(place, place + 1..self.start(cell + 1), found);
            // The half of the neighbours that come after, counted around.
            for near in 14..27 {
                let (dx, dy, dz) = (near % 3, near / 3 % 3, near / 9);
                let [i, j, k] = [(x + dx + nx - 1) % nx, (y + dy + ny - 1) % ny, (z + dz + nz - 1) % nz];
                let cell = (k * ny + j) * nx + i;
                self.gather(place, self.start(cell)..self.start(cell + 1), found);
            }
        }
    }
}
