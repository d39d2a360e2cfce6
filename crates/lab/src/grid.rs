//! Many trials on all cores. Results come in the order of the plan, whatever ran first.

use crate::plan::TrialPlan;
use crate::record::TrialRecord;
use crate::trial::run_trial;
use ironspin_model::Verdict;
use rayon::prelude::*;

/// What happens while a grid runs. `trial` counts from 0 in the order of the plan.
#[derive(Clone, Debug, PartialEq)]
pub enum LabEvent {
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

/// Runs all trials on `jobs` threads (0 for one a core), telling `listener` what happens.
pub fn run_grid(plans: &[TrialPlan], jobs: usize, listener: &(dyn Fn(&LabEvent) + Sync)) -> Vec<TrialRecord> {
    let run = |(trial, plan): (usize, &TrialPlan)| {
        listener(&LabEvent::Started { trial });
        let record = run_trial(plan);
        listener(&LabEvent::Finished { trial, verdict: record.verdict });
        record
    };
    match rayon::ThreadPoolBuilder::new().num_threads(jobs).build() {
        Ok(pool) => pool.install(|| plans.par_iter().enumerate().map(run).collect()),
        // A machine that gives no more threads still gives this one.
        Err(_) => plans.iter().enumerate().map(run).collect(),
    }
}
