//! Trials, grids of trials and run folders. Emits typed events and prints nothing itself.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`GridOrder`], [`plan_grid`], [`PlanError`] | what a grid is made of, resolved and checked before anything runs | `order.rs` |
//! | [`TrialPlan`] | one trial to be run | `plan.rs` |
//! | `Transform`, `Transformed` | the same world in other units, mirrored, moved; and back in terms of the scene | `transform/` |
//! | [`run_trial`] | one scene on one engine under one set of conditions, measured while it runs | `trial.rs` |
//! | [`TrialRecord`], [`ClaimRecord`] | how it turned out | `record.rs` |
//! | [`common_traits`], [`CommonTrait`] | what the failures on an engine have in common | `common.rs` |
//! | [`read_plan`], [`plan_schema`] | plan files | `plan_file.rs` |
//! | `Observers`, `Sanity` | everything that looks at the frames of a trial; what no sound engine answers | `observers.rs`, `sanity.rs` |
//! | `Watch` | a gauge with the window of its claim | `watch.rs` |
//! | [`Recording`] | what pictures and plots are drawn from | `recording.rs` |
//! | [`judge_trace`], [`JudgeOrder`] | claims held against a recorded trace | `judging.rs` |
//! | [`pool`], [`PooledClaim`] | values of trials that differ by their seed alone, held against the law together | `pool.rs` |
//! | [`Needs`] | what a trial will need, without running it | `needs.rs` |
//! | [`run_grid`], [`LabEvent`] | many trials on all cores, results in the order of the plan | `grid.rs` |
//! | [`ResultDocument`] | results as they stand on disk, versioned | `document.rs` |
//! | [`SweepFolder`] | a folder of a sweep, one file a trial, that goes on where it stopped | `sweep/` |
//! | [`FarmOrder`], [`Share`], [`FarmFile`] | lists of trials worked off by a scheduler or by processes here | `farm/` |
//! | [`Work`] | a trial or a twin, as lists of work have them | `work.rs` |
//! | [`run_twin`], [`TwinKind`] | two trials that must agree after an exact change | `twins/` |
//! | [`line`], [`power_law`] | straight lines through points, with their uncertainty | `fit.rs` |
//! | [`find_edges`] | the value at which a claim starts to break | `edge.rs` |
//! | [`run_series`], [`collapse`] | claims about many trials along one axis | `series.rs` |
//! | [`run_proof`] | faults that are caught, and a sound engine that is left alone | `proof/` |
//! | [`measure_cost`] | what a step costs | `cost.rs` |
//! | [`Ledger`], [`compare_results`], [`compare_costs`] | past sweeps in one SQLite file; what got better or worse | `ledger/` |
//! | [`put_file`] | a file, written whole or not at all, never through a link | `whole.rs` |
//! | [`RunFolder`] | a folder of results, written whole or not at all | `folder.rs` |

mod common;
mod cost;
mod defaults;
mod document;
mod edge;
mod farm;
mod fit;
mod folder;
mod force_work;
mod grid;
mod judging;
mod ledger;
mod needs;
mod observers;
mod order;
mod plan;
mod plan_file;
mod pool;
mod probes;
mod proof;
mod record;
mod recording;
mod sanity;
mod scaling;
mod series;
mod sweep;
mod transform;
mod trial;
mod twins;
mod watch;
mod whole;
mod work;

pub use common::{CommonTrait, common_traits};
pub use cost::{CostDocument, CostOrder, CostRecord, CostTrend, measure_cost, memory_of_process, weigh_trial};
pub use document::{
    ClaimDocument, FORMAT, Host, Manifest, ResultDocument, Summary, Tool, TrialDocument, pool, program_hash,
};
pub use edge::{Edge, EdgeDocument, EdgeOrder, EdgeRecord, Tried, find_edges};
pub use farm::{
    FarmError, FarmFile, FarmKind, FarmOrder, FarmState, Jobs, Maker, Piece, Progress, Resources, Share, ShareState,
    State, Submission, Where, begin_here, read_farm_table, stop_here, submit, supervise, withdraw,
};
pub use fit::{Line, line, power_law};
pub use folder::{FolderError, RunFolder};
pub use grid::{LabEvent, run_grid, run_grid_into, share_out};
pub use judging::{JudgeError, JudgeOrder, judge_trace};
pub use ledger::{Change, ChangeKind, Comparison, Figure, Kept, Ledger, LedgerError, compare_costs, compare_results};
pub use needs::Needs;
pub use order::{GridOrder, PlanError, Planner, STEP_LIMIT, TRIAL_LIMIT, plan_grid};
pub use plan::{TrialPlan, check_claims, keep_traces, shell_line};
pub use plan_file::{plan_schema, read_plan};
pub use pool::PooledClaim;
pub use probes::{Answer, ProbeRecord};
pub use proof::{
    Alarm, Capture, ClaimProof, FaultProof, FaultVerdict, KnownFailure, NoticeProof, ProofDepth, ProofDocument,
    ProofError, ProofListener, ProofOrder, SizeProof, conclude_proof, keep_outcomes, plan_proof, run_proof,
};
pub use record::{ClaimRecord, TrialRecord};
pub use recording::{Curve, Recording, Replay, ReplayContact};
pub use series::{Collapse, REFINED, SeriesDocument, SeriesOrder, SeriesRecord, collapse, run_series};
pub use sweep::{Draw, Draws, MANY, Ran, ResultStream, Shard, Sketch, Survey, SweepFolder, Swept, manifest_of};
pub use trial::{run_trial, run_trial_on, try_building};
pub use twins::{
    Demand, Difference, Growth, TwinDocument, TwinEntry, TwinKind, TwinOrder, TwinRecord, TwinsDocument, run_twin,
    twins_of, write_frames,
};
pub use whole::{plain_folder, put_file, put_new_file};
pub use work::Work;
