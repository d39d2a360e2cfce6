//! A grid of cells over the world: each box lies in the cell of its lower corner, and only boxes of neighbouring cells can overlap.

use crate::broad::{Around, Bound};
use crate::found::{BLOCK, Found};
use crate::scalar::Real;
use std::ops::Range;

/// Cells a box; a world that would need more is wrapped around.
const CELLS_A_BOX: u64 = 4;

/// Boxes counted into cells; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid<R> {
    /// Cell of each box, in the order of the boxes; `LARGE` for one that fits into no cell.
    cell: Vec<u32>,
    /// Where each cell's boxes start among `sorted`.
    starts: Vec<u32>,
    /// Boxes along the cells, with a block of waste at the end; the piece of each, and its cell.
    pub(crate) sorted: Vec<Sides<R>>,
    pub(crate) sorted_piece: Vec<u32>,
    pub(crate) sorted_cell: Vec<u32>,
}

/// The sides of a box: lower x and y, upper x and y negated, so that two boxes overlap where four numbers of one are not above four of
/// the other.
pub(crate) type Sides<R> = [R; 4];

#[inline]
fn sides<R: Real>(bound: &Bound<R>) -> Sides<R> {
    [bound.low.x, bound.low.y, -bound.high.x, -bound.high.y]
}

#[inline]
fn overlap<R: Real>(a: &Sides<R>, b: &Sides<R>) -> bool {
    (a[0] <= -b[2]) & (b[0] <= -a[2]) & (a[1] <= -b[3]) & (b[1] <= -a[3])
}

const LARGE: u32 = u32::MAX;

/// Where cells lie.
struct Layout {
    low: [f64; 2],
    rate: f64,
    /// Cells a row and rows; the outermost stay empty unless the world is wrapped around.
    width: u64,
    height: u64,
    wrapped: bool,
}

impl Layout {
    fn cell<R: Real>(&self, bound: &Bound<R>) -> u32 {
        // Not below zero, so that the conversion rounds down. What lies beyond the largest number shares the last cell.
        let x = u64::from(((bound.low.x.to_f64() - self.low[0]) * self.rate) as u32);
        let y = u64::from(((bound.low.y.to_f64() - self.low[1]) * self.rate) as u32);
        let cell =
            if self.wrapped { y % self.height * self.width + x % self.width } else { (y + 1) * self.width + x + 1 };
        cell as u32
    }
}

/// The largest size of those that nine boxes in ten stay below, up to a power of two. Boxes beyond it are compared with all others.
fn ordinary_size<R: Real>(bounds: &[Bound<R>], around: &Around<R>) -> f64 {
    let exponent = |size: R| (size.to_f64().to_bits() >> 52) as usize & 0x7ff;
    if exponent(around.smallest) == exponent(around.largest) {
        return around.largest.to_f64();
    }
    let mut counts = [0_u32; 0x800];
    for bound in bounds {
        counts[exponent(bound.size())] += 1;
    }
    let mut left = (bounds.len() - bounds.len() / 10) as u32;
    let chosen = counts.iter().position(|&count| {
        left = left.saturating_sub(count);
        left == 0
    });
    let chosen = chosen.unwrap_or(0);
    bounds
        .iter()
        .map(Bound::size)
        .filter(|&size| exponent(size) <= chosen)
        .fold(0.0, |most, size| most.max(size.to_f64()))
}

impl<R: Real> Grid<R> {
    /// Writes down every two boxes that overlap, in an order that is always the same.
    pub(crate) fn overlaps(&mut self, bounds: &[Bound<R>], around: &Around<R>, found: &mut Found) {
        if bounds.is_empty() {
            return;
        }
        let ordinary = ordinary_size(bounds, around);
        // A little more than the size, so that rounding never puts two cells between boxes that touch.
        let layout = layout(bounds.len(), around, ordinary * (1.0 + 1e-6));
        self.arrange(bounds, around, &layout, ordinary);
        if layout.wrapped || !self.gather_wide(layout.width as usize, found) {
            self.gather(&layout, found);
        }
        self.beside_large(bounds, found);
    }

    /// Compares each box with those after it in its own cell and with those of four cells around.
    fn gather(&self, layout: &Layout, found: &mut Found) {
        let width = layout.width as usize;
        for (place, &cell) in self.sorted_cell.iter().enumerate() {
            let (a, piece, cell) = (self.sorted[place], self.sorted_piece[place], cell as usize);
            let mut with = |run: Range<usize>| {
                run.for_each(|b| found.note(piece, self.sorted_piece[b], overlap(&a, &self.sorted[b])));
            };
            if layout.wrapped {
                let (x, y) = (cell % width, cell / width);
                let above = (y + 1) % layout.height as usize * width;
                let (left, right) = ((x + width - 1) % width, (x + 1) % width);
                with(place + 1..self.start(cell + 1));
                for cell in [y * width + right, above + left, above + x, above + right] {
                    with(self.start(cell)..self.start(cell + 1));
                }
            } else {
                with(place + 1..self.start(cell + 2));
                with(self.start(cell + width - 1)..self.start(cell + width + 2));
            }
        }
    }

    #[inline(always)]
    pub(crate) fn start(&self, cell: usize) -> usize {
        self.starts[cell] as usize
    }

    /// Compares boxes that fit into no cell with all others.
    fn beside_large(&self, bounds: &[Bound<R>], found: &mut Found) {
        if self.sorted_cell.len() == bounds.len() {
            return;
        }
        for (number, large) in bounds.iter().enumerate().filter(|&(number, _)| self.cell[number] == LARGE) {
            for (other, b) in bounds.iter().enumerate() {
                // Two large ones once.
                let twice = self.cell[other] == LARGE && other <= number;
                if !twice && large.meets(b) {
                    found.push(large.pair(b));
                }
            }
        }
    }

    /// Sorts the boxes into cells by counting.
    fn arrange(&mut self, bounds: &[Bound<R>], around: &Around<R>, layout: &Layout, ordinary: f64) {
        let cells = (layout.width * layout.height) as usize;
        self.starts.clear();
        self.starts.resize(cells + 3, 0);
        let fits = |bound: &Bound<R>| bound.size().to_f64() <= ordinary;
        let all = around.largest.to_f64() <= ordinary;
        let count = if all { bounds.len() } else { bounds.iter().filter(|bound| fits(bound)).count() };
        self.cell.resize(bounds.len(), 0);
        for (bound, cell) in bounds.iter().zip(&mut self.cell) {
            *cell = if all || fits(bound) { layout.cell(bound) } else { LARGE };
            if *cell != LARGE {
                self.starts[*cell as usize + 2] += 1;
            }
        }
        let mut sum = 0;
        for start in &mut self.starts[1..] {
            sum += *start;
            *start = sum;
        }
        // Each start is one entry too far along, and comes back as the boxes of the cell are put in.
        self.sorted.resize(count + BLOCK, [R::ZERO; 4]);
        self.sorted_piece.resize(count + BLOCK, 0);
        self.sorted_cell.resize(count, 0);
        for (bound, &cell) in bounds.iter().zip(&self.cell).filter(|&(_, &cell)| cell != LARGE) {
            let start = &mut self.starts[cell as usize + 1];
            let place = *start as usize;
            *start += 1;
            self.sorted[place] = sides(bound);
            self.sorted_piece[place] = bound.piece;
            self.sorted_cell[place] = cell;
        }
    }
}

/// Cells of a side over all boxes, with an empty rim; wrapped around to a square when they would be too many.
fn layout<R: Real>(boxes: usize, around: &Around<R>, side: f64) -> Layout {
    let low = [around.low.x.to_f64(), around.low.y.to_f64()];
    let high = [around.high.x.to_f64(), around.high.y.to_f64()];
    let rate = if side > 0.0 { 1.0 / side } else { 0.0 };
    let cells = |k: usize| (((high[k] - low[k]) * rate) as u64).saturating_add(3);
    let (width, height) = (cells(0), cells(1));
    let most = CELLS_A_BOX * boxes as u64 + 64;
    if width.saturating_mul(height) <= most {
        return Layout { low, rate, width, height, wrapped: false };
    }
    let square = libm::sqrt(most as f64) as u64;
    // A long and narrow world keeps its narrow side.
    let (width, height) = match (width <= square, height <= square) {
        (true, _) => (width, most / width),
        (_, true) => (most / height, height),
        _ => (square, square),
    };
    Layout { low, rate, width, height, wrapped: true }
}
