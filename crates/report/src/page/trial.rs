//! Each trial: claims, replay, curves.

use super::figures::{Share, figures};
use super::{PageTrial, Room, bound, distinct, mark, measured};
use crate::axes::PlotError;
use crate::number::show;
use crate::picture::escape;
use ironspin_lab::{ClaimDocument, shell_line};
use ironspin_model::Verdict;

/// Places of bodies and contacts in all replays of a page together: six bytes each before they are written as text.
const PLACES: usize = 150_000;
/// Of more trials that are drawn, only what they are about.
const ALL: usize = 40;
pub(super) fn list(trials: &[PageTrial], room: &Room) -> Result<String, PlotError> {
    let mut out = String::from("<h2>Trials</h2>\n");
    let drawn = room.drawn.iter().filter(|drawn| **drawn).count();
    let share = Share { places: PLACES / drawn.max(1), all: drawn <= ALL };
    let mut left = 0;
    for scene in distinct(trials.iter().map(|trial| trial.document.scene.clone())) {
        let mut reported = String::new();
        for (number, trial) in trials.iter().enumerate().filter(|(_, trial)| trial.document.scene == scene) {
            if room.reported[number] {
                reported.push_str(&one(number, trial, room.drawn[number].then_some(share))?);
            } else {
                left += 1;
            }
        }
        if reported.is_empty() {
            continue;
        }
        let first = trials.iter().find(|trial| trial.document.scene == scene);
        let about =
            trials.iter().filter(|trial| trial.document.scene == scene).find_map(|trial| trial.drawing.as_ref());
        let set = first
            .map(|first| first.document.parameters.iter().map(|(name, value)| format!("{name} = {}", show(*value))));
        out.push_str(&format!(
            "<h3>{}</h3>\n<p>{}</p><p class=\"soft\">{}</p>\n{reported}",
            escape(&scene),
            about.map_or_else(String::new, |drawing| escape(&drawing.about)),
            escape(&set.into_iter().flatten().collect::<Vec<_>>().join(", "))
        ));
    }
    if left > 0 {
        out.push_str(&format!(
            "<p class=\"soft\">{left} more trials stand in the map only; shown here are those furthest past their bounds. All figures are in trials.csv.</p>\n"
        ));
    }
    let kept = trials.iter().filter(|trial| trial.drawing.is_some()).count();
    if kept > drawn {
        out.push_str(&format!("<p class=\"soft\">{drawn} of these trials are drawn: those furthest past their bounds. The command of each draws it again.</p>\n"));
    }
    Ok(out)
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
}

fn one(number: usize, trial: &PageTrial, share: Option<Share>) -> Result<String, PlotError> {
    let document = &trial.document;
    let (class, word) = mark(document.verdict);
    let claims = || document.claims.iter().filter(|claim| !claim.only_tells());
    let held = claims().filter(|claim| claim.verdict == Verdict::Pass).count();
    let outcome = if trial.only_tells() {
        "claims nothing".to_owned()
    } else {
        format!("{held} of {} claims hold", claims().count())
    };
    let unusual = document.unusual_text();
    let open = if trial.passed() && !trial.only_tells() { "" } else { " open" };
    let mut out = format!(
        "<details id=\"trial-{number}\"{open}><summary><span class=\"mark {class}\">{word}</span> dt {}{}{} on <code>{}</code> \
         <span class=\"soft\">{outcome}, {} steps, {} bodies</span></summary><div>\n",
        escape(&document.dt_text),
        if unusual.is_empty() { "" } else { ", " },
        escape(&unusual),
        escape(&document.engine),
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
    if let Some(share) = share {
        out.push_str(&figures(number, trial, share)?);
    }
    out.push_str("</div></details>\n");
    Ok(out)
}

fn claim_row(claim: &ClaimDocument) -> String {
    let (class, word) = mark(claim.verdict);
    let mut notes = if claim.detail.is_empty() { String::new() } else { format!("{}.", escape(&claim.detail)) };
    if let Some(since) = claim.since {
        notes.push_str(&format!(" Past its bound since {} s.", show(since)));
    }
    for warning in &claim.warnings {
        notes.push_str(&format!(" <em>Note: {}.</em>", escape(warning)));
    }
    // What claims nothing has neither verdict nor reason.
    let (verdict, because) = if claim.only_tells() {
        (String::new(), String::new())
    } else {
        let because = format!(" <span class=\"soft\">Because {}.</span>", escape(&claim.because));
        (format!("<span class=\"mark {class}\">{word}</span>"), because)
    };
    format!(
        "<tr><td>{verdict}</td><td>{}</td><td>{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td>\
         <td>{notes}{because}</td></tr>\n",
        escape(&claim.gauge),
        escape(&claim.of),
        escape(&measured(claim)),
        escape(&bound(claim))
    )
}
