//! Standard output, colours, width of the terminal.

use ironspin_model::shown;
use std::io::{IsTerminal, Write};

/// Whether a stream should be coloured: it is a terminal that can, and NO_COLOR is not set.
pub(crate) fn colour(stream: &impl IsTerminal) -> bool {
    let set = |name: &str| std::env::var_os(name).is_some_and(|value| !value.is_empty());
    stream.is_terminal() && !set("NO_COLOR") && std::env::var_os("TERM").is_none_or(|term| term != "dumb")
}

/// Whether block characters can be written: everywhere but on a terminal that says it is dumb.
pub(crate) fn blocks() -> bool {
    std::env::var_os("TERM").is_none_or(|term| term != "dumb")
}

/// Columns of the terminal, or of the file that takes its place.
pub(crate) fn width() -> u16 {
    let typed = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    typed.or_else(|| terminal_size::terminal_size().map(|(width, _)| width.0)).unwrap_or(120).max(60)
}

/// Columns and lines of the terminal.
pub(crate) fn room() -> [u32; 2] {
    let size = terminal_size::terminal_size().map(|(width, height)| [u32::from(width.0), u32::from(height.0)]);
    size.unwrap_or([120, 40])
}

/// Writes results for people; nothing in them is obeyed by a terminal.
pub(crate) fn print(text: &str) -> std::io::Result<()> {
    document(&shown(text))
}

/// Writes a document for another program, or what its maker has made harmless: as it is.
pub(crate) fn document(text: &str) -> std::io::Result<()> {
    let mut out = std::io::stdout().lock();
    out.write_all(text.as_bytes())?;
    out.flush()
}

/// Writes a line beside the results; nothing in it is obeyed by a terminal. Nothing can be done when that fails.
pub(crate) fn note(text: &str) {
    coloured_note(&shown(text));
}

/// The same of what its maker has made harmless: as it is.
pub(crate) fn coloured_note(text: &str) {
    let _ = writeln!(std::io::stderr().lock(), "{text}");
}
