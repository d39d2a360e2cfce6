//! What is shown while trials run: a bar on a terminal, a plain line now and then elsewhere. Ctrl-C stops the trials and keeps what is finished.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use ironspin_lab::{LabEvent, TrialPlan, TrialRecord, run_grid_into};
use ironspin_model::{Verdict, shown_in_line};
use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::RecvTimeoutError;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Time between two lines where standard error is no terminal.
const BETWEEN_LINES: Duration = Duration::from_secs(10);

/// Longest message beside a bar, letters.
const LONGEST: usize = 160;

/// How long trials may go on after a signal: an engine in this process that does not come back cannot be asked to.
const COMING_BACK: Duration = Duration::from_millis(1500);

/// Time between two looks for a signal.
const LOOK: Duration = Duration::from_millis(50);

/// Set by the first Ctrl-C or request to end; the second ends the program at once.
#[derive(Clone, Default)]
pub(crate) struct Stop {
    asked: Arc<AtomicBool>,
    /// Whether trials are under way.
    at_work: Arc<AtomicBool>,
}

impl std::ops::Deref for Stop {
    type Target = AtomicBool;

    fn deref(&self) -> &AtomicBool {
        &self.asked
    }
}

impl Stop {
    /// Does work on a thread of its own, which shares what is finished. When it does not end soon after a signal it is left to itself, and the
    /// caller goes on with what there is.
    pub(crate) fn wait_for(&self, work: impl FnOnce() + Send + 'static) {
        let (done, ended) = std::sync::mpsc::channel();
        let spawned = std::thread::Builder::new().name("trials".to_owned()).spawn(move || {
            work();
            // Whoever waited may have gone on.
            let _ = done.send(());
        });
        let Ok(working) = spawned else {
            crate::output::note("no thread to be had for trials");
            return;
        };
        let mut asked: Option<Instant> = None;
        loop {
            match ended.recv_timeout(LOOK) {
                Err(RecvTimeoutError::Timeout) => {}
                // What it panicked with is the caller's to show.
                _ => return working.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)),
            }
            if self.load(Ordering::Relaxed) && asked.get_or_insert_with(Instant::now).elapsed() > COMING_BACK {
                return crate::output::note("interrupted: what was under way did not come back");
            }
        }
    }

    /// Runs trials. When they do not end soon after a signal the program ends without them; what is finished has been written by then.
    pub(crate) fn during<T>(&self, trials: impl FnOnce() -> T) -> T {
        self.at_work.store(true, Ordering::Relaxed);
        let outcome = trials();
        self.at_work.store(false, Ordering::Relaxed);
        outcome
    }
}

/// Waits for signals from now on.
pub(crate) fn stop_flag() -> Stop {
    let stop = Stop::default();
    let (asked, at_work) = (Arc::clone(&stop.asked), Arc::clone(&stop.at_work));
    // A program that cannot catch the signal ends by it, and what is finished is kept all the same.
    let _ = ctrlc::set_handler(move || {
        if asked.swap(true, Ordering::Relaxed) {
            std::process::exit(130);
        }
        let at_work = Arc::clone(&at_work);
        // A machine that gives no more threads still ends by the second signal.
        let _ = std::thread::Builder::new().name("watchdog".to_owned()).spawn(move || {
            std::thread::sleep(COMING_BACK);
            if at_work.load(Ordering::Relaxed) {
                crate::output::note("interrupted: what was under way did not come back");
                std::process::exit(130);
            }
        });
    });
    stop
}

/// Longest time that a command can be given, s: some thirty years.
const LONGEST_TIMEOUT: f64 = 1e9;

/// Ends the command after a time, as a signal from outside would.
pub(crate) fn end_after(seconds: f64) {
    let wait = Duration::from_secs_f64(seconds.min(LONGEST_TIMEOUT));
    // A machine that gives no more threads runs the command all the same.
    let _ = std::thread::Builder::new().name("timeout".to_owned()).spawn(move || {
        std::thread::sleep(wait);
        crate::output::note("the time of --timeout is over");
        ask_to_end();
    });
}

/// Sends this program the request to end; whatever waits for one ends by it with what is finished. While nothing does, as before the first trial, the
/// signal would end the program with a status of its own.
fn ask_to_end() {
    #[cfg(unix)]
    {
        use nix::sys::signal::{Signal, kill};
        if waits_for_the_end() && kill(nix::unistd::getpid(), Signal::SIGTERM).is_ok() {
            return;
        }
    }
    std::process::exit(130);
}

/// Whether the program catches the request to end; where the system does not tell, it is taken for granted.
#[cfg(unix)]
fn waits_for_the_end() -> bool {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let caught = status.lines().find_map(|line| line.strip_prefix("SigCgt:"));
    let mask = caught.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok());
    mask.is_none_or(|mask| mask >> (nix::sys::signal::Signal::SIGTERM as i32 - 1) & 1 == 1)
}

/// A bar that follows the events of a grid.
pub(crate) struct Bar {
    bar: ProgressBar,
    began: Instant,
    failed: AtomicUsize,
    quiet: bool,
    /// When the last line was printed, where lines are printed.
    reported: Option<Mutex<Instant>>,
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
        let reported = (!quiet && !std::io::stderr().is_terminal()).then(|| Mutex::new(Instant::now()));
        Bar { bar, began: Instant::now(), failed: AtomicUsize::new(0), quiet, reported }
    }

    pub(crate) fn follow(&self, plans: &[TrialPlan], event: &LabEvent) {
        match event {
            LabEvent::Started { trial } => {
                let plan = &plans[*trial];
                let failures = self.failed.load(Ordering::Relaxed);
                let unusual = plan.conditions.unusual_text();
                self.message(format!(
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
                self.one_more();
            }
        }
    }

    /// Shows what runs; nothing in a name is obeyed by the terminal.
    fn message(&self, text: impl AsRef<str>) {
        self.bar.set_message(shown_in_line(text.as_ref(), LONGEST).into_owned());
    }

    fn one_more(&self) {
        self.bar.inc(1);
        self.tell_line(&format!(", {} not passed", self.failed.load(Ordering::Relaxed)));
    }

    /// A plain line, when the last one was a while ago.
    fn tell_line(&self, more: &str) {
        let Some(reported) = &self.reported else { return };
        let mut last = reported.lock().unwrap_or_else(PoisonError::into_inner);
        if last.elapsed() < BETWEEN_LINES {
            return;
        }
        *last = Instant::now();
        let (done, due) = (self.bar.position(), self.bar.length().unwrap_or(0));
        let left = self.began.elapsed().as_secs_f64() / done.max(1) as f64 * due.saturating_sub(done) as f64;
        crate::output::note(&format!("{done} of {due} done{more}, about {left:.0} s left"));
    }

    /// Says what runs now.
    pub(crate) fn say(&self, what: &str) {
        self.message(format!("{} not passed, {what}", self.failed.load(Ordering::Relaxed)));
    }

    /// Something has ended.
    pub(crate) fn done(&self, verdict: Verdict) {
        if verdict != Verdict::Pass {
            self.failed.fetch_add(1, Ordering::Relaxed);
        }
        self.one_more();
    }

    /// So many of so many are done.
    pub(crate) fn reach(&self, done: usize, due: usize, what: &str) {
        self.bar.set_length(due as u64);
        self.bar.set_position(done as u64);
        self.message(what);
        self.tell_line("");
    }

    /// Takes the bar away.
    pub(crate) fn clear(&self) {
        self.bar.finish_and_clear();
    }

    /// Ends the bar with a closing line; the time that went by, s.
    pub(crate) fn end(&self, trials: usize) -> f64 {
        self.end_as(trials, "trial")
    }

    /// As [`Bar::end`], of something else than trials.
    pub(crate) fn end_as(&self, count: usize, what: &str) -> f64 {
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
    pub(crate) stop: Stop,
}

/// Runs a grid with a progress bar on standard error and a closing line.
pub(crate) fn run_watched(plans: &[TrialPlan], jobs: usize, quiet: bool) -> Watched {
    let stop = stop_flag();
    let bar = Arc::new(Bar::new(plans.len(), quiet));
    let records: Arc<Mutex<Vec<Option<TrialRecord>>>> = Arc::new(Mutex::new(plans.iter().map(|_| None).collect()));
    stop.wait_for({
        let (plans, bar, records, stop) = (plans.to_vec(), Arc::clone(&bar), Arc::clone(&records), stop.clone());
        move || run_grid_into(&plans, jobs, &stop, &|event| bar.follow(&plans, event), &records)
    });
    let records = std::mem::take(&mut *records.lock().unwrap_or_else(PoisonError::into_inner));
    let records: Vec<TrialRecord> = records.into_iter().flatten().collect();
    let seconds = bar.end(records.len());
    crate::commands::tell_remarks(plans.iter().map(|plan| &plan.engine));
    Watched { interrupted: stop.load(Ordering::Relaxed), records, seconds, stop }
}
