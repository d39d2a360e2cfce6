//! One trial: built, stepped, measured while it runs, judged.

use crate::plan::TrialPlan;
use crate::probes::Prober;
use crate::record::{ClaimRecord, TrialRecord};
use crate::recording::Recorder;
use crate::watch::Watch;
use ironspin_model::{DVec3, Deed, Engine, EngineError, EngineInfo, Frame, Verdict, World};
use ironspin_scene::{Setup, TriggerWatch};
use std::time::Instant;

/// Steps asked for in one call, so that an engine behind a pipe is not asked once a step.
const STEPS_A_CALL: u64 = 64;

/// Everything that looks at the frames of a trial.
struct Audience<'a> {
    world: &'a World,
    watches: Vec<Watch>,
    recorder: Recorder,
    before: Option<Frame>,
    fault: Option<EngineError>,
    prober: Prober<'a>,
    /// Gravity from a time on, for scenes that change it.
    gravity: Vec<(f64, DVec3)>,
    /// Bodies that a deed may take out or bring in.
    may_be_absent: Vec<bool>,
}

/// Bodies that are absent at the start, or that a deed takes out.
fn may_be_absent(setup: &Setup) -> Vec<bool> {
    let mut may: Vec<bool> = setup.world.bodies.iter().map(|body| body.absent).collect();
    let scripted = setup.world.actions.iter().map(|action| (action.body, &action.deed));
    let waiting = setup.triggers.iter().flat_map(|trigger| trigger.deeds.iter().map(|deed| (trigger.body, deed)));
    for (body, deed) in scripted.chain(waiting) {
        if matches!(deed, Deed::Remove | Deed::Split(_)) {
            may[body] = true;
        }
    }
    may
}

fn gravity_over_time(world: &World) -> Vec<(f64, DVec3)> {
    let changes = world.actions.iter().filter_map(|action| match action.deed {
        Deed::Gravity(gravity) => Some((action.at_time, gravity)),
        _ => None,
    });
    changes.collect()
}

impl Audience<'_> {
    fn see(&mut self, frame: &Frame) {
        if self.fault.is_some() {
            return;
        }
        if let Some(fault) = self.check(frame) {
            self.fault = Some(fault);
            return;
        }
        // What held over the step: changes up to its start.
        let since = self.before.as_ref().map_or(frame.time, |before| before.time);
        let slack = 1e-9 * (frame.time - since);
        let changed = self.gravity.iter().rev().find(|(time, _)| *time <= since + slack);
        let gravity = changed.map_or(self.world.gravity, |(_, gravity)| *gravity);
        for watch in &mut self.watches {
            watch.observe(self.world, self.before.as_ref(), frame, gravity);
        }
        self.recorder.observe(self.world, frame);
        self.prober.see(frame);
        match &mut self.before {
            Some(before) => before.clone_from(frame),
            None => self.before = Some(frame.clone()),
        }
    }

    /// What no sound engine answers.
    fn check(&self, frame: &Frame) -> Option<EngineError> {
        let bad = |why: String| Some(EngineError::BadAnswer { why });
        let bodies = &self.world.bodies;
        if frame.bodies.len() != bodies.len() {
            return bad(format!(
                "{} bodies in frame {} of a world of {}",
                frame.bodies.len(),
                frame.step,
                bodies.len()
            ));
        }
        let expected = self.before.as_ref().map_or(0, |before| before.step + 1);
        if frame.step != expected {
            return bad(format!("frame {} where frame {expected} is due", frame.step));
        }
        let lost = |&body: &usize| {
            let state = &frame.bodies[body];
            !(state.is_finite() || state.is_absent() && self.may_be_absent[body])
        };
        if let Some(body) = (0..bodies.len()).find(lost) {
            let (name, step, time) = (&bodies[body].name, frame.step, frame.time);
            return bad(format!("the state of `{name}` is not finite at step {step} ({time:.4} s)"));
        }
        let unknown = frame.contacts.iter().find(|contact| contact.bodies.iter().any(|&id| id >= bodies.len()));
        unknown.and_then(|contact| bad(format!("a contact of bodies {:?} at step {}", contact.bodies, frame.step)))
    }
}

/// Runs one trial. An engine that refuses, fails or gives bad answers makes a verdict of its own kind, never a panic.
pub fn run_trial(plan: &TrialPlan) -> TrialRecord {
    run_trial_on(plan, plan.engine.start())
}

/// As [`run_trial`], on an engine that has been started already, or could not be.
pub fn run_trial_on(plan: &TrialPlan, engine: Result<Box<dyn Engine>, EngineError>) -> TrialRecord {
    let began = Instant::now();
    let setup = &plan.setup;
    let steps = plan.conditions.steps_in(setup.world.duration);
    let mut audience = Audience {
        world: &setup.world,
        watches: setup.claims.iter().filter_map(|claim| Watch::new(claim, &setup.world)).collect(),
        recorder: Recorder::new(&setup.world, steps),
        before: None,
        fault: None,
        prober: Prober::new(&setup.probes),
        gravity: gravity_over_time(&setup.world),
        may_be_absent: may_be_absent(setup),
    };
    let mut info = None;
    let outcome = engine.and_then(|engine| drive(engine, plan, steps, &mut audience, &mut info));
    let done = audience.before.as_ref().map_or(0, |frame| frame.step);
    let recording = audience.recorder.finish(&setup.world, audience.before.as_ref());
    let (verdict, reason, claims) = match outcome {
        Err(fault) => {
            let verdict =
                if matches!(fault, EngineError::Unsupported { .. }) { Verdict::Unsupported } else { Verdict::Error };
            (verdict, fault.to_string(), Vec::new())
        }
        Ok(()) => {
            let claims: Vec<_> = audience.watches.into_iter().map(|watch| watch.finish(&setup.world)).collect();
            let fails = claims.iter().any(ClaimRecord::decides);
            (if fails { Verdict::Fail } else { Verdict::Pass }, String::new(), claims)
        }
    };
    TrialRecord {
        plan: plan.clone(),
        engine_info: info,
        steps: done,
        verdict,
        reason,
        claims,
        probes: audience.prober.records,
        recording,
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
        if let Some(frame) = &audience.before {
            audience.prober.ask(engine.as_mut(), frame, plan.conditions.dt.seconds)?;
            if let Some(until) = audience.prober.steps_until(frame.time, plan.conditions.dt.seconds) {
                count = count.min(until.max(1));
            }
        }
        // Conditions are looked at before every step, for as long as one is waited for.
        if !triggers.is_over() {
            count = 1;
            if let Some(frame) = &audience.before {
                for (body, deed) in triggers.due(&frame.bodies, frame.time) {
                    engine.act(body, deed)?;
                }
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
