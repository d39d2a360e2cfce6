//! `run`: trials of scenes.

use crate::args::{ResultsAs, RunOptions, TraceAs};
use crate::diagnostic::{Diagnostic, ExitStatus, tell_warning};
use crate::{output, progress};
use ironspin_lab::{Kept, ResultDocument, RunFolder, TrialPlan, keep_traces, plan_grid, twins_of};
use ironspin_report::{Beyond, twin_table};
use ironspin_trace::TraceFormat;

/// Shows what looks wrong in the scenes, each once.
pub(super) fn tell_warnings(plans: &[TrialPlan]) {
    let mut reported: Vec<(&str, &str)> = Vec::new();
    for plan in plans {
        for warning in &plan.setup.warnings {
            let key = (plan.scene.as_str(), warning.what.message.as_str());
            if !reported.contains(&key) {
                reported.push(key);
                tell_warning(warning);
            }
        }
    }
}

pub(crate) fn run(options: &RunOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let mut plans = plan_grid(&options.conditions.order(&options.scenes.names()?))?;
    if !quiet {
        tell_warnings(&plans);
    }
    if let Some(folder) = &options.trace {
        let format = match options.trace_format {
            TraceAs::Csv => TraceFormat::Csv,
            TraceAs::Parquet => TraceFormat::Parquet,
        };
        let place = || folder.display().to_string();
        std::fs::create_dir_all(folder).map_err(|cause| Diagnostic::File { path: place(), cause })?;
        keep_traces(&mut plans, folder, format);
    }
    if let Some(file) = &options.ledger {
        ironspin_lab::Ledger::open(file)?;
    }
    // The folder comes after the plan, so that a mistake in a scene leaves no trace, and before the first trial.
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let watched = progress::run_watched(&plans, options.jobs, quiet);
    let (records, seconds) = (watched.records, watched.seconds);
    let twins = match options.twins && !watched.interrupted {
        true => super::twin::run_twins(&twins_of(&plans, None), options.jobs, quiet, &watched.stop).0,
        false => Vec::new(),
    };
    if let Some(folder) = folder {
        let beyond = if options.twins { super::report::of_twins(&twins) } else { Beyond::default() };
        let title = format!("Trials of {}", options.scenes.title());
        let place = super::publish(folder, &title, &records, &beyond, (seconds, options.timing))?;
        output::note(&format!("results in {}", place.display()));
    }
    output::document(&super::reported(&records, &twins, options.format, options.timing)?)?;
    let mut status = super::status(&records);
    if let Some(file) = &options.ledger {
        let results = ResultDocument::of(&records, false);
        super::ledger::keep(file, options.name.as_deref(), &Kept::Results(Box::new(results)))?;
    }
    if options.twins && !watched.interrupted {
        let reported = twin_table(&twins);
        match options.format {
            ResultsAs::Table => output::print(&format!("\n{reported}"))?,
            // They stand in the document on standard output, too.
            _ => output::note(&reported),
        }
        status = super::twin::worse(status, &twins);
    }
    for record in &records {
        match &record.trace {
            Some(Err(why)) => return Err(Diagnostic::Kept { why: why.clone() }),
            Some(Ok(path)) if !quiet => output::note(&format!("frames in {}", path.display())),
            _ => {}
        }
    }
    Ok(super::after(watched.interrupted, plans.len(), records.len(), status))
}
