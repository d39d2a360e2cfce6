//! A grid of cells over the world: each box lies in the cell of its lower corner, and only boxes of neighbouring cells can overlap.

use crate::common::cells::{LARGE, Starts, beside_large};
use crate::common::found::{BLOCK, Found};
use crate::common::pair::Pair;
use crate::space::broad::Bound;
use std::ops::Range;

/// Cells a box; a world that would need more is wrapped around.
const CELLS_A_BOX: u64 = 16;
/// Fewest cells along an axis of a world that is wrapped around: the neighbours of a cell are then all different.
const FEWEST: u64 = 4;
/// Boxes in ten that are ordinary. Larger ones are compared with all others.
const ORDINARY: usize = 9;

/// Boxes counted into cells; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid {
    /// Cell of each box, in the order of the boxes; `LARGE` for one that fits into no cell.
    cell: Vec<u32>,
    /// Where each cell's boxes start in the order along the cells.
    starts: Starts,
    pub(super) along: Along,
    sizes: Vec<f32>,
}

/// Boxes along the cells.
#[derive(Clone, Debug, Default)]
pub(super) struct Along {
    /// Lower x, y and z of each, and upper ones. These and the pieces are a block longer than what counts.
    pub(super) low: [Vec<f32>; 3],
    pub(super) high: [Vec<f32>; 3],
    pub(super) piece: Vec<u32>,
    /// The cell of each.
    pub(super) cell: Vec<u32>,
}

impl Along {
    fn resize(&mut self, count: usize) {
        for sides in self.low.iter_mut().chain(&mut self.high) {
            sides.resize(count + BLOCK, 0.0);
        }
        self.piece.resize(count + BLOCK, 0);
        self.cell.resize(count, 0);
    }

    #[inline(always)]
    fn put(&mut self, place: usize, bound: &Bound, cell: u32) {
        let (low, high) = (bound.bounds.low, bound.bounds.high);
        [self.low[0][place], self.low[1][place], self.low[2][place]] = [low.x, low.y, low.z];
        [self.high[0][place], self.high[1][place], self.high[2][place]] = [high.x, high.y, high.z];
        (self.piece[place], self.cell[place]) = (bound.piece, cell);
    }

    /// Whether two boxes overlap: no branch between the six, which nobody could foresee.
    #[inline(always)]
    fn overlap(&self, a: usize, b: usize) -> bool {
        let along = |axis: usize| {
            let (low, high) = (&self.low[axis], &self.high[axis]);
            (low[a] <= high[b]) & (low[b] <= high[a])
        };
        along(0) & along(1) & along(2)
    }
}

/// Where cells lie.
pub(super) struct Layout {
    low: [f64; 3],
    rate: f64,
    /// Cells along each axis; the outermost stay empty unless the world is wrapped around.
    count: [u64; 3],
    pub(super) wrapped: bool,
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

    /// How much further on the rows of neighbours are that come after a cell.
    pub(super) fn rows(&self) -> [usize; 4] {
        let [row, layer] = [self.count[0], self.count[0] * self.count[1]].map(|cells| cells as usize);
        [row, layer - row, layer, layer + row]
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
        let layout = self.lay(bounds);
        if layout.wrapped {
            self.gather_wrapped(&layout, most, found);
        } else if !self.gather_wide(layout.rows(), most, found) {
            self.gather_plain(layout.rows(), most, found);
        }
        if self.along.cell.len() < bounds.len() {
            beside_large((bounds, &self.cell), most, found, Bound::pair, Bound::meets);
        }
    }

    /// Lays cells over some boxes, and puts the boxes into them.
    pub(super) fn lay(&mut self, bounds: &[Bound]) -> Layout {
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
        layout
    }

    /// Compares all boxes of a grid that is not wrapped one by one, until there are more than `most` pairs.
    pub(super) fn gather_plain(&self, rows: [usize; 4], most: usize, found: &mut Found) {
        for place in 0..self.along.cell.len() {
            if found.len() > most {
                return;
            }
            self.runs(place, rows).into_iter().for_each(|run| self.gather(place, run, found));
        }
    }

    /// The pieces of all boxes that fit into cells, along the cells.
    pub(crate) fn order(&self) -> impl Iterator<Item = u32> {
        self.along.piece[..self.along.cell.len()].iter().copied()
    }

    /// Boxes of the own cell that come after a box and of the next cell, and those of rows of three cells so much further on.
    #[inline(always)]
    pub(super) fn runs(&self, place: usize, [a, b, c, d]: [usize; 4]) -> [Range<usize>; 5] {
        let cell = self.along.cell[place] as usize;
        let row = |on: usize| self.start(cell + on - 1)..self.start(cell + on + 2);
        [place + 1..self.start(cell + 2), row(a), row(b), row(c), row(d)]
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
        self.along.resize(count);
        for (bound, &cell) in bounds.iter().zip(&self.cell).filter(|&(_, &cell)| cell != LARGE) {
            self.along.put(self.starts.place(cell), bound, cell);
        }
    }

    #[inline(always)]
    fn start(&self, cell: usize) -> usize {
        self.starts.of(cell)
    }

    #[inline(always)]
    fn gather(&self, place: usize, run: Range<usize>, found: &mut Found) {
        let piece = self.along.piece[place];
        let pair = |other: usize| (Pair::of(piece, self.along.piece[other]), self.along.overlap(place, other));
        found.note_all(run.len(), run.map(pair));
    }

    fn gather_wrapped(&self, layout: &Layout, most: usize, found: &mut Found) {
        let [nx, ny, nz] = layout.count.map(|count| count as usize);
        for place in 0..self.along.cell.len() {
            if found.len() > most {
                return;
            }
            let cell = self.along.cell[place] as usize;
            let (x, y, z) = (cell % nx, cell / nx % ny, cell / (nx * ny));
            self.gather(place, place + 1..self.start(cell + 1), found);
            // The half of the neighbours that come after, counted around.
            let around = |at: usize, count: usize| {
                [if at == 0 { count - 1 } else { at - 1 }, at, if at + 1 == count { 0 } else { at + 1 }]
            };
            let (xs, ys, zs) = (around(x, nx), around(y, ny), around(z, nz));
            for near in 14..27 {
                let cell = (zs[near / 9] * ny + ys[near / 3 % 3]) * nx + xs[near % 3];
                let run = self.start(cell)..self.start(cell + 1);
                if !run.is_empty() {
                    self.gather(place, run, found);
                }
            }
        }
    }
}
