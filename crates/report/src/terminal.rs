//! What a person reads in a terminal.

use crate::engine_key::letter;
use crate::look::mark;
use crate::number::{measured_and_bound, show, with_unit};
use crate::scenes::bodies_with;
use crate::sparkline::{range, sparkline};
use comfy_table::{Cell, CellAlignment, Color, ContentArrangement, Row, Table, presets};
use ironspin_lab::{ClaimRecord, CommonTrait, PooledClaim, Summary, TrialRecord, common_traits};
use ironspin_model::{Verdict, shown, shown_in_line};

/// Characters of a value over time.
const SPARKS: usize = 24;

/// How a table is laid out.
#[derive(Clone, Copy, Debug)]
pub struct TableStyle {
    /// Columns of the terminal.
    pub width: u16,
    /// Whether verdicts are coloured.
    pub colour: bool,
}

/// Letters for engines when there are several, in the order in which they come.
fn engines(records: &[TrialRecord]) -> Vec<&str> {
    let mut names: Vec<&str> = Vec::new();
    for record in records {
        if !names.contains(&record.engine()) {
            names.push(record.engine());
        }
    }
    names
}

/// Two lines for each claim about the values of several trials together; nothing where there is none.
pub fn pooled_lines(pooled: &[PooledClaim]) -> String {
    let mut out = String::new();
    for claim in pooled {
        let (measured, bound) = measured_and_bound(claim.measured, &claim.bound, claim.gauge.unit, "not measured");
        out.push_str(&format!(
            "{}  {} of {} over {} seeds of {} at dt {} on {}: {measured}, bound {bound}\n      {}\n",
            mark(claim.verdict),
            claim.gauge.name,
            claim.of_text,
            claim.seeds.len(),
            claim.scene,
            claim.dt,
            claim.engine,
            claim.detail
        ));
    }
    if out.is_empty() { out } else { format!("pooled over seeds\n{out}\n") }
}

/// What the failures on each engine have in common, a sentence each; empty where nothing tells.
pub fn common_lines(records: &[TrialRecord]) -> String {
    let sentence = |common: &CommonTrait| {
        format!(
            "all {} claims that fail on {} (in {} scenes) measure {}; so do {} of the {} that hold\n",
            common.failing,
            common.engine,
            common.scenes,
            bodies_with(common.feature),
            common.holding,
            common.all_holding
        )
    };
    let lines: String = common_traits(records).iter().map(sentence).collect();
    if lines.is_empty() { lines } else { format!("\n{lines}") }
}

/// One row a trial: verdict, conditions, the claim that decided, measured against bound, and where or why. Engines are
/// named by letters that stand above the table.
pub fn verdict_table(records: &[TrialRecord], style: TableStyle) -> String {
    let engines = engines(records);
    let mut out = String::new();
    for (index, engine) in engines.iter().enumerate() {
        out.push_str(&format!("engine {}  {}\n", letter(index), shown_in_line(engine, usize::MAX)));
    }
    out.push('\n');
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_width(style.width).set_content_arrangement(ContentArrangement::Dynamic);
    if style.colour {
        table.enforce_styling();
    } else {
        table.force_no_tty();
    }
    table.set_header(["", "scene", "", "dt", "decided by", "measured", "bound", "held", "where and why"]);
    let summed_up = summed_up(records);
    for record in records.iter().filter(|record| !(summed_up && lacks_a_feature(record))) {
        let index = engines.iter().position(|engine| *engine == record.engine()).unwrap_or(0);
        let mut row = Row::from(cells(record, &letter(index)));
        row.max_height(1);
        table.add_row(row);
    }
    for column in table.column_iter_mut() {
        column.set_padding((0, 2));
    }
    if let Some(column) = table.column_mut(5) {
        column.set_cell_alignment(CellAlignment::Right);
    }
    out.push_str(&table.trim_fmt());
    out.push('\n');
    if summed_up {
        for (index, engine) in engines.iter().enumerate() {
            out.push_str(&shown(&lacking_line(records, engine, &letter(index))));
        }
    }
    out
}

/// Longest text of a cell, letters; more has no room anyway.
const LONGEST: usize = 400;

/// So many trials that lack a feature are summed up in one line an engine.
const MANY: usize = 3;

/// Whether a trial was not run because its engine does not have what the scene needs.
fn lacks_a_feature(record: &TrialRecord) -> bool {
    record.verdict == Verdict::Unsupported && record.claims.is_empty() && record.retried.is_none()
}

fn summed_up(records: &[TrialRecord]) -> bool {
    records.iter().filter(|record| lacks_a_feature(record)).count() >= MANY
}

/// The scenes that an engine cannot run, by what it lacks, in one line; empty where it lacks nothing.
fn lacking_line(records: &[TrialRecord], engine: &str, letter: &str) -> String {
    let mut lacking: Vec<(&str, Vec<&str>)> = Vec::new();
    let own = records.iter().filter(|record| record.engine() == engine && lacks_a_feature(record));
    let count = own.clone().count();
    for record in own {
        let what = record.reason.trim_start_matches("the engine does not support ");
        match lacking.iter_mut().find(|(known, _)| *known == what) {
            Some((_, scenes)) if scenes.contains(&record.scene()) => {}
            Some((_, scenes)) => scenes.push(record.scene()),
            None => lacking.push((what, vec![record.scene()])),
        }
    }
    if lacking.is_empty() {
        return String::new();
    }
    let parts: Vec<String> = lacking.iter().map(|(what, scenes)| format!("{what} ({})", scenes.join(", "))).collect();
    let trials = if count == 1 { "trial" } else { "trials" };
    format!(
        "{}  {count} {trials} unsupported on {letter}, which lacks {}\n",
        mark(Verdict::Unsupported),
        parts.join("; ")
    )
}

fn cells(record: &TrialRecord, engine: &str) -> Vec<Cell> {
    let verdict = Cell::new(mark(record.verdict));
    let verdict = match record.verdict {
        Verdict::Pass => verdict.fg(Color::Blue),
        Verdict::Fail => verdict.fg(Color::Red),
        Verdict::Unsupported | Verdict::Unknown => verdict.fg(Color::DarkGrey),
        Verdict::Error => verdict.fg(Color::Magenta),
    };
    let (claim, measured, bound, why) = record.deciding().map_or_else(
        || (String::new(), String::new(), String::new(), record.reason.clone()),
        |claim| {
            if claim.only_tells() {
                return (
                    String::new(),
                    String::new(),
                    String::new(),
                    "claims nothing; its figures stand below".to_owned(),
                );
            }
            let why =
                if claim.detail.is_empty() { format!("of {}", claim.claim.of_text) } else { claim.detail.clone() };
            let (measured, bound) = measured_and_bound(claim.measured, &claim.claim.bound, "1", "-");
            (claim.claim.title(), measured, bound, why)
        },
    );
    let why = if record.retried.is_some() { format!("second try; {why}") } else { why };
    let (held, all) = record.tally();
    let conditions = &record.plan.conditions;
    let mut row = vec![verdict];
    row.extend(
        [
            record.scene().to_owned(),
            engine.to_owned(),
            conditions.dt.text.clone(),
            claim,
            measured,
            bound,
            format!("{held}/{all}"),
            why,
        ]
        .map(|text| Cell::new(shown_in_line(&text, LONGEST))),
    );
    row
}

/// What is shown of a trial that was run a second time.
pub(crate) fn retried(first: &str) -> String {
    format!(
        "this is the second try, in a new process; the first, in a process that had run other trials before: {first}"
    )
}

/// Every broken claim in full: measured against bound, where, and why the bound is what it is; then how to run the trial
/// again. `blocks` says whether the terminal has block characters. Empty when nothing broke.
pub fn what_broke(records: &[TrialRecord], blocks: bool) -> String {
    let mut out = String::new();
    let summed_up = summed_up(records);
    for record in records.iter().filter(|record| !(summed_up && lacks_a_feature(record))) {
        let broken: Vec<&ClaimRecord> = record.claims.iter().filter(|claim| claim.verdict != Verdict::Pass).collect();
        if broken.is_empty() && record.verdict == Verdict::Pass && record.retried.is_none() {
            continue;
        }
        let dt = &record.plan.conditions.dt.text;
        out.push_str(&format!("\n{} {} at dt {dt} on {}\n", mark(record.verdict), record.scene(), record.engine()));
        if !record.reason.is_empty() {
            out.push_str(&format!("     {}\n", record.reason));
        }
        if let Some(first) = &record.retried {
            out.push_str(&format!("     {}\n", retried(first)));
        }
        for claim in broken {
            let (measured, bound) =
                measured_and_bound(claim.measured, &claim.claim.bound, claim.gauge.unit, "not measured");
            let severity = if claim.decides() { "" } else { " (should)" };
            out.push_str(&format!(
                "  {}{severity} of {}: {measured}, bound {bound}\n",
                claim.claim.title(),
                claim.claim.of_text
            ));
            if !claim.detail.is_empty() {
                out.push_str(&format!("     {}\n", claim.detail));
            }
            for warning in &claim.warnings {
                out.push_str(&format!("     note: {warning}\n"));
            }
            out.push_str(&format!("     because {}\n", claim.claim.because));
            out.push_str(&gauge_line(record, claim, blocks));
        }
        out.push_str(&energy_line(record, blocks));
        out.push_str(&format!("     again: ironspin {}\n", ironspin_lab::shell_line(&record.plan.arguments())));
    }
    out.push_str(&where_explained(records));
    out
}

/// Where the causes of what broke are listed; empty when no claim is broken.
fn where_explained(records: &[TrialRecord]) -> String {
    let broken = records.iter().flat_map(|record| &record.claims).filter(|claim| claim.verdict == Verdict::Fail);
    let mut gauges: Vec<&str> = Vec::new();
    for claim in broken {
        if !gauges.contains(&claim.gauge.name) {
            gauges.push(claim.gauge.name);
        }
    }
    match gauges[..] {
        [] => String::new(),
        [only] => format!("\nWhat usually breaks it in an engine, and what to try next: ironspin explain {only}\n"),
        [first, ..] => format!(
            "\nWhat usually breaks a claim in an engine, and what to try next: ironspin explain GAUGE, such as {first} ({} broke: {})\n",
            gauges.len(),
            gauges.join(", ")
        ),
    }
}

/// What was measured in scenes that claim nothing, a line for each gauge. Empty when every scene claims something.
pub fn what_was_reported(records: &[TrialRecord]) -> String {
    let mut out = String::new();
    for record in records.iter().filter(|record| record.reported().next().is_some()) {
        let dt = &record.plan.conditions.dt.text;
        out.push_str(&format!(
            "\n{} at dt {dt} on {}: it claims nothing, and shows\n",
            record.scene(),
            record.engine()
        ));
        let width = record.reported().map(|claim| claim.gauge.name.len()).max().unwrap_or(0);
        for claim in record.reported() {
            let value = claim.measured.map_or_else(|| "-".to_owned(), |value| with_unit(value, claim.gauge.unit));
            let warnings: String = claim.warnings.iter().map(|warning| format!("; note: {warning}")).collect();
            let line = format!("  {:width$}  {value:>14}  {}{warnings}", claim.gauge.name, claim.detail);
            out.push_str(line.trim_end());
            out.push('\n');
        }
    }
    if !out.is_empty() {
        out.push_str("\nGive a gauge a bound in a [[claim]] of the scene, and it is judged.\n");
    }
    out
}

/// The mechanical energy over the trial in one line: when it jumped, when it went.
fn energy_line(record: &TrialRecord, blocks: bool) -> String {
    let [_, _, total] = &record.recording.energy;
    let line = sparks("energy", &total.values, "J", blocks);
    line.map_or_else(String::new, |line| format!("{line} over {} s\n", show(record.recording.end_time)))
}

/// The value of a broken claim over the trial, and since when it was past its bound.
fn gauge_line(record: &TrialRecord, claim: &ClaimRecord, blocks: bool) -> String {
    let end = show(record.recording.end_time);
    let since = claim.since.map(|since| format!("past its bound since {} of {end} s", show(since)));
    match (sparks("so far", &claim.track, claim.gauge.unit, blocks), since) {
        (Some(line), Some(since)) => format!("{line}, {since}\n"),
        (Some(line), None) => format!("{line} over {end} s\n"),
        (None, Some(since)) => format!("     {since}\n"),
        (None, None) => String::new(),
    }
}

/// Nothing where there is nothing to be seen in four digits.
fn sparks(name: &str, values: &[f64], unit: &str, blocks: bool) -> Option<String> {
    let line = sparkline(values, SPARKS, blocks);
    // Before a window begins there is nothing yet.
    let before = line.len() - line.trim_start_matches('x').len();
    let line = format!("{}{}", " ".repeat(before), &line[before..]);
    let (low, high) = range(values);
    let from = with_unit(low, unit);
    (low <= high && from != with_unit(high, unit))
        .then(|| format!("     {name} {line} {} to {}", show(low), with_unit(high, unit)))
}

/// How many trials turned out how, in one line.
pub fn summary_line(records: &[TrialRecord]) -> String {
    let summary = Summary::of(records);
    let count = |number: usize, one: &str, many: &str| format!("{number} {}", if number == 1 { one } else { many });
    let mut parts = vec![
        count(summary.trials, "trial", "trials"),
        count(summary.pass, "pass", "pass"),
        count(summary.fail, "fail", "fail"),
    ];
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
        parts.push(count(summary.error, "engine error", "engine errors"));
    }
    format!("{}: {}", parts[0], parts[1..].join(", "))
}
