//! What is shown while trials run: a bar on a terminal, nothing elsewhere. Ctrl-C stops the trials and keeps what is finished.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use ironspin_lab::{LabEvent, TrialPlan, TrialRecord, run_grid};
use ironspin_model::Verdict;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::Instant;

/// Set by the first Ctrl-C; the second ends the program at once.
pub(crate) fn stop_flag() -> Arc<AtomicBool> {
    let stop = Arc::new(AtomicBool::new(false));
    let set = Arc::clone(&stop);
    // A program that cannot catch the signal ends by it, and what is finished is kept all the same.
    let _ = ctrlc::set_handler(move || {
        if set.swap(true, Ordering::Relaxed) {
            std::process::exit(130);
        }
    });
    stop
}

/// A bar that follows the events of a grid.
pub(crate) struct Bar {
    bar: ProgressBar,
    began: Instant,
    failed: AtomicUsize,
    quiet: bool,
}

impl Bar {
    pub(crate) fn new(trials: usize, quiet: bool) -> Self {
        // indicatif draws nothing where standard error is no terminal.
        let target = if quiet { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr() };
        let bar = ProgressBar::with_draw_target(Some(trials as u64), target);
        if let Ok(style) = ProgressStyle::with_template("{bar:24} {pos}/{len} trials, {msg}, {eta} left") {
            bar.set_style(style);
        }
        bar.set_message("starting");
        Bar { bar, began: Instant::now(), failed: AtomicUsize::new(0), quiet }
    }

    pub(crate) fn follow(&self, plans: &[TrialPlan], event: &LabEvent) {
        match event {
            LabEvent::Started { trial } => {
                let plan = &plans[*trial];
                let failures = self.failed.load(Ordering::Relaxed);
                let unusual = plan.conditions.unusual_text();
                self.bar.set_message(format!(
                    "{failures} not passed, now {} at dt {}{}{unusual}",
                    plan.setup.name,
                    plan.conditions.dt.text,
                    if unusual.is_empty() { "" } else { ", " }
                ));
            }
            LabEvent::Finished { verdict, .. } | LabEvent::Kept { verdict, .. } => {
                if *verdict != Verdict::Pass {
                    self.failed.fetch_add(1, Ordering::Relaxed);
                }
                self.bar.inc(1);
            }
        }
    }

    /// Says what runs now.
    pub(crate) fn say(&self, what: &str) {
        self.bar.set_message(format!("{} not passed, {what}", self.failed.load(Ordering::Relaxed)));
    }

    /// Something has ended.
    pub(crate) fn done(&self, verdict: Verdict) {
        if verdict != Verdict::Pass {
            self.failed.fetch_add(1, Ordering::Relaxed);
        }
        self.bar.inc(1);
    }

    /// Takes the bar away.
    pub(crate) fn clear(self) {
        self.bar.finish_and_clear();
    }

    /// Ends the bar with a closing line; the time that went by, s.
    pub(crate) fn end(self, trials: usize) -> f64 {
        self.end_as(trials, "trial")
    }

    /// As [`Bar::end`], of something else than trials.
    pub(crate) fn end_as(self, count: usize, what: &str) -> f64 {
        self.bar.finish_and_clear();
        let seconds = self.began.elapsed().as_secs_f64();
        if !self.quiet {
            crate::output::note(&format!("{count} {what}{} in {seconds:.1} s", if count == 1 { "" } else { "s" }));
        }
        seconds
    }
}

/// What came of a grid.
pub(crate) struct Watched {
    /// What was finished.
    pub(crate) records: Vec<TrialRecord>,
    /// Time it took, s.
    pub(crate) seconds: f64,
    /// Whether Ctrl-C came.
    pub(crate) interrupted: bool,
    /// Set when it comes later.
    pub(crate) stop: Arc<AtomicBool>,
}

/// Runs a grid with a progress bar on standard error and a closing line.
pub(crate) fn run_watched(plans: &[TrialPlan], jobs: usize, quiet: bool) -> Watched {
    let stop = stop_flag();
    let bar = Bar::new(plans.len(), quiet);
    let records = run_grid(plans, jobs, &stop, &|event| bar.follow(plans, event));
    let seconds = bar.end(records.len());
    Watched { interrupted: stop.load(Ordering::Relaxed), records, seconds, stop }
}
