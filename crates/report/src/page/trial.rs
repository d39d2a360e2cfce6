//! Each trial: claims, replay, curves.

use super::{PageTrial, bound, distinct, is_told, mark, measured};
use crate::drawing::Drawing;
use crate::number::show;
use crate::picture::escape;
use crate::plot::{PlotError, legend, over_time};
use ironspin_lab::{ClaimDocument, Curve, shell_line};
use ironspin_model::Verdict;

/// Places of bodies and contacts in all replays of a page together: six bytes each before they are written as text.
const PLACES: usize = 150_000;
/// Of more trials than this, those that passed are not drawn.
const DRAWN: usize = 60;

pub(super) fn list(trials: &[PageTrial]) -> Result<String, PlotError> {
    let mut out = String::from("<h2>Trials</h2>\n");
    let is_drawn = |trial: &PageTrial| trial.drawing.is_some() && (trials.len() <= DRAWN || !trial.passed());
    let share = PLACES / trials.iter().filter(|trial| is_drawn(trial)).count().max(1);
    let mut passed = 0;
    for scene in distinct(trials.iter().map(|trial| trial.document.scene.clone())) {
        let mut told = String::new();
        for (number, trial) in trials.iter().enumerate().filter(|(_, trial)| trial.document.scene == scene) {
            if is_told(trials, number) {
                told.push_str(&one(number, trial, is_drawn(trial).then_some(share))?);
            } else {
                passed += 1;
            }
        }
        if told.is_empty() {
            continue;
        }
        let first = trials.iter().find(|trial| trial.document.scene == scene);
        let about =
            trials.iter().filter(|trial| trial.document.scene == scene).find_map(|trial| trial.drawing.as_ref());
        let set = first
            .map(|first| first.document.parameters.iter().map(|(name, value)| format!("{name} = {}", show(*value))));
        out.push_str(&format!(
            "<h3>{}</h3>\n<p>{}</p><p class=\"soft\">{}</p>\n{told}",
            escape(&scene),
            about.map_or_else(String::new, |drawing| escape(&drawing.about)),
            escape(&set.into_iter().flatten().collect::<Vec<_>>().join(", "))
        ));
    }
    if passed > 0 {
        out.push_str(&format!("<p class=\"soft\">{passed} trials that passed stand in the map only.</p>\n"));
    }
    if trials.len() > DRAWN && trials.iter().any(PageTrial::passed) {
        out.push_str("<p class=\"soft\">Of so many trials, those that passed are not drawn.</p>\n");
    }
    Ok(out)
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
}

fn one(number: usize, trial: &PageTrial, places: Option<usize>) -> Result<String, PlotError> {
    let document = &trial.document;
    let (class, word) = mark(document.verdict);
    let held = document.claims.iter().filter(|claim| claim.verdict == Verdict::Pass).count();
    let unusual = document.unusual_text();
    let open = if trial.passed() { "" } else { " open" };
    let mut out = format!(
        "<details id=\"trial-{number}\"{open}><summary><span class=\"mark {class}\">{word}</span> dt {}{}{} on <code>{}</code> \
         <span class=\"soft\">{held} of {} claims hold, {} steps, {} bodies</span></summary><div>\n",
        escape(&document.dt_text),
        if unusual.is_empty() { "" } else { ", " },
        escape(&unusual),
        escape(&document.engine),
        document.claims.len(),
        document.steps,
        document.bodies
    );
    if !document.reason.is_empty() {
        out.push_str(&format!("<p><strong>{}</strong></p>\n", escape(&sentence(&document.reason))));
    }
    if let Some(first) = &document.retried {
        out.push_str(&format!("<p>{}</p>\n", escape(&sentence(&crate::terminal::retried(first)))));
    }
    if !document.claims.is_empty() {
        out.push_str("<div class=\"wide\"><table><thead><tr><th></th><th>gauge</th><th>of</th><th>measured</th><th>bound</th><th>where, and why the bound</th></tr></thead><tbody>\n");
        out.extend(document.claims.iter().map(claim_row));
        out.push_str("</tbody></table></div>\n");
    }
    out.push_str(&format!("<p>Again: <code>ironspin {}</code></p>\n", escape(&shell_line(&document.again))));
    if let (Some(drawing), Some(places)) = (&trial.drawing, places) {
        out.push_str(&figures(number, &document.scene, drawing, places)?);
    }
    out.push_str("</div></details>\n");
    Ok(out)
}

fn claim_row(claim: &ClaimDocument) -> String {
    let (class, word) = mark(claim.verdict);
    let mut notes = if claim.detail.is_empty() { String::new() } else { format!("{}.", escape(&claim.detail)) };
    for warning in &claim.warnings {
        notes.push_str(&format!(" <em>Note: {}.</em>", escape(warning)));
    }
    format!(
        "<tr><td><span class=\"mark {class}\">{word}</span></td><td>{}</td><td>{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td>\
         <td>{notes} <span class=\"soft\">Because {}.</span></td></tr>\n",
        escape(&claim.gauge),
        escape(&claim.of),
        escape(&measured(claim)),
        escape(&bound(claim)),
        escape(&claim.because)
    )
}

/// The replay, energy and position over time.
fn figures(number: usize, scene: &str, drawing: &Drawing, places: usize) -> Result<String, PlotError> {
    let figure = |svg: &str, caption: &str, keys: &str| {
        format!("<figure class=\"plot\">{svg}<figcaption>{} {keys}</figcaption></figure>\n", escape(caption))
    };
    let curves = |drawn: &[crate::drawing::DrawnCurve]| drawn.iter().map(|curve| curve.curve()).collect::<Vec<Curve>>();
    let (energy, paths) = (curves(&drawing.energy), curves(&drawing.paths));
    let energy_plot = over_time("Energy", "J", &drawing.times, &energy)?;
    let path_plot = over_time(&format!("Position along {}", drawing.axis), "m", &drawing.times, &paths)?;
    let some = if drawing.more_paths { "some of the " } else { "" };
    let axis = drawing.axis;
    let mut out = String::from("<div class=\"figures\">\n");
    out.push_str(&replay(number, scene, drawing, places));
    out.push_str("<div class=\"curves\">\n");
    out.push_str(&figure(&energy_plot, "Energy of all moving bodies; height counts from the start.", &legend(&energy)));
    out.push_str(&figure(&path_plot, &format!("Centres of {some}moving bodies along {axis}."), &legend(&paths)));
    out.push_str("</div>\n</div>\n");
    Ok(out)
}

fn replay(number: usize, scene: &str, drawing: &Drawing, places: usize) -> String {
    let replay = if drawing.places() > places { drawing.replay_within(places) } else { drawing.replay.clone() };
    // Numbers and texts of our own; `<` cannot end the script.
    let data = serde_json::to_string(&replay).unwrap_or_default().replace('<', "\\u003c");
    let scene = escape(scene);
    let tick = |name: &str, on: bool| {
        format!(
            "<label><input type=\"checkbox\" data-show=\"{name}\"{}> {name}</label>",
            if on { " checked" } else { "" }
        )
    };
    let speeds: String = ["0.1", "0.25", "0.5", "1", "2", "4"]
        .iter()
        .map(|speed| {
            format!("<option value=\"{speed}\"{}>{speed}x</option>", if *speed == "1" { " selected" } else { "" })
        })
        .collect();
    format!(
        "<figure class=\"replay\"><canvas role=\"img\" aria-label=\"{scene}, played back\"></canvas>\
         <div class=\"controls\"><button type=\"button\" data-do=\"play\">Play</button>\
         <button type=\"button\" data-do=\"back\" aria-label=\"one frame back\">-1</button>\
         <button type=\"button\" data-do=\"forth\" aria-label=\"one frame on\">+1</button>\
         <input type=\"range\" min=\"0\" max=\"1\" value=\"0\" aria-label=\"time\" id=\"time-{number}\"><output for=\"time-{number}\"></output>\
         <label>speed <select aria-label=\"speed\">{speeds}</select></label>{}{}{}</div>\
         <script type=\"application/json\">{data}</script></figure>\n",
        tick("contacts", true),
        tick("velocities", false),
        tick("trails", false)
    )
}
