//! One trial: built, stepped, measured while it runs, judged.

use crate::force_work::tell_force_error;
use crate::observers::Observers;
use crate::plan::TrialPlan;
use crate::record::{ClaimRecord, TrialRecord};
use crate::transform::{Transform, Transformed};
use ironspin_model::{BodyKind, Effect, Engine, EngineError, EngineInfo, Frame, Scalar, Schedule, Verdict};
use ironspin_scene::{NoForce, Script, Setup, forces_text};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;

/// Steps asked for in one call, so that an engine behind a pipe is not asked once a step.
pub(crate) const STEPS_A_CALL: u64 = 64;

/// Runs one trial. An engine that refuses, fails or gives bad answers makes a verdict of its own kind, never a panic.
pub fn run_trial(plan: &TrialPlan) -> TrialRecord {
    run_anew(plan, &AtomicBool::new(false)).0
}

/// As [`run_trial`], on an engine that has been started already, or could not be.
pub fn run_trial_on(plan: &TrialPlan, engine: Result<Box<dyn Engine>, EngineError>) -> TrialRecord {
    attempt(plan, engine, &AtomicBool::new(false)).0
}

/// As [`run_trial`], but nothing comes back when `stop` is set before the end.
pub(crate) fn run_trial_until(plan: &TrialPlan, stop: &AtomicBool) -> Option<TrialRecord> {
    let (record, stopped) = run_anew(plan, stop);
    (!stopped).then_some(record)
}

/// Runs a trial, and once more in a new process when the engine failed in one that had run other trials before: the fault may be
/// theirs. What came of the first try is reported with the second.
fn run_anew(plan: &TrialPlan, stop: &AtomicBool) -> (TrialRecord, bool) {
    let (engine, used) =
        plan.engine.begin(false).map_or_else(|fault| (Err(fault), false), |(engine, used)| (Ok(engine), used));
    let (first, stopped) = attempt(plan, engine, stop);
    if stopped || !used || first.verdict != Verdict::Error {
        return (first, stopped);
    }
    let (mut second, stopped) = attempt(plan, plan.engine.begin(true).map(|(engine, _)| engine), stop);
    second.retried = Some(first.reason);
    (second, stopped)
}

/// Runs a trial until it ends or `stop` is set; whether it was stopped.
fn attempt(plan: &TrialPlan, engine: Result<Box<dyn Engine>, EngineError>, stop: &AtomicBool) -> (TrialRecord, bool) {
    let began = Instant::now();
    let setup = &plan.setup;
    let schedule = plan.conditions.schedule(setup.world.duration);
    let mut observers = Observers::new(setup, schedule.count());
    observers.keep(plan);
    let mut info = None;
    let mut stopped = false;
    let outcome = engine.and_then(|engine| {
        stopped = drive(reported(engine, plan), plan, &schedule, &mut observers, &mut info, stop)?;
        Ok(())
    });
    (conclude(plan, observers, outcome, info, began), stopped)
}

/// Judges what has been seen.
pub(crate) fn conclude(
    plan: &TrialPlan,
    mut observers: Observers<'_>,
    outcome: Result<(), EngineError>,
    engine_info: Option<EngineInfo>,
    began: Instant,
) -> TrialRecord {
    let setup = &plan.setup;
    observers.finish_trace();
    let force_error = observers.force_work.error();
    let steps = observers.before.as_ref().map_or(0, |frame| frame.step);
    let stored = observers.force_work.stored();
    let recording = observers.recorder.finish(&setup.world, observers.before.as_ref(), stored);
    let (verdict, reason, claims) = match outcome {
        Err(fault) => {
            let verdict = match fault {
                EngineError::Unsupported { .. } => Verdict::Unsupported,
                // No word against the engine: what it did up to then is neither right nor wrong.
                EngineError::BadScene { .. } => Verdict::Unknown,
                _ => Verdict::Error,
            };
            (verdict, fault.to_string(), Vec::new())
        }
        Ok(()) => {
            let scalar = engine_info.as_ref().map_or(Scalar::F64, |info| info.scalar);
            let further = 1.0 + plan.conditions.origin.distance() / crate::twins::extent(&setup.world);
            let mut claims: Vec<_> = observers
                .watches
                .into_iter()
                .map(|watch| watch.finish(&setup.world, (scalar, further), &recording.times))
                .collect();
            claims.iter_mut().for_each(|claim| tell_force_error(claim, force_error));
            let (verdict, reason) = ClaimRecord::sum(&claims);
            (verdict, reason, claims)
        }
    };
    TrialRecord {
        plan: plan.clone(),
        engine_info,
        steps,
        verdict,
        reason,
        claims,
        probes: observers.prober.records,
        force_error,
        recording,
        trace: observers.kept,
        retried: None,
        seconds: began.elapsed().as_secs_f64(),
    }
}

/// The engine, with the world as the conditions ask for.
pub(crate) fn reported(engine: Box<dyn Engine>, plan: &TrialPlan) -> Box<dyn Engine> {
    if plan.conditions.is_plain_world() {
        return engine;
    }
    Box::new(Transformed::new(engine, Transform::of(&plan.conditions, plan.setup.world.dimension), &plan.setup))
}

/// Why a trial cannot be run as it is planned: a feature that the engine lacks, or a script laid out for even steps on an
/// uneven clock.
pub(crate) fn lacking(info: &EngineInfo, setup: &Setup, schedule: &Schedule) -> Option<EngineError> {
    if !info.spaces.contains(&setup.world.dimension) {
        return Some(EngineError::Unsupported { feature: setup.world.dimension.feature() });
    }
    if let Some(feature) = setup.features.iter().find(|feature| !info.features.contains(feature)) {
        return Some(EngineError::Unsupported { feature: feature.clone() });
    }
    let world = &setup.world;
    let lasting = |effect: &Effect| matches!(effect, Effect::Force { .. } | Effect::Torque(_));
    let driven = |body: usize, effect: &Effect| {
        world.bodies.get(body).is_some_and(|body| body.kind == BodyKind::Kinematic)
            && matches!(effect, Effect::Velocity(_) | Effect::Spin(_))
    };
    let laid_out = world.actions.iter().any(|action| lasting(&action.effect) || driven(action.body, &action.effect))
        || setup.triggers.iter().any(|trigger| trigger.effects.iter().any(lasting));
    (laid_out && !schedule.is_even()).then(|| EngineError::Unsupported {
        feature: "steps of different lengths: forces and motions of this scene are laid out for even ones".to_owned(),
    })
}

/// Builds the world of a plan and does what comes before its first step.
///
/// # Errors
/// When the engine cannot be started, lacks a feature, or cannot build the world.
pub fn try_building(plan: &TrialPlan) -> Result<(), EngineError> {
    let engine = plan.engine.start()?;
    let schedule = plan.conditions.schedule(plan.setup.world.duration);
    if let Some(missing) = lacking(&engine.info(), &plan.setup, &schedule) {
        return Err(missing);
    }
    let mut engine = reported(engine, plan);
    engine.build(&plan.setup.world, &plan.conditions)?;
    // What the bench would do before the first step shows whether the engine takes forces at all.
    let mut start = Frame::default();
    engine.advance(&[], &mut |frame| start.clone_from(frame))?;
    let due = Script::new(&plan.setup).due(&start.bodies, start.time, schedule.length(0));
    due.map_err(|fault| no_force(fault, start.time, &plan.setup))?
        .deeds
        .iter()
        .try_for_each(|(body, effect)| engine.act(*body, effect))
}

/// A force of the scene that has no value: where, when and on which body.
pub(crate) fn no_force(NoForce { number, body }: NoForce, time: f64, setup: &Setup) -> EngineError {
    let name = setup.world.bodies.get(body).map_or("", |body| body.name.as_str());
    EngineError::BadScene {
        why: format!("its [[force]] number {} has no value on `{name}` at {time:.4} s", number + 1),
    }
}

/// Steps an engine to the end, or until `stop` is set; whether it was.
fn drive(
    mut engine: Box<dyn Engine>,
    plan: &TrialPlan,
    schedule: &Schedule,
    observers: &mut Observers<'_>,
    info: &mut Option<EngineInfo>,
    stop: &AtomicBool,
) -> Result<bool, EngineError> {
    let reported = engine.info();
    let missing = lacking(&reported, &plan.setup, schedule);
    *info = Some(reported);
    if let Some(missing) = missing {
        return Err(missing);
    }
    engine.build(&plan.setup.world, &plan.conditions)?;
    if let Some(info) = info {
        // An option may have chosen other numbers than the engine has by default.
        info.scalar = engine.info().scalar;
    }
    engine.advance(&[], &mut |frame| observers.see(frame))?;
    let mut script = Script::new(&plan.setup);
    let follows = script.is_forces_alone() && engine.follow(&forces_text(&plan.setup), plan.conditions.seed)?;
    let mut calls = Calls::new(schedule);
    let mut lengths = Vec::new();
    while let Some(due) = calls.next() {
        if stop.load(Ordering::Relaxed) {
            return Ok(true);
        }
        let mut count = due;
        if let Some(until) = observers.ask(engine.as_mut(), schedule, calls.done)? {
            count = count.min(until.max(1));
        }
        // Conditions are looked at before every step, for as long as one is waited for, and forces are worked out.
        if !script.is_over() && !follows {
            count = 1;
            if let Some(frame) = &observers.before {
                let due = script.due(&frame.bodies, frame.time, schedule.length(calls.done));
                let due = due.map_err(|fault| no_force(fault, frame.time, &plan.setup))?;
                due.deeds.iter().try_for_each(|(body, effect)| engine.act(*body, effect))?;
                observers.tell(due);
            }
        }
        lengths.clear();
        lengths.extend((calls.done..calls.done + count).map(|step| schedule.length(step)));
        if follows {
            see_followed(engine.as_mut(), &lengths, observers, &mut script, &plan.setup)?;
        } else {
            engine.advance(&lengths, &mut |frame| observers.see(frame))?;
        }
        calls.made(count);
        if let Some(fault) = observers.error.take() {
            return Err(fault);
        }
        let (seen, done) = (observers.before.as_ref().map(|frame| frame.step), calls.done);
        if seen != Some(done) {
            return Err(EngineError::BadAnswer { why: format!("no frame of step {done} after it was asked for") });
        }
    }
    Ok(false)
}

/// Advances an engine that works out the forces itself, and works them out here too, from the same states, for those who look at the frames.
fn see_followed(
    engine: &mut dyn Engine,
    lengths: &[f64],
    observers: &mut Observers<'_>,
    script: &mut Script<'_>,
    setup: &Setup,
) -> Result<(), EngineError> {
    let mut steps = lengths.iter();
    let outcome = engine.advance(lengths, &mut |frame| {
        if let (Some(before), Some(&length)) = (&observers.before, steps.next())
            && observers.error.is_none()
        {
            match script.due(&before.bodies, before.time, length) {
                Ok(due) => observers.tell(due),
                Err(fault) => observers.error = Some(no_force(fault, before.time, setup)),
            }
        }
        observers.see(frame);
    });
    // Its own words do not say where and when.
    match (&outcome, &observers.before, steps.next()) {
        (Err(EngineError::BadScene { .. }), Some(before), Some(&length)) => {
            let due = script.due(&before.bodies, before.time, length);
            due.map_or_else(|fault| Err(no_force(fault, before.time, setup)), |_| outcome)
        }
        _ => outcome,
    }
}

/// How many steps to ask for in the next call: as a clock groups them, or as many as are worth a call.
pub(crate) struct Calls<'a> {
    schedule: &'a Schedule,
    pub(crate) done: u64,
    /// The call of the schedule that is due, and how much of it is done.
    call: usize,
    part: u64,
}

impl<'a> Calls<'a> {
    pub(crate) fn new(schedule: &'a Schedule) -> Self {
        Calls { schedule, done: 0, call: 0, part: 0 }
    }

    /// Most steps of the next call; nothing when all are done.
    pub(crate) fn next(&mut self) -> Option<u64> {
        let left = self.schedule.count().saturating_sub(self.done);
        if left == 0 {
            return None;
        }
        let calls = self.schedule.calls();
        // A frame that pays out nothing asks for nothing.
        while calls.get(self.call).is_some_and(|&steps| u64::from(steps) <= self.part) {
            self.call += 1;
            self.part = 0;
        }
        let due = calls.get(self.call).map_or(STEPS_A_CALL, |&steps| u64::from(steps) - self.part);
        Some(due.min(left))
    }

    /// Steps that were done.
    pub(crate) fn made(&mut self, steps: u64) {
        self.done += steps;
        self.part += steps;
    }
}
