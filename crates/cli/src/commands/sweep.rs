//! `sweep` and `merge`: grids of trials in folders that go on where they stopped.

use crate::args::{MergeOptions, ResultsAs, SweepOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_lab::{
    Drawn, Draws, Kept, Manifest, ResultDocument, Shard, SweepFolder, TrialRecord, collapse, manifest_of, plan_grid,
    read_plan,
};
use ironspin_model::Verdict;
use ironspin_report::{
    Beyond, Drawing, broken_claims, collapse_text, document_json, document_summary, trials_csv, verdict_map,
};
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

/// The files of a folder that are drawn from its trials.
fn drawn(document: &ResultDocument) -> Drawn {
    let map = format!("{}\n\n{}", document_summary(&document.summary), verdict_map(&document.trials));
    let mut files = vec![("map.txt".to_owned(), map.into_bytes())];
    // Writers into memory refuse nothing that was read from a file of the same form.
    files.extend(document_json(document).ok().map(|text| ("result.json".to_owned(), text.into_bytes())));
    files.extend(trials_csv(&document.trials).ok().map(|text| ("trials.csv".to_owned(), text.into_bytes())));
    files
}

fn reported(document: &ResultDocument, format: ResultsAs) -> Result<String, Diagnostic> {
    Ok(match format {
        ResultsAs::Format(format) => format.write(document)?,
        ResultsAs::Table => format!(
            "{}\n\n{}{}{}",
            document_summary(&document.summary),
            verdict_map(&document.trials),
            collapse_text(&collapse(&document.trials)),
            broken_claims(&document.trials)
        ),
    })
}

fn status(document: &ResultDocument) -> ExitStatus {
    match document.trials.iter().map(|trial| trial.verdict).max() {
        Some(Verdict::Error) => ExitStatus::EngineFailed,
        Some(Verdict::Fail) => ExitStatus::Fails,
        _ if document.pooled.iter().any(|pooled| pooled.decides()) => ExitStatus::Fails,
        _ => ExitStatus::Holds,
    }
}

pub(crate) fn run(options: &SweepOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let order = match &options.plan {
        Some(path) => ironspin_lab::GridOrder {
            body_limit: options.conditions.max_bodies,
            trial_limit: options.conditions.max_trials,
            process_limits: options.conditions.process_limits(),
            ..read_plan(path)?
        },
        None => options.conditions.order(&options.scenes.names()?),
    };
    let plans = plan_grid(&order)?;
    if !quiet {
        super::run::tell_warnings(&plans);
    }
    if let Some(file) = &options.ledger {
        // A ledger that cannot be written is reported before the first trial.
        ironspin_lab::Ledger::open(file)?;
    }
    let folder = SweepFolder::prepare(&options.out, &plans, options.shard)?;
    let command = std::env::args().collect();
    let manifest = |seconds| Manifest::new(Vec::clone(&command), plans.iter(), seconds);
    folder.put("manifest.json", document_json(&manifest(0.0))?.as_bytes())?;
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(plans.len(), quiet);
    let few = plans.len() <= super::report::DRAWN;
    let sketch = |record: &TrialRecord| {
        let wanted = few || record.verdict != Verdict::Pass;
        let drawing = wanted.then(|| Drawing::of(record)).flatten()?;
        serde_json::to_vec(&drawing).ok()
    };
    let draws = Draws { files: &drawn, trial: &sketch };
    let swept = folder.run(&plans, options.shard, options.jobs, &stop, &|event| bar.follow(&plans, event), draws);
    let seconds = bar.end(swept.as_ref().map_or(0, |swept| swept.run));
    let swept = swept?;
    leave_page(&folder, &options.out, &manifest(seconds))?;
    output::print(&reported(&swept.document, options.format)?)?;
    if !quiet {
        let kept = swept.document.trials.len() - swept.run;
        if kept > 0 {
            output::note(&format!("{kept} of them were in the folder already"));
        }
        if swept.strangers > 0 {
            output::note(&format!("{} trials in the folder belong to no trial of this plan", swept.strangers));
        }
        output::note(&format!("results in {}", options.out.display()));
    }
    if let Some(file) = &options.ledger {
        super::ledger::keep(file, options.name.as_deref(), &Kept::Results(Box::new(swept.document.clone())))?;
    }
    let interrupted = stop.load(Ordering::Relaxed) && swept.document.trials.len() < swept.planned;
    if interrupted {
        output::note("the same command goes on from here");
    }
    let status = match options.shard {
        // A scheduler takes any other status for a share that has to be run again.
        Some(shard) => {
            if !(quiet || interrupted) {
                let Shard { number, of } = shard;
                let what = if swept.planned == 1 { "trial" } else { "trials" };
                let done = format!("share {number}/{of} is done, {} {what}", swept.planned);
                output::note(&format!("{done}; the verdict comes with `merge`"));
            }
            ExitStatus::Holds
        }
        None => status(&swept.document),
    };
    Ok(super::after(interrupted, swept.planned, swept.document.trials.len(), status))
}

/// What made a folder, and its page.
fn leave_page(folder: &SweepFolder, place: &Path, manifest: &Manifest) -> Result<(), Diagnostic> {
    folder.put("manifest.json", document_json(manifest)?.as_bytes())?;
    let page = ironspin_report::page("A sweep", &[], &super::report::swept(place)?, &Beyond::default())?;
    Ok(folder.put("report.html", page.as_bytes())?)
}

/// What made the shares of a whole, and how long they took together.
fn manifest_of_shares(shares: &[PathBuf]) -> Manifest {
    let mut whole = Manifest::new(std::env::args().collect(), std::iter::empty(), 0.0);
    for share in shares.iter().filter_map(|share| manifest_of(share)) {
        whole.seconds += share.seconds;
        whole.scenes.extend(share.scenes);
        whole.engines.extend(share.engines);
    }
    whole
}

pub(crate) fn merge(options: &MergeOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let (folder, swept) = SweepFolder::merge(&options.out, &options.shares, &drawn)?;
    leave_page(&folder, &options.out, &manifest_of_shares(&options.shares))?;
    output::print(&reported(&swept.document, options.format)?)?;
    let missing = swept.planned - swept.document.trials.len();
    if missing > 0 {
        output::note(&format!("{missing} of {} trials are in none of the folders", swept.planned));
    }
    if !quiet {
        output::note(&format!("results in {}", options.out.display()));
    }
    Ok(if missing > 0 { ExitStatus::Incomplete } else { status(&swept.document) })
}
