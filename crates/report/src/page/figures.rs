//! What is drawn of a trial: its replay, energy and positions, the gauges that decide, spectra and histograms.

use super::PageTrial;
use crate::axes::Figure;
use crate::axes::PlotError;
use crate::drawing::{Drawing, DrawnCurve, DrawnReplay};
use crate::look::css;
use crate::number::{show, with_unit};
use crate::plot::{edges, exhibit, gauge_over_time, over_time};
use ironspin_lab::{ClaimDocument, Curve};
use ironspin_model::{Verdict, showable_json};
use maud::{Markup, PreEscaped, html};

/// Most gauges of a trial that are drawn over time.
const GAUGES: usize = 3;

/// What there is for a trial.
#[derive(Clone, Copy, Debug)]
pub(super) struct Share {
    /// Places of bodies and contacts in its replay.
    pub(super) places: usize,
    /// Energy and positions are drawn, too.
    pub(super) all: bool,
}

fn figure(drawn: &Figure, caption: &str, keys: &Markup) -> Result<Markup, PlotError> {
    Ok(captioned(&drawn.svg()?, caption, keys))
}

fn captioned(svg: &str, caption: &str, keys: &Markup) -> Markup {
    html! { figure.plot { (PreEscaped(svg)) figcaption { (caption) " " (keys) } } }
}

/// The claims drawn over time: those broken, the worst first; of a trial in which all hold the first.
fn chosen(trial: &PageTrial) -> Vec<usize> {
    let claims = &trial.document.claims;
    let has_track = |number: &usize| {
        trial.drawing.as_ref().is_some_and(|drawing| drawing.tracks.get(*number).is_some_and(|track| !track.is_empty()))
    };
    let mut broken: Vec<usize> =
        (0..claims.len()).filter(|&number| claims[number].verdict == Verdict::Fail).filter(has_track).collect();
    broken.sort_by(|&a, &b| claims[b].used().total_cmp(&claims[a].used()).then(a.cmp(&b)));
    // One claim about several groups of bodies draws much the same.
    let mut seen: Vec<&str> = Vec::new();
    broken.retain(|&number| {
        let new = !seen.contains(&claims[number].gauge.as_str());
        seen.push(&claims[number].gauge);
        new
    });
    broken.truncate(GAUGES);
    let moves = |number: &usize| {
        let track = trial.drawing.as_ref().and_then(|drawing| drawing.tracks.get(*number));
        let mut values = track.into_iter().flatten().flatten();
        values.next().is_some_and(|first| values.any(|value| value != first))
    };
    if trial.passed() { (0..claims.len()).find(moves).into_iter().collect() } else { broken }
}

fn gauge_caption(claim: &ClaimDocument) -> String {
    let bound = edges(&claim.bound).into_iter().flatten().map(show).collect::<Vec<_>>().join(" and ");
    let since = claim.since.map_or_else(String::new, |since| format!(" Past it since {} s.", show(since)));
    format!("{} of {}, as measured up to each time; bound {bound} (dashed, where near).{since}", claim.gauge, claim.of)
}

/// All figures of a trial; nothing where it has no drawing.
pub(super) fn figures(number: usize, trial: &PageTrial, share: Share) -> Result<Markup, PlotError> {
    let Some(drawing) = &trial.drawing else { return Ok(Markup::default()) };
    let curves = curves(trial, drawing, share)?;
    Ok(html! {
        div.figures {
            (replay(&number.to_string(), &trial.document.scene, &label(trial), &drawing.replay.within(share.places)))
            div.curves { @for curve in &curves { (curve) } }
        }
    })
}

/// What tells a trial from others of its scene.
fn label(trial: &PageTrial) -> String {
    let document = &trial.document;
    let unusual = document.unusual_text();
    let more = if unusual.is_empty() { String::new() } else { format!(", {unusual}") };
    format!("{} dt {}{more}", document.engine, document.dt_text)
}

fn curves(trial: &PageTrial, drawing: &Drawing, share: Share) -> Result<Vec<Markup>, PlotError> {
    let (document, times) = (&trial.document, &drawing.times);
    let curves = |drawn: &[DrawnCurve]| drawn.iter().map(DrawnCurve::curve).collect::<Vec<Curve>>();
    let none = Markup::default();
    let mut out = Vec::new();
    for claim_number in chosen(trial) {
        let (Some(claim), Some(track)) = (document.claims.get(claim_number), drawing.tracks.get(claim_number)) else {
            continue;
        };
        let values: Vec<f64> = track.iter().map(|value| value.unwrap_or(f64::NAN)).collect();
        let drawn = gauge_over_time(&claim.gauge, &claim.unit, times, &values, &claim.bound, claim.since);
        out.push(figure(&drawn, &gauge_caption(claim), &none)?);
    }
    for (claim_number, shown) in &drawing.exhibits {
        let Some(claim) = document.claims.get(*claim_number) else { continue };
        let measured = claim.measured.map_or_else(String::new, |value| format!(": {}", with_unit(value, &claim.unit)));
        let caption = format!("{} of {}{measured}. {}", claim.gauge, claim.of, claim.detail);
        out.push(captioned(&exhibit(&claim.gauge, shown)?, &caption, &none));
    }
    if share.all {
        let (energy, paths) = (curves(&drawing.energy), curves(&drawing.paths));
        let height = "Energy of all moving bodies; height counts from the start.";
        out.push(figure(&over_time("Energy", "J", times, &energy), height, &legend(&energy))?);
        let (some, axis) = (if drawing.more_paths { "some of the " } else { "" }, drawing.axis);
        let position = over_time(&format!("Position along {axis}"), "m", times, &paths);
        out.push(figure(&position, &format!("Centres of {some}moving bodies along {axis}."), &legend(&paths))?);
        let watched = drawing.watched.iter().flat_map(|body| body.plots().map(move |plot| (&body.times, plot)));
        for (times, (what, unit, drawn)) in watched {
            let lines = curves(drawn);
            out.push(figure(&over_time(&what, unit, times, &lines), &format!("{what} over time."), &legend(&lines))?);
        }
    }
    Ok(out)
}

/// Names of curves with their colours; empty for a single curve.
fn legend(curves: &[Curve]) -> Markup {
    html! {
        @if curves.len() > 1 {
            @for (index, curve) in curves.iter().enumerate() {
                span.key { i style={ "background:" (css(index)) } {} (curve.name) }
            }
        }
    }
}

/// Speeds at which a replay plays.
const SPEEDS: [&str; 7] = ["0.02", "0.1", "0.25", "0.5", "1", "2", "4"];

/// A canvas with its controls and data; `name` tells it from others on the page, `label` from others of the same scene.
pub(super) fn replay(name: &str, scene: &str, label: &str, replay: &DrawnReplay) -> Markup {
    // Numbers and texts of our own; `<` cannot end the script.
    let data = serde_json::to_string(replay).unwrap_or_default().replace('<', "\\u003c");
    // What would be obeyed is shown, in a string of JSON.
    let data = showable_json(&data);
    let in_space = replay.sides().next().is_some();
    let ticks = [
        ("contacts", true, true),
        ("velocities", false, true),
        ("spins", false, in_space),
        ("trails", false, true),
        ("heights", false, in_space),
        ("rest", true, replay.has_rest()),
        ("twin", true, replay.has_ghost()),
        ("perspective", false, in_space),
    ];
    let shown = ticks.into_iter().filter(|(_, _, there)| *there);
    html! {
        figure.replay data-scene=(scene) data-label=(label) {
            canvas role="img" aria-label={ (scene) ", played back" } aria-describedby={ "said-" (name) } {}
            div.controls {
                button type="button" data-do="play" { "Play" }
                button type="button" data-do="back" aria-label="one frame back" { "-1" }
                button type="button" data-do="forth" aria-label="one frame on" { "+1" }
                input type="range" min="0" max="1" value="0" aria-label="time" id={ "time-" (name) };
                output for={ "time-" (name) } {}
                label {
                    "speed "
                    select aria-label="speed" {
                        @for speed in SPEEDS { option value=(speed) selected[speed == "1"] { (speed) "x" } }
                    }
                }
                @if in_space {
                    label {
                        "seen from "
                        select data-do="side" aria-label="seen from" {
                            @for side in replay.sides() { option value=(side) { (side) } }
                        }
                    }
                }
                label { "with " select data-do="other" aria-label="with another trial" { option value="" { "nothing else" } } }
                @for (tick, on, _) in shown {
                    label { input type="checkbox" data-show=(tick) checked[on]; " " (tick) }
                }
                button type="button" data-do="link" title="puts the moment and the side into the address of the page" { "Link" }
            }
            p.said id={ "said-" (name) } aria-live="polite" {}
            @if in_space {
                p.soft { "Drag to turn, with Shift to move, wheel after a click or two fingers to zoom. Keys on the picture: arrows, Shift and arrows, + and -, 1 to 7 for sides, p for perspective, blank to play, comma and full stop for frames, Home." }
            }
            @if replay.has_rest() {
                p.soft { "Pale bodies are at rest to the last bit: they have no speed and have not moved since the picture before, like those that an engine has put to sleep." }
            }
            @if let Some(most) = replay.deepest_strain() {
                p.soft { "Springs are blue where they are squeezed and orange where they are stretched, deepest at a strain of " (format!("{:.1}", 100.0 * most)) " %; squares are nodes that are held." }
            }
            @for line in replay.coarser() { p.soft { (line) ", in this picture alone." } }
            div.moments {}
            script type="application/json" { (PreEscaped(data)) }
        }
    }
}
