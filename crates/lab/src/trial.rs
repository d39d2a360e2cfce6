//! One trial: built, stepped, measured while it runs, judged.

use crate::audience::Audience;
use crate::plan::TrialPlan;
use crate::record::{ClaimRecord, TrialRecord};
use ironspin_model::{Engine, EngineError, EngineInfo, Verdict};
use ironspin_scene::TriggerWatch;
use std::time::Instant;

/// Steps asked for in one call, so that an engine behind a pipe is not asked once a step.
const STEPS_A_CALL: u64 = 64;

/// Runs one trial. An engine that refuses, fails or gives bad answers makes a verdict of its own kind, never a panic.
pub fn run_trial(plan: &TrialPlan) -> TrialRecord {
    run_trial_on(plan, plan.engine.start())
}

/// As [`run_trial`], on an engine that has been started already, or could not be.
pub fn run_trial_on(plan: &TrialPlan, engine: Result<Box<dyn Engine>, EngineError>) -> TrialRecord {
    let began = Instant::now();
    let setup = &plan.setup;
    let steps = plan.conditions.steps_in(setup.world.duration);
    let mut audience = Audience::new(setup, steps);
    audience.keep(plan);
    let mut info = None;
    let outcome = engine.and_then(|engine| drive(engine, plan, steps, &mut audience, &mut info));
    conclude(plan, audience, outcome, info, began)
}

/// Judges what has been seen.
pub(crate) fn conclude(
    plan: &TrialPlan,
    mut audience: Audience<'_>,
    outcome: Result<(), EngineError>,
    engine_info: Option<EngineInfo>,
    began: Instant,
) -> TrialRecord {
    let setup = &plan.setup;
    audience.finish_trace();
    let steps = audience.before.as_ref().map_or(0, |frame| frame.step);
    let recording = audience.recorder.finish(&setup.world, audience.before.as_ref());
    let (verdict, reason, claims) = match outcome {
        Err(fault) => {
            let verdict =
                if matches!(fault, EngineError::Unsupported { .. }) { Verdict::Unsupported } else { Verdict::Error };
            (verdict, fault.to_string(), Vec::new())
        }
        Ok(()) => {
            let claims: Vec<_> = audience.watches.into_iter().map(|watch| watch.finish(&setup.world)).collect();
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
        probes: audience.prober.records,
        recording,
        trace: audience.kept,
        seconds: began.elapsed().as_secs_f64(),
    }
}

fn drive(
    mut engine: Box<dyn Engine>,
    plan: &TrialPlan,
    steps: u64,
    audience: &mut Audience<'_>,
    info: &mut Option<EngineInfo>,
) -> Result<(), EngineError> {
    let told = engine.info();
    let missing = plan.setup.features.iter().find(|feature| !told.features.contains(feature)).cloned();
    *info = Some(told);
    if let Some(feature) = missing {
        return Err(EngineError::Unsupported { feature });
    }
    engine.build(&plan.setup.world, &plan.conditions)?;
    engine.advance(&[], &mut |frame| audience.see(frame))?;
    let mut triggers = TriggerWatch::new(&plan.setup.triggers);
    let lengths = [plan.conditions.dt.seconds; STEPS_A_CALL as usize];
    let mut done = 0;
    while done < steps {
        let mut count = STEPS_A_CALL.min(steps - done);
        if let Some(until) = audience.ask(engine.as_mut(), plan.conditions.dt.seconds)? {
            count = count.min(until.max(1));
        }
        // Conditions are looked at before every step, for as long as one is waited for.
        if !triggers.is_over() {
            count = 1;
            let due = audience.before.as_ref().map(|frame| triggers.due(&frame.bodies, frame.time));
            for (body, deed) in due.into_iter().flatten() {
                engine.act(body, deed)?;
                audience.tell(body, deed);
            }
        }
        engine.advance(&lengths[..count as usize], &mut |frame| audience.see(frame))?;
        done += count;
        if let Some(fault) = audience.fault.take() {
            return Err(fault);
        }
        let seen = audience.before.as_ref().map(|frame| frame.step);
        if seen != Some(done) {
            return Err(EngineError::BadAnswer { why: format!("no frame of step {done} after it was asked for") });
        }
    }
    Ok(())
}
