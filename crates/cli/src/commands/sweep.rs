//! `sweep` and `merge`: grids of trials in folders that go on where they stopped.

use super::farm::Sending;
use crate::args::{MergeOptions, ResultsAs, SweepOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_lab::{
    Draws, FarmKind, FolderError, LabEvent, MANY, Manifest, ResultStream, Shard, Summary, Survey, SweepFolder,
    TrialPlan, TrialRecord, Where, Work, collapse, manifest_of, plan_grid, read_plan, shell_line,
};
use ironspin_model::{Verdict, shown};
use ironspin_report::{
    Beyond, Drawing, broken_claims, collapse_text, document_json, document_summary, verdict_map, write_json,
    write_trials_csv,
};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

/// Draws the files of a folder that show all of its trials.
pub(super) fn draw(folder: &SweepFolder, survey: &Survey) -> Result<(), FolderError> {
    let map = format!("{}\n\n{}", document_summary(&survey.summary), verdict_map(&survey.trials));
    folder.put("map.txt", shown(&map).as_bytes())?;
    folder
        .put_with("result.json", &|out| write_json(out, &ResultStream::of(folder, survey)).map_err(io::Error::other))?;
    folder.put_with("trials.csv", &|out| write_trials_csv(out, folder.trials(survey)).map_err(io::Error::other))
}

/// What is kept of a trial to be drawn: of many only of those that did not pass.
pub(super) fn sketch(record: &TrialRecord, of: usize) -> Option<Vec<u8>> {
    let wanted = of <= super::report::DRAWN || record.verdict != Verdict::Pass;
    let drawing = wanted.then(|| Drawing::of(record)).flatten()?;
    serde_json::to_vec(&drawing).ok()
}

/// What is printed of the trials of a folder.
pub(super) fn reported(folder: &SweepFolder, survey: &Survey, format: ResultsAs) -> Result<String, Diagnostic> {
    Ok(match format {
        ResultsAs::Format(format) => {
            let mut document = survey.head();
            document.trials = folder.trials(survey).collect::<Result<_, _>>()?;
            format.write(&document)?
        }
        ResultsAs::Table => {
            let map = match survey.trials.len() > MANY {
                true => "The map of so many trials stands in map.txt.\n\n".to_owned(),
                false => verdict_map(&survey.trials),
            };
            let text = format!(
                "{}\n\n{map}{}{}",
                document_summary(&survey.summary),
                collapse_text(&collapse(&survey.trials)),
                broken_claims(&survey.trials)
            );
            shown(&text).into_owned()
        }
    })
}

pub(super) fn status(survey: &Survey) -> ExitStatus {
    match survey.verdict() {
        Verdict::Error => ExitStatus::EngineFailed,
        Verdict::Fail => ExitStatus::Fails,
        _ if super::nothing_judged(
            survey
                .trials
                .iter()
                .map(|trial| (trial.verdict, trial.claims.iter().any(|claim| super::is_judgement(claim.verdict)))),
        ) =>
        {
            ExitStatus::NothingJudged
        }
        Verdict::Pass | Verdict::Unsupported | Verdict::Unknown => ExitStatus::Holds,
    }
}

pub(crate) fn run(options: &SweepOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let order = match &options.plan {
        Some(path) => ironspin_lab::GridOrder {
            body_limit: options.conditions.max_bodies,
            trial_limit: options.conditions.max_trials,
            step_limit: options.conditions.max_steps,
            process_limits: options.conditions.process_limits(),
            ..read_plan(path)?
        },
        None => options.conditions.order(&options.scenes.names()?),
    };
    let plans = plan_grid(&order)?;
    if !quiet {
        super::run::tell_warnings(&plans);
    }
    if let Some(place) = options.farm.place(options.plan.as_deref())? {
        return send(options, place, plans, quiet);
    }
    if let Some(file) = &options.ledger {
        // A ledger that cannot be written is reported before the first trial.
        ironspin_lab::Ledger::open(file)?;
    }
    let folder = SweepFolder::prepare(&options.out, &plans, options.shard)?;
    let command = std::env::args().collect();
    let manifest = |seconds| Manifest::new(Vec::clone(&command), plans.iter(), seconds).with_program();
    folder.put("manifest.json", document_json(&manifest(0.0))?.as_bytes())?;
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(plans.len(), quiet);
    let sketch = |record: &TrialRecord| sketch(record, plans.len());
    let draws = Draws { files: &draw, trial: &sketch };
    let listener = |event: &LabEvent| bar.follow(&plans, event);
    let ran = stop.during(|| folder.run_trials(&plans, options.shard, options.jobs, &stop, &listener, draws));
    let seconds = bar.end(ran.as_ref().map_or(0, |ran| ran.run));
    super::tell_remarks(plans.iter().map(|plan| &plan.engine));
    // The trials are in their files, and what is made of them can be made again: a signal need not wait for it.
    let ran = ran?;
    let swept = stop.during(|| folder.conclude(&ran, &draw))?;
    let survey = &swept.survey;
    stop.during(|| leave_page(&folder, survey, &manifest(seconds), &[]))?;
    // What a share prints is read by scripts.
    if options.shard.is_none() || !matches!(options.format, ResultsAs::Table) {
        output::document(&reported(&folder, survey, options.format)?)?;
    }
    if !quiet {
        let kept = survey.keys.len() - swept.run;
        if kept > 0 {
            output::note(&format!("{kept} of them were in the folder already"));
        }
        if swept.strangers > 0 {
            output::note(&format!("{} trials in the folder belong to no trial of this plan", swept.strangers));
        }
        output::note(&format!("results in {}", options.out.display()));
    }
    if let Some(file) = &options.ledger {
        super::ledger::keep_swept(file, options.name.as_deref(), &folder, survey)?;
    }
    let interrupted = stop.load(Ordering::Relaxed) && survey.missing() > 0;
    if interrupted {
        output::note("the same command goes on from here");
    }
    let status = match options.shard {
        // A scheduler takes any other status for a share that has to be run again.
        Some(shard) => {
            if !interrupted {
                tell_share(shard, survey.planned, swept.run, Some(&survey.summary), (&options.out, options.format))?;
            }
            ExitStatus::Holds
        }
        None => status(survey),
    };
    Ok(super::after(interrupted, survey.planned, survey.keys.len(), status))
}

/// Hands the trials over to where they are to be run.
fn send(
    options: &SweepOptions,
    place: (Where, Option<usize>),
    plans: Vec<TrialPlan>,
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    let work: Vec<Work> = plans.into_iter().map(|plan| Work::Trial(Box::new(plan))).collect();
    let ledger = options.ledger.as_ref().map(|file| std::path::absolute(file).unwrap_or_else(|_| file.clone()));
    let ledger = ledger.map(|file| ["--ledger".to_owned(), file.display().to_string()]);
    let name = options.name.as_ref().map(|name| ["--name".to_owned(), name.clone()]);
    let show = |folder: &SweepFolder| {
        output::document(&reported(folder, &folder.survey()?, options.format)?).map_err(Diagnostic::from)
    };
    let sending = Sending {
        out: &options.out,
        work: &work,
        kind: FarmKind::Sweep,
        proof: Vec::new(),
        options: vec![
            "--max-bodies".to_owned(),
            options.conditions.max_bodies.to_string(),
            "--max-steps".to_owned(),
            options.conditions.max_steps.to_string(),
        ],
        join: ledger.into_iter().chain(name).flatten().collect(),
        show: &show,
    };
    super::farm::send(&options.farm, place, sending, quiet)
}

/// Says what was done of a share: a sentence for people, and a line of names and values for scripts.
pub(super) fn tell_share(
    shard: Shard,
    trials: usize,
    run: usize,
    summary: Option<&Summary>,
    (out, format): (&Path, ResultsAs),
) -> Result<(), Diagnostic> {
    let what = if trials == 1 { "trial" } else { "trials" };
    output::note(&format!("share {shard} is done, {trials} {what}; the verdict comes with `merge`"));
    let mut line = format!("share={shard} trials={trials} run={run} kept={}", trials - run);
    if let Some(Summary { pass, measured, fail, unsupported, unknown, error, .. }) = summary {
        line += &format!(" pass={pass} measured={measured} fail={fail}");
        line += &format!(" unsupported={unsupported} unknown={unknown} error={error}");
    }
    line += &format!(" folder={}", shell_line(&[out.display().to_string()]));
    match format {
        ResultsAs::Table => output::print(&(line + "\n"))?,
        // Standard output is one document.
        ResultsAs::Format(_) => output::note(&line),
    }
    Ok(())
}

/// What made a folder, and its pages.
pub(super) fn leave_page(
    folder: &SweepFolder,
    survey: &Survey,
    manifest: &Manifest,
    notes: &[String],
) -> Result<(), Diagnostic> {
    folder.put("manifest.json", document_json(manifest)?.as_bytes())?;
    let place = folder.place().join("report.html");
    super::report::leave_pages(folder, survey, &place, ("A sweep", notes), &Beyond::default())
}

/// What made the shares of a whole, and how long they took together.
fn manifest_of_shares(shares: &[PathBuf]) -> Manifest {
    let mut whole = Manifest::new(std::env::args().collect(), std::iter::empty(), 0.0).with_program();
    for share in shares.iter().filter_map(|share| manifest_of(share)) {
        whole.seconds += share.seconds;
        whole.scenes.extend(share.scenes);
        whole.engines.extend(share.engines);
    }
    whole
}

/// A line for a whole in which trials are missing.
pub(super) fn missing_note(survey: &Survey) -> Option<String> {
    let missing = survey.missing();
    (missing > 0).then(|| format!("{missing} of {} trials are missing", survey.planned))
}

pub(crate) fn merge(options: &MergeOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    if let Some(first) = options.shares.first()
        && !SweepFolder::proof_words(first)?.is_empty()
    {
        let folder = SweepFolder::merge_outcomes(&options.out, &options.shares)?;
        return super::proof::join(&folder, &manifest_of_shares(&options.shares));
    }
    let (folder, survey) = SweepFolder::merge(&options.out, &options.shares, &draw)?;
    let missing = missing_note(&survey);
    leave_page(&folder, &survey, &manifest_of_shares(&options.shares), missing.as_slice())?;
    output::document(&reported(&folder, &survey, options.format)?)?;
    if let Some(missing) = &missing {
        output::note(&format!("{missing}: they are in none of the folders"));
    }
    if !quiet {
        output::note(&format!("results in {}", options.out.display()));
    }
    if let Some(file) = &options.ledger {
        super::ledger::keep_swept(file, options.name.as_deref(), &folder, &survey)?;
    }
    Ok(if missing.is_some() { ExitStatus::Incomplete } else { status(&survey) })
}
