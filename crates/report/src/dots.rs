//! The plotting library on a raster image, with the letters of films: plots as PNG need no font.

use crate::axes::BOUND;
use crate::film::{letters, paint};
use plotters::style::text_anchor::{HPos, VPos};
use plotters_backend::{
    BackendColor, BackendCoord, BackendStyle, BackendTextStyle, DrawingBackend, DrawingErrorKind, FontTransform,
};
use std::convert::Infallible;
use tiny_skia::{FillRule, Path, PathBuilder, Pixmap, Rect, Stroke, StrokeDash, Transform};

/// Dots of a picture to a px of a figure.
const FINE: f32 = 2.0;
/// Advance and height of a letter, in its own dots.
const LETTER: [i32; 2] = [6, 7];

/// A picture under way; ends in bytes of PNG when it is presented.
pub(crate) struct Dots<'a> {
    pixels: Pixmap,
    size: (u32, u32),
    png: &'a mut Vec<u8>,
}

type Drawn = Result<(), DrawingErrorKind<Infallible>>;

impl<'a> Dots<'a> {
    /// Nothing for a picture of no size.
    pub(crate) fn new(size: (u32, u32), png: &'a mut Vec<u8>) -> Option<Dots<'a>> {
        let mut pixels = Pixmap::new(size.0 * FINE as u32, size.1 * FINE as u32)?;
        pixels.fill(tiny_skia::Color::WHITE);
        Some(Dots { pixels, size, png })
    }

    fn fill(&mut self, path: Option<Path>, colour: BackendColor) {
        if let Some(path) = path {
            let paint = paint(colour.rgb, colour.alpha as f32);
            self.pixels.fill_path(&path, &paint, FillRule::Winding, Transform::identity(), None);
        }
    }

    fn draw(&mut self, path: Option<Path>, style: &impl BackendStyle, fill: bool) {
        if fill { self.fill(path, style.color()) } else { self.stroke(path, style) }
    }

    fn stroke(&mut self, path: Option<Path>, style: &impl BackendStyle) {
        if let Some(path) = path {
            let dashed = style.color().rgb == BOUND;
            let dash = if dashed { StrokeDash::new(vec![6.0 * FINE, 4.0 * FINE], 0.0) } else { None };
            let stroke = Stroke { width: FINE * style.stroke_width() as f32, dash, ..Stroke::default() };
            let paint = paint(style.color().rgb, style.color().alpha as f32);
            self.pixels.stroke_path(&path, &paint, &stroke, Transform::identity(), None);
        }
    }
}

/// The middle of a px.
fn at((x, y): BackendCoord) -> (f32, f32) {
    (FINE * (x as f32 + 0.5), FINE * (y as f32 + 0.5))
}

fn way(points: impl IntoIterator<Item = BackendCoord>, closed: bool) -> Option<Path> {
    let mut path = PathBuilder::new();
    for (number, (x, y)) in points.into_iter().map(at).enumerate() {
        if number == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
    }
    if closed {
        path.close();
    }
    path.finish()
}

/// px of a dot of a letter.
fn dot(size: f64) -> f64 {
    // Letters are as high as the capitals of a font of that size; halves are whole dots.
    (0.74 * size * f64::from(FINE) / f64::from(LETTER[1])).round().max(1.0) / f64::from(FINE)
}

fn extent(text: &str, size: f64) -> (f64, f64) {
    let letters = text.chars().count() as f64;
    ((f64::from(LETTER[0]) * letters - 1.0).max(0.0) * dot(size), f64::from(LETTER[1]) * dot(size))
}

impl DrawingBackend for Dots<'_> {
    type ErrorType = Infallible;

    fn get_size(&self) -> (u32, u32) {
        self.size
    }

    fn ensure_prepared(&mut self) -> Drawn {
        Ok(())
    }

    fn present(&mut self) -> Drawn {
        self.png.clear();
        // A picture of a size that there is can be written.
        self.png.extend(self.pixels.encode_png().unwrap_or_default());
        Ok(())
    }

    fn draw_pixel(&mut self, point: BackendCoord, colour: BackendColor) -> Drawn {
        self.draw_rect(point, (point.0 + 1, point.1 + 1), &colour, true)
    }

    fn draw_line<S: BackendStyle>(&mut self, from: BackendCoord, to: BackendCoord, style: &S) -> Drawn {
        self.stroke(way([from, to], false), style);
        Ok(())
    }

    fn draw_rect<S: BackendStyle>(&mut self, from: BackendCoord, to: BackendCoord, style: &S, fill: bool) -> Drawn {
        let low = (from.0.min(to.0), from.1.min(to.1));
        let high = (from.0.max(to.0), from.1.max(to.1));
        // What is filled takes its outermost px whole; a line runs along their middles.
        let air = if fill { 0.5 * FINE } else { 0.0 };
        let [(a, b), (c, d)] = [at(low), at(high)];
        let path = Rect::from_ltrb(a - air, b - air, c + air, d + air).map(PathBuilder::from_rect);
        self.draw(path, style, fill);
        Ok(())
    }

    fn draw_path<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(&mut self, path: I, style: &S) -> Drawn {
        self.stroke(way(path, false), style);
        Ok(())
    }

    fn draw_circle<S: BackendStyle>(&mut self, centre: BackendCoord, radius: u32, style: &S, fill: bool) -> Drawn {
        let (x, y) = at(centre);
        let path = PathBuilder::from_circle(x, y, FINE * radius as f32);
        self.draw(path, style, fill);
        Ok(())
    }

    fn fill_polygon<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(&mut self, corners: I, style: &S) -> Drawn {
        self.fill(way(corners, true), style.color());
        Ok(())
    }

    fn draw_text<T: BackendTextStyle>(&mut self, text: &str, style: &T, place: BackendCoord) -> Drawn {
        let (wide, tall) = extent(text, style.size());
        let left = match style.anchor().h_pos {
            HPos::Left => 0.0,
            HPos::Center => -0.5 * wide,
            HPos::Right => -wide,
        };
        let top = match style.anchor().v_pos {
            VPos::Top => 0.0,
            VPos::Center => -0.5 * tall,
            VPos::Bottom => -tall,
        };
        let dot = dot(style.size());
        let fine = f64::from(FINE);
        // Whole dots, so that edges are sharp.
        let whole = |px: f64| (px * fine).round() as f32;
        for (number, letter) in text.chars().enumerate() {
            for (column, bits) in letters::columns(letter).into_iter().enumerate() {
                for row in (0..8).filter(|row| bits >> row & 1 == 1) {
                    let x = left + dot * (f64::from(LETTER[0]) * number as f64 + column as f64);
                    let y = top + dot * f64::from(row);
                    let (x, y) = match style.transform() {
                        FontTransform::None => (x, y),
                        FontTransform::Rotate90 => (-y - dot, x),
                        FontTransform::Rotate180 => (-x - dot, -y - dot),
                        FontTransform::Rotate270 => (y, -x - dot),
                    };
                    let (x, y, side) = (whole(f64::from(place.0) + x), whole(f64::from(place.1) + y), whole(dot));
                    let path = Rect::from_xywh(x, y, side, side).map(PathBuilder::from_rect);
                    self.fill(path, style.color());
                }
            }
        }
        Ok(())
    }

    fn estimate_text_size<T: BackendTextStyle>(
        &self,
        text: &str,
        style: &T,
    ) -> Result<(u32, u32), DrawingErrorKind<Infallible>> {
        let (wide, tall) = extent(text, style.size());
        Ok((wide.ceil() as u32, tall.ceil() as u32))
    }
}
