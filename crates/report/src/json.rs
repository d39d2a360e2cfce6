//! JSON as people and terminals may get it: nothing in its strings is obeyed, and everything reads back as it was.

use ironspin_model::shown_json;
use serde::Serialize;
use serde_json::ser::{Formatter, PrettyFormatter, Serializer};
use std::io::{self, Write};

/// [`PrettyFormatter`], whose strings escape what terminals obey beyond what JSON escapes anyway.
#[derive(Default)]
struct Shown(PrettyFormatter<'static>);

impl Formatter for Shown {
    fn write_string_fragment<W: ?Sized + Write>(&mut self, writer: &mut W, fragment: &str) -> io::Result<()> {
        writer.write_all(shown_json(fragment).as_bytes())
    }

    fn begin_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_array(writer)
    }

    fn end_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_array(writer)
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(writer, first)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_array_value(writer)
    }

    fn begin_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_object(writer)
    }

    fn end_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_object(writer)
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(writer, first)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_object_value(writer)
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_object_value(writer)
    }
}

/// Writes a document with a line end.
pub(crate) fn write(out: &mut dyn Write, document: &impl Serialize) -> Result<(), serde_json::Error> {
    document.serialize(&mut Serializer::with_formatter(&mut *out, Shown::default()))?;
    out.write_all(b"\n").map_err(serde_json::Error::io)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_document_looks_as_usual_and_hides_nothing() {
        let plain = serde_json::json!({"name": "kettle", "list": [1, 2.5, null], "none": [], "of": {"a": true}});
        let text = |document: &serde_json::Value| {
            let mut out = Vec::new();
            write(&mut out, document).unwrap();
            String::from_utf8(out).unwrap()
        };
        assert_eq!(text(&plain), serde_json::to_string_pretty(&plain).unwrap() + "\n");
        let hostile = serde_json::json!({"a\u{202e}b": "c\u{9b}2J\u{1b}\u{7f}\"\\"});
        let shown = text(&hostile);
        assert!(shown.is_ascii() && !shown.contains('\u{7f}'), "{shown}");
        assert_eq!(serde_json::from_str::<serde_json::Value>(&shown).unwrap(), hostile);
    }
}
