//! Verdicts of a sweep: one mark a cell, steps across, scales and everything else down; then what broke.

use crate::look::mark;
use crate::number::{show, with_unit};
use ironspin_lab::{ClaimDocument, Summary, TrialDocument};
use ironspin_model::Verdict;
use std::collections::BTreeMap;

/// Most cells that a list of broken claims names.
const CELLS_NAMED: usize = 4;

/// How many trials turned out how, in one line.
pub fn document_summary(summary: &Summary) -> String {
    let mut parts = vec![format!("{} pass", summary.pass), format!("{} fail", summary.fail)];
    if summary.measured > 0 {
        parts.push(format!("{} only measured", summary.measured));
    }
    if summary.unsupported > 0 {
        parts.push(format!("{} unsupported", summary.unsupported));
    }
    if summary.unknown > 0 {
        parts.push(format!("{} not known", summary.unknown));
    }
    if summary.error > 0 {
        parts.push(format!("{} engine error{}", summary.error, if summary.error == 1 { "" } else { "s" }));
    }
    let trials = if summary.trials == 1 { "trial" } else { "trials" };
    format!("{} {trials}: {}", summary.trials, parts.join(", "))
}

/// Numbers things in the order in which they first come.
#[derive(Default)]
struct Numbering<K> {
    numbers: BTreeMap<K, usize>,
    things: Vec<K>,
}

impl<K: Ord + Clone> Numbering<K> {
    fn number(&mut self, thing: K) -> usize {
        let next = self.things.len();
        let number = *self.numbers.entry(thing.clone()).or_insert(next);
        if number == next {
            self.things.push(thing);
        }
        number
    }
}

/// The mark of a cell: of several seeds or repeats the worst, with how many turned out so.
fn cell(trials: &[&TrialDocument]) -> String {
    let Some(worst) = trials.iter().map(|trial| trial.verdict).max() else { return String::new() };
    if trials.len() == 1 || worst == Verdict::Pass {
        return mark(worst).to_owned();
    }
    let many = trials.iter().filter(|trial| trial.verdict == worst).count();
    format!("{} {many}/{}", mark(worst), trials.len())
}

/// A map for each scene and engine: steps across, the longest first; the other conditions down.
pub fn verdict_map(trials: &[TrialDocument]) -> String {
    let mut names = Numbering::default();
    let mut groups: Vec<Vec<&TrialDocument>> = Vec::new();
    for trial in trials {
        let group = names.number((trial.scene.as_str(), trial.engine.as_str()));
        if group == groups.len() {
            groups.push(Vec::new());
        }
        groups[group].push(trial);
    }
    let maps = names.things.iter().zip(&groups);
    maps.map(|((scene, engine), trials)| format!("{scene} on {engine}\n{}\n", one_map(trials))).collect()
}

fn one_map(trials: &[&TrialDocument]) -> String {
    let (mut steps, mut rows) = (Numbering::default(), Numbering::default());
    let mut cells: BTreeMap<(usize, usize), Vec<&TrialDocument>> = BTreeMap::new();
    for trial in trials {
        let row = rows.number(trial.unusual_but_chance().join(", "));
        let step = steps.number((trial.dt.to_bits(), trial.dt_text.as_str()));
        cells.entry((row, step)).or_default().push(trial);
    }
    let mut across: Vec<usize> = (0..steps.things.len()).collect();
    let seconds = |step: usize| f64::from_bits(steps.things[step].0);
    across.sort_by(|&a, &b| seconds(b).total_cmp(&seconds(a)));
    let mark_of = |row: usize, step: usize| cells.get(&(row, step)).map_or_else(String::new, |trials| cell(trials));
    let marks: Vec<Vec<String>> =
        (0..rows.things.len()).map(|row| across.iter().map(|&step| mark_of(row, step)).collect()).collect();
    let named = rows.things.iter().map(|row| row.chars().count()).max().unwrap_or(0).max(5);
    let heads: Vec<&str> = across.iter().map(|&step| steps.things[step].1).collect();
    let width =
        |column: usize| marks.iter().map(|row| row[column].len()).chain([heads[column].len()]).max().unwrap_or(0);
    let widths: Vec<usize> = (0..heads.len()).map(width).collect();
    let line = |name: &str, texts: &[&str]| {
        let mut line = format!("  {name:named$}");
        texts.iter().zip(&widths).for_each(|(text, width)| line.push_str(&format!("  {text:width$}")));
        line.trim_end().to_owned() + "\n"
    };
    let mut out = line("dt", &heads);
    for (name, marks) in rows.things.iter().zip(&marks) {
        let name = if name.is_empty() { "plain" } else { name };
        out.push_str(&line(name, &marks.iter().map(String::as_str).collect::<Vec<_>>()));
    }
    out
}

/// A trial and the claim that broke in it; none where the trial itself came to nothing.
type Case<'a> = (&'a TrialDocument, Option<&'a ClaimDocument>);

/// Claims that broke, those broken in most trials first: how often, the worst, where, why the bound is what it is, and how to run the worst again.
pub fn broken_claims(trials: &[TrialDocument]) -> String {
    let mut found: BTreeMap<(String, String, String), Vec<Case<'_>>> = BTreeMap::new();
    for trial in trials {
        if trial.claims.is_empty() && trial.verdict != Verdict::Pass {
            let key = (trial.scene.clone(), trial.engine.clone(), trial.reason.clone());
            found.entry(key).or_default().push((trial, None));
        }
        for claim in trial.claims.iter().filter(|claim| claim.decides()) {
            let key = (trial.scene.clone(), trial.engine.clone(), format!("{} of {}", claim.title(), claim.of));
            found.entry(key).or_default().push((trial, Some(claim)));
        }
    }
    let mut found: Vec<_> = found.into_iter().collect();
    found.sort_by_key(|(_, cases)| std::cmp::Reverse(cases.len()));
    let mut out = String::new();
    for ((scene, engine, what), cases) in found {
        let used = |case: &Case<'_>| case.1.map_or(f64::INFINITY, ClaimDocument::used);
        let worst = cases.iter().copied().reduce(|best, case| if used(&case) > used(&best) { case } else { best });
        let Some((trial, claim)) = worst else { continue };
        let (verdict, many) = (mark(trial.verdict), cases.len());
        out.push_str(&format!(
            "{verdict} {scene} on {engine}: {what}, {many} trial{}\n",
            if many == 1 { "" } else { "s" }
        ));
        if let Some(claim) = claim {
            let measured = claim.measured.map_or_else(|| "not measured".to_owned(), |v| with_unit(v, &claim.unit));
            let bound = claim.bound.relation(show);
            out.push_str(&format!("     worst {measured}, bound {bound}, {}\n", place(trial)));
            if !claim.detail.is_empty() {
                out.push_str(&format!("     {}\n", claim.detail));
            }
            out.push_str(&format!("     because {}\n", claim.because));
        }
        let mut places: Vec<String> = cases.iter().take(CELLS_NAMED).map(|(trial, _)| place(trial)).collect();
        if many > CELLS_NAMED {
            places.push(format!("and {} more", many - CELLS_NAMED));
        }
        if many > 1 {
            out.push_str(&format!("     {}\n", places.join("; ")));
        }
        out.push_str(&format!("     again: ironspin {}\n", ironspin_lab::shell_line(&trial.again)));
    }
    for trial in trials {
        if let Some(first) = &trial.retried {
            let (verdict, reported) = (mark(trial.verdict), crate::terminal::retried(first));
            out.push_str(&format!(
                "{verdict} {} on {}, {}\n     {reported}\n",
                trial.scene,
                trial.engine,
                place(trial)
            ));
        }
    }
    out
}

fn place(trial: &TrialDocument) -> String {
    let unusual = trial.unusual_text();
    format!("at dt {}{}{unusual}", trial.dt_text, if unusual.is_empty() { "" } else { ", " })
}
