//! Cells of tables that other programs read: text of strangers is no formula there, no markup and no link.

use ironspin_model::{shown, shown_in_line};
use std::borrow::Cow;

/// Longest text of a cell in Markdown, letters.
const LONGEST: usize = 600;

/// A cell of CSV that holds text: one that a spreadsheet would take for a formula begins with an apostrophe. Numbers are written as they are.
pub(crate) fn csv_text(text: &str) -> Cow<'_, str> {
    let shown = shown(text);
    if shown.starts_with(['=', '+', '-', '@', '\t']) { Cow::Owned(format!("'{shown}")) } else { shown }
}

/// A cell of a table in Markdown, or a piece of its text: in one line, and as it was written.
pub(crate) fn markdown_text(text: &str) -> String {
    let mut out = String::new();
    for letter in shown_in_line(text, LONGEST).chars() {
        if matches!(letter, '\\' | '|' | '[' | ']' | '*' | '_' | '`' | '~' | '#' | '!' | '$') {
            out.push('\\');
        }
        out.push(letter);
    }
    // Addresses are made links without any markup.
    out.replace('<', "&lt;").replace("://", "&#58;//").replace("www.", "www&#46;").replace('@', "&#64;")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_text_is_a_formula() {
        for (text, cell) in [
            ("=1+1", "'=1+1"),
            ("@x", "'@x"),
            ("-x", "'-x"),
            ("+x", "'+x"),
            ("<= 3", "<= 3"),
            ("a=b", "a=b"),
            ("\u{1b}=", "\\u{1b}="),
        ] {
            assert_eq!(csv_text(text), cell);
        }
    }

    #[test]
    fn no_text_is_markup_or_a_link() {
        assert_eq!(markdown_text("[a](b) | *c*\n<img>"), "\\[a\\](b) \\| \\*c\\*\\\\n&lt;img>");
        assert_eq!(
            markdown_text("see https://quay.example or www.quay.example"),
            "see https&#58;//quay.example or www&#46;quay.example"
        );
    }
}
