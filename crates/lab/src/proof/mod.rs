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
    Alarm, Capture, ClaimProof, FaultProof, FaultVerdict, KnownFailure, NoticeProof, ProofDepth, ProofDocument,
    SizeProof,
};

use crate::folder::FolderError;
use crate::grid::share_out;
use crate::order::PlanError;
use crate::sweep::{PlanFile, SweepFolder};
use crate::work::Work;
use cells::{Cell, Cells, STEPS};
use evidence::{Evidence, Outcome};
use ironspin_engine::FaultEntry;
use ironspin_link::ProcessLimits;
use ironspin_model::EngineError;
use std::path::Path;
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
    /// How much is proved.
    pub depth: ProofDepth,
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
    /// Outcomes are missing in a folder.
    #[error("{missing} of {planned} trials of the proof are missing")]
    Missing {
        /// How many.
        missing: usize,
        /// Of how many.
        planned: usize,
    },
    /// A folder cannot be read or written.
    #[error(transparent)]
    Folder(#[from] FolderError),
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
    let program = order.process_limits.program.as_deref();
    work_out(order, &|work| Some(Outcome::of(work, program)), stop, listener)
}

/// All trials and twins that a proof may ask for, whatever comes of them, each once: more than [`run_proof`] runs, which looks for smaller faults only as
/// long as they are caught.
///
/// # Errors
/// For a wrong name, and an engine without faults.
pub fn plan_proof(order: &ProofOrder) -> Result<Vec<Work>, ProofError> {
    let cells = checked_cells(order)?;
    Ok(Evidence::default().unknown(cells.all()?).into_iter().map(|cell| cell.work).collect())
}

/// Runs those trials and twins of a list that have no file in a folder yet, `jobs` at a time (0 for one a core); how many were run.
///
/// # Errors
/// When the file system refuses; what is finished stays.
pub fn keep_outcomes(
    folder: &SweepFolder,
    list: &[Work],
    (jobs, program): (usize, Option<&Path>),
    stop: &AtomicBool,
    listener: &ProofListener<'_>,
) -> Result<usize, FolderError> {
    let keys: Vec<String> = list.iter().map(Work::key).collect();
    let mut due: Vec<usize> =
        (0..list.len()).filter(|&number| folder.document::<Outcome>(&keys[number]).is_none()).collect();
    due.sort_by(|&a, &b| list[b].weight().total_cmp(&list[a].weight()).then(a.cmp(&b)));
    let broken: Mutex<Option<FolderError>> = Mutex::new(None);
    let (before, done) = (list.len() - due.len(), AtomicUsize::new(0));
    share_out(&due, jobs, stop, &|number| {
        let work = &list[number];
        if let Err(fault) = folder.put_document(&keys[number], &Outcome::of(work, program)) {
            broken.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(fault);
            // Once the file system refuses nothing more can be kept, so nothing more is run.
            stop.store(true, Ordering::Relaxed);
            return;
        }
        let done = done.fetch_add(1, Ordering::Relaxed) + 1;
        listener(before + done, list.len(), &work.plan().setup.name);
    });
    match broken.into_inner().unwrap_or_else(PoisonError::into_inner) {
        Some(fault) => Err(fault),
        None => Ok(done.into_inner()),
    }
}

/// The proof that the outcomes in a folder make: the same as [`run_proof`] finds.
///
/// # Errors
/// When outcomes are missing, and as [`run_proof`].
pub fn conclude_proof(order: &ProofOrder, folder: &SweepFolder) -> Result<ProofDocument, ProofError> {
    let never = AtomicBool::new(false);
    match work_out(order, &|work| folder.document(&work.key()), &never, &|_, _, _| {}) {
        // Told of the whole plan, and not of what was asked for until then.
        Err(ProofError::Missing { .. }) => {
            let planned = PlanFile::read(folder.place())?.keys();
            let missing = planned.iter().filter(|key| folder.document::<Outcome>(key).is_none()).count();
            Err(ProofError::Missing { missing, planned: planned.len() })
        }
        other => other,
    }
}

fn checked_cells(order: &ProofOrder) -> Result<Cells<'_>, ProofError> {
    let cells = Cells::new(order)?;
    match order.faults.is_empty() || cells.has_option("fault") {
        true => Ok(cells),
        false => Err(ProofError::NoFaults { engine: order.engine.clone() }),
    }
}

/// What comes of a trial or twin; nothing where it is not known.
type Answers<'a> = dyn Fn(&Work) -> Option<Outcome> + Sync + 'a;

fn work_out(
    order: &ProofOrder,
    answers: &Answers<'_>,
    stop: &AtomicBool,
    listener: &ProofListener<'_>,
) -> Result<ProofDocument, ProofError> {
    let cells = checked_cells(order)?;
    let mut evidence = Evidence::default();
    let mut due = cells.sound()?;
    due.extend(cells.stated()?);
    let jobs = order.jobs;
    ask(jobs, due, &mut evidence, answers, stop, listener)?;
    if order.depth != ProofDepth::Quick {
        // Smaller and smaller, as long as it is caught.
        let mut left: Vec<&'static FaultEntry> =
            order.faults.iter().copied().filter(|fault| fault.size.is_some()).collect();
        for decade in 1..=DECADES {
            left.retain(|fault| decade == 1 || evidence.catches(&cells, fault, 1 - decade, STEPS[0]));
            let mut due = Vec::new();
            for fault in &left {
                due.extend(cells.smaller(fault, -decade)?);
            }
            ask(jobs, due, &mut evidence, answers, stop, listener)?;
        }
    }
    Ok(conclude::conclude(order, &cells, &evidence))
}

/// Asks for what is not known yet, the longest first.
fn ask(
    jobs: usize,
    due: Vec<Cell>,
    evidence: &mut Evidence,
    answers: &Answers<'_>,
    stop: &AtomicBool,
    listener: &ProofListener<'_>,
) -> Result<(), ProofError> {
    let due = evidence.unknown(due);
    let weights: Vec<f64> = due.iter().map(|cell| cell.work.weight()).collect();
    let mut longest: Vec<usize> = (0..due.len()).collect();
    longest.sort_by(|&a, &b| weights[b].total_cmp(&weights[a]).then(a.cmp(&b)));
    let found: Mutex<Vec<Option<Outcome>>> = Mutex::new(due.iter().map(|_| None).collect());
    let (before, done) = (evidence.len(), AtomicUsize::new(0));
    share_out(&longest, jobs, stop, &|number| {
        let Some(outcome) = answers(&due[number].work) else { return };
        found.lock().unwrap_or_else(PoisonError::into_inner)[number] = Some(outcome);
        let done = done.fetch_add(1, Ordering::Relaxed) + 1;
        listener(before + done, before + due.len(), &due[number].words());
    });
    let found = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    let done = done.into_inner();
    if done < due.len() {
        let planned = before + due.len();
        return Err(match stop.load(Ordering::Relaxed) {
            true => ProofError::Stopped { done: before + done, due: planned },
            false => ProofError::Missing { missing: due.len() - done, planned },
        });
    }
    evidence.add(due.into_iter().zip(found.into_iter().flatten()));
    Ok(())
}
