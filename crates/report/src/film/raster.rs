//! Bodies, contacts, velocities, trails and letters on a raster image.

use super::depth::Depth;
use super::fine::{Backdrop, Rooms};
use crate::figure::{
    Camera, Ground, PartFigure, Primitive, Sight, body_figure, joint_figure, placed_point, soft_figure,
};
use crate::lettering;
use crate::look::{INK, PAPER, SERIES, STILL, resting, strain_colour};
use ironspin_model::{Body, BodyKind, DVec2, DVec3, Pose, World};
use tiny_skia::{Color, FillRule, Paint, Path, PathBuilder, Pixmap, Rect, Stroke, StrokeDash, Transform};

const ALARM: (u8, u8, u8) = (0xa9, 0x3a, 0x12);
/// Half the size of the sign of a joint, dots.
const JOINT: f64 = 4.0;
/// How much of the picture the longest velocity takes.
const ARROW: f64 = 0.12;

pub(crate) fn paint(colour: (u8, u8, u8), opacity: f32) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color_rgba8(colour.0, colour.1, colour.2, (255.0 * opacity) as u8);
    paint.anti_alias = true;
    paint
}

/// How bodies look in a frame.
pub(super) struct Looks {
    /// The colour of each rigid body, and whether it never moves.
    rigid: Vec<((u8, u8, u8), bool)>,
    /// The colour of each soft body.
    softs: Vec<(u8, u8, u8)>,
}

impl Looks {
    /// Colours in the order of the bodies that move; paler where a body, or all nodes of one, are at rest to the last bit.
    pub(super) fn of(world: &World, is_at_rest: impl Fn(usize) -> bool) -> Looks {
        let pale = |colour, rests: bool| if rests { resting(colour) } else { colour };
        let mut moving = 0;
        let mut next = || {
            moving += 1;
            SERIES[(moving - 1) % SERIES.len()]
        };
        let rigid = world.rigid().iter().enumerate().map(|(id, body)| match body.kind {
            BodyKind::Static => (STILL, true),
            BodyKind::Kinematic => (next(), false),
            BodyKind::Dynamic => (pale(next(), is_at_rest(id)), false),
        });
        let rigid = rigid.collect();
        let softs = world.softs.iter().map(|soft| pale(next(), soft.nodes.clone().all(&is_at_rest))).collect();
        Looks { rigid, softs }
    }
}

/// A picture under way, and what part of the world it shows.
pub(super) struct Raster {
    pub(super) pixels: Pixmap,
    camera: Camera,
    sight: Sight,
}

impl Raster {
    /// An empty picture that shows everything between two corners of what is seen; nothing for a size of none.
    pub(super) fn new(size: [u32; 2], low: DVec2, high: DVec2, sight: Sight) -> Option<Raster> {
        let mut pixels = Pixmap::new(size[0], size[1])?;
        pixels.fill(Color::from_rgba8(PAPER.0, PAPER.1, PAPER.2, 255));
        let camera = Camera::showing(low, high, DVec2::new(f64::from(size[0]), f64::from(size[1])));
        Some(Raster { pixels, camera, sight })
    }

    /// Whether a point lies in the picture.
    pub(super) fn shows(&self, p: DVec2) -> bool {
        self.camera.shows(p)
    }

    /// The ground of space alone, for pictures of the same view.
    pub(super) fn backdrop(&self, ground: &Ground, region: (DVec3, DVec3)) -> Backdrop {
        let size = [self.pixels.width(), self.pixels.height()];
        let mut depth = Depth::new(size, &self.camera, &self.sight, region);
        depth.ground(ground);
        depth.backdrop()
    }

    /// Space by depth: the ground with its shadows, bodies, soft bodies. `strain` is that of the deepest colour of springs.
    pub(super) fn space(
        &mut self,
        (ground, backdrop): (Option<&Ground>, Option<&Backdrop>),
        world: &World,
        (poses, looks): (&[Pose], &Looks),
        region: (DVec3, DVec3),
        strain: f64,
        rooms: &Rooms,
    ) {
        let size = [self.pixels.width(), self.pixels.height()];
        let mut depth = match (backdrop, ground) {
            (Some(backdrop), _) => Depth::over(backdrop, rooms, &self.camera, &self.sight, region),
            (None, ground) => {
                let mut depth = Depth::new(size, &self.camera, &self.sight, region);
                ground.iter().for_each(|ground| depth.ground(ground));
                depth
            }
        };
        if let Some(ground) = ground {
            depth.shadows(ground, world, poses);
        }
        for (id, body) in world.rigid().iter().enumerate().filter(|(id, _)| poses[*id].position.is_finite()) {
            let (colour, still) = looks.rigid[id];
            depth.body(id, body, &poses[id], colour, still);
        }
        for (number, (soft, &colour)) in world.softs.iter().zip(&looks.softs).enumerate() {
            depth.skin(world.rigid_count() + number, soft, poses, colour);
        }
        depth.outline();
        depth.glasses();
        for soft in &world.softs {
            depth.springs(world, soft, poses, strain);
        }
        depth.put(&mut self.pixels, rooms);
    }

    /// All bodies of the plane where they are.
    pub(super) fn world(&mut self, world: &World, poses: &[Pose], looks: &Looks) {
        for (id, &(colour, still)) in looks.rigid.iter().enumerate() {
            let pose = &poses[id];
            if pose.position.is_finite() && pose.angle.is_finite() {
                self.body(&world.bodies[id], pose, colour, still, if still { 0.55 } else { 0.85 });
            }
        }
    }

    /// Soft bodies where their nodes are; `most` is the strain of the deepest colour.
    pub(super) fn softs(&mut self, world: &World, poses: &[Pose], looks: &Looks, most: f64) {
        let place = |id: usize| poses.get(id).map(|pose| pose.position);
        let sight = self.sight;
        let figures: Vec<_> = (0..world.softs.len())
            .filter_map(|soft| Some((soft, soft_figure(world, soft, place, &sight, most)?)))
            .collect();
        for (number, figure) in figures {
            let colour = looks.softs[number];
            for (parts, opacity) in [(&figure.inside, 0.3), (&figure.rim, 0.85)] {
                let paths: Vec<Path> = parts.iter().filter_map(|part| self.outline(part, 0.0, true)).collect();
                for path in paths {
                    let rule = FillRule::EvenOdd;
                    self.pixels.fill_path(&path, &paint(colour, opacity), rule, Transform::identity(), None);
                    let stroke = Stroke { width: 1.0, ..Stroke::default() };
                    let edge = paint(colour, opacity);
                    self.pixels.stroke_path(&path, &edge, &stroke, Transform::identity(), None);
                }
            }
            for (spring, share) in &figure.springs {
                let Some(path) = self.outline(spring, 0.0, true) else { continue };
                let stroke = Stroke { width: 1.8, ..Stroke::default() };
                self.pixels.stroke_path(
                    &path,
                    &paint(strain_colour(*share), 1.0),
                    &stroke,
                    Transform::identity(),
                    None,
                );
            }
            for stick in &figure.sticks {
                let Some(path) = self.outline(stick, 0.0, true) else { continue };
                let stroke = Stroke { width: 1.8, ..Stroke::default() };
                self.pixels.stroke_path(&path, &paint(INK, 1.0), &stroke, Transform::identity(), None);
            }
            for &held in &figure.held {
                let dot = self.camera.place(held);
                if let Some(square) = Rect::from_xywh(dot.x as f32 - 3.5, dot.y as f32 - 3.5, 7.0, 7.0) {
                    self.pixels.fill_rect(square, &paint(INK, 1.0), Transform::identity(), None);
                }
            }
        }
    }

    fn body(&mut self, body: &Body, pose: &Pose, colour: (u8, u8, u8), still: bool, opacity: f32) {
        let far = self.camera.furthest(self.sight.project(pose.position));
        for PartFigure { sensor, pieces, .. } in body_figure(body, pose, &self.sight) {
            for piece in pieces {
                let Some(path) = self.outline(&piece.primitive, far, still) else { continue };
                let colour = paint(piece.lit(colour), if sensor { 0.15 } else { opacity });
                if piece.primitive.is_filled() {
                    self.pixels.fill_path(&path, &colour, FillRule::Winding, Transform::identity(), None);
                }
                if !piece.edged && matches!(piece.primitive, Primitive::Area(_)) && !sensor {
                    // A hair of its own colour, so that nothing is seen through between faces.
                    let stroke = Stroke { width: 0.7, ..Stroke::default() };
                    self.pixels.stroke_path(&path, &colour, &stroke, Transform::identity(), None);
                }
                if piece.edged {
                    let dash = if sensor { StrokeDash::new(vec![4.0, 3.0], 0.0) } else { None };
                    let stroke = Stroke { width: 1.2, dash, ..Stroke::default() };
                    self.pixels.stroke_path(&path, &paint(INK, 1.0), &stroke, Transform::identity(), None);
                }
            }
        }
    }

    /// The joints of a world.
    pub(super) fn joints(&mut self, world: &World, poses: &[Pose]) {
        let small = JOINT / self.camera.scale();
        let sight = self.sight;
        let place = |body: usize, point: DVec3| {
            let there = poses.get(body).filter(|pose| pose.position.is_finite() && pose.angle.is_finite());
            there.map(|pose| placed_point(world.dimension, pose, point, &sight))
        };
        for primitive in world.joints.iter().flat_map(|joint| joint_figure((joint, world), place, small)) {
            if let Some(path) = self.outline(&primitive, 0.0, true) {
                let stroke = Stroke { width: 1.6, ..Stroke::default() };
                self.pixels.stroke_path(&path, &paint(INK, 0.8), &stroke, Transform::identity(), None);
            }
        }
    }

    fn outline(&self, primitive: &Primitive, far: f64, still: bool) -> Option<Path> {
        let mut path = PathBuilder::new();
        let mut polygon = |points: &mut dyn Iterator<Item = DVec2>, close: bool| {
            for (number, point) in points.enumerate() {
                let dot = self.camera.place(point);
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
        match primitive {
            Primitive::Round { centre, radius, spoke } => {
                // A disc too small to see is drawn as a dot.
                let (centre, radius) = (self.camera.place(*centre), (radius * self.camera.scale()).max(1.5));
                path.push_circle(centre.x as f32, centre.y as f32, radius as f32);
                if let Some(rim) = spoke.filter(|_| !still && radius > 4.0) {
                    let rim = self.camera.place(rim);
                    path.move_to(centre.x as f32, centre.y as f32);
                    path.line_to(rim.x as f32, rim.y as f32);
                }
            }
            Primitive::Stadium { ends, radius } => {
                let along = (ends[1] - ends[0]).normalize_or(DVec2::X);
                let cap = |k: i32| {
                    let angle = std::f64::consts::PI * (f64::from(k % 12) / 11.0 - 0.5 + f64::from(k / 12));
                    let end = ends[if k < 12 { 1 } else { 0 }];
                    end + *radius * along.rotate(DVec2::new(libm::cos(angle), libm::sin(angle)))
                };
                polygon(&mut (0..24).map(cap), true);
            }
            Primitive::Line(points) => polygon(&mut points.iter().copied(), false),
            Primitive::Area(_) | Primitive::Blob(_) | Primitive::HalfPlane { .. } => {
                polygon(&mut primitive.corners(far).into_iter().flatten(), true);
            }
        }
        path.finish()
    }

    fn line(&mut self, points: &[DVec2], colour: (u8, u8, u8), opacity: f32, width: f32) {
        let mut path = PathBuilder::new();
        for (number, &point) in points.iter().enumerate() {
            let dot = self.camera.place(point);
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
        let longest = ARROW * 2.0 * 0.5 * f64::from(self.pixels.width()) / self.camera.scale();
        for &(from, velocity) in arrows {
            let way = velocity * (longest / most);
            let head = |side: f64| from + way + 0.22 * DVec2::from_angle(side).rotate(way);
            self.line(&[from, from + way], INK, 1.0, 1.6);
            self.line(&[head(2.6), from + way, head(-2.6)], INK, 1.0, 1.6);
        }
    }

    /// Contact points, larger where more is pushed; `share` is of the largest impulse, and `most` the largest radius, m.
    pub(super) fn contact(&mut self, at: DVec2, share: f64, most: f64) {
        let dot = self.camera.place(at);
        // On a small picture a dot is no larger than a sixtieth of its width.
        let most = (self.pixels.width() as f32 / 120.0).min((most * self.camera.scale()) as f32);
        let radius = ((1.5 + 4.0 * share.clamp(0.0, 1.0).sqrt()) as f32).min(most.max(0.6));
        if let Some(path) = PathBuilder::from_circle(dot.x as f32, dot.y as f32, radius) {
            self.pixels.fill_path(&path, &paint(ALARM, 1.0), FillRule::Winding, Transform::identity(), None);
        }
    }

    /// A square with a line around it, for what is put into it.
    pub(super) fn frame(&mut self, x: i32, y: i32, side: u32) {
        let (x, y, side) = (x as f32 - 1.5, y as f32 - 1.5, side as f32 + 3.0);
        if let Some(square) = Rect::from_xywh(x, y, side, side) {
            self.pixels.fill_rect(square, &paint(ALARM, 1.0), Transform::identity(), None);
        }
    }

    /// A ring around something to be looked at.
    pub(super) fn ring(&mut self, at: DVec2) {
        let dot = self.camera.place(at);
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
