//! The plotting library on a raster image, with the bundled font: plots as PNG need none of the machine.

use crate::film::paint;
use crate::lettering;
use crate::look::BOUND;
use plotters::style::text_anchor::{HPos, VPos};
use plotters_backend::{
    BackendColor, BackendCoord, BackendStyle, BackendTextStyle, DrawingBackend, DrawingErrorKind, FontTransform,
};
use std::convert::Infallible;
use tiny_skia::{FillRule, Path, PathBuilder, Pixmap, Rect, Stroke, StrokeDash, Transform};

/// Dots of a picture to a px of a figure.
const FINE: f32 = 2.0;
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

/// Width and height of a text, px of the figure.
fn extent(text: &str, size: f64) -> (f32, f32) {
    (lettering::width(text, size as f32), lettering::height(size as f32))
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
        // The baseline runs along the lower edge, from where the text begins.
        let begin = Transform::from_translate(left * FINE, (top + tall) * FINE);
        let turned = match style.transform() {
            FontTransform::None => Transform::identity(),
            FontTransform::Rotate90 => Transform::from_row(0.0, 1.0, -1.0, 0.0, 0.0, 0.0),
            FontTransform::Rotate180 => Transform::from_row(-1.0, 0.0, 0.0, -1.0, 0.0, 0.0),
            FontTransform::Rotate270 => Transform::from_row(0.0, -1.0, 1.0, 0.0, 0.0, 0.0),
        };
        let place = begin.post_concat(turned).post_translate(FINE * place.0 as f32, FINE * place.1 as f32);
        let colour = style.color();
        let paint = paint(colour.rgb, colour.alpha as f32);
        lettering::draw(&mut self.pixels, text, FINE * style.size() as f32, place, &paint);
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
