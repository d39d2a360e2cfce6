//! Claims held against a recorded trace.

use crate::observers::Observers;
use crate::order::resolved;
use crate::plan::{TrialPlan, hash};
use crate::record::{ClaimRecord, TrialRecord};
use crate::trial::{conclude, no_force};
use ironspin_gauge::Need;
use ironspin_link::EngineSpec;
use ironspin_model::{Conditions, EngineError, NumberError, Timestep, Verdict};
use ironspin_scene::{Scene, SceneError, Script, Settings};
use ironspin_trace::{Angles, Conventions, FrameReader, Table, TraceError, Upward};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;

/// A trace to be judged by the claims of a scene.
#[derive(Clone, Debug)]
pub struct JudgeOrder {
    /// The scene by bundled name or path.
    pub scene: String,
    /// The trace.
    pub trace: PathBuf,
    /// Parameters set from outside: name and value.
    pub set: Vec<(String, String)>,
    /// Seed with which the scene was built.
    pub seed: u64,
    /// Most bodies the scene may have.
    pub body_limit: usize,
    /// Length of a step; given by the trace, or by its first frames, when absent.
    pub dt: Option<Timestep>,
    /// Units and axes of the trace.
    pub conventions: Conventions,
}

impl JudgeOrder {
    /// A trace in SI units, y up, of a scene as it is.
    pub fn plain(scene: &str, trace: &Path) -> JudgeOrder {
        JudgeOrder {
            scene: scene.to_owned(),
            trace: trace.to_owned(),
            set: Vec::new(),
            seed: 1,
            body_limit: ironspin_scene::BODY_LIMIT,
            dt: None,
            conventions: Conventions::default(),
        }
    }
}

/// Why a trace cannot be judged.
#[derive(Debug, thiserror::Error)]
pub enum JudgeError {
    /// The scene cannot be read or resolved.
    #[error(transparent)]
    Scene(#[from] SceneError),
    /// The trace cannot be read.
    #[error(transparent)]
    Trace(#[from] TraceError),
    /// The trace gives a length of a step that is none.
    #[error(transparent)]
    Step(#[from] NumberError),
}

/// Judges a trace; the record, and what was left out, filled in or worked out on the way.
///
/// # Errors
/// For a scene or trace that is wrong, with its place. What the engine did wrong is a verdict and no error.
pub fn judge_trace(order: &JudgeOrder) -> Result<(TrialRecord, Vec<String>), JudgeError> {
    let began = Instant::now();
    let dt = match &order.dt {
        Some(dt) => dt.clone(),
        None => step_of(&order.trace, &order.conventions)?,
    };
    let scene = Scene::open(&order.scene)?;
    let settings = Settings {
        set: order.set.clone(),
        seed: order.seed,
        body_limit: order.body_limit,
        ..Settings::with_dt(dt.seconds)
    };
    let setup = Arc::new(resolved(&scene, &settings)?);
    let engine = EngineSpec::of_trace(&order.trace);
    let plan = TrialPlan {
        scene: order.scene.clone(),
        scene_hash: hash(scene.texts()),
        set: order.set.clone(),
        setup: Arc::clone(&setup),
        engine_hash: engine.fingerprint(),
        engine,
        conditions: Conditions { seed: order.seed, ..Conditions::with_dt(dt) },
        pace: None,
        trace: None,
        judged_by: Some(words(order)),
    };
    let conventions = Conventions { dt: Some(plan.conditions.dt.seconds), ..order.conventions };
    let table = Table::open(&order.trace)?;
    let mut frames = FrameReader::new(table, Arc::new(setup.world.clone()), &conventions)?;
    let mut observers = Observers::new(&setup, plan.conditions.schedule(setup.world.duration).count());
    let mut script = Script::new(&setup);
    let mut number = 0;
    while let Some(mut frame) = frames.next_frame()? {
        // A trace may leave steps out; the claims know times only.
        frame.step = number;
        number += 1;
        observers.see(&frame);
        if observers.error.is_some() {
            break;
        }
        match script.due(&frame.bodies, frame.time, plan.conditions.dt.seconds) {
            Ok(due) => observers.tell(due),
            Err(fault) => observers.error = Some(no_force(fault, frame.time, &setup)),
        }
    }
    let mut notes = frames.reading().notes.clone();
    let ended = observers.before.as_ref().map_or(0.0, |frame| frame.time);
    if ended + 1.5 * plan.conditions.dt.seconds < setup.world.duration && observers.error.is_none() {
        notes.push(format!("the trace ends at {ended:.3} s, and the scene lasts {} s", setup.world.duration));
    }
    let outcome = observers.error.take().map_or(Ok(()), Err::<(), EngineError>);
    let mut record = conclude(&plan, observers, outcome, None, began);
    known_failure(&mut record, frames.has_notices());
    Ok((record, notes))
}

/// The arguments that judge the same trace in the same way.
fn words(order: &JudgeOrder) -> Vec<String> {
    let mut words = vec!["judge".to_owned(), order.scene.clone(), order.trace.display().to_string()];
    let mut say = |name: &str, value: String| words.extend([name.to_owned(), value]);
    if let Some(dt) = &order.dt {
        say("--dt", dt.text.clone());
    }
    match order.conventions.up {
        Upward::Y => {}
        Upward::MinusY => say("--up", "minus-y".to_owned()),
        Upward::Z => say("--up", "z".to_owned()),
    }
    if order.conventions.angles == Angles::Degrees {
        say("--angles", "deg".to_owned());
    }
    if order.conventions.units_per_metre != 1.0 {
        say("--pixels-per-metre", order.conventions.units_per_metre.to_string());
    }
    if order.conventions.units_per_second != 1.0 {
        say("--ticks-per-second", order.conventions.units_per_second.to_string());
    }
    if order.seed != 1 {
        say("--seed", order.seed.to_string());
    }
    order.set.iter().for_each(|(name, value)| say("--set", format!("{name}={value}")));
    words
}

/// The length of a step of a trace. What is near one over a whole number is taken for it.
fn step_of(path: &Path, conventions: &Conventions) -> Result<Timestep, JudgeError> {
    let (text, seconds) = Table::open(path)?.step(conventions)?;
    if let Some(text) = text {
        return Ok(text.parse()?);
    }
    let rate = 1.0 / seconds;
    let text = if rate >= 1.0 && (rate / rate.round() - 1.0).abs() < 1e-6 {
        format!("1/{}", rate.round())
    } else {
        format!("{seconds:?}")
    };
    Ok(text.parse()?)
}

/// What no trace can answer is not held against it.
fn known_failure(record: &mut TrialRecord, has_notices: bool) {
    if record.verdict == Verdict::Error {
        return;
    }
    for claim in &mut record.claims {
        let asks = claim.gauge.needs.iter().any(|need| matches!(need, Need::Ray | Need::Forecast));
        let silent = !has_notices && claim.gauge.needs.contains(&Need::Sensor);
        if asks || silent {
            claim.verdict = Verdict::Unsupported;
            claim.measured = None;
            claim.detail =
                if asks { "a trace cannot be asked" } else { "the trace has no notices of sensors" }.to_owned();
        }
    }
    (record.verdict, record.reason) = ClaimRecord::sum(&record.claims);
}
