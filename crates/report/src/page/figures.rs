//! What is drawn of a trial: its replay, energy and positions, the gauges that decide, spectra and histograms.

use super::PageTrial;
use crate::axes::Figure;
use crate::axes::PlotError;
use crate::drawing::{DrawnCurve, DrawnReplay};
use crate::number::{show, with_unit};
use crate::picture::escape;
use crate::plot::{edges, exhibit, gauge_over_time, legend, over_time};
use ironspin_lab::{ClaimDocument, Curve};
use ironspin_model::Verdict;

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

fn figure(drawn: &Figure, caption: &str, keys: &str) -> Result<String, PlotError> {
    Ok(format!("<figure class=\"plot\">{}<figcaption>{} {keys}</figcaption></figure>\n", drawn.svg()?, escape(caption)))
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
pub(super) fn figures(number: usize, trial: &PageTrial, share: Share) -> Result<String, PlotError> {
    let Some(drawing) = &trial.drawing else { return Ok(String::new()) };
    let (document, times) = (&trial.document, &drawing.times);
    let curves = |drawn: &[DrawnCurve]| drawn.iter().map(DrawnCurve::curve).collect::<Vec<Curve>>();
    let (energy, paths) = (curves(&drawing.energy), curves(&drawing.paths));
    let mut out = String::from("<div class=\"figures\">\n");
    out.push_str(&replay(&number.to_string(), &document.scene, &drawing.replay.within(share.places)));
    out.push_str("<div class=\"curves\">\n");
    for claim_number in chosen(trial) {
        let (Some(claim), Some(track)) = (document.claims.get(claim_number), drawing.tracks.get(claim_number)) else {
            continue;
        };
        let values: Vec<f64> = track.iter().map(|value| value.unwrap_or(f64::NAN)).collect();
        let drawn = gauge_over_time(&claim.gauge, &claim.unit, times, &values, &claim.bound, claim.since);
        out.push_str(&figure(&drawn, &gauge_caption(claim), "")?);
    }
    for (claim_number, shown) in &drawing.exhibits {
        let Some(claim) = document.claims.get(*claim_number) else { continue };
        let measured = claim.measured.map_or_else(String::new, |value| format!(": {}", with_unit(value, &claim.unit)));
        let caption = format!("{} of {}{measured}. {}", claim.gauge, claim.of, claim.detail);
        out.push_str(&figure(&exhibit(&claim.gauge, shown), &caption, "")?);
    }
    if !share.all {
        out.push_str("</div>\n</div>\n");
        return Ok(out);
    }
    let height = "Energy of all moving bodies; height counts from the start.";
    out.push_str(&figure(&over_time("Energy", "J", times, &energy), height, &legend(&energy))?);
    let (some, axis) = (if drawing.more_paths { "some of the " } else { "" }, drawing.axis);
    let position = over_time(&format!("Position along {axis}"), "m", times, &paths);
    out.push_str(&figure(&position, &format!("Centres of {some}moving bodies along {axis}."), &legend(&paths))?);
    out.push_str("</div>\n</div>\n");
    Ok(out)
}

/// A canvas with its controls and data; `name` tells it from others on the page.
pub(super) fn replay(name: &str, scene: &str, replay: &DrawnReplay) -> String {
    // Numbers and texts of our own; `<` cannot end the script.
    let data = serde_json::to_string(replay).unwrap_or_default().replace('<', "\\u003c");
    let scene = escape(scene);
    let tick = |name: &str, on: bool| {
        format!(
            "<label><input type=\"checkbox\" data-show=\"{name}\"{}> {name}</label>",
            if on { " checked" } else { "" }
        )
    };
    let speeds: String = ["0.02", "0.1", "0.25", "0.5", "1", "2", "4"]
        .iter()
        .map(|speed| {
            format!("<option value=\"{speed}\"{}>{speed}x</option>", if *speed == "1" { " selected" } else { "" })
        })
        .collect();
    let ghost = if replay.has_ghost() { tick("twin", true) } else { String::new() };
    format!(
        "<figure class=\"replay\"><canvas role=\"img\" aria-label=\"{scene}, played back\"></canvas>\
         <div class=\"controls\"><button type=\"button\" data-do=\"play\">Play</button>\
         <button type=\"button\" data-do=\"back\" aria-label=\"one frame back\">-1</button>\
         <button type=\"button\" data-do=\"forth\" aria-label=\"one frame on\">+1</button>\
         <input type=\"range\" min=\"0\" max=\"1\" value=\"0\" aria-label=\"time\" id=\"time-{name}\"><output for=\"time-{name}\"></output>\
         <label>speed <select aria-label=\"speed\">{speeds}</select></label>{}{}{}{ghost}</div><div class=\"moments\"></div>\
         <script type=\"application/json\">{data}</script></figure>\n",
        tick("contacts", true),
        tick("velocities", false),
        tick("trails", false)
    )
}
