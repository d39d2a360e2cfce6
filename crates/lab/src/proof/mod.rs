//! Proof: engines that are broken on purpose are caught by the claims that are meant for it, and a sound one is left alone.
//!
//! Every fault of the catalogue is run on the bundled scenes, and the sound engine under many settings, steps and units. A claim counts as
//! broken by a fault when it fails with the fault and holds without it under the same conditions.

mod cells;
mod conclude;
mod document;
mod evidence;
mod known_failures;

pub use document::{
    Alarm, Capture, ClaimProof, FaultProof, FaultVerdict, KnownFailure, NoticeProof, ProofDocument, SizeProof,
};

use crate::grid::share_out;
use crate::order::PlanError;
use crate::trial::run_trial;
use crate::twins::run_twin;
use cells::{Cell, Cells, STEPS, Work};
use evidence::{Evidence, Outcome};
use ironspin_engine::FaultEntry;
use ironspin_link::ProcessLimits;
use ironspin_model::EngineError;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

/// Decimal places below its stated size down to which a fault is looked for.
const DECADES: i32 = 6;

/// What is to be proved.
#[derive(Clone, Debug)]
pub struct ProofOrder {
    /// The engine, by name; its faults are switched on by its options `fault` and `fault-size`.
    pub engine: String,
    /// The faults.
    pub faults: Vec<&'static FaultEntry>,
    /// Bundled scenes.
    pub scenes: Vec<String>,
    /// Only what the entries of the faults name, at one step and the stated size, and the sound engine as it is by default.
    pub quick: bool,
    /// Trials at once; 0 for one a core.
    pub jobs: usize,
    /// How foreign engines are kept; its program also runs twins in another process.
    pub process_limits: ProcessLimits,
}

/// Why there is no proof.
#[derive(Debug, thiserror::Error)]
pub enum ProofError {
    /// A scene or engine is named wrongly.
    #[error(transparent)]
    Plan(#[from] PlanError),
    /// It was stopped.
    #[error("stopped after {done} of {due} trials")]
    Stopped {
        /// Trials that were run.
        done: usize,
        /// Trials that were due.
        due: usize,
    },
    /// The engine has no faults to be switched on.
    #[error("{engine} has no option `fault`: only an engine that can be broken on purpose can be proved to be caught")]
    NoFaults {
        /// The engine.
        engine: String,
    },
}

impl From<EngineError> for ProofError {
    fn from(error: EngineError) -> Self {
        ProofError::Plan(PlanError::Engine(error))
    }
}

/// Reported how many trials are done, how many are known to be due so far, and which one was.
pub type ProofListener<'a> = dyn Fn(usize, usize, &str) + Sync + 'a;

/// Runs a proof.
///
/// # Errors
/// For a wrong name, an engine without faults, and when `stop` is set.
pub fn run_proof(
    order: &ProofOrder,
    stop: &AtomicBool,
    listener: &ProofListener<'_>,
) -> Result<ProofDocument, ProofError> {
    let cells = Cells::new(order)?;
    if !order.faults.is_empty() && !cells.has_option("fault") {
        return Err(ProofError::NoFaults { engine: order.engine.clone() });
    }
    let mut evidence = Evidence::default();
    let mut due = cells.sound()?;
    due.extend(cells.stated()?);
    run(order, due, &mut evidence, stop, listener)?;
    if !order.quick {
        // Smaller and smaller, as long as it is caught.
        let mut left: Vec<&'static FaultEntry> =
            order.faults.iter().copied().filter(|fault| fault.size.is_some()).collect();
        for decade in 1..=DECADES {
            left.retain(|fault| decade == 1 || evidence.catches(&cells, fault, 1 - decade, STEPS[0]));
            let mut due = Vec::new();
            for fault in &left {
                due.extend(cells.smaller(fault, -decade)?);
            }
            run(order, due, &mut evidence, stop, listener)?;
        }
    }
    Ok(conclude::conclude(order, &cells, &evidence))
}

/// Runs what is not known yet, the longest first.
fn run(
    order: &ProofOrder,
    due: Vec<Cell>,
    evidence: &mut Evidence,
    stop: &AtomicBool,
    listener: &ProofListener<'_>,
) -> Result<(), ProofError> {
    let due = evidence.unknown(due);
    let mut longest: Vec<usize> = (0..due.len()).collect();
    longest.sort_by(|&a, &b| due[b].weight().total_cmp(&due[a].weight()).then(a.cmp(&b)));
    let found: Mutex<Vec<Option<Outcome>>> = Mutex::new(due.iter().map(|_| None).collect());
    let (before, done) = (evidence.len(), AtomicUsize::new(0));
    share_out(&longest, order.jobs, stop, &|number| {
        let outcome = match &due[number].work {
            Work::Trial(plan) => Outcome::of_trial(&run_trial(plan)),
            Work::Twin(twin) => Outcome::of_twin(&run_twin(twin, order.process_limits.program.as_deref())),
        };
        found.lock().unwrap_or_else(PoisonError::into_inner)[number] = Some(outcome);
        let done = done.fetch_add(1, Ordering::Relaxed) + 1;
        listener(before + done, before + due.len(), &due[number].words());
    });
    let found = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    let done = done.into_inner();
    if stop.load(Ordering::Relaxed) && done < due.len() {
        return Err(ProofError::Stopped { done: before + done, due: before + due.len() });
    }
    evidence.add(due.into_iter().zip(found.into_iter().flatten()));
    Ok(())
}
