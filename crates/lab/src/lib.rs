//! Trials, grids of trials and run folders. Emits typed events and prints nothing itself.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`TrialPlan`], [`plan_grid`], [`PlanError`] | what is to be run, resolved and checked before anything runs | `plan.rs` |
//! | [`run_trial`] | one scene on one engine under one set of conditions, measured while it runs | `trial.rs` |
//! | [`TrialRecord`], [`ClaimRecord`] | how it turned out | `record.rs` |
//! | `Audience`, `Sanity` | everything that looks at the frames of a trial; what no sound engine answers | `audience.rs`, `sanity.rs` |
//! | `Watch` | a gauge with the window of its claim | `watch.rs` |
//! | [`Recording`] | what pictures and plots are drawn from | `recording.rs` |
//! | [`judge_trace`], [`JudgeOrder`] | claims held against a recorded trace | `judging.rs` |
//! | [`pool`], [`PooledClaim`] | values of trials that differ by their seed alone, held against the law together | `pool.rs` |
//! | [`run_grid`], [`LabEvent`] | many trials on all cores, results in the order of the plan | `grid.rs` |
//! | [`ResultDocument`] | results as they stand on disk, versioned | `document.rs` |
//! | [`RunFolder`] | a folder of results, written whole or not at all | `folder.rs` |

mod audience;
mod document;
mod folder;
mod grid;
mod judging;
mod plan;
mod pool;
mod probes;
mod record;
mod recording;
mod sanity;
mod trial;
mod watch;

pub use document::{FORMAT, Manifest, ResultDocument, Summary};
pub use folder::{FolderError, RunFolder};
pub use grid::{LabEvent, run_grid};
pub use judging::{JudgeError, JudgeOrder, judge_trace};
pub use plan::{GridOrder, PlanError, TrialPlan, check_claims, keep_traces, plan_grid};
pub use pool::{PooledClaim, pool};
pub use probes::{Answer, ProbeRecord};
pub use record::{ClaimRecord, TrialRecord};
pub use recording::{Curve, Recording};
pub use trial::{run_trial, run_trial_on};
