//! Colours, marks and words of verdicts: the same in terminal, page, plot and picture.
//!
//! Verdicts never depend on colour alone: each has a word of its own, and a failing one is in capitals. The colours
//! keep apart for all common kinds of colour blindness (blue against vermilion, both far from grey in lightness).

use ironspin_model::Verdict;

/// The word of a verdict in tables: four letters wide, capitals where something is wrong.
pub(crate) fn mark(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Pass => "pass",
        Verdict::Fail => "FAIL",
        Verdict::Unsupported => "none",
        Verdict::Unknown => "n.k.",
        Verdict::Error => "ERR!",
    }
}

/// Colours of curves and bodies, in order of use.
pub(crate) const SERIES: [(u8, u8, u8); 8] = [
    (0x1f, 0x5f, 0x8b),
    (0xb4, 0x4a, 0x1c),
    (0x3d, 0x7a, 0x5a),
    (0x8a, 0x6d, 0x1f),
    (0x6b, 0x4c, 0x8a),
    (0x2f, 0x8f, 0x9d),
    (0x9c, 0x3f, 0x5e),
    (0x55, 0x5b, 0x61),
];

/// A colour of [`SERIES`] as CSS.
pub(crate) fn css(index: usize) -> String {
    let (r, g, b) = SERIES[index % SERIES.len()];
    format!("#{r:02x}{g:02x}{b:02x}")
}

/// Colour of bounds: lines of it, and no others, are dashed.
pub(crate) const BOUND: (u8, u8, u8) = (0x6f, 0x6a, 0x60);
