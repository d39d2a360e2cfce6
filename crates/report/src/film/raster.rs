//! Bodies, contacts, velocities, trails and letters on a raster image.

use crate::lettering;
use crate::look::SERIES;
use ironspin_model::{Body, BodyKind, DVec2, Part, PlaneShape, World};
use tiny_skia::{Color, FillRule, Paint, Path, PathBuilder, Pixmap, Rect, Stroke, StrokeDash, Transform};

const INK: (u8, u8, u8) = (0x22, 0x26, 0x2a);
const STILL: (u8, u8, u8) = (0x9a, 0x95, 0x8a);
const ALARM: (u8, u8, u8) = (0xa9, 0x3a, 0x12);
const PAPER: (u8, u8, u8) = (0xfb, 0xfa, 0xf6);
/// How much of the picture the longest velocity takes.
const ARROW: f64 = 0.12;

pub(crate) fn paint(colour: (u8, u8, u8), opacity: f32) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color_rgba8(colour.0, colour.1, colour.2, (255.0 * opacity) as u8);
    paint.anti_alias = true;
    paint
}

/// A picture under way, and what part of the world it shows.
pub(super) struct Raster {
    pub(super) pixels: Pixmap,
    middle: DVec2,
    /// Dots in a metre.
    scale: f64,
}

impl Raster {
    /// An empty picture that shows everything between two corners; nothing for a size of none.
    pub(super) fn new(size: [u32; 2], low: DVec2, high: DVec2) -> Option<Raster> {
        let mut pixels = Pixmap::new(size[0], size[1])?;
        pixels.fill(Color::from_rgba8(PAPER.0, PAPER.1, PAPER.2, 255));
        let (wide, tall) = (f64::from(size[0]), f64::from(size[1]));
        let scale = (wide / (high.x - low.x)).min(tall / (high.y - low.y));
        Some(Raster { pixels, middle: 0.5 * (low + high), scale })
    }

    fn centre(&self) -> DVec2 {
        0.5 * DVec2::new(f64::from(self.pixels.width()), f64::from(self.pixels.height()))
    }

    fn place(&self, p: DVec2) -> DVec2 {
        let from = (p - self.middle) * self.scale;
        self.centre() + DVec2::new(from.x, -from.y)
    }

    /// Whether a point lies in the picture.
    pub(super) fn shows(&self, p: DVec2) -> bool {
        let at = self.place(p);
        at.cmpge(DVec2::ZERO).all() && at.cmple(2.0 * self.centre()).all()
    }

    /// All bodies where they are; `states` are x, y and angle.
    pub(super) fn world(&mut self, world: &World, states: &[[f64; 3]]) {
        let mut moving = 0;
        for (body, &[x, y, angle]) in world.bodies.iter().zip(states) {
            let still = body.kind == BodyKind::Static;
            let colour = if still { STILL } else { SERIES[moving % SERIES.len()] };
            moving += usize::from(!still);
            if x.is_finite() && y.is_finite() && angle.is_finite() {
                self.body(body, DVec2::new(x, y), angle, colour, still);
            }
        }
    }

    fn body(&mut self, body: &Body, at: DVec2, angle: f64, colour: (u8, u8, u8), still: bool) {
        let far = 4.0 * self.centre().max_element() / self.scale + 2.0 * (at - self.middle).length();
        for part in &body.parts {
            let path = self.outline(part, at, angle, far, still);
            let Some(path) = path else { continue };
            let opacity = if part.sensor {
                0.15
            } else if still {
                0.55
            } else {
                0.85
            };
            if !matches!(part.shape.planar(), PlaneShape::Polyline(_)) {
                self.pixels.fill_path(&path, &paint(colour, opacity), FillRule::Winding, Transform::identity(), None);
            }
            let dash = if part.sensor { StrokeDash::new(vec![4.0, 3.0], 0.0) } else { None };
            let stroke = Stroke { width: 1.2, dash, ..Stroke::default() };
            self.pixels.stroke_path(&path, &paint(INK, 1.0), &stroke, Transform::identity(), None);
        }
    }

    fn outline(&self, part: &Part, at: DVec2, angle: f64, far: f64, still: bool) -> Option<Path> {
        let turn = DVec2::new(libm::cos(angle), libm::sin(angle));
        let own = DVec2::new(libm::cos(part.pose.angle), libm::sin(part.pose.angle));
        let spot = |p: DVec2| self.place(at + turn.rotate(part.pose.xy() + own.rotate(p)));
        let mut path = PathBuilder::new();
        let mut polygon = |points: &[DVec2], close: bool| {
            for (number, &point) in points.iter().enumerate() {
                let dot = spot(point);
                if number == 0 {
                    path.move_to(dot.x as f32, dot.y as f32);
                } else {
                    path.line_to(dot.x as f32, dot.y as f32);
                }
            }
            if close {
                path.close();
            }
        };
        match part.shape.planar() {
            PlaneShape::Disc(radius) => {
                // A disc too small to see is drawn as a dot.
                let (centre, radius) = (spot(DVec2::ZERO), (radius * self.scale).max(1.5));
                path.push_circle(centre.x as f32, centre.y as f32, radius as f32);
                if !still && radius > 4.0 {
                    let rim = centre + (spot(DVec2::X) - centre).normalize_or_zero() * radius;
                    path.move_to(centre.x as f32, centre.y as f32);
                    path.line_to(rim.x as f32, rim.y as f32);
                }
            }
            PlaneShape::Box(size) => {
                let half = 0.5 * *size;
                let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
                polygon(&corners.map(|(x, y)| half * DVec2::new(x, y)), true);
            }
            PlaneShape::Polygon(corners) => polygon(corners, true),
            PlaneShape::Polyline(points) => polygon(points, false),
            PlaneShape::Capsule { length, radius } => {
                let cap = |k: i32| {
                    let angle = std::f64::consts::PI * (f64::from(k % 12) / 11.0 - 0.5 + f64::from(k / 12));
                    let end = DVec2::new(if k < 12 { 0.5 } else { -0.5 } * length, 0.0);
                    end + radius * DVec2::new(libm::cos(angle), libm::sin(angle))
                };
                polygon(&(0..24).map(cap).collect::<Vec<_>>(), true);
            }
            PlaneShape::HalfPlane(normal) => {
                let (along, deep) = (normal.perp() * far, -*normal * far);
                polygon(&[along, -along, deep - along, deep + along], true);
            }
        }
        path.finish()
    }

    fn line(&mut self, points: &[DVec2], colour: (u8, u8, u8), opacity: f32, width: f32) {
        let mut path = PathBuilder::new();
        for (number, &point) in points.iter().enumerate() {
            let dot = self.place(point);
            if number == 0 {
                path.move_to(dot.x as f32, dot.y as f32);
            } else {
                path.line_to(dot.x as f32, dot.y as f32);
            }
        }
        let Some(path) = path.finish() else { return };
        let stroke = Stroke { width, ..Stroke::default() };
        self.pixels.stroke_path(&path, &paint(colour, opacity), &stroke, Transform::identity(), None);
    }

    /// The way a body has come.
    pub(super) fn trail(&mut self, points: &[DVec2], number: usize) {
        self.line(points, SERIES[number % SERIES.len()], 0.6, 1.2);
    }

    /// Velocities as arrows from the bodies; the largest of the whole film, `most`, is a share of the picture.
    pub(super) fn velocities(&mut self, arrows: &[(DVec2, DVec2)], most: f64) {
        if !(most > 0.0) {
            return;
        }
        let longest = ARROW * 2.0 * self.centre().x / self.scale;
        for &(from, velocity) in arrows {
            let way = velocity * (longest / most);
            let head = |side: f64| from + way + 0.22 * DVec2::from_angle(side).rotate(way);
            self.line(&[from, from + way], INK, 1.0, 1.6);
            self.line(&[head(2.6), from + way, head(-2.6)], INK, 1.0, 1.6);
        }
    }

    /// Contact points, larger where more is pushed; `share` is of the largest impulse.
    pub(super) fn contact(&mut self, at: DVec2, share: f64) {
        let dot = self.place(at);
        // On a small picture a dot is no larger than a sixtieth of its width.
        let most = self.pixels.width() as f32 / 120.0;
        let radius = ((1.5 + 4.0 * share.clamp(0.0, 1.0).sqrt()) as f32).min(most.max(0.6));
        if let Some(path) = PathBuilder::from_circle(dot.x as f32, dot.y as f32, radius) {
            self.pixels.fill_path(&path, &paint(ALARM, 1.0), FillRule::Winding, Transform::identity(), None);
        }
    }

    /// A ring around something to be looked at.
    pub(super) fn ring(&mut self, at: DVec2) {
        let dot = self.place(at);
        let radius = self.pixels.width() as f32 / 32.0;
        if let Some(path) = PathBuilder::from_circle(dot.x as f32, dot.y as f32, radius) {
            let stroke = Stroke { width: (radius / 7.0).max(1.0), ..Stroke::default() };
            self.pixels.stroke_path(&path, &paint(ALARM, 1.0), &stroke, Transform::identity(), None);
        }
    }

    /// A line of text on a strip of its own; `line` counts from the top, or from the bottom below 0.
    pub(super) fn text(&mut self, text: &str, line: i32, alarm: bool) {
        const SIZE: f32 = 16.0;
        const MARGIN: f32 = 6.0;
        let most = self.pixels.width() as f32 - 2.0 * MARGIN;
        let shown = lettering::shortened(text, &|text| lettering::width(text, SIZE) <= most);
        let high = self.pixels.height() as f32;
        let top = if line >= 0 { 4.0 + 20.0 * line as f32 } else { high + 20.0 * line as f32 };
        let colour = paint(if alarm { ALARM } else { INK }, 1.0);
        let wide = lettering::width(&shown, SIZE) + 8.0;
        if let Some(strip) = Rect::from_xywh(2.0, top - 2.0, wide, 19.0) {
            self.pixels.fill_rect(strip, &paint(PAPER, 0.8), Transform::identity(), None);
        }
        let place = Transform::from_translate(MARGIN, top + lettering::height(SIZE) + 1.0);
        lettering::draw(&mut self.pixels, &shown, SIZE, place, &colour);
    }
}
