//! A grid of cells over the world: each box lies in the cell of its lower corner, and only boxes of neighbouring cells can overlap.

use crate::common::cells::{LARGE, Starts, beside_large};
use crate::common::found::{BLOCK, Found};
use crate::common::scalar::Real;
use crate::plane::bound::{Around, Bound};
use std::ops::Range;

/// Cells a box; a world that would need more is wrapped around.
const CELLS_A_BOX: u64 = 4;

/// Boxes counted into cells; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid<S> {
    /// Cell of each box, in the order of the boxes; `LARGE` for one that fits into no cell.
    cell: Vec<u32>,
    /// Where each cell's boxes start in the order along the cells.
    starts: Starts,
    pub(crate) along: Along<S>,
}

/// Boxes along the cells, the piece of each, and its cell.
#[derive(Clone, Debug, Default)]
pub(crate) struct Along<S> {
    /// These and the pieces are a block longer than what counts.
    pub(crate) sides: Vec<Sides<S>>,
    pub(crate) piece: Vec<u32>,
    pub(crate) cell: Vec<u32>,
}

/// The sides of a box: lower x and y, upper x and y negated, so that two boxes overlap where four numbers of one are not above four of
/// the other.
pub(crate) type Sides<S> = [S; 4];

#[inline]
fn sides<S: Real>(bound: &Bound<S>) -> Sides<S> {
    [bound.low.x, bound.low.y, -bound.high.x, -bound.high.y]
}

#[inline]
fn overlap<S: Real>(a: &Sides<S>, b: &Sides<S>) -> bool {
    (a[0] <= -b[2]) & (b[0] <= -a[2]) & (a[1] <= -b[3]) & (b[1] <= -a[3])
}

/// Where cells lie.
pub(crate) struct Layout {
    pub(crate) low: [f64; 2],
    pub(crate) rate: f64,
    /// Cells a row and rows; the outermost stay empty unless the world is wrapped around.
    pub(crate) width: u64,
    height: u64,
    wrapped: bool,
}

impl Layout {
    pub(crate) fn cell<S: Real>(&self, bound: &Bound<S>) -> u32 {
        // Not below zero, so that the conversion rounds down. What lies beyond the largest number shares the last cell.
        let x = u64::from(((bound.low.x.to_f64() - self.low[0]) * self.rate) as u32);
        let y = u64::from(((bound.low.y.to_f64() - self.low[1]) * self.rate) as u32);
        let cell =
            if self.wrapped { y % self.height * self.width + x % self.width } else { (y + 1) * self.width + x + 1 };
        cell as u32
    }
}

/// The largest size of those that nine boxes in ten stay below, up to a power of two. Boxes beyond it are compared with all others.
fn ordinary_size<S: Real>(bounds: &[Bound<S>], around: &Around<S>) -> f64 {
    let exponent = |size: S| (size.to_f64().to_bits() >> 52) as usize & 0x7ff;
    if exponent(around.smallest()) == exponent(around.largest()) {
        return around.largest().to_f64();
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

impl<S: Real> Grid<S> {
    /// Writes down every two boxes that overlap.
    pub(crate) fn overlaps(&mut self, bounds: &[Bound<S>], around: &Around<S>, found: &mut Found) {
        if bounds.is_empty() {
            return;
        }
        let ordinary = ordinary_size(bounds, around);
        // A little more than the size, so that rounding never puts two cells between boxes that touch.
        let layout = layout(bounds.len(), around, ordinary * (1.0 + 1e-6));
        self.arrange(bounds, around, &layout, ordinary);
        if layout.wrapped {
            self.gather_wrapped(&layout, found);
        } else if !self.gather_wide(layout.width as usize, found) {
            for place in 0..self.along.cell.len() {
                for run in self.runs(place, layout.width as usize) {
                    self.gather(place, run, found);
                }
            }
        }
        if self.along.cell.len() < bounds.len() {
            beside_large((bounds, &self.cell), usize::MAX, found, Bound::pair, Bound::meets);
        }
    }

    /// The pieces of all boxes that fit into cells, along the cells.
    pub(crate) fn order(&self) -> impl Iterator<Item = u32> {
        self.along.piece[..self.along.cell.len()].iter().copied()
    }

    /// In a grid that is not wrapped, the boxes with which one must be compared: those after it in its own cell and in the next,
    /// and those in three cells of the next row.
    #[inline(always)]
    pub(crate) fn runs(&self, place: usize, width: usize) -> [Range<usize>; 2] {
        let cell = self.along.cell[place] as usize;
        [place + 1..self.start(cell + 2), self.start(cell + width - 1)..self.start(cell + width + 2)]
    }

    fn gather(&self, place: usize, run: Range<usize>, found: &mut Found) {
        let (sides, pieces) = (&self.along.sides, &self.along.piece);
        run.for_each(|other| found.note(pieces[place], pieces[other], overlap(&sides[place], &sides[other])));
    }

    fn gather_wrapped(&self, layout: &Layout, found: &mut Found) {
        let width = layout.width as usize;
        for (place, &cell) in self.along.cell.iter().enumerate() {
            let cell = cell as usize;
            let (x, y) = (cell % width, cell / width);
            let above = (y + 1) % layout.height as usize * width;
            let (left, right) = ((x + width - 1) % width, (x + 1) % width);
            self.gather(place, place + 1..self.start(cell + 1), found);
            for cell in [y * width + right, above + left, above + x, above + right] {
                self.gather(place, self.start(cell)..self.start(cell + 1), found);
            }
        }
    }

    #[inline(always)]
    fn start(&self, cell: usize) -> usize {
        self.starts.of(cell)
    }

    /// Sorts the boxes into cells by counting.
    fn arrange(&mut self, bounds: &[Bound<S>], around: &Around<S>, layout: &Layout, ordinary: f64) {
        self.cell.clear();
        if around.largest().to_f64() > ordinary {
            let cell = |bound: &Bound<S>| if bound.size().to_f64() <= ordinary { layout.cell(bound) } else { LARGE };
            self.cell.extend(bounds.iter().map(cell));
        } else if layout.wrapped || !layout.cells_wide(bounds, &mut self.cell) {
            self.cell.extend(bounds.iter().map(|bound| layout.cell(bound)));
        }
        let cells = (layout.width * layout.height) as usize;
        let count = self.starts.count(&self.cell, cells);
        let along = &mut self.along;
        along.sides.resize(count + BLOCK, [S::ZERO; 4]);
        along.piece.resize(count + BLOCK, 0);
        along.cell.resize(count, 0);
        let (to, piece, to_cell) = (&mut along.sides[..count], &mut along.piece[..count], &mut along.cell[..count]);
        for (bound, &cell) in bounds.iter().zip(&self.cell).filter(|&(_, &cell)| cell != LARGE) {
            let place = self.starts.place(cell);
            (to[place], piece[place], to_cell[place]) = (sides(bound), bound.piece, cell);
        }
    }
}

/// Cells of a side over all boxes, with an empty rim; wrapped around to a square when they would be too many.
fn layout<S: Real>(boxes: usize, around: &Around<S>, side: f64) -> Layout {
    let low = [around.low().x.to_f64(), around.low().y.to_f64()];
    let high = [around.high().x.to_f64(), around.high().y.to_f64()];
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
