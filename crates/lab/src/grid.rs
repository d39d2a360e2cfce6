//! Many trials on all cores, the longest first. Results come in the order of the plan, whatever ran first.

use crate::plan::TrialPlan;
use crate::record::TrialRecord;
use crate::trial::run_trial_until;
use ironspin_model::Verdict;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

/// What happens while a grid runs. `trial` counts from 0 in the order of the plan.
#[derive(Clone, Debug, PartialEq)]
pub enum LabEvent {
    /// A trial need not be run: what came of it stands in the folder already.
    Kept {
        /// Which one.
        trial: usize,
        /// How it turned out.
        verdict: Verdict,
    },
    /// A trial has begun.
    Started {
        /// Which one.
        trial: usize,
    },
    /// A trial has ended.
    Finished {
        /// Which one.
        trial: usize,
        /// How it turned out.
        verdict: Verdict,
    },
}

/// Runs all trials on `jobs` threads (0 for one a core), reporting to `listener` what happens. When `stop` is set no further one begins, those
/// under way are given up, and only what was finished comes back.
pub fn run_grid(
    plans: &[TrialPlan],
    jobs: usize,
    stop: &AtomicBool,
    listener: &(dyn Fn(&LabEvent) + Sync),
) -> Vec<TrialRecord> {
    let records: Mutex<Vec<Option<TrialRecord>>> = Mutex::new(plans.iter().map(|_| None).collect());
    run_grid_into(plans, jobs, stop, listener, &records);
    records.into_inner().unwrap_or_else(PoisonError::into_inner).into_iter().flatten().collect()
}

/// As [`run_grid`], each record into its own place as soon as it is finished, for callers that may not wait for the last one.
pub fn run_grid_into(
    plans: &[TrialPlan],
    jobs: usize,
    stop: &AtomicBool,
    listener: &(dyn Fn(&LabEvent) + Sync),
    records: &Mutex<Vec<Option<TrialRecord>>>,
) {
    let all: Vec<usize> = (0..plans.len()).collect();
    work_through(plans, &all, jobs, stop, listener, &|trial, record| {
        let mut records = records.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(place) = records.get_mut(trial) {
            *place = Some(record);
        }
    });
}

/// Runs the trials of a list and hands each record to `keep`, on the thread that made it; what that gives comes in the order of the
/// plan, and nothing for what was not finished.
pub(crate) fn work_through<T: Send>(
    plans: &[TrialPlan],
    due: &[usize],
    jobs: usize,
    stop: &AtomicBool,
    listener: &(dyn Fn(&LabEvent) + Sync),
    keep: &(dyn Fn(usize, TrialRecord) -> T + Sync),
) -> Vec<Option<T>> {
    let mut order = due.to_vec();
    // A long trial begun last would leave the other cores idle.
    order.sort_by(|&a, &b| plans[b].weight().total_cmp(&plans[a].weight()).then(a.cmp(&b)));
    let results: Mutex<Vec<Option<T>>> = Mutex::new(plans.iter().map(|_| None).collect());
    share_out(&order, jobs, stop, &|trial| {
        listener(&LabEvent::Started { trial });
        let Some(record) = run_trial_until(&plans[trial], stop) else { return };
        let verdict = record.verdict;
        let kept = keep(trial, record);
        results.lock().unwrap_or_else(PoisonError::into_inner)[trial] = Some(kept);
        listener(&LabEvent::Finished { trial, verdict });
    });
    results.into_inner().unwrap_or_else(PoisonError::into_inner)
}

/// Does pieces of work on `jobs` threads (0 for one a core), beginning them in the order of a list, until `stop` is set.
pub fn share_out(order: &[usize], jobs: usize, stop: &AtomicBool, work: &(dyn Fn(usize) + Sync)) {
    let next = AtomicUsize::new(0);
    let go = || {
        while !stop.load(Ordering::Relaxed) {
            let Some(&piece) = order.get(next.fetch_add(1, Ordering::Relaxed)) else { break };
            work(piece);
        }
    };
    let workers = workers(jobs).min(order.len()).max(1);
    std::thread::scope(|scope| {
        for number in 1..workers {
            // A machine that gives no more threads still gives this one.
            let _ = std::thread::Builder::new().name(format!("trial-{number}")).spawn_scoped(scope, go);
        }
        go();
    });
}

/// Threads for a number of jobs; 0 is one a core.
fn workers(jobs: usize) -> usize {
    match jobs {
        0 => std::thread::available_parallelism().map_or(1, usize::from),
        jobs => jobs,
    }
}
