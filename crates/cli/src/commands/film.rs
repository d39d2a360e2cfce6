//! `film`: pictures, strips and films of a trial, in files or in the terminal.

use crate::args::{FilmOptions, FilmView};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_lab::{TrialRecord, plan_grid, put_file};
use ironspin_model::{DVec3, Dimension, World, nearest};
use ironspin_report::{FilmError, FilmStyle, View, apng, coarsened, gif, missing_letters, play, still, strip};
use std::io::IsTerminal;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Most states of bodies that are held for a film.
const STATES: u64 = 4_000_000;

/// The body of a name.
fn body_of(world: &World, name: &str) -> Result<usize, Diagnostic> {
    let names = || world.bodies.iter().map(|body| body.name.as_str());
    names().position(|known| known == name).ok_or_else(|| Diagnostic::Kept {
        why: match nearest(name, names()) {
            Some(near) => format!("there is no body called `{name}`; did you mean `{near}`?"),
            None => format!("there is no body called `{name}`"),
        },
    })
}

/// Refuses a side from which a world cannot be seen.
pub(super) fn can_be_seen(world: &World, views: &[View]) -> Result<(), Diagnostic> {
    if world.dimension == Dimension::Plane && views.iter().any(|view| *view != View::Front) {
        let why = "a scene of the plane is only seen from the front; --view is for scenes in space";
        return Err(Diagnostic::Kept { why: why.to_owned() });
    }
    Ok(())
}

/// From where a film is seen, and at what it is aimed.
fn looked_at(options: &FilmOptions) -> (Vec<View>, Option<(DVec3, f64)>) {
    if let Some(from) = options.from.map(DVec3::from_array) {
        let to = options.to.map(DVec3::from_array);
        let way = from - to.unwrap_or(DVec3::ZERO);
        return (vec![View::From(way)], to.map(|to| (to, way.length())));
    }
    let views = match &options.view {
        Some(FilmView::Side(view)) => vec![*view],
        Some(FilmView::All) => vec![View::Corner, View::Front, View::Side, View::Top],
        Some(FilmView::Follow(_)) | None => Vec::new(),
    };
    (views, None)
}

/// What is made of a trial.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Gif,
    Apng,
    Picture,
}

/// What the ending of a file asks for.
fn kind_of(out: &Path, options: &FilmOptions) -> Result<Kind, Diagnostic> {
    let wrong = |why: String| Err(Diagnostic::Kept { why });
    let kind = match out.extension().and_then(|ending| ending.to_str()) {
        Some("gif") => Kind::Gif,
        Some("apng") => Kind::Apng,
        Some("png") => return Ok(Kind::Picture),
        _ => {
            return wrong(format!("`{}`: a film ends with .gif or .apng, a picture or strip with .png", out.display()));
        }
    };
    if options.strip.is_some() || options.at.is_some() {
        return wrong("a strip or single picture ends with .png".to_owned());
    }
    Ok(kind)
}

pub(crate) fn run(options: &FilmOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let wrong = |why: String| Err(Diagnostic::Kept { why });
    let out = options.out.as_deref().map(|out| Ok::<_, Diagnostic>((out, kind_of(out, options)?))).transpose()?;
    if options.play && !std::io::stdout().is_terminal() {
        return wrong("a film is played in a terminal, and this is none: --out FILE.gif writes it".to_owned());
    }
    if options.play && !output::colour(&std::io::stdout()) {
        return wrong("a film is played in colours, and they are switched off: --out FILE.gif writes it".to_owned());
    }
    let plans = plan_grid(&options.conditions.order(std::slice::from_ref(&options.scene)))?;
    let [plan] = &plans[..] else {
        let many = plans.len();
        return wrong(format!("a film is of one trial, and these are {many}: give one engine, one step, one of each"));
    };
    let mut plan = plan.clone();
    let named = match &options.view {
        Some(FilmView::Follow(name)) => Some(name),
        _ => options.follow.as_ref(),
    };
    let follow = named.map(|name| body_of(&plan.setup.world, name)).transpose()?;
    // So many steps of the trial to a picture that the film plays at its speed.
    let step = plan.conditions.scene_dt();
    let every = (options.speed / (options.fps * step)).round().max(1.0) as u64;
    // Every step is kept, to be shown where something broke, unless that is too much to hold.
    let states = plan.conditions.schedule(plan.setup.world.duration).count() * plan.setup.world.bodies.len() as u64;
    let all = states <= STATES && !options.no_slow;
    plan.pace = Some(if all { 1 } else { every });
    let (views, aim) = looked_at(options);
    can_be_seen(&plan.setup.world, &views)?;
    if aim.is_some_and(|(_, tall)| !(tall > 0.0)) {
        return wrong("--from and --to are the same point".to_owned());
    }
    let style = FilmStyle {
        width: options.width,
        views,
        aim,
        contacts: !options.no_contacts,
        velocities: options.velocities,
        trails: options.trails,
        slow: !options.no_slow,
        every: if all { every as usize } else { 1 },
        follow,
        title: format!("{} dt {}", plan.setup.name, plan.conditions.dt.text),
    };
    let watched = progress::run_watched(std::slice::from_ref(&plan), 1, quiet);
    let Some(record) = watched.records.first() else { return Ok(ExitStatus::Interrupted) };
    let reported = |error: FilmError| Diagnostic::Kept { why: error.to_string() };
    if let Some((out, kind)) = out {
        let draw = || match kind {
            Kind::Gif => gif(record, &style, options.speed),
            Kind::Apng => apng(record, &style, options.speed),
            Kind::Picture => match options.strip {
                Some(pictures) => strip(record, &style, usize::from(pictures)),
                None => still(record, &style, options.at.unwrap_or(f64::MAX)),
            },
        };
        // A film that is interrupted leaves nothing.
        let film = watched.stop.during(draw);
        let film = film.map_err(reported)?;
        if let Some(note) = missing_letters([style.title.as_str()]) {
            output::note(&note);
        }
        coarsened(&plan.setup.world).1.iter().for_each(|note| output::note(note));
        let fault = |cause| Diagnostic::File { path: out.display().to_string(), cause };
        put_file(out, &film).map_err(fault)?;
        if !quiet {
            let frames = record.recording.replay.times.len();
            let place = out.display();
            output::note(&format!("{}: {}, {frames} frames, in {place}", record.scene(), record.verdict.word()));
        }
    }
    if options.play {
        show(record, &style, options.speed, &watched.stop).map_err(reported)?;
    }
    Ok(super::status(&watched.records))
}

/// Plays a trial in the terminal, each frame at its time, until it ends or Ctrl-C comes.
fn show(record: &TrialRecord, style: &FilmStyle, speed: f64, stop: &AtomicBool) -> Result<(), FilmError> {
    let began = Instant::now();
    // The screen is cleared once; after that each frame is written over the one before.
    let mut before = "\u{1b}[2J";
    play(record, style, speed, output::room(), &mut |due, text| {
        let due = Duration::from_secs_f64(due.max(0.0));
        std::thread::sleep(due.saturating_sub(began.elapsed()));
        let written = output::document(&format!("{before}\u{1b}[H{text}\u{1b}[K\n"));
        before = "";
        written.is_ok() && !stop.load(Ordering::Relaxed)
    })
}
