//! The piece of a source that a complaint is about, in lines that a reader can take in.

use ironspin_model::shown;
use std::ops::Range;

/// Longest line that is shown whole, bytes.
const LONGEST: usize = 400;
/// What is kept before and after the place in a longer one, bytes.
const BEFORE: usize = 60;
const AFTER: usize = 200;
/// Most lines that a place spans; of a longer one the first is shown.
const LINES: usize = 8;
/// Stands where letters were left out.
const CUT: &str = "...";

/// A text with its long lines cut around a place, harmless to a terminal, and the place in it. The number of lines up to the place stays.
pub(crate) fn excerpt(text: &str, span: &Range<usize>) -> (String, Range<usize>) {
    let (start, mut end) = (floor(text, span.start), floor(text, span.end.max(span.start)));
    if text[start..end].matches('\n').nth(LINES).is_some() {
        end = start + text[start..end].find('\n').unwrap_or(0);
    }
    let (mut out, mut place, mut at) = (String::new(), 0..0, 0);
    for line in text.split_inclusive('\n') {
        let (from, to) = (at, at + line.len());
        at = to;
        // Lines far from the place are not shown, and only have to be there.
        let near = to + 2 * LONGEST >= start && from <= end + 2 * LONGEST;
        let inside = |at: usize| at.clamp(from, to) - from;
        let (a, b) = (inside(start), inside(end));
        let kept = if line.len() <= LONGEST {
            0..line.len()
        } else if near {
            floor(line, a.saturating_sub(BEFORE))..floor(line, b.min(a + AFTER) + AFTER)
        } else {
            0..0
        };
        if kept.start > 0 {
            out.push_str(CUT);
        }
        let shown_up_to = |to: usize| shown(&line[kept.start..to.clamp(kept.start, kept.end)]).len();
        let begins = out.len();
        out.push_str(&shown(&line[kept.clone()]));
        if kept.end < line.len() {
            out.push_str(CUT);
            if line.ends_with('\n') {
                out.push('\n');
            }
        }
        // A place between two lines belongs to the first.
        if (from..to).contains(&start) {
            place.start = begins + shown_up_to(floor(line, a));
        }
        if from < end && end <= to {
            place.end = begins + shown_up_to(floor(line, b));
        }
    }
    if start >= at {
        place.start = out.len();
    }
    place.end = place.end.clamp(place.start, out.len());
    (out, place)
}

/// The last border of letters up to a place.
fn floor(text: &str, at: usize) -> usize {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn short_lines_stay_and_long_ones_are_cut_around_the_place() {
        let text = "name = \"a\"\nsize = 3\n";
        assert_eq!(excerpt(text, &(11..15)), (text.to_owned(), 11..15));
        assert_eq!(excerpt(text, &(500..900)), (text.to_owned(), 20..20));
        let long = format!("first\n{}ingot{}\nlast\n", "x".repeat(70_000), "y".repeat(70_000));
        let (cut, place) = excerpt(&long, &(70_006..70_011));
        assert_eq!((&cut[place], cut.lines().count(), cut.len() < 600), ("ingot", 3, true));
        assert!(cut.starts_with("first\n...x") && cut.ends_with("y...\nlast\n"), "{cut}");
    }

    #[test]
    fn places_move_by_what_stands_before_them() {
        let (shown, place) = excerpt("a\u{1b}b = 1", &(4..5));
        assert_eq!((&shown[place], shown.as_str()), ("=", "a\\u{1b}b = 1"));
        let many = "line\n".repeat(100);
        let (_, place) = excerpt(&many, &(5..400));
        assert_eq!(place, 5..9);
    }

    proptest::proptest! {
        #[test]
        fn any_place_of_any_text_is_shown(text in "[a-c\n\u{1b}é]{0,900}", from in 0..1000_usize, length in 0..1000_usize) {
            let (shown, place) = excerpt(&text, &(from..from + length));
            proptest::prop_assert!(shown.is_char_boundary(place.start) && shown.is_char_boundary(place.end));
            let harmless = !shown.contains('\u{1b}');
            proptest::prop_assert!(harmless && place.start <= place.end);
        }
    }
}
