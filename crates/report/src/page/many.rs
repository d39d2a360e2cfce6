//! The page before the pages of very many trials: what they come to, what broke, and where each is shown.

use super::beyond::{self, Beyond};
use super::{broken, distinct, head, mark, whole};
use crate::axes::PlotError;
use ironspin_lab::{Summary, TrialDocument};
use ironspin_model::Verdict;
use maud::{Markup, html};
use std::collections::BTreeMap;

/// More trials than this are shown on several pages ...
pub const PAGED: usize = 2_000;
/// ... of so many trials each.
pub const A_PAGE: usize = 1_000;

/// The first page of very many trials; `pages` are the places of the others, each of [`A_PAGE`] trials in turn, `notes` lines under the title.
///
/// # Errors
/// When a plot cannot be drawn.
pub fn page_of_many(
    title: &str,
    notes: &[String],
    trials: &[TrialDocument],
    pages: &[String],
    beyond: &Beyond,
) -> Result<String, PlotError> {
    let documents: Vec<&TrialDocument> = trials.iter().collect();
    let summary = Summary::count(trials.iter());
    let link = |number: usize| pages.get(number / A_PAGE).cloned();
    let (sections, collapse) = (beyond::sections(beyond)?, beyond::collapse(&documents)?);
    let body = html! {
        (head(&documents, &summary, beyond, (title, notes, &[])))
        (counted_map(&documents, &link))
        (broken::list(&documents, &link))
        (sections)
        (collapse)
        (contents(&documents, pages))
    };
    Ok(whole(title, include_str!("page.css"), &body, None))
}

/// How the trials of a cell turned out.
#[derive(Default)]
struct Cell {
    summary: Summary,
    worst: Option<(Verdict, usize)>,
}

impl Cell {
    fn add(&mut self, number: usize, verdict: Verdict) {
        self.summary.add(verdict, false);
        if self.worst.is_none_or(|(worst, _)| verdict > worst) {
            self.worst = Some((verdict, number));
        }
    }

    /// The worst verdict, and how many turned out so where not all did.
    fn words(&self, verdict: Verdict) -> String {
        let (count, word) = (self.summary.of_verdict(verdict), mark(verdict).1);
        if count == self.summary.trials {
            format!("{word} {count}")
        } else {
            format!("{word} {count} of {}", self.summary.trials)
        }
    }
}

/// Scenes down, engines and steps across, all other conditions together; each cell leads to the page of its first trial of that verdict.
fn counted_map(trials: &[&TrialDocument], link: &broken::Link<'_>) -> Markup {
    let columns = distinct(trials.iter().map(|trial| (trial.engine.as_str(), trial.dt_text.as_str())));
    let engines = distinct(columns.iter().map(|(engine, _)| *engine));
    let mut cells: BTreeMap<(&str, &str, &str), Cell> = BTreeMap::new();
    for (number, trial) in trials.iter().enumerate() {
        let cell = cells.entry((&trial.scene, &trial.engine, &trial.dt_text)).or_default();
        cell.add(number, trial.verdict);
    }
    let of = |engine: &str| columns.iter().filter(|(other, _)| *other == engine).count();
    let across: Vec<(&str, &str)> =
        engines.iter().flat_map(|engine| columns.iter().copied().filter(move |(other, _)| other == engine)).collect();
    html! {
        h2 { "Verdicts" }
        p.soft { "Of several trials in a cell the worst verdict, and how many turned out so." }
        div.wide {
            table.map {
                thead {
                    tr { th {} @for engine in &engines { th colspan=(of(engine)) { code { (engine) } } } }
                    tr { th { "scene" } @for (_, step) in &across { th { "dt " (step) } } }
                }
                tbody {
                    @for scene in distinct(trials.iter().map(|trial| trial.scene.as_str())) {
                        tr {
                            th scope="row" { (scene) }
                            @for (engine, step) in &across {
                                td {
                                    @if let Some((cell, (verdict, number))) = cells.get(&(scene, *engine, *step)).and_then(|cell| Some((cell, cell.worst?))) {
                                        a class={ "mark " (mark(verdict).0) } href=[link(number)] { (cell.words(verdict)) }
                                    }
                                }
                            }
                        }
                    }
                }
            }
        }
    }
}

/// Which page shows what.
fn contents(trials: &[&TrialDocument], pages: &[String]) -> Markup {
    let name = |trial: &TrialDocument| {
        let unusual = trial.unusual_text();
        let comma = if unusual.is_empty() { "" } else { ", " };
        format!("{} on {} at dt {}{comma}{unusual}", trial.scene, trial.engine, trial.dt_text)
    };
    html! {
        h2 { "Trials" }
        p { "In the order of the plan. All figures are in trials.csv." }
        ol.pages {
            @for (chunk, page) in trials.chunks(A_PAGE).zip(pages) {
                @let failed = chunk.iter().filter(|trial| trial.verdict != Verdict::Pass).count();
                li {
                    a href=(page) { (chunk.first().map(|trial| name(trial)).unwrap_or_default()) " to " (chunk.last().map(|trial| name(trial)).unwrap_or_default()) }
                    @if failed > 0 { ": " (failed) " of " (chunk.len()) " did not pass" }
                }
            }
        }
    }
}
