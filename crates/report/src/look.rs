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
    hex(SERIES[index % SERIES.len()])
}

/// A colour as CSS.
pub(crate) fn hex((r, g, b): (u8, u8, u8)) -> String {
    format!("#{r:02x}{g:02x}{b:02x}")
}

/// Bodies that stand still.
pub(crate) const STILL: (u8, u8, u8) = (0x9a, 0x95, 0x8a);

/// The colour of what is at rest to the last bit, as what sleeps is: most of the way to the paper.
pub(crate) fn resting(colour: (u8, u8, u8)) -> (u8, u8, u8) {
    mixed(colour, PAPER, RESTING)
}

/// How far towards the paper that is.
const RESTING: f64 = 0.6;

/// Springs of soft bodies: squeezed, as they are at rest, stretched. Blue against vermilion, as curves are, both darker than the rest.
pub(crate) const STRAIN: [(u8, u8, u8); 3] = [(0x1f, 0x5f, 0x8b), (0xa8, 0xa2, 0x96), (0xc0, 0x48, 0x10)];

/// The colour of a strain from -1 squeezed to 1 stretched.
pub(crate) fn strain_colour(share: f64) -> (u8, u8, u8) {
    let [squeezed, rest, stretched] = STRAIN;
    let end = if share < 0.0 { squeezed } else { stretched };
    mixed(rest, end, share.abs().min(1.0))
}

/// A colour with a share of another.
pub(crate) fn mixed(under: (u8, u8, u8), over: (u8, u8, u8), share: f64) -> (u8, u8, u8) {
    let part = |a: u8, b: u8| (f64::from(a) + share * (f64::from(b) - f64::from(a))).round() as u8;
    (part(under.0, over.0), part(under.1, over.1), part(under.2, over.2))
}

/// Lines and letters, and what they stand on.
pub(crate) const INK: (u8, u8, u8) = (0x22, 0x26, 0x2a);
pub(crate) const PAPER: (u8, u8, u8) = (0xfb, 0xfa, 0xf6);
/// Ground of a world of space, the lines of its grid, and shadows on it.
pub(crate) const GROUND: (u8, u8, u8) = (0xec, 0xe8, 0xdd);
pub(crate) const GRID: (u8, u8, u8) = (0xcf, 0xc9, 0xb9);
pub(crate) const SHADOW: (u8, u8, u8) = (0xb9, 0xb2, 0xa2);

/// Colour of bounds: lines of it, and no others, are dashed.
pub(crate) const BOUND: (u8, u8, u8) = (0x6f, 0x6a, 0x60);
