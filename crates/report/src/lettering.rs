//! Text on raster images, in the one font that is bundled: DejaVu Sans 2.37, which has Latin, Greek, Cyrillic and more.
//!
//! What the font lacks is drawn as a box, and [`missing_letters`] says so.

use std::borrow::Cow;
use tiny_skia::{FillRule, Paint, Path, PathBuilder, Pixmap, Transform};
use ttf_parser::{Face, GlyphId, OutlineBuilder};

/// See `fonts/LICENSE-DejaVu.txt`.
static FONT: &[u8] = include_bytes!("../fonts/DejaVuSans.ttf");

/// The font, and how its units become px.
struct Font {
    face: Face<'static>,
    scale: f32,
}

/// A glyph under way, in px, with y downwards.
struct Outline<'a> {
    path: &'a mut PathBuilder,
    scale: f32,
    x: f32,
}

impl OutlineBuilder for Outline<'_> {
    fn move_to(&mut self, x: f32, y: f32) {
        self.path.move_to(self.x + x * self.scale, -y * self.scale);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.path.line_to(self.x + x * self.scale, -y * self.scale);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let (s, left) = (self.scale, self.x);
        self.path.quad_to(left + x1 * s, -y1 * s, left + x * s, -y * s);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let (s, left) = (self.scale, self.x);
        self.path.cubic_to(left + x1 * s, -y1 * s, left + x2 * s, -y2 * s, left + x * s, -y * s);
    }

    fn close(&mut self) {
        self.path.close();
    }
}

impl Font {
    /// The font at a size, px; nothing if the bundled file were broken, which a test excludes.
    fn at(size: f32) -> Option<Font> {
        let face = Face::parse(FONT, 0).ok()?;
        let scale = size / f32::from(face.units_per_em());
        Some(Font { face, scale })
    }

    /// The glyph of a letter; that of the box where there is none.
    fn glyph(&self, letter: char) -> GlyphId {
        self.face.glyph_index(letter).unwrap_or(GlyphId(0))
    }

    fn advance(&self, glyph: GlyphId) -> f32 {
        f32::from(self.face.glyph_hor_advance(glyph).unwrap_or(0)) * self.scale
    }
}

/// Width of a text at a size, px.
pub(crate) fn width(text: &str, size: f32) -> f32 {
    Font::at(size).map_or(0.0, |font| text.chars().map(|letter| font.advance(font.glyph(letter))).sum())
}

/// Height of capitals at a size, px.
pub(crate) fn height(size: f32) -> f32 {
    // The font's own measure, 1493 of 2048 units.
    0.729 * size
}

/// The outline of a text with its baseline from the origin to the right, px; nothing for a text without a visible letter.
pub(crate) fn outline(text: &str, size: f32) -> Option<Path> {
    let font = Font::at(size)?;
    let mut path = PathBuilder::new();
    let mut x = 0.0;
    for letter in text.chars() {
        let glyph = font.glyph(letter);
        font.face.outline_glyph(glyph, &mut Outline { path: &mut path, scale: font.scale, x });
        x += font.advance(glyph);
    }
    path.finish()
}

/// Draws a text; `place` takes the baseline that starts at the origin to where it belongs.
pub(crate) fn draw(pixels: &mut Pixmap, text: &str, size: f32, place: Transform, paint: &Paint<'_>) {
    if let Some(path) = outline(text, size) {
        pixels.fill_path(&path, paint, FillRule::Winding, place, None);
    }
}

/// What to say about letters of some texts that the font lacks; nothing where it has all.
pub fn missing_letters<'a>(texts: impl IntoIterator<Item = &'a str>) -> Option<String> {
    let font = Font::at(1.0)?;
    let lacks = |letter: &char| !letter.is_control() && font.face.glyph_index(*letter).is_none();
    let mut missing: Vec<char> = texts.into_iter().flat_map(str::chars).filter(lacks).collect();
    missing.sort_unstable();
    missing.dedup();
    if missing.is_empty() {
        return None;
    }
    let shown: Vec<String> = missing.iter().take(8).map(|&letter| format!("U+{:04X}", u32::from(letter))).collect();
    let more = if missing.len() > 8 { format!(" and {} more", missing.len() - 8) } else { String::new() };
    Some(format!("the bundled font lacks {}{more}: drawn as boxes", shown.join(", ")))
}

/// What stands for letters that were left out.
const ELLIPSIS: char = '\u{2026}';
/// Letters of a beginning that all names share which stay when it is shortened.
const KEPT: usize = 8;

/// A text that fits, shortened in its middle where it must be.
pub(crate) fn shortened<'a>(text: &'a str, fits: &dyn Fn(&str) -> bool) -> Cow<'a, str> {
    if fits(text) {
        return Cow::Borrowed(text);
    }
    let letters: Vec<char> = text.chars().collect();
    let kept = |count: usize| -> String {
        let (head, tail) = (count.div_ceil(2), count / 2);
        letters[..head]
            .iter()
            .copied()
            .chain([ELLIPSIS])
            .chain(letters[letters.len() - tail..].iter().copied())
            .collect()
    };
    // The most letters that still fit, by bisection.
    let (mut low, mut high) = (0, letters.len().saturating_sub(1));
    while low < high {
        let middle = (low + high).div_ceil(2);
        if fits(&kept(middle)) { low = middle } else { high = middle - 1 }
    }
    Cow::Owned(kept(low))
}

/// Names of which each fits: where one does not, first what all share at the beginning is shortened, then the middle of each, so that what
/// differs stays readable as long as it can.
pub(crate) fn shortened_among(names: &[String], fits: &dyn Fn(&str) -> bool) -> Vec<String> {
    if names.iter().all(|name| fits(name)) {
        return names.to_vec();
    }
    let letters: Vec<Vec<char>> = names.iter().map(|name| name.chars().collect()).collect();
    let shared = letters.iter().skip(1).fold(letters.first().map_or(0, Vec::len), |shared, name| {
        letters[0].iter().zip(name).take(shared).take_while(|(a, b)| a == b).count()
    });
    // Nothing of it is gained unless more than the sign goes.
    let cut = if names.len() > 1 && shared > KEPT + 2 { Some(shared) } else { None };
    let without = |name: &Vec<char>| -> String {
        match cut {
            Some(shared) => {
                name[..KEPT].iter().copied().chain([ELLIPSIS]).chain(name[shared..].iter().copied()).collect()
            }
            None => name.iter().collect(),
        }
    };
    letters.iter().map(|name| shortened(&without(name), fits).into_owned()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_bundled_font_is_whole_and_has_accents_greek_and_cyrillic() {
        let font = Font::at(12.0).expect("the bundled font");
        for letter in "Aé ßŁőΩφЖя→≤".chars().filter(|letter| *letter != ' ') {
            assert_ne!(font.glyph(letter), GlyphId(0), "{letter}");
        }
        assert_eq!(missing_letters(["körper", "Ωmega", "Баржа"]), None);
        let capital = font.face.glyph_bounding_box(font.glyph('H')).expect("a box around a capital").y_max;
        assert!((f32::from(capital) * font.scale - height(12.0)).abs() < 0.01, "{capital}");
    }

    #[test]
    fn what_the_font_lacks_is_a_box_and_is_said() {
        let note = missing_letters(["鋳", "鋳造"]).expect("a note");
        assert_eq!(note, "the bundled font lacks U+9020, U+92F3: drawn as boxes");
        let [one, two] = ["鋳", "造"].map(|text| outline(text, 20.0).expect("a box").bounds());
        assert_eq!((one.width(), one.height()), (two.width(), two.height()));
    }

    #[test]
    fn wider_texts_are_wider_and_sizes_scale() {
        assert!(width("ingots", 12.0) > width("ingot", 12.0));
        assert!((width("ingot", 24.0) / width("ingot", 12.0) - 2.0).abs() < 1e-5);
        assert!(outline("  ", 12.0).is_none());
    }

    #[test]
    fn long_names_lose_their_middle_and_keep_both_ends() {
        let fits = |most: usize| move |text: &str| text.chars().count() <= most;
        assert_eq!(shortened("short", &fits(10)), "short");
        let short = shortened("ingot[12][7] of the upper row", &fits(11));
        assert_eq!(short, "ingot…r row");
        assert_eq!(shortened("abcdef", &fits(1)), "…");
    }

    #[test]
    fn names_that_differ_late_stay_different() {
        let name =
            |setting: &str| format!("overlap.deepest of * on builtin:swept=off,warm-start=off,substeps={setting}");
        let names = ["1", "2", "40"].map(name);
        let fits = |text: &str| text.chars().count() <= 24;
        let short = shortened_among(&names, &fits);
        assert!(short.iter().all(|name| fits(name)), "{short:?}");
        assert!(short[0] != short[1] && short[1] != short[2] && short[2].ends_with("40"), "{short:?}");
        assert_eq!(shortened_among(&["a".to_owned()], &fits), ["a"]);
    }
}
