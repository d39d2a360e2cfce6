//! What is shown while trials run: a bar on a terminal, nothing elsewhere.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use ironspin_lab::{LabEvent, TrialPlan, TrialRecord, run_grid};
use ironspin_model::Verdict;
use std::time::Instant;

/// Runs a grid with a progress bar on standard error and a closing line.
pub(crate) fn run_watched(plans: &[TrialPlan], jobs: usize, quiet: bool) -> (Vec<TrialRecord>, f64) {
    let began = Instant::now();
    // indicatif draws nothing where standard error is no terminal.
    let target = if quiet { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr() };
    let bar = ProgressBar::with_draw_target(Some(plans.len() as u64), target);
    if let Ok(style) = ProgressStyle::with_template("{bar:24} {pos}/{len} trials, {msg}, {eta} left") {
        bar.set_style(style);
    }
    bar.set_message("starting");
    let failed = std::sync::atomic::AtomicUsize::new(0);
    let records = run_grid(plans, jobs, &|event| match event {
        LabEvent::Started { trial } => {
            let plan = &plans[*trial];
            let failures = failed.load(std::sync::atomic::Ordering::Relaxed);
            bar.set_message(format!(
                "{failures} not passed, now {} at dt {}",
                plan.setup.name, plan.conditions.dt.text
            ));
        }
        LabEvent::Finished { verdict, .. } => {
            if *verdict != Verdict::Pass {
                failed.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
            }
            bar.inc(1);
        }
    });
    bar.finish_and_clear();
    let seconds = began.elapsed().as_secs_f64();
    if !quiet {
        crate::output::note(&format!(
            "{} trial{} in {seconds:.1} s",
            records.len(),
            if records.len() == 1 { "" } else { "s" }
        ));
    }
    (records, seconds)
}
