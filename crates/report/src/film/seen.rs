//! One picture of a frame from one side, with a close-up of what broke where it is small.

use super::fine::Backdrop;
use super::raster::{Looks, Raster};
use super::{FilmError, Filming, Pane};
use crate::figure::{Camera, Sight};
use crate::picture::reach;
use ironspin_model::{BodyKind, DVec2, Dimension, Pose, World};
use tiny_skia::{Pixmap, PixmapPaint, Transform};

/// A body smaller than so many dots across is shown larger.
const SMALL: f64 = 44.0;
/// Share of the picture's shorter side that a close-up takes, and how many bodies like the one in its middle stand across it.
const SHARE: f64 = 0.38;
const ACROSS: f64 = 4.0;
/// Dots below which a close-up would show nothing.
const LEAST: u32 = 16;
/// A dot of a contact is no larger than this share of a usual body.
const OF_BODY: f64 = 0.2;

/// What is shown larger.
#[derive(Clone, Copy, Debug)]
pub(super) struct Close {
    body: usize,
    /// Half of what is seen, m.
    half: f64,
    /// Where it stands on the picture, dots: left, top, and how wide and tall it is.
    place: (u32, u32, u32),
}

/// Frames at which it is looked where bodies are.
const LOOKS: usize = 12;

impl Close {
    /// The body at which something broke first, where it is small on the picture and not followed anyway.
    pub(super) fn of(filming: &Filming<'_>) -> Option<Close> {
        let world = filming.record.world();
        let body = filming.moments.iter().find_map(|moment| moment.body)?;
        if body >= world.rigid_count() || filming.style.follow == Some(body) || filming.panes.len() > 1 {
            return None;
        }
        let [low, high] = filming.panes[0].corners;
        let (radius, scale) = (reach(&world.bodies[body]), f64::from(filming.size[0]) / (high.x - low.x));
        let is_small = radius > 0.0 && radius.is_finite() && 2.0 * radius * scale < SMALL;
        let close = is_small.then(|| Close { body, half: ACROSS * radius, place: Close::place(filming) });
        close.filter(|close| close.place.2 >= LEAST)
    }

    /// The corner of the picture in which the fewest bodies are over the trial, but that of the letters.
    fn place(filming: &Filming<'_>) -> (u32, u32, u32) {
        let ([wide, tall], pane) = (filming.size, &filming.panes[0]);
        let side = (SHARE * f64::from(wide.min(tall))) as u32 & !1;
        let (right, below) = (wide.saturating_sub(side + 2), tall.saturating_sub(side + 2));
        let camera = Camera::showing(pane.corners[0], pane.corners[1], DVec2::new(f64::from(wide), f64::from(tall)));
        let (replay, sight) = (&filming.record.recording.replay, pane.scenery.sight());
        let frames = replay.times.len();
        let looks: Vec<usize> = (0..frames).step_by(frames.div_ceil(LOOKS).max(1)).chain([frames - 1]).collect();
        let bodies = filming.record.world().bodies.iter().enumerate();
        let drawn: Vec<usize> = bodies.filter(|(_, body)| reach(body).is_finite()).map(|(id, _)| id).collect();
        let covered = |&(left, top): &(u32, u32)| {
            let (low, high) = (DVec2::new(f64::from(left), f64::from(top)), f64::from(side));
            let within = |frame: usize, id: usize| {
                let at = camera.place(sight.project(replay.frame(frame)[id].position)) - low;
                at.min_element() >= 0.0 && at.max_element() <= high
            };
            looks.iter().map(|&frame| drawn.iter().filter(|&&id| within(frame, id)).count()).sum::<usize>()
        };
        let corners = [(right, 2), (right, below), (2, below)];
        let (left, top) = corners.into_iter().min_by_key(covered).unwrap_or((right, 2));
        (left, top, side)
    }
}

/// How far half of the rigid bodies that move reach from their centres at most, m; no bound where there is none.
pub(super) fn usual_reach(world: &World) -> f64 {
    let moving = world.rigid().iter().filter(|body| body.kind != BodyKind::Static);
    let mut reaches: Vec<f64> = moving.map(reach).filter(|reach| *reach > 0.0).collect();
    reaches.sort_by(f64::total_cmp);
    reaches.get(reaches.len() / 2).copied().unwrap_or(f64::INFINITY)
}

impl Filming<'_> {
    pub(super) fn seen(&self, pane: &Pane, size: [u32; 2], frame: usize) -> Result<Pixmap, FilmError> {
        let replay = &self.record.recording.replay;
        let poses = replay.frame(frame);
        let (sight, [low, high]) = (*pane.scenery.sight(), pane.corners);
        let at = |pose: &Pose| sight.project(pose.position);
        let shift = self.style.follow.and_then(|body| poses.get(body)).map(at).filter(|place| place.is_finite());
        let shift = shift.map_or(DVec2::ZERO, |place| place - 0.5 * (low + high));
        let no_size = || FilmError::Size(size[0], size[1]);
        let mut raster = Raster::new(size, low + shift, high + shift, sight).ok_or_else(no_size)?;
        let still = self.ground.as_ref().filter(|_| self.style.follow.is_none());
        let region = pane.scenery.region();
        let backdrop = pane.backdrop.get_or_init(|| still.map(|ground| raster.backdrop(ground, region)));
        self.draw(&mut raster, pane, backdrop.as_ref(), frame);
        let is_gone = |pose: &Pose| pose.position.is_finite() && !raster.shows(at(pose));
        let gone = self.moving().into_iter().filter(|&id| is_gone(&poses[id])).count();
        self.close_up(&mut raster, pane, frame)?;
        if self.lettered {
            let text = format!("{:.3} s  {}", replay.times[frame], self.style.title);
            let first = std::ptr::eq(pane, &self.panes[0]);
            raster.text(if first { &text } else { pane.view.word() }, 0, false);
        }
        if let Some((moment, _)) = self.broken(frame).next().filter(|_| self.lettered) {
            raster.text(&moment.text, 1, true);
        }
        if gone > 0 && self.lettered {
            raster.text(&format!("{gone} outside the picture"), -1, true);
        }
        Ok(raster.pixels)
    }

    /// Moments that are marked in a frame.
    fn broken(&self, frame: usize) -> impl Iterator<Item = (&crate::drawing::DrawnMoment, &std::ops::Range<usize>)> {
        self.moments.iter().zip(&self.marked).filter(move |(_, frames)| frames.contains(&frame))
    }

    /// All that is seen, without letters.
    fn draw(&self, raster: &mut Raster, pane: &Pane, backdrop: Option<&Backdrop>, frame: usize) {
        let replay = &self.record.recording.replay;
        let (poses, sight, world) = (replay.frame(frame), *pane.scenery.sight(), &*self.drawn);
        let at = |pose: &Pose| sight.project(pose.position);
        let in_space = world.dimension == Dimension::Space;
        let looks = Looks::of(world, |body| replay.is_at_rest(frame, body));
        if in_space {
            let region = pane.scenery.region();
            raster.space((self.ground.as_ref(), backdrop), world, (poses, &looks), region, self.strain, &self.rooms);
        }
        if self.style.trails {
            for (number, id) in self.moving().into_iter().enumerate() {
                let way = (0..=frame).filter_map(|frame| replay.frame(frame).get(id).map(at));
                raster.trail(&way.filter(|place| place.is_finite()).collect::<Vec<_>>(), number);
            }
        }
        if !in_space {
            raster.softs(world, poses, &looks, self.strain);
            raster.world(world, poses, &looks);
        }
        raster.joints(world, poses);
        if self.style.velocities {
            raster.velocities(&self.velocities(&sight, frame), self.fastest);
        }
        if self.style.contacts {
            let most = OF_BODY * self.usual_reach;
            for contact in &replay.contacts[frame] {
                let share = contact.impulse / self.largest_impulse.max(f64::MIN_POSITIVE);
                raster.contact(sight.project(contact.point), share, most);
            }
        }
        let places = self.broken(frame).filter_map(|(moment, _)| poses.get(moment.body?)).map(at);
        places.filter(|at| at.is_finite()).for_each(|place| raster.ring(place));
    }

    /// What broke and is small, larger, in a corner.
    fn close_up(&self, raster: &mut Raster, pane: &Pane, frame: usize) -> Result<(), FilmError> {
        let Some(Close { body, half, place: (left, top, side) }) = self.close else { return Ok(()) };
        let pose = self.record.recording.replay.frame(frame)[body];
        if !pose.position.is_finite() {
            return Ok(());
        }
        let (at, half) = (pane.scenery.sight().project(pose.position), DVec2::splat(half));
        let closer = Raster::new([side; 2], at - half, at + half, *pane.scenery.sight());
        let mut closer = closer.ok_or(FilmError::Size(side, side))?;
        self.draw(&mut closer, pane, None, frame);
        let (x, y) = (left as i32, top as i32);
        raster.frame(x, y, side);
        let place = PixmapPaint::default();
        raster.pixels.draw_pixmap(x, y, closer.pixels.as_ref(), &place, Transform::identity(), None);
        Ok(())
    }

    /// Places and velocities between one frame and its neighbour.
    pub(super) fn velocities(&self, sight: &Sight, frame: usize) -> Vec<(DVec2, DVec2)> {
        let replay = &self.record.recording.replay;
        let first = frame.min(replay.times.len().saturating_sub(2));
        let Some(&end) = replay.times.get(first + 1) else { return Vec::new() };
        let time = end - replay.times[first];
        let (here, a, b) = (replay.frame(frame), replay.frame(first), replay.frame(first + 1));
        let arrow = |id: usize| {
            let place = |pose: Pose| sight.project(pose.position);
            (place(here[id]), (place(b[id]) - place(a[id])) / time)
        };
        self.moving().into_iter().map(arrow).filter(|(from, way)| from.is_finite() && way.is_finite()).collect()
    }
}
