//! Pictures in 255 colours, and what changed from one to the next.

use std::collections::BTreeMap;
use tiny_skia::Pixmap;

/// The number that stands for a dot as it was in the picture before.
pub(super) const UNCHANGED: u8 = 255;

/// Colours that stand for all others, nearest by nearest. Colours are distinguished by the upper five bits of each part.
pub(super) struct Palette {
    colours: Vec<u8>,
    /// Number of the nearest colour for each that was met.
    known: Vec<Option<u8>>,
    before: Vec<u8>,
}

fn key(dot: &[u8]) -> usize {
    let part = |place: usize| usize::from(dot[place] >> 3);
    part(0) << 10 | part(1) << 5 | part(2)
}

impl Palette {
    /// The colours that are met most in some pictures.
    pub(super) fn of(pictures: &[Pixmap]) -> Palette {
        // How often, and the sum of what was met.
        let mut met: BTreeMap<usize, [u64; 4]> = BTreeMap::new();
        for dot in pictures.iter().flat_map(|picture| picture.data().as_chunks::<4>().0) {
            let sum = met.entry(key(dot)).or_default();
            for (sum, part) in sum.iter_mut().zip([1, dot[0].into(), dot[1].into(), dot[2].into()]) {
                *sum += part;
            }
        }
        let mut most: Vec<(usize, [u64; 4])> = met.into_iter().collect();
        most.sort_by(|a, b| b.1[0].cmp(&a.1[0]).then(a.0.cmp(&b.0)));
        most.truncate(usize::from(UNCHANGED));
        let colours = most.iter().flat_map(|(_, [count, r, g, b])| [r, g, b].map(|sum| (sum / count) as u8));
        Palette { colours: colours.collect(), known: vec![None; 1 << 15], before: Vec::new() }
    }

    /// Red, green and blue of each.
    pub(super) fn colours(&self) -> &[u8] {
        &self.colours
    }

    fn number(&mut self, dot: &[u8]) -> u8 {
        let key = key(dot);
        if let Some(number) = self.known[key] {
            return number;
        }
        let far = |colour: &[u8]| -> i32 {
            colour.iter().zip(dot).map(|(&a, &b)| (i32::from(a) - i32::from(b)).pow(2)).sum()
        };
        let nearest = self.colours.chunks_exact(3).enumerate().min_by_key(|(_, colour)| far(colour));
        let number = nearest.map_or(0, |(number, _)| number as u8);
        self.known[key] = Some(number);
        number
    }

    /// A picture by the numbers of its colours, where they differ from the picture before.
    pub(super) fn changed(&mut self, picture: &Pixmap) -> Vec<u8> {
        let now: Vec<u8> = picture.data().as_chunks::<4>().0.iter().map(|dot| self.number(dot)).collect();
        let before = std::mem::replace(&mut self.before, now);
        let pairs = self.before.iter().enumerate();
        pairs.map(|(at, &number)| if before.get(at) == Some(&number) { UNCHANGED } else { number }).collect()
    }
}
