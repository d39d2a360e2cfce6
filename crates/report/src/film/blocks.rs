//! A film in a terminal: half blocks, two dots to a character, in colours of 24 bits.

use super::{FilmError, FilmStyle, Filming};
use ironspin_lab::TrialRecord;
use std::fmt::Write;
use tiny_skia::Pixmap;

/// Hands over one frame after the other as text, with the time at which it is due, s, at `speed` times the time of the trial; ends when `show` says so. `room` is columns and lines of
/// the terminal.
///
/// # Errors
/// When there is nothing to show, or no room.
pub fn play(
    record: &TrialRecord,
    style: &FilmStyle,
    speed: f64,
    room: [u32; 2],
    show: &mut dyn FnMut(f64, &str) -> bool,
) -> Result<(), FilmError> {
    let narrow = FilmStyle { width: room[0], ..style.clone() };
    let first = Filming::new(record, &narrow)?;
    let ([wide, tall], views) = (first.size, first.views());
    // Below the picture stand a line of text and the cursor.
    let most = 2 * room[1].saturating_sub(2);
    let width = if tall > most { wide * most / tall } else { wide };
    let narrow = FilmStyle { width, views, ..narrow };
    let mut filming = Filming::new(record, &narrow)?;
    filming.lettered = false;
    let mut due = 0.0;
    for (number, &frame) in filming.frames.iter().enumerate() {
        let time = record.recording.replay.times[frame];
        let mut text = blocks(&filming.picture(frame)?);
        // Writing to a string cannot fail.
        let _ = write!(text, "{time:.3} s  {}", style.title);
        if !show(due, &text) {
            break;
        }
        due += filming.shown(number, speed);
    }
    Ok(())
}

/// A picture as lines of half blocks: the upper dot in the colour of the letter, the lower one in that of the ground.
fn blocks(picture: &Pixmap) -> String {
    let (wide, tall) = (picture.width() as usize, picture.height() as usize);
    let colour = |x: usize, y: usize| {
        let dot = picture.pixels()[y * wide + x];
        [dot.red(), dot.green(), dot.blue()]
    };
    let mut out = String::new();
    for y in (0..tall.saturating_sub(1)).step_by(2) {
        let mut known = None;
        for x in 0..wide {
            let both = (colour(x, y), colour(x, y + 1));
            if known != Some(both) {
                let ([r, g, b], [s, h, c]) = both;
                let _ = write!(out, "\u{1b}[38;2;{r};{g};{b}m\u{1b}[48;2;{s};{h};{c}m");
                known = Some(both);
            }
            out.push('\u{2580}');
        }
        out.push_str("\u{1b}[0m\n");
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_dots_are_one_character_and_colours_are_told_once() {
        let mut picture = Pixmap::new(3, 2).unwrap();
        picture.fill(tiny_skia::Color::from_rgba8(1, 2, 3, 255));
        assert_eq!(blocks(&picture), "\u{1b}[38;2;1;2;3m\u{1b}[48;2;1;2;3m\u{2580}\u{2580}\u{2580}\u{1b}[0m\n");
    }
}
