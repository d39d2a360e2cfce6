//! Films and strips of pictures from a trial, without a window.
//!
//! | file | content |
//! |---|---|
//! | `mod.rs` | what is drawn of a trial, and the files that come of it |
//! | `raster.rs` | bodies, contacts, velocities, trails on a raster image |
//! | `seen.rs` | one picture of a frame from one side, with a close-up of what broke where it is small |
//! | `clearest.rs` | from where least is hidden |
//! | `depth.rs` | bodies of space by depth |
//! | `fine.rs` | the fine dots of a picture by depth, and the rooms for them |
//! | `blocks.rs` | frames as characters of a terminal |
//! | `palette.rs` | pictures in 255 colours, and what changed from one to the next |

mod blocks;
mod clearest;
mod depth;
mod fine;
mod palette;
mod raster;
mod seen;

pub use blocks::play;
pub(crate) use raster::paint;

use crate::drawing::{DrawnMoment, moments};
use crate::figure::{Ground, View, coarsened, largest_strain};
use crate::picture::Scenery;
use fine::{Backdrop, Rooms};
use ironspin_lab::TrialRecord;
use ironspin_model::{BodyKind, DVec2, DVec3, World};
use palette::Palette;
use rayon::prelude::*;
use seen::{Close, usual_reach};
use std::borrow::Cow;
use std::ops::Range;
use std::sync::OnceLock;
use tiny_skia::{Pixmap, PixmapPaint, Transform};

/// Why a film cannot be made.
#[derive(Debug, thiserror::Error)]
pub enum FilmError {
    /// The trial came to no frame.
    #[error("there is nothing to show: {0}")]
    Nothing(String),
    /// The picture has no size, or one beyond all means.
    #[error("an image of {0} by {1} pixels cannot be drawn")]
    Size(u32, u32),
    /// From the writer.
    #[error("cannot write the film: {0}")]
    Writer(String),
}

/// What is drawn beside the bodies.
#[derive(Clone, Debug)]
pub struct FilmStyle {
    /// Width of a picture, dots.
    pub width: u32,
    /// Contact points.
    pub contacts: bool,
    /// Velocities as arrows.
    pub velocities: bool,
    /// The ways that bodies have come.
    pub trails: bool,
    /// Step by step, and slower, where a claim broke.
    pub slow: bool,
    /// One of so many frames is shown otherwise.
    pub every: usize,
    /// From where it is seen; of several one picture each, side by side. From where least is hidden when left out.
    pub views: Vec<View>,
    /// The middle of the picture and how much is seen up and down, m; everything that matters when left out.
    pub aim: Option<(DVec3, f64)>,
    /// A body in the middle of every picture.
    pub follow: Option<usize>,
    /// What the trial is called, on each picture.
    pub title: String,
}

/// Pictures that are held at a time.
const AT_A_TIME: usize = 16;
/// Frames before and after one at which something broke, that are marked, and how many times as long they are shown.
const AROUND: usize = 6;
const SLOWER: f64 = 4.0;
/// The least time of such a picture, s.
const SLOWEST: f64 = 0.12;
/// Most dots across or up.
const MOST: u32 = 8_192;

/// One view of a world.
struct Pane {
    scenery: Scenery,
    /// Lower left and upper right corner of what is seen, m in the plane that is looked at.
    corners: [DVec2; 2],
    view: View,
    /// What stands behind all that moves, of a view that does not follow a body.
    backdrop: OnceLock<Option<Backdrop>>,
}

impl Pane {
    fn new(record: &TrialRecord, view: View, style: &FilmStyle) -> Pane {
        let scenery = Scenery::of_trial(record.world(), &record.recording, Some(view));
        let (low, high) = scenery.corners();
        let aimed = style.aim.map(|(at, tall)| {
            let half = 0.5 * tall * DVec2::new((high.x - low.x) / (high.y - low.y), 1.0);
            let middle = scenery.sight().project(at);
            [middle - half, middle + half]
        });
        Pane { scenery, corners: aimed.unwrap_or([low, high]), view, backdrop: OnceLock::new() }
    }
}

struct Filming<'a> {
    record: &'a TrialRecord,
    /// The world as it is drawn.
    drawn: Cow<'a, World>,
    style: &'a FilmStyle,
    size: [u32; 2],
    panes: Vec<Pane>,
    rooms: Rooms,
    ground: Option<Ground>,
    largest_impulse: f64,
    /// Strain of the deepest colour of springs.
    strain: f64,
    /// Largest speed of any frame, m/s.
    fastest: f64,
    /// What is shown larger: the body at which something broke first.
    close: Option<Close>,
    /// How far a usual body reaches, m.
    usual_reach: f64,
    /// Whether time and title are written on the picture.
    lettered: bool,
    /// Moments at which something broke.
    moments: Vec<DrawnMoment>,
    /// Frames near enough to each that it is marked.
    marked: Vec<Range<usize>>,
    /// Frames that a film shows.
    frames: Vec<usize>,
}

impl<'a> Filming<'a> {
    fn new(record: &'a TrialRecord, style: &'a FilmStyle) -> Result<Filming<'a>, FilmError> {
        let recording = &record.recording;
        if recording.replay.times.is_empty() {
            let why = if record.reason.is_empty() { "no frame was made".to_owned() } else { record.reason.clone() };
            return Err(FilmError::Nothing(why));
        }
        let drawn = coarsened(record.world()).0;
        let views = if style.views.is_empty() { vec![clearest::view(record, &drawn)] } else { style.views.clone() };
        let panes: Vec<Pane> = views.into_iter().map(|view| Pane::new(record, view, style)).collect();
        let region = panes[0].scenery.region();
        let across = panes[0].corners[1] - panes[0].corners[0];
        let tall = f64::from(style.width) * (across.y / across.x).clamp(0.3, 1.2);
        // Most readers of films want even sizes.
        let size = [style.width & !1, (tall as u32) & !1];
        if size.iter().any(|&side| side == 0 || side > MOST) {
            return Err(FilmError::Size(size[0], size[1]));
        }
        let impulses = recording.replay.contacts.iter().flatten().map(|contact| contact.impulse);
        let largest_impulse = impulses.fold(0.0, f64::max);
        let moments = moments(record);
        let mut filming = Filming {
            record,
            drawn,
            style,
            size,
            ground: Ground::of(record.world(), region.0, region.1),
            panes,
            rooms: Rooms::default(),
            largest_impulse,
            strain: largest_strain(record.world(), &recording.replay),
            fastest: 0.0,
            lettered: true,
            marked: Vec::new(),
            frames: Vec::new(),
            close: None,
            usual_reach: usual_reach(record.world()),
            moments,
        };
        filming.close = Close::of(&filming);
        filming.mark(AROUND);
        let last = recording.replay.times.len() - 1;
        let chosen = |frame: &usize| {
            frame.is_multiple_of(style.every.max(1)) || *frame == last || (style.slow && filming.is_marked(*frame))
        };
        filming.frames = (0..=last).filter(chosen).collect();
        if style.velocities {
            let frames = 0..recording.replay.times.len();
            let speeds = frames
                .flat_map(|frame| filming.velocities(filming.panes[0].scenery.sight(), frame))
                .map(|(_, way)| way.length());
            filming.fastest = speeds.fold(0.0, f64::max);
        }
        Ok(filming)
    }

    /// From where it is seen.
    fn views(&self) -> Vec<View> {
        self.panes.iter().map(|pane| pane.view).collect()
    }

    /// Marks so many frames before and after each moment.
    fn mark(&mut self, around: usize) {
        let frames = |moment: &DrawnMoment| {
            let frame = self.nearest(moment.time);
            frame.saturating_sub(around)..frame + around + 1
        };
        self.marked = self.moments.iter().map(frames).collect();
    }

    fn is_marked(&self, frame: usize) -> bool {
        self.marked.iter().any(|frames| frames.contains(&frame))
    }

    /// Draws all pictures by several threads, and hands them over in their order, while those that follow are drawn.
    fn in_turn(&self, mut write: impl FnMut(usize, Pixmap) -> Result<(), FilmError> + Send) -> Result<(), FilmError> {
        let drawn = |from: usize| -> Vec<Result<Pixmap, FilmError>> {
            let some = self.frames.get(from..(from + AT_A_TIME).min(self.frames.len())).unwrap_or_default();
            some.par_iter().map(|&frame| self.picture(frame)).collect()
        };
        let mut pictures = drawn(0);
        for from in (0..self.frames.len()).step_by(AT_A_TIME) {
            let write_all = || {
                let numbered = (from..).zip(std::mem::take(&mut pictures));
                numbered.map(|(number, picture)| write(number, picture?)).collect::<Result<Vec<()>, FilmError>>()
            };
            let (written, next) = rayon::join(write_all, || drawn(from + AT_A_TIME));
            written?;
            pictures = next;
        }
        Ok(())
    }

    /// A picture of a frame; of several views side by side and below each other.
    fn picture(&self, frame: usize) -> Result<Pixmap, FilmError> {
        if let [pane] = &self.panes[..] {
            return self.seen(pane, self.size, frame);
        }
        let [wide, tall] = self.size;
        let mut sheet = Pixmap::new(wide, tall).ok_or(FilmError::Size(wide, tall))?;
        sheet.fill(tiny_skia::Color::from_rgba8(0xd9, 0xd4, 0xc8, 255));
        let rows = self.panes.len().div_ceil(2) as u32;
        let (half, height) = ((wide - 2) / 2, (tall - 2 * (rows - 1)) / rows);
        for (number, pane) in (0..).zip(&self.panes) {
            let picture = self.seen(pane, [half, height], frame)?;
            let (x, y) = (number % 2 * (half + 2), number / 2 * (height + 2));
            let place = PixmapPaint::default();
            sheet.draw_pixmap(x as i32, y as i32, picture.as_ref(), &place, Transform::identity(), None);
        }
        Ok(sheet)
    }

    fn moving(&self) -> Vec<usize> {
        let bodies = &self.record.world().bodies;
        (0..bodies.len()).filter(|&id| bodies[id].kind != BodyKind::Static).collect()
    }

    /// How long the picture of a number is shown at a speed, s: longer where something broke, and the last for a second.
    fn shown(&self, number: usize, speed: f64) -> f64 {
        let times = &self.record.recording.replay.times;
        let Some(&next) = self.frames.get(number + 1) else { return 1.0 };
        let frame = self.frames[number];
        let span = (times[next] - times[frame]) / speed;
        if self.style.slow && self.is_marked(frame) { (SLOWER * span).max(SLOWEST) } else { span }
    }

    /// The frame that is nearest to a time.
    fn nearest(&self, time: f64) -> usize {
        nearest(&self.record.recording.replay.times, time)
    }
}

/// The number of the time that is nearest to one.
fn nearest(times: &[f64], time: f64) -> usize {
    let far = |frame: &usize| (times[*frame] - time).abs();
    (0..times.len()).min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(0)
}

/// One picture as PNG, of the frame nearest to a time.
///
/// # Errors
/// When there is nothing to show, or the writer refuses.
pub fn still(record: &TrialRecord, style: &FilmStyle, time: f64) -> Result<Vec<u8>, FilmError> {
    let mut filming = Filming::new(record, style)?;
    filming.mark(0);
    png(&filming.picture(filming.nearest(time))?)
}

/// So many pictures side by side and below each other, evenly over the trial, as one PNG.
///
/// # Errors
/// As [`still`].
pub fn strip(record: &TrialRecord, style: &FilmStyle, pictures: usize) -> Result<Vec<u8>, FilmError> {
    let mut filming = Filming::new(record, style)?;
    filming.mark(0);
    let last = record.recording.replay.times.len() - 1;
    let pictures = pictures.clamp(1, last + 1);
    let mut chosen: Vec<usize> =
        (0..pictures).map(|number| if pictures == 1 { last } else { number * last / (pictures - 1) }).collect();
    // Where something broke is worth a picture, in place of the nearest but the first and the last.
    for moment in filming.moments.iter().take(pictures.saturating_sub(2)) {
        let frame = filming.nearest(moment.time);
        let inner = chosen.len() - 1;
        if chosen.contains(&frame) {
            continue;
        }
        if let Some(nearest) = chosen[..inner].iter_mut().skip(1).min_by_key(|other| other.abs_diff(frame)) {
            *nearest = frame;
        }
    }
    chosen.sort_unstable();
    let across = pictures.min(3);
    let down = pictures.div_ceil(across);
    const GAP: u32 = 6;
    let [wide, tall] = filming.size;
    let whole = [across as u32 * (wide + GAP) + GAP, down as u32 * (tall + GAP) + GAP];
    let sheet = if whole.iter().any(|&side| side > MOST) { None } else { Pixmap::new(whole[0], whole[1]) };
    let mut sheet = sheet.ok_or(FilmError::Size(whole[0], whole[1]))?;
    sheet.fill(tiny_skia::Color::from_rgba8(0xd9, 0xd4, 0xc8, 255));
    for (number, &frame) in chosen.iter().enumerate() {
        let picture = filming.picture(frame)?;
        let x = GAP + (number % across) as u32 * (wide + GAP);
        let y = GAP + (number / across) as u32 * (tall + GAP);
        sheet.draw_pixmap(x as i32, y as i32, picture.as_ref(), &PixmapPaint::default(), Transform::identity(), None);
    }
    png(&sheet)
}

/// All frames as a GIF that plays at `speed` times the time of the trial, over and over.
///
/// # Errors
/// As [`still`].
pub fn gif(record: &TrialRecord, style: &FilmStyle, speed: f64) -> Result<Vec<u8>, FilmError> {
    let filming = Filming::new(record, style)?;
    let reported = |error: gif::EncodingError| FilmError::Writer(error.to_string());
    let [wide, tall] = filming.size.map(|side| u16::try_from(side).unwrap_or(u16::MAX));
    let mut bytes = Vec::new();
    // Colours of some pictures stand for those of all.
    let last = record.recording.replay.times.len() - 1;
    let samples = [0, last / 3, 2 * last / 3, last].map(|frame| filming.picture(frame));
    let mut palette = Palette::of(&samples.into_iter().collect::<Result<Vec<_>, _>>()?);
    let mut encoder = gif::Encoder::new(&mut bytes, wide, tall, palette.colours()).map_err(reported)?;
    encoder.set_repeat(gif::Repeat::Infinite).map_err(reported)?;
    let (mut shown, mut time) = (0, 0.0);
    filming.in_turn(|number, picture| {
        let changed = palette.changed(&picture);
        let unchanged = (number > 0).then_some(palette::UNCHANGED);
        let mut drawn = gif::Frame::from_indexed_pixels(wide, tall, changed, unchanged);
        drawn.dispose = gif::DisposalMethod::Keep;
        // Hundredths of a second, so that the whole lasts as long as it should; the last picture stays for a second.
        time += filming.shown(number, speed);
        let until = (100.0 * time).round() as u64;
        drawn.delay = u16::try_from(until.saturating_sub(shown)).unwrap_or(u16::MAX);
        shown = until.max(shown);
        encoder.write_frame(&drawn).map_err(reported)
    })?;
    drop(encoder);
    Ok(bytes)
}

/// All frames as an animated PNG that plays at `speed` times the time of the trial, over and over, in all its colours.
///
/// # Errors
/// As [`still`].
pub fn apng(record: &TrialRecord, style: &FilmStyle, speed: f64) -> Result<Vec<u8>, FilmError> {
    let filming = Filming::new(record, style)?;
    let reported = |error: png::EncodingError| FilmError::Writer(error.to_string());
    let [wide, tall] = filming.size;
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, wide, tall);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_animated(filming.frames.len() as u32, 0).map_err(reported)?;
    let mut writer = encoder.write_header().map_err(reported)?;
    filming.in_turn(|number, picture| {
        // Thousandths of a second.
        let delay = (1000.0 * filming.shown(number, speed)).round().clamp(1.0, f64::from(u16::MAX)) as u16;
        writer.set_frame_delay(delay, 1000).map_err(reported)?;
        // Nothing on a picture can be seen through.
        let colours: Vec<u8> = picture.pixels().iter().flat_map(|dot| [dot.red(), dot.green(), dot.blue()]).collect();
        writer.write_image_data(&colours).map_err(reported)
    })?;
    writer.finish().map_err(reported)?;
    Ok(bytes)
}

fn png(picture: &Pixmap) -> Result<Vec<u8>, FilmError> {
    picture.encode_png().map_err(|error| FilmError::Writer(error.to_string()))
}
