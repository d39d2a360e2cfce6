//! Boxes sorted into the cells of a grid by counting.

use crate::common::found::Found;
use crate::common::pair::Pair;

/// The cell of a box that fits into none.
pub(crate) const LARGE: u32 = u32::MAX;

/// Where each cell's boxes start in the order along the cells; its list is kept between searches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Starts(Vec<u32>);

impl Starts {
    /// Counts boxes by their cells, of which there are so many; gives how many boxes fit into cells. Until each box was given its place by
    /// [`Starts::place`] the starts are those of the cells before.
    pub(crate) fn count(&mut self, of_boxes: &[u32], cells: usize) -> usize {
        self.0.clear();
        self.0.resize(cells + 3, 0);
        let starts = &mut self.0[..cells + 3];
        let mut count = 0;
        for &cell in of_boxes.iter().filter(|&&cell| cell != LARGE) {
            starts[cell as usize + 2] += 1;
            count += 1;
        }
        let mut sum = 0;
        for start in &mut starts[1..] {
            sum += *start;
            *start = sum;
        }
        count
    }

    /// The next free place of a cell.
    #[inline(always)]
    pub(crate) fn place(&mut self, cell: u32) -> usize {
        // Each start is one entry too far along, and comes back as the boxes of the cell are put in.
        let start = &mut self.0[cell as usize + 1];
        let place = *start as usize;
        *start += 1;
        place
    }

    #[inline(always)]
    pub(crate) fn of(&self, cell: usize) -> usize {
        self.0[cell] as usize
    }
}

/// Compares boxes that fit into no cell with all others, until there are more than `most`.
pub(crate) fn beside_large<B>(
    (bounds, cells): (&[B], &[u32]),
    most: usize,
    found: &mut Found,
    pair: impl Fn(&B, &B) -> Pair,
    meets: impl Fn(&B, &B) -> bool,
) {
    for (number, large) in bounds.iter().enumerate().filter(|&(number, _)| cells[number] == LARGE) {
        if found.len() > most {
            return;
        }
        for (other, b) in bounds.iter().enumerate() {
            // Two large ones once.
            let twice = cells[other] == LARGE && other <= number;
            if !twice && meets(large, b) {
                found.push(pair(large, b));
            }
        }
    }
}

/// Puts what covers pieces in the order of a grid, so that what is near in the world is near in memory; what the grid does not have comes last.
/// `unplaced` is kept between calls.
pub(crate) fn follow<T: Copy>(
    covers: &mut Vec<T>,
    unplaced: &mut Vec<Option<T>>,
    pieces: usize,
    order: impl Iterator<Item = u32>,
    piece: impl Fn(&T) -> u32,
) {
    unplaced.clear();
    unplaced.resize(pieces, None);
    for cover in covers.drain(..) {
        unplaced[piece(&cover) as usize] = Some(cover);
    }
    covers.extend(order.filter_map(|piece| unplaced[piece as usize].take()));
    covers.extend(unplaced.iter_mut().filter_map(Option::take));
}
