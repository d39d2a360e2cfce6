//! A quantity over time in one line of characters.

/// Levels from low to high, as blocks and as plain characters.
const BLOCKS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
const PLAIN: [char; 8] = ['_', '.', ',', '-', '=', '+', '*', '#'];

/// Lowest and highest of the finite values; the wrong way round where there are none.
pub(crate) fn range(values: &[f64]) -> (f64, f64) {
    let finite = values.iter().copied().filter(|value| value.is_finite());
    finite.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)))
}

/// As many characters as `width` at most, each as high as the largest value of its piece lies between the lowest and the highest of all;
/// `x` where nothing is a number. Empty for no values.
pub(crate) fn sparkline(values: &[f64], width: usize, blocks: bool) -> String {
    let (low, high) = range(values);
    let levels = if blocks { BLOCKS } else { PLAIN };
    let width = width.min(values.len());
    let piece = |number: usize| &values[number * values.len() / width..(number + 1) * values.len() / width];
    let letter = |number: usize| {
        let largest = range(piece(number)).1;
        match (largest.is_finite(), high > low) {
            (false, _) => 'x',
            (true, false) => levels[0],
            (true, true) => levels[(7.999 * (largest - low) / (high - low)) as usize],
        }
    };
    (0..width).map(letter).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_follow_the_values() {
        let values: Vec<f64> = (0..8).map(f64::from).collect();
        assert_eq!(sparkline(&values, 8, true), "▁▂▃▄▅▆▇█");
        assert_eq!(sparkline(&values, 4, false), ".-+#");
        assert_eq!(sparkline(&[3.0, 3.0], 10, true), "▁▁");
        assert_eq!(sparkline(&[0.0, f64::NAN, 1.0], 3, false), "_x#");
        assert_eq!(sparkline(&[], 3, true), "");
        assert_eq!(sparkline(&[f64::NAN; 3], 2, true), "xx");
    }
}
