//! One file a command.

pub(crate) mod demo;
pub(crate) mod engines;
pub(crate) mod explain;
pub(crate) mod farm;
pub(crate) mod film;
pub(crate) mod judge;
pub(crate) mod ledger;
pub(crate) mod manual;
pub(crate) mod plot;
pub(crate) mod proof;
pub(crate) mod report;
pub(crate) mod run;
pub(crate) mod scenes;
pub(crate) mod schema;
pub(crate) mod search;
pub(crate) mod sweep;
pub(crate) mod twin;

use crate::args::ResultsAs;
use crate::diagnostic::{Diagnostic, ExitStatus};
use ironspin_lab::{Manifest, PooledClaim, ResultDocument, RunFolder, TrialRecord, TwinRecord, pool};
use ironspin_link::EngineSpec;
use ironspin_model::{Verdict, shown};
use ironspin_report::{Beyond, PageTrial};
use std::collections::BTreeSet;
use std::path::PathBuf;

/// Fills a run folder and puts it in its place.
fn publish(
    folder: RunFolder,
    title: &str,
    records: &[TrialRecord],
    beyond: &Beyond,
    (seconds, timing): (f64, bool),
) -> Result<PathBuf, Diagnostic> {
    let command = std::env::args().collect();
    let manifest =
        serde_json::to_string_pretty(&Manifest::new(command, records.iter().map(|record| &record.plan), seconds))?;
    folder.write("manifest.json", manifest.as_bytes())?;
    folder.write("result.json", ironspin_report::result_json(records, timing)?.as_bytes())?;
    folder.write("trials.csv", ironspin_report::trials_csv(&ResultDocument::of(records, false).trials)?.as_bytes())?;
    let trials: Vec<PageTrial> = records.iter().map(PageTrial::of).collect();
    folder.write("drawings.json", &report::drawings(&trials)?)?;
    report::keep_beyond(&folder, beyond)?;
    folder.write("report.html", ironspin_report::page(title, &[], &trials, beyond)?.as_bytes())?;
    Ok(folder.publish()?)
}

/// Ends the processes of engines that wait for trials, and says what was noticed about them beside their answers.
pub(crate) fn tell_remarks<'a>(engines: impl Iterator<Item = &'a EngineSpec>) {
    let mut told = BTreeSet::new();
    for engine in engines {
        for remark in engine.close() {
            if told.insert((engine.text(), remark.clone())) {
                crate::output::note(&format!("warning: engine {}: {remark}", engine.text()));
            }
        }
    }
}

/// What is printed of some trials, harmless as it is.
fn reported(
    records: &[TrialRecord],
    twins: &[TwinRecord],
    format: ResultsAs,
    timing: bool,
) -> Result<String, Diagnostic> {
    use ironspin_report::{common_lines, pooled_lines, summary_line, verdict_table, what_broke, what_was_reported};
    Ok(match format {
        ResultsAs::Format(format) => format.write(&ResultDocument::of(records, timing).with_twins(twins))?,
        ResultsAs::Table => {
            let below = [
                common_lines(records),
                pooled_lines(&pool(records)),
                what_was_reported(records),
                what_broke(records, crate::output::blocks()),
            ];
            // The table may be coloured, and makes the texts in it harmless itself.
            format!("{}\n{}{}", summary_line(records), verdict_table(records, style()), shown(&below.concat()))
        }
    })
}

/// The status for some trials: the worst of them decides.
fn status(records: &[TrialRecord]) -> ExitStatus {
    let worst = records.iter().map(|record| record.verdict).max();
    if worst != Some(Verdict::Error) && pool(records).iter().any(PooledClaim::decides) {
        return ExitStatus::Fails;
    }
    match worst {
        Some(Verdict::Error) => ExitStatus::EngineFailed,
        Some(Verdict::Fail) => ExitStatus::Fails,
        _ if nothing_judged(
            records
                .iter()
                .map(|record| (record.verdict, record.claims.iter().any(|claim| is_judgement(claim.verdict)))),
        ) =>
        {
            ExitStatus::NothingJudged
        }
        Some(Verdict::Pass | Verdict::Unsupported | Verdict::Unknown) | None => ExitStatus::Holds,
    }
}

fn is_judgement(verdict: Verdict) -> bool {
    matches!(verdict, Verdict::Pass | Verdict::Fail)
}

/// Whether there were trials, and no claim of any was judged: that nothing failed says nothing then. Of each trial its verdict, and whether a claim of it was
/// judged.
fn nothing_judged(mut trials: impl Iterator<Item = (Verdict, bool)>) -> bool {
    let unjudged =
        |(verdict, judged): (Verdict, bool)| matches!(verdict, Verdict::Unsupported | Verdict::Unknown) && !judged;
    trials.next().is_some_and(unjudged) && trials.all(unjudged)
}

/// The status of a command whose trials may have been interrupted.
fn after(interrupted: bool, planned: usize, finished: usize, status: ExitStatus) -> ExitStatus {
    if !interrupted {
        return status;
    }
    crate::output::note(&format!("interrupted: {finished} of {planned} trials are finished"));
    ExitStatus::Interrupted
}

fn style() -> ironspin_report::TableStyle {
    ironspin_report::TableStyle { width: crate::output::width(), colour: crate::output::colour(&std::io::stdout()) }
}
