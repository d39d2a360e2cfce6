//! One self-contained HTML page: no network, opens from disk; its small script only plays trials back.
//!
//! | file | content |
//! |---|---|
//! | `mod.rs` | the whole, the head line, the verdict map |
//! | `many.rs` | the page before the pages of very many trials |
//! | `beyond.rs` | twins, series, costs, collapse of sizes |
//! | `broken.rs` | what broke, worst first |
//! | `trial.rs`, `figures.rs` | each trial: claims; replay, curves, spectra, histograms |
//! | `*.js` | the script, in the order of [`SCRIPT`]: vectors, pictures by depth, the player of the plane, that of space, what begins |
//! | `page.css` | the looks |

mod beyond;
mod broken;
mod figures;
mod many;
mod trial;

use crate::axes::PlotError;
use crate::drawing::Drawing;
use crate::look::SERIES;
use crate::map::document_summary;
use crate::number::measured_and_bound;
pub use beyond::Beyond;
use ironspin_lab::{ClaimDocument, Summary, TrialDocument, TrialRecord};
use ironspin_model::{Verdict, shown};
pub use many::{A_PAGE, PAGED, page_of_many};
use maud::{DOCTYPE, Markup, PreEscaped, html};
use std::collections::BTreeSet;

/// The script of a page, one file after the other.
const SCRIPT: [&str; 7] = [
    include_str!("vectors.js"),
    include_str!("depth.js"),
    include_str!("player.js"),
    include_str!("softs.js"),
    include_str!("solids.js"),
    include_str!("space.js"),
    include_str!("begin.js"),
];
/// Most trials that are shown one by one; of more, the rest are only in the map.
const REPORTED: usize = 600;
/// Of more trials than the first number those that passed are not drawn, nor more than the second.
const DRAWN: [usize; 2] = [60, 120];

/// One trial of a page.
#[derive(Clone, Debug)]
pub struct PageTrial {
    /// How it turned out.
    pub document: TrialDocument,
    /// What it is drawn from, if that was kept.
    pub drawing: Option<Drawing>,
}

impl PageTrial {
    /// A trial that has just been run.
    pub fn of(record: &TrialRecord) -> PageTrial {
        PageTrial { document: TrialDocument::of(record, false), drawing: Drawing::of(record) }
    }

    fn passed(&self) -> bool {
        self.document.verdict == Verdict::Pass
    }

    fn only_tells(&self) -> bool {
        self.document.only_tells()
    }
}

/// The page for some trials; `notes` are lines under its title.
///
/// # Errors
/// When a plot cannot be drawn.
pub fn page(title: &str, notes: &[String], trials: &[PageTrial], beyond: &Beyond) -> Result<String, PlotError> {
    page_among(title, notes, &[], trials, beyond)
}

/// The same of a page among others, with links to them: words and places.
///
/// # Errors
/// When a plot cannot be drawn.
pub fn page_among(
    title: &str,
    notes: &[String],
    others: &[(&str, String)],
    trials: &[PageTrial],
    beyond: &Beyond,
) -> Result<String, PlotError> {
    let summary = Summary::count(trials.iter().map(|trial| &trial.document));
    let room = Room::of(trials);
    let documents: Vec<&TrialDocument> = trials.iter().map(|trial| &trial.document).collect();
    let (sections, collapse) = (beyond::sections(beyond)?, beyond::collapse(&documents)?);
    let each = if trials.is_empty() { Markup::default() } else { trial::list(trials, &room)? };
    let body = html! {
        (head(&documents, &summary, beyond, (title, notes, others)))
        @if !trials.is_empty() || beyond.is_empty() {
            (verdict_map(trials, &room))
            (broken::list(&documents, &|number| room.link(number)))
        }
        (sections)
        (collapse)
        (each)
    };
    let colours: Vec<String> = (0..SERIES.len()).map(|index| format!("\"{}\"", crate::look::css(index))).collect();
    let script = format!("\nconst COLOURS = [{}];\n{}", colours.join(", "), SCRIPT.concat());
    Ok(whole(title, include_str!("page.css"), &body, Some(&script)))
}

/// What a page begins with: its first line, a sentence for a manager, title, notes, and links to other pages (words and places).
fn head(
    trials: &[&TrialDocument],
    summary: &Summary,
    beyond: &Beyond,
    (title, notes, others): (&str, &[String], &[(&str, String)]),
) -> Markup {
    html! {
        header {
            p.kind { "Iron Spin report" }
            h1 { (headline(summary, beyond)) }
            p { (in_a_sentence(trials, beyond)) }
            p.soft { (title) }
            @for note in notes { p.soft { (note) } }
            @if !others.is_empty() {
                nav { @for (words, place) in others { a href=(place) { (words) } " " } }
            }
        }
    }
}

/// A self-contained page; styles and scripts are our own.
pub(crate) fn whole(title: &str, style: &str, body: &Markup, script: Option<&str>) -> String {
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (title) }
                link rel="icon" href="data:,";
                style { (PreEscaped(style)) }
            }
            body {
                main { (body) }
                @if let Some(script) = script { script { (PreEscaped(script)) } }
            }
        }
    };
    // Marks that turn a line, and whatever else would be obeyed, come from strangers alone.
    shown(&page.into_string()).into_owned()
}

/// Class and word of a verdict.
fn mark(verdict: Verdict) -> (&'static str, &'static str) {
    (verdict.word(), crate::look::mark(verdict))
}

/// The first line.
fn headline(summary: &Summary, beyond: &Beyond) -> String {
    if summary.trials == 0 && !beyond.is_empty() {
        return beyond.in_a_sentence().join(" ");
    }
    document_summary(summary)
}

/// What a manager reads.
fn in_a_sentence(trials: &[&TrialDocument], beyond: &Beyond) -> String {
    let of = |verdict: Option<Verdict>| {
        let wanted = trials.iter().filter(|trial| verdict.is_none_or(|verdict| trial.verdict == verdict));
        wanted.map(|trial| trial.scene.as_str()).collect::<BTreeSet<_>>().len()
    };
    if trials.is_empty() {
        let nothing = if beyond.is_empty() { "Nothing was run." } else { "" };
        return nothing.to_owned();
    }
    let (all, failing, broken) = (of(None), of(Some(Verdict::Fail)), of(Some(Verdict::Error)));
    let scenes = |count: usize| format!("{count} of {all} scene{}", if all == 1 { "" } else { "s" });
    let mut reported = Vec::new();
    if failing > 0 {
        reported.push(format!("In {} a claim fails under some of the conditions.", scenes(failing)));
    }
    if broken > 0 {
        reported.push(format!("In {} the engine itself failed.", scenes(broken)));
    }
    let unknown = of(Some(Verdict::Unknown));
    if unknown > 0 {
        reported.push(format!("In {} what the engine reports does not let anybody tell.", scenes(unknown)));
    }
    if trials.iter().all(|trial| trial.only_tells()) {
        reported.push("Nothing is claimed; the figures of each trial stand below.".to_owned());
    } else if reported.is_empty() {
        let none = of(Some(Verdict::Unsupported));
        reported.push(match none {
            0 => format!("Every claim of {} holds under all conditions.", scenes(all)),
            none => format!("What could be run holds; {} need something the engine does not have.", scenes(none)),
        });
    }
    if let Some((trial, claim)) = broken::worst(trials) {
        reported.push(format!(
            "Furthest past its bound: {} in {} on {}, {} where {} is due.",
            claim.title(),
            trial.scene,
            trial.engine,
            measured(claim),
            bound(claim)
        ));
    }
    reported.extend(beyond.in_a_sentence());
    reported.join(" ")
}

fn measured(claim: &ClaimDocument) -> String {
    measured_and_bound(claim.measured, &claim.bound, &claim.unit, "nothing").0
}

fn bound(claim: &ClaimDocument) -> String {
    measured_and_bound(claim.measured, &claim.bound, &claim.unit, "nothing").1
}

/// Values in the order in which they first come.
fn distinct<T: Ord + Clone>(values: impl Iterator<Item = T>) -> Vec<T> {
    let mut known = BTreeSet::new();
    values.filter(|value| known.insert(value.clone())).collect()
}

/// The scene, with everything unusual about conditions and parameters.
fn row_name(trial: &TrialDocument) -> String {
    let unusual = trial.unusual_text();
    if unusual.is_empty() { trial.scene.clone() } else { format!("{}: {unusual}", trial.scene) }
}

/// Scenes and other conditions down, engines and steps across; each cell leads to its trial.
fn verdict_map(trials: &[PageTrial], room: &Room) -> Markup {
    let documents = || trials.iter().map(|trial| &trial.document);
    let columns = distinct(documents().map(|trial| (trial.engine.clone(), trial.dt_text.clone())));
    let engines = distinct(columns.iter().map(|(engine, _)| engine.clone()));
    let mut cells = std::collections::BTreeMap::new();
    for (number, trial) in documents().enumerate() {
        cells.entry((row_name(trial), trial.engine.clone(), trial.dt_text.clone())).or_insert(number);
    }
    let of = |engine: &String| columns.iter().filter(|(other, _)| other == engine).count();
    let across: Vec<&(String, String)> =
        engines.iter().flat_map(|engine| columns.iter().filter(move |(other, _)| other == engine)).collect();
    let cell = |row: &str, (engine, step): &(String, String)| {
        let cell = cells.get(&(row.to_owned(), engine.clone(), step.clone()));
        cell.map(|&number| (mark(trials[number].document.verdict), room.link(number)))
    };
    html! {
        h2 { "Verdicts" }
        div.wide {
            table.map {
                thead {
                    tr { th {} @for engine in &engines { th colspan=(of(engine)) { code { (engine) } } } }
                    tr { th { "scene" } @for (_, step) in &across { th { "dt " (step) } } }
                }
                tbody {
                    @for row in distinct(documents().map(row_name)) {
                        tr {
                            th scope="row" { (row) }
                            @for column in &across {
                                td {
                                    @if let Some(((class, word), link)) = cell(&row, column) {
                                        a class={ "mark " (class) } href=[link] { (word) }
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

/// What there is room for on a page, by the numbers of the trials.
struct Room {
    reported: Vec<bool>,
    drawn: Vec<bool>,
}

impl Room {
    /// Where the trial of a number stands on the page, if it does.
    fn link(&self, number: usize) -> Option<String> {
        self.reported[number].then(|| format!("#trial-{number}"))
    }

    /// Those furthest past their bounds first.
    fn of(trials: &[PageTrial]) -> Room {
        let used = |trial: &PageTrial| match trial.document.verdict {
            Verdict::Error => f64::INFINITY,
            _ => {
                let broken = trial.document.claims.iter().filter(|claim| claim.decides());
                broken.map(ClaimDocument::used).fold(0.0, f64::max)
            }
        };
        let mut worst: Vec<(bool, f64, usize)> =
            trials.iter().enumerate().map(|(number, trial)| (trial.passed(), used(trial), number)).collect();
        worst.sort_by(|a, b| a.0.cmp(&b.0).then(b.1.total_cmp(&a.1)).then(a.2.cmp(&b.2)));
        let mut room = Room { reported: vec![false; trials.len()], drawn: vec![false; trials.len()] };
        for &(_, _, number) in worst.iter().take(REPORTED) {
            room.reported[number] = true;
        }
        let few = trials.len() <= DRAWN[0];
        let drawn = worst.iter().filter(|(passed, _, number)| {
            room.reported[*number] && trials[*number].drawing.is_some() && (few || !passed)
        });
        for &(_, _, number) in drawn.take(DRAWN[1]) {
            room.drawn[number] = true;
        }
        room
    }
}
