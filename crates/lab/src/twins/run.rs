//! Runs twins and says how they turned out.

use super::compare::{Comparison, Difference, Growth, Resolution};
use super::kinds::{Demand, TwinKind, smallest};
use super::side::{Portions, Side};
use super::wire::read_frame;
use crate::document::Tool;
use crate::plan::TrialPlan;
use crate::recording::{Recorder, Recording};
use crate::transform::Transform;
use ironspin_model::{EngineError, Frame, Scalar, Verdict};
use serde::{Deserialize, Serialize};
use std::cell::Cell;
use std::collections::VecDeque;
use std::io::{BufReader, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdout, Command, Stdio};

/// Name and version of the form.
const FORMAT: &str = "ironspin.twins/1";

/// A trial and a change.
#[derive(Clone, Debug)]
pub struct TwinOrder {
    /// The trial.
    pub plan: TrialPlan,
    /// The change.
    pub kind: TwinKind,
}

/// How a twin turned out.
#[derive(Clone, Debug)]
pub struct TwinRecord {
    /// The trial and the change.
    pub order: TwinOrder,
    /// What was changed, in words.
    pub change: String,
    /// How exactly the two must agree.
    pub demand: Demand,
    /// How it turned out.
    pub verdict: Verdict,
    /// Why, when it is neither pass nor fail.
    pub reason: String,
    /// Steps that were compared.
    pub steps: u64,
    /// The first number that differs.
    pub first: Option<Difference>,
    /// Largest distance of a body from its twin, m, with its name and time, s.
    pub worst: Option<(f64, String, f64)>,
    /// The distance over time.
    pub growth: Growth,
    /// What both are played back from; nothing where no number differs.
    pub recordings: Option<Box<[Recording; 2]>>,
}

/// The twins of trials: those of a list, or those that the scenes promise.
pub fn twins_of(plans: &[TrialPlan], kinds: Option<&[TwinKind]>) -> Vec<TwinOrder> {
    let of = |plan: &TrialPlan| -> Vec<TwinKind> {
        match kinds {
            Some(kinds) => kinds.to_vec(),
            None => plan.setup.twins.iter().filter_map(|twin| TwinKind::of(&twin.by)).collect(),
        }
    };
    let order = |plan: &TrialPlan, kind| TwinOrder { plan: plan.clone(), kind };
    plans.iter().flat_map(|plan| of(plan).into_iter().map(|kind| order(plan, kind))).collect()
}

/// Runs one twin. `program` is this program's own file, for twins in another process.
pub fn run_twin(order: &TwinOrder, program: Option<&Path>) -> TwinRecord {
    let demand = order.kind.demand(&order.plan);
    let transforms = order.kind.transforms(&order.plan);
    let mut records = match transforms.is_empty() {
        true => vec![one(order, demand, None, program)],
        false => transforms.iter().map(|reported| one(order, demand, Some(reported), program)).collect(),
    };
    // Of several transforms the worst counts.
    let worse = |a: &TwinRecord, b: &TwinRecord| {
        let apart = |record: &TwinRecord| record.worst.as_ref().map_or(0.0, |worst| worst.0);
        (a.verdict, a.first.is_some()).cmp(&(b.verdict, b.first.is_some())).then(apart(a).total_cmp(&apart(b)))
    };
    let mut worst = records.remove(0);
    for record in records {
        if worse(&record, &worst).is_gt() {
            worst = record;
        }
    }
    worst
}

fn one(
    order: &TwinOrder,
    demand: Demand,
    reported: Option<&(String, Transform)>,
    program: Option<&Path>,
) -> TwinRecord {
    let plan = &order.plan;
    let steps = plan.conditions.schedule(plan.setup.world.duration).count();
    let mut comparison = Comparison::new(&plan.setup.world, demand == Demand::Bits, steps, smallest(plan));
    let mut compared = 0;
    let mut recorders = [(); 2].map(|()| Recorder::new(&plan.setup.world, steps));
    let mut last: Option<[Frame; 2]> = None;
    let scalar = Cell::new(Scalar::F64);
    let lost = || if order.kind.may_underflow() { scalar.get().smallest_factor() } else { 0.0 };
    let outcome = side_by_side(order, reported, program, &scalar, &mut |plain, twin| {
        compared = plain.step;
        comparison.see(plain, twin, lost());
        for (recorder, frame) in recorders.iter_mut().zip([plain, twin]) {
            recorder.observe(&plan.setup.world, frame, 0.0);
        }
        match &mut last {
            Some(last) => last.iter_mut().zip([plain, twin]).for_each(|(last, frame)| last.clone_from(frame)),
            None => last = Some([plain, twin].map(Frame::clone)),
        }
    });
    let recordings = comparison.first.is_some().then(|| {
        let [plain, twin] = recorders;
        let ends = last.as_ref().map(|[a, b]| (a, b)).unzip();
        Box::new([plain.finish(&plan.setup.world, ends.0, 0.0), twin.finish(&plan.setup.world, ends.1, 0.0)])
    });
    let worst = comparison.worst.map(|(apart, id, time)| (apart, plan.setup.world.bodies[id].name.clone(), time));
    let (verdict, reason) = match outcome {
        Err(EngineError::Unsupported { feature }) => (Verdict::Unsupported, format!("not supported: {feature}")),
        Err(fault) => (Verdict::Error, fault.to_string()),
        Ok(()) => {
            let apart = worst.as_ref().map_or(0.0, |worst| worst.0);
            let transform = reported.map(|(_, transform)| transform);
            let resolution = Resolution {
                eps: scalar.get().epsilon(),
                beyond: plan.conditions.origin.distance()
                    + transform.map_or(0.0, |transform| transform.furthest(plan.setup.world.duration)),
            };
            let holds = match demand {
                Demand::Bits => comparison.first.is_none(),
                Demand::Within(within) => apart <= within + comparison.by_rounding(&resolution, steps),
            };
            match (holds, demand) {
                (true, _) => (Verdict::Pass, String::new()),
                (false, Demand::Within(_)) if comparison.is_chaos(&resolution) => (
                    Verdict::Unknown,
                    "chaos: a few roundings and one doubling time explain all of the difference".to_owned(),
                ),
                (false, _) => (Verdict::Fail, String::new()),
            }
        }
    };
    TwinRecord {
        order: order.clone(),
        change: reported.map_or_else(|| in_words(order), |(text, _)| text.clone()),
        demand,
        verdict,
        reason,
        steps: compared,
        growth: comparison.growth(),
        recordings,
        first: comparison.first,
        worst,
    }
}

fn in_words(order: &TwinOrder) -> String {
    match order.kind {
        TwinKind::Again => "run again".to_owned(),
        TwinKind::Process => "run again in a process of its own".to_owned(),
        TwinKind::Threads => format!("{} threads", more_threads(&order.plan)),
        TwinKind::Split => "advanced in other portions".to_owned(),
        TwinKind::Restore => "saved, run on, put back".to_owned(),
        kind => kind.word().to_owned(),
    }
}

/// More than the plain trial has, and as many as the machine has cores.
fn more_threads(plan: &TrialPlan) -> usize {
    let cores = std::thread::available_parallelism().map_or(2, usize::from);
    cores.clamp(2, 8).max(plan.conditions.threads + 1)
}

/// Steps both trials and hands over their frames, pair by pair.
fn side_by_side(
    order: &TwinOrder,
    reported: Option<&(String, Transform)>,
    program: Option<&Path>,
    scalar: &Cell<Scalar>,
    see: &mut dyn FnMut(&Frame, &Frame),
) -> Result<(), EngineError> {
    let plan = &order.plan;
    let engine = plan.engine.start()?;
    if let Some(feature) = order.kind.feature().filter(|feature| !engine.info().features.iter().any(|f| f == feature)) {
        return Err(EngineError::Unsupported { feature: feature.to_owned() });
    }
    let mut plain = Side::begin(plan, engine, None, Portions::Usual)?;
    // What it says once its options have chosen.
    scalar.set(plain.scalar());
    let mut other_plan = plan.clone();
    if order.kind == TwinKind::Threads {
        other_plan.conditions.threads = more_threads(plan);
    }
    let mut twin = match order.kind {
        TwinKind::Process => Twin::Elsewhere(Elsewhere::start(plan, program)?),
        kind => {
            let portions = match kind {
                TwinKind::Split => Portions::Other,
                TwinKind::Restore => Portions::Restored,
                _ => Portions::Usual,
            };
            let side =
                Side::begin(&other_plan, other_plan.engine.start()?, reported.map(|reported| &reported.1), portions)?;
            Twin::Here { side: Box::new(side), waiting: VecDeque::new(), more: true }
        }
    };
    let mut frames = Vec::new();
    loop {
        frames.clear();
        let more = plain.go_on(&mut |frame| frames.push(frame.clone()))?;
        for frame in &frames {
            see(frame, &twin.next()?);
        }
        if !more {
            return twin.end();
        }
    }
}

/// Where the frames of the twin come from.
enum Twin<'a> {
    Here { side: Box<Side<'a>>, waiting: VecDeque<Frame>, more: bool },
    Elsewhere(Elsewhere),
}

impl Twin<'_> {
    fn next(&mut self) -> Result<Frame, EngineError> {
        match self {
            Twin::Here { side, waiting, more } => {
                while waiting.is_empty() && *more {
                    *more = side.go_on(&mut |frame| waiting.push_back(frame.clone()))?;
                }
                waiting.pop_front().ok_or(EngineError::BadAnswer { why: "the twin ends before the trial".to_owned() })
            }
            Twin::Elsewhere(elsewhere) => elsewhere.next(),
        }
    }

    fn end(self) -> Result<(), EngineError> {
        match self {
            Twin::Here { .. } => Ok(()),
            Twin::Elsewhere(mut elsewhere) => elsewhere.end(),
        }
    }
}

/// The trial in a process of its own.
struct Elsewhere {
    child: Child,
    frames: BufReader<ChildStdout>,
}

impl Elsewhere {
    fn start(plan: &TrialPlan, program: Option<&Path>) -> Result<Elsewhere, EngineError> {
        let crashed = |why: String| EngineError::Crashed { why };
        let program: PathBuf = program
            .map(Path::to_owned)
            .ok_or_else(|| EngineError::Unsupported { feature: "a process of its own".to_owned() })?;
        let mut child = Command::new(program)
            .arg("frames")
            .args(&plan.arguments()[1..])
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|error| crashed(format!("no process could be started: {error}")))?;
        let out = child.stdout.take().ok_or_else(|| crashed("a process without an output".to_owned()))?;
        Ok(Elsewhere { child, frames: BufReader::with_capacity(1 << 20, out) })
    }

    fn next(&mut self) -> Result<Frame, EngineError> {
        read_frame(&mut self.frames).map_err(|error| {
            let why = self.last_words().unwrap_or_else(|| error.to_string());
            EngineError::Crashed { why: format!("the trial in a process of its own: {why}") }
        })
    }

    fn last_words(&mut self) -> Option<String> {
        let mut reported = String::new();
        self.child.stderr.take()?.read_to_string(&mut reported).ok()?;
        let last = reported.lines().rfind(|line| !line.trim().is_empty())?.trim().to_owned();
        Some(last)
    }

    fn end(&mut self) -> Result<(), EngineError> {
        let status = self.child.wait().map_err(|error| EngineError::Crashed { why: error.to_string() })?;
        if status.success() {
            return Ok(());
        }
        Err(EngineError::Crashed { why: format!("the trial in a process of its own ended with {status}") })
    }
}

impl Drop for Elsewhere {
    fn drop(&mut self) {
        // Nothing is left behind, whatever went wrong before.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Twins as they stand on disk.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TwinsDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// The twins, in the order of the scenes.
    pub twins: Vec<TwinDocument>,
}

/// One twin as it stands on disk.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TwinDocument {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Length of a step as typed.
    pub dt_text: String,
    /// Everything unusual about the conditions.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub conditions: String,
    /// The change.
    pub by: String,
    /// What was changed, in words.
    pub change: String,
    /// Largest distance allowed, m; absent where every bit must agree.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<f64>,
    /// How it turned out.
    pub verdict: Verdict,
    /// Why, when it is neither pass nor fail.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
    /// Steps that were compared.
    pub steps: u64,
    /// The first number that differs.
    pub first: Option<Difference>,
    /// Largest distance of a body from its twin, m; `null` where one of them is missing.
    pub apart: Option<f64>,
    /// The distance over time, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub growth: Option<Growth>,
}

impl TwinsDocument {
    /// The document of some twins.
    pub fn of(records: &[TwinRecord]) -> Self {
        TwinsDocument {
            format: FORMAT.to_owned(),
            tool: Tool::this(),
            twins: records.iter().map(TwinDocument::of).collect(),
        }
    }
}

impl TwinDocument {
    fn of(record: &TwinRecord) -> Self {
        let plan = &record.order.plan;
        TwinDocument {
            scene: plan.setup.name.clone(),
            engine: plan.engine.text().to_owned(),
            dt_text: plan.conditions.dt.text.clone(),
            conditions: plan.conditions.unusual_text(),
            by: record.order.kind.word().to_owned(),
            change: record.change.clone(),
            within: if let Demand::Within(within) = record.demand { Some(within) } else { None },
            verdict: record.verdict,
            reason: record.reason.clone(),
            steps: record.steps,
            first: record.first.clone(),
            apart: Some(record.worst.as_ref().map_or(0.0, |worst| worst.0)).filter(|apart| apart.is_finite()),
            growth: record.first.is_some().then(|| record.growth.clone()),
        }
    }
}
