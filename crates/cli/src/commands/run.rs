//! `run`: trials of scenes.

use crate::args::{Format, RunOptions};
use crate::complaint::{Complaint, ExitStatus, tell_warning};
use crate::{output, progress};
use ironspin_lab::{GridOrder, RunFolder, TrialPlan, plan_grid};
use ironspin_report::{result_json, summary_line, trials_csv, verdict_table, what_broke};

/// Tells what looks wrong in the scenes, each once.
fn tell_warnings(plans: &[TrialPlan]) {
    let mut told: Vec<(&str, &str)> = Vec::new();
    for plan in plans {
        for warning in &plan.setup.warnings {
            let key = (plan.scene.as_str(), warning.what.message.as_str());
            if !told.contains(&key) {
                told.push(key);
                tell_warning(warning);
            }
        }
    }
}

pub(crate) fn run(options: &RunOptions, quiet: bool) -> Result<ExitStatus, Complaint> {
    let plans = plan_grid(&GridOrder {
        scenes: options.scenes.clone(),
        engines: options.engines.clone(),
        steps: options.dt.clone(),
        set: options.set.clone(),
        seed: options.seed,
        body_limit: options.max_bodies,
    })?;
    if !quiet {
        tell_warnings(&plans);
    }
    // The folder comes after the plan, so that a mistake in a scene leaves no trace, and before the first trial.
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let (records, seconds) = progress::run_watched(&plans, options.jobs, quiet);
    if let Some(folder) = folder {
        let title = format!("Trials of {}", options.scenes.join(", "));
        let place = super::publish(folder, &title, &records, seconds)?;
        output::note(&format!("results in {}", place.display()));
    }
    let text = match options.format {
        Format::Json => result_json(&records, options.timing)?,
        Format::Csv => trials_csv(&records)?,
        Format::Table => {
            format!("{}\n{}{}", summary_line(&records), verdict_table(&records, super::style()), what_broke(&records))
        }
    };
    output::print(&text)?;
    Ok(super::status(&records))
}
