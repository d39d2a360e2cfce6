//! `film`: pictures, strips and films of a trial, without a window.

use crate::args::FilmOptions;
use crate::complaint::{Complaint, ExitStatus};
use crate::{output, progress};
use ironspin_lab::plan_grid;
use ironspin_model::{World, nearest};
use ironspin_report::{FilmStyle, gif, still, strip};

/// The body of a name.
fn body_of(world: &World, name: &str) -> Result<usize, Complaint> {
    let names = || world.bodies.iter().map(|body| body.name.as_str());
    names().position(|known| known == name).ok_or_else(|| Complaint::Kept {
        why: match nearest(name, names()) {
            Some(near) => format!("there is no body called `{name}`; did you mean `{near}`?"),
            None => format!("there is no body called `{name}`"),
        },
    })
}

pub(crate) fn run(options: &FilmOptions, quiet: bool) -> Result<ExitStatus, Complaint> {
    let wrong = |why: String| Err(Complaint::Kept { why });
    let ending = options.out.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
    let is_film = ending == "gif";
    if !is_film && ending != "png" {
        return wrong(format!("`{}`: a film ends with .gif, a picture or strip with .png", options.out.display()));
    }
    if is_film && (options.strip.is_some() || options.at.is_some()) {
        return wrong("a strip or single picture ends with .png".to_owned());
    }
    let plans = plan_grid(&options.conditions.order(std::slice::from_ref(&options.scene)))?;
    let [plan] = &plans[..] else {
        let many = plans.len();
        return wrong(format!("a film is of one trial, and these are {many}: give one engine, one step, one of each"));
    };
    let mut plan = plan.clone();
    let follow = options.follow.as_ref().map(|name| body_of(&plan.setup.world, name)).transpose()?;
    // So many steps of the trial to a picture that the film plays at its speed.
    let step = plan.conditions.scene_dt();
    plan.pace = Some((options.speed / (options.fps * step)).round().max(1.0) as u64);
    let style = FilmStyle {
        width: options.width,
        contacts: !options.no_contacts,
        velocities: options.velocities,
        trails: options.trails,
        follow,
        title: format!("{} dt {}", plan.setup.name, plan.conditions.dt.text),
    };
    let watched = progress::run_watched(std::slice::from_ref(&plan), 1, quiet);
    let Some(record) = watched.records.first() else { return Ok(ExitStatus::Interrupted) };
    let film = match (options.strip, options.at) {
        _ if is_film => gif(record, &style, options.speed),
        (Some(pictures), _) => strip(record, &style, usize::from(pictures)),
        (None, time) => still(record, &style, time.unwrap_or(f64::MAX)),
    };
    let film = film.map_err(|error| Complaint::Kept { why: error.to_string() })?;
    let fault = |cause| Complaint::File { path: options.out.display().to_string(), cause };
    if let Some(parent) = options.out.parent().filter(|parent| !parent.as_os_str().is_empty()) {
        std::fs::create_dir_all(parent).map_err(fault)?;
    }
    std::fs::write(&options.out, film).map_err(fault)?;
    if !quiet {
        let frames = record.recording.replay.times.len();
        let place = options.out.display();
        output::note(&format!("{}: {}, {frames} frames, in {place}", record.scene(), record.verdict.word()));
    }
    Ok(super::status(&watched.records))
}
