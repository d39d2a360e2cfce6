//! A grid of cells over the world: each box lies in the cell of its lower corner, and only boxes of neighbouring cells can overlap.

use crate::broad::Bound;
use crate::scalar::Real;

/// Cells a box; a world that would need more is wrapped around.
const CELLS_A_BOX: u64 = 4;

/// Boxes counted into cells; its lists are kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid<R> {
    /// Cell of each box, in the order of the boxes; `LARGE` for one that fits into no cell.
    cell: Vec<u32>,
    /// Where each cell's boxes start among `sorted`.
    starts: Vec<u32>,
    sorted: Vec<Bound<R>>,
    sorted_cell: Vec<u32>,
    hits: Vec<(u32, u32)>,
}

/// Overlaps found, as places among the sorted boxes; the list is longer than what it holds.
struct Hits {
    list: Vec<(u32, u32)>,
    count: usize,
}

impl Hits {
    /// Compares a box with a run of others. Each is written down and counted only when it overlaps: whether it will cannot be
    /// foreseen, so that a branch would cost more than a needless write.
    #[inline]
    fn gather<R: Real>(&mut self, sorted: &[Bound<R>], place: usize, from: usize, to: usize) {
        let a = &sorted[place];
        let most = self.count + to.saturating_sub(from);
        if self.list.len() < most {
            self.list.resize(2 * most, (0, 0));
        }
        for (other, b) in sorted[..to].iter().enumerate().skip(from) {
            self.list[self.count] = (place as u32, other as u32);
            self.count += usize::from(a.meets(b));
        }
    }
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
        // Not below zero, so that the conversion rounds down.
        let x = ((bound.low.x.to_f64() - self.low[0]) * self.rate) as u64;
        let y = ((bound.low.y.to_f64() - self.low[1]) * self.rate) as u64;
        let cell =
            if self.wrapped { y % self.height * self.width + x % self.width } else { (y + 1) * self.width + x + 1 };
        cell as u32
    }
}

fn size<R: Real>(bound: &Bound<R>) -> f64 {
    (bound.high.x - bound.low.x).max(bound.high.y - bound.low.y).to_f64()
}

/// The largest size of those that nine boxes in ten stay below, up to a power of two. Boxes beyond it are compared with all others.
fn ordinary_size<R: Real>(bounds: &[Bound<R>]) -> f64 {
    let exponent = |size: f64| (size.to_bits() >> 52) as usize & 0x7ff;
    let mut counts = [0_u32; 0x800];
    for bound in bounds {
        counts[exponent(size(bound))] += 1;
    }
    let mut left = (bounds.len() - bounds.len() / 10) as u32;
    let chosen = counts.iter().position(|&count| {
        left = left.saturating_sub(count);
        left == 0
    });
    let chosen = chosen.unwrap_or(0);
    bounds.iter().map(size).filter(|&size| exponent(size) <= chosen).fold(0.0, f64::max)
}

impl<R: Real> Grid<R> {
    /// Calls `keep` with every two boxes that overlap, in an order that is always the same.
    pub(crate) fn overlaps(&mut self, bounds: &[Bound<R>], mut keep: impl FnMut(&Bound<R>, &Bound<R>)) {
        if bounds.is_empty() {
            return;
        }
        let ordinary = ordinary_size(bounds);
        // A little more than the size, so that rounding never puts two cells between boxes that touch.
        let layout = self.arrange(bounds, ordinary * (1.0 + 1e-6), ordinary);
        let width = layout.width as usize;
        let mut hits = Hits { list: std::mem::take(&mut self.hits), count: 0 };
        for place in 0..self.sorted.len() {
            let cell = self.sorted_cell[place] as usize;
            let mut with = |from: usize, to: u32| hits.gather(&self.sorted, place, from, to as usize);
            if layout.wrapped {
                with(place + 1, self.starts[cell + 1]);
                let (x, y) = (cell % width, cell / width);
                let above = (y + 1) % layout.height as usize * width;
                let [left, right] = [(x + width - 1) % width, (x + 1) % width];
                for cell in [y * width + right, above + left, above + x, above + right] {
                    with(self.starts[cell] as usize, self.starts[cell + 1]);
                }
            } else {
                with(place + 1, self.starts[cell + 2]);
                with(self.starts[cell + width - 1] as usize, self.starts[cell + width + 2]);
            }
        }
        for &(one, other) in &hits.list[..hits.count] {
            keep(&self.sorted[one as usize], &self.sorted[other as usize]);
        }
        self.hits = hits.list;
        for (number, large) in bounds.iter().enumerate().filter(|&(number, _)| self.cell[number] == LARGE) {
            for (other, b) in bounds.iter().enumerate() {
                // Two large ones once.
                let twice = self.cell[other] == LARGE && other <= number;
                if !twice && large.meets(b) {
                    keep(large, b);
                }
            }
        }
    }

    /// Sorts the boxes into cells by counting.
    fn arrange(&mut self, bounds: &[Bound<R>], side: f64, ordinary: f64) -> Layout {
        let layout = layout(bounds, side);
        let cells = (layout.width * layout.height) as usize;
        self.starts.clear();
        self.starts.resize(cells + 3, 0);
        self.cell.clear();
        let mut count = 0;
        for bound in bounds {
            let cell = if size(bound) <= ordinary { layout.cell(bound) } else { LARGE };
            if cell != LARGE {
                self.starts[cell as usize + 2] += 1;
                count += 1;
            }
            self.cell.push(cell);
        }
        let mut sum = 0;
        for start in &mut self.starts[1..] {
            sum += *start;
            *start = sum;
        }
        // Each start is one entry too far along, and comes back as the boxes of the cell are put in.
        self.sorted.resize(count, bounds[0]);
        self.sorted_cell.resize(count, 0);
        for (bound, &cell) in bounds.iter().zip(&self.cell).filter(|&(_, &cell)| cell != LARGE) {
            let start = &mut self.starts[cell as usize + 1];
            let place = *start as usize;
            *start += 1;
            self.sorted[place] = *bound;
            self.sorted_cell[place] = cell;
        }
        layout
    }
}

/// Cells of a side over all boxes, with an empty rim; wrapped around to a square when they would be too many.
fn layout<R: Real>(bounds: &[Bound<R>], side: f64) -> Layout {
    let (mut low, mut high) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
    for bound in bounds {
        for (k, value) in [bound.low.x.to_f64(), bound.low.y.to_f64()].into_iter().enumerate() {
            low[k] = if value < low[k] { value } else { low[k] };
            high[k] = if value > high[k] { value } else { high[k] };
        }
    }
    let rate = if side > 0.0 { 1.0 / side } else { 0.0 };
    let cells = |k: usize| (((high[k] - low[k]) * rate) as u64).saturating_add(3);
    let (width, height) = (cells(0), cells(1));
    let most = CELLS_A_BOX * bounds.len() as u64 + 64;
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
