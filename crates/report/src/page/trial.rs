//! Each trial: claims, replay, curves.

use super::figures::{Share, figures};
use super::{PageTrial, Room, bound, distinct, mark, measured};
use crate::axes::PlotError;
use crate::number::show;
use ironspin_lab::{ClaimDocument, shell_line};
use ironspin_model::Verdict;
use maud::{Markup, html};

/// Places of bodies and contacts in all replays of a page together: six bytes each before they are written as text.
const PLACES: usize = 150_000;
/// Of more trials that are drawn, only what they are about.
const ALL: usize = 40;

pub(super) fn list(trials: &[PageTrial], room: &Room) -> Result<Markup, PlotError> {
    let drawn = room.drawn.iter().filter(|drawn| **drawn).count();
    let share = Share { places: PLACES / drawn.max(1), all: drawn <= ALL };
    let mut left = 0;
    let mut scenes = Vec::new();
    for scene in distinct(trials.iter().map(|trial| trial.document.scene.clone())) {
        let mut reported = Vec::new();
        for (number, trial) in trials.iter().enumerate().filter(|(_, trial)| trial.document.scene == scene) {
            if room.reported[number] {
                reported.push(one(number, trial, room.drawn[number].then_some(share))?);
            } else {
                left += 1;
            }
        }
        if !reported.is_empty() {
            scenes.push((scene, reported));
        }
    }
    let of_scene = |scene: &str| {
        let trials: Vec<&PageTrial> = trials.iter().filter(|trial| trial.document.scene == *scene).collect();
        let about = trials.iter().find_map(|trial| trial.drawing.as_ref()).map(|drawing| drawing.about.clone());
        let parameters = trials.first().into_iter().flat_map(|first| &first.document.parameters);
        let set: Vec<String> = parameters.map(|(name, value)| format!("{name} = {}", show(*value))).collect();
        (about.unwrap_or_default(), set.join(", "))
    };
    let kept = trials.iter().filter(|trial| trial.drawing.is_some()).count();
    Ok(html! {
        h2 { "Trials" }
        @for (scene, reported) in &scenes {
            @let (about, set) = of_scene(scene);
            h3 { (scene) }
            p { (about) }
            p.soft { (set) }
            @for trial in reported { (trial) }
        }
        @if left > 0 {
            p.soft {
                (left) " more trials stand in the map only; shown here are those furthest past their bounds. All figures are in trials.csv."
            }
        }
        @if kept > drawn {
            p.soft {
                (drawn) " of these trials are drawn: those furthest past their bounds. The command of each draws it again."
            }
        }
    })
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
}

fn one(number: usize, trial: &PageTrial, share: Option<Share>) -> Result<Markup, PlotError> {
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
    let open = !trial.passed() || trial.only_tells();
    let drawn = share.map(|share| figures(number, trial, share)).transpose()?;
    Ok(html! {
        details id={ "trial-" (number) } open[open] {
            summary {
                span class={ "mark " (class) } { (word) }
                " dt " (document.dt_text) @if !unusual.is_empty() { ", " } (unusual) " on " code { (document.engine) } " "
                span.soft { (outcome) ", " (document.steps) " steps, " (document.bodies) " bodies" }
            }
            div {
                @if !document.reason.is_empty() { p { strong { (sentence(&document.reason)) } } }
                @if let Some(first) = &document.retried { p { (sentence(&crate::terminal::retried(first))) } }
                @if !document.claims.is_empty() { (claim_table(&document.claims)) }
                p { "Again: " code { "ironspin " (shell_line(&document.again)) } }
                @if let Some(drawn) = &drawn { (drawn) }
            }
        }
    })
}

fn claim_table(claims: &[ClaimDocument]) -> Markup {
    html! {
        div.wide {
            table {
                thead {
                    tr {
                        th {} th { "claim" } th { "of" } th { "measured" } th { "bound" }
                        th { "where, and why the bound" }
                    }
                }
                tbody { @for claim in claims { (claim_row(claim)) } }
            }
        }
    }
}

fn claim_row(claim: &ClaimDocument) -> Markup {
    let (class, word) = mark(claim.verdict);
    // What claims nothing has neither verdict nor reason.
    let claims = !claim.only_tells();
    html! {
        tr {
            td { @if claims { span class={ "mark " (class) } { (word) } } }
            td { (claim.title()) }
            td { (claim.of) }
            td.number { (measured(claim)) }
            td.number { (bound(claim)) }
            td {
                @if !claim.detail.is_empty() { (claim.detail) "." }
                @if let Some(since) = claim.since { " Past its bound since " (show(since)) " s." }
                @for warning in &claim.warnings { " " em { "Note: " (warning) "." } }
                @if claims { " " span.soft { "Because " (claim.because) "." } }
            }
        }
    }
}
