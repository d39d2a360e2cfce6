//! The one gate for text of strangers (names, reasons, units, keys, logs and errors of engines) on its way to a reader: a terminal obeys escape sequences, and
//! direction marks make a line read as another one than it is.

use std::borrow::Cow;
use std::fmt::Write;

/// Stands at the end of what was clipped.
const CLIPPED: &str = " ...";

/// Whether a letter is obeyed by terminals or turns the direction of a line, rather than being read: control characters (C0 but line ends and tabs, C1,
/// delete), direction marks, separators of lines and paragraphs, the mark of byte order, tags.
fn is_obeyed(letter: char) -> bool {
    let direction =
        matches!(letter, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    let hidden = matches!(letter, '\u{2028}' | '\u{2029}' | '\u{feff}' | '\u{e0000}'..='\u{e007f}');
    (letter.is_control() && !matches!(letter, '\n' | '\t')) || direction || hidden
}

/// A text as it may be shown: what would be obeyed stands there as `\u{1b}`; line ends and tabs stay.
pub fn shown(text: &str) -> Cow<'_, str> {
    replaced(text, "\\")
}

/// A text with what would be obeyed as `u{1b}` after a sign.
fn replaced<'a>(text: &'a str, sign: &str) -> Cow<'a, str> {
    if !text.contains(is_obeyed) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 16);
    for letter in text.chars() {
        match is_obeyed(letter) {
            // Writing to a string cannot fail.
            true => drop(write!(out, "{sign}u{{{:x}}}", u32::from(letter))),
            false => out.push(letter),
        }
    }
    Cow::Owned(out)
}

/// A text as it may be shown in one line of at most so many letters: line ends are shown as such, and what was clipped ends with dots.
pub fn shown_in_line(text: &str, most: usize) -> Cow<'_, str> {
    let mut shown = shown(text);
    if shown.contains(['\n', '\t']) {
        shown = Cow::Owned(shown.replace('\n', "\\n").replace('\t', " "));
    }
    if shown.chars().nth(most).is_some() {
        let kept = most.saturating_sub(CLIPPED.len());
        shown = Cow::Owned(shown.chars().take(kept).chain(CLIPPED.chars()).collect());
    }
    shown
}

/// A JSON document whose strings hold nothing that would be obeyed: the writer escapes C0, and this the rest, so that it reads back as the same.
pub fn shown_json(document: &str) -> Cow<'_, str> {
    // Outside of strings there are line ends alone.
    if !document.contains(is_obeyed) {
        return Cow::Borrowed(document);
    }
    let mut out = String::with_capacity(document.len() + 16);
    for letter in document.chars() {
        if is_obeyed(letter) {
            for unit in letter.encode_utf16(&mut [0; 2]) {
                // Writing to a string cannot fail.
                let _ = write!(out, "\\u{unit:04x}");
            }
        } else {
            out.push(letter);
        }
    }
    Cow::Owned(out)
}

/// A JSON document whose strings may be shown as they are once they are read: what would be obeyed stands in them as `\u{202e}`.
pub fn showable_json(document: &str) -> Cow<'_, str> {
    replaced(document, "\\\\")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_terminal_obeys_is_shown_and_what_it_shows_stays() {
        assert_eq!(showable_json("[\"a\u{202e}b\"]"), "[\"a\\\\u{202e}b\"]");
        assert_eq!(shown("a\u{1b}[31m b\u{9b}2J\u{7}"), "a\\u{1b}[31m b\\u{9b}2J\\u{7}");
        assert_eq!(shown("left \u{202e}thgir"), "left \\u{202e}thgir");
        for kept in ["Gießerei am Kai, 溶鉱炉, µ, é", "two\nlines\tand a tab", ""] {
            assert!(matches!(shown(kept), Cow::Borrowed(text) if text == kept), "{kept}");
        }
        assert_eq!(shown("a\r\nb"), "a\\u{d}\nb");
    }

    #[test]
    fn a_line_is_one_line_and_no_longer_than_it_may_be() {
        assert_eq!(shown_in_line("a\nb\tc", 20), "a\\nb c");
        assert_eq!(shown_in_line("0123456789", 10), "0123456789");
        assert_eq!(shown_in_line("0123456789x", 10), "012345 ...");
    }

    #[test]
    fn a_document_reads_back_as_it_was() {
        let text = "name\u{202e}\u{9b}\u{e0041}\u{1b}\n\u{7f}";
        let document = serde_json::to_string(&text).unwrap();
        let document = shown_json(&document);
        assert!(!document.contains(is_obeyed), "{document}");
        assert_eq!(serde_json::from_str::<String>(&document).unwrap(), text);
    }
}
