//! Trials on engines that lie, fail or refuse, and grids of trials.

mod common;
mod comparing;
mod judged;
mod sane;
mod script;
mod searching;
mod space_gaps;
mod sweeps;
mod transform;
mod yard;

use ironspin_lab::{GridOrder, LabEvent, TrialPlan, plan_grid, run_grid, run_trial, run_trial_on};
use ironspin_model::{
    BodyState, Conditions, Contact, DVec3, Dimension, Engine, EngineError, EngineInfo, Frame, FrameSink, Verdict, World,
};
use std::sync::Mutex;
use std::sync::atomic::AtomicBool;

fn plan(scene: &str, set: &[(&str, &str)]) -> TrialPlan {
    let order = GridOrder {
        set: set.iter().map(|(name, value)| ((*name).to_owned(), vec![(*value).to_owned()])).collect(),
        ..GridOrder::plain(vec![scene.to_owned()], vec!["builtin".to_owned()], vec!["1/60".parse().unwrap()])
    };
    plan_grid(&order).unwrap().remove(0)
}

fn short_stack() -> TrialPlan {
    plan("ingot-stack", &[("count", "2"), ("span", "2")])
}

/// An engine in which nothing moves, but for what `spoil` does to its frames.
struct Still<F> {
    frame: Frame,
    spoil: F,
    spaces: Vec<Dimension>,
}

impl<F: FnMut(&mut Frame) -> Result<(), EngineError>> Engine for Still<F> {
    fn info(&self) -> EngineInfo {
        EngineInfo {
            spaces: self.spaces.clone(),
            name: "still".into(),
            version: "1".into(),
            options: Vec::new(),
            scalar: Default::default(),
            features: Vec::new(),
        }
    }

    fn build(&mut self, world: &World, _: &Conditions) -> Result<(), EngineError> {
        let state =
            |body: &ironspin_model::Body| BodyState::planar(body.pose.position, body.pose.angle, DVec3::ZERO, 0.0);
        self.frame = Frame { bodies: world.bodies.iter().map(state).collect(), ..Frame::default() };
        Ok(())
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        if steps.is_empty() {
            sink(&self.frame);
        }
        for dt in steps {
            self.frame.step += 1;
            self.frame.time += dt;
            (self.spoil)(&mut self.frame)?;
            sink(&self.frame);
        }
        Ok(())
    }
}

fn still<F>(spoil: F) -> Still<F> {
    Still { frame: Frame::default(), spoil, spaces: Dimension::PLANE_ONLY.to_vec() }
}

pub(crate) fn on(spoil: impl FnMut(&mut Frame) -> Result<(), EngineError> + 'static) -> ironspin_lab::TrialRecord {
    run_trial_on(&short_stack(), Ok(Box::new(still(spoil))))
}

#[test]
fn an_engine_is_asked_only_for_worlds_of_the_dimensions_that_it_lists() {
    for (spaces, verdict) in [
        (vec![Dimension::Plane], Verdict::Pass),
        (vec![Dimension::Plane, Dimension::Space], Verdict::Pass),
        (vec![Dimension::Space], Verdict::Unsupported),
        (Vec::new(), Verdict::Unsupported),
    ] {
        let engine = Still { spaces: spaces.clone(), ..still(|_: &mut Frame| Ok(())) };
        let record = run_trial_on(&short_stack(), Ok(Box::new(engine)));
        assert_eq!(record.verdict, verdict, "{spaces:?}: {:?}", record.reason);
        if verdict == Verdict::Unsupported {
            assert_eq!(record.steps, 0, "it was not asked");
            assert!(record.reason.contains("2 dimensions"), "{}", record.reason);
        }
    }
}

#[test]
fn a_still_engine_keeps_a_stack_standing() {
    let record = on(|_| Ok(()));
    assert_eq!(record.verdict, Verdict::Pass, "{:?}", record.reason);
    assert_eq!(record.steps, 120);
    assert_eq!(record.recording.times.len(), 121);
}

#[test]
fn bad_answers_are_errors_with_step_and_body() {
    let spoiled = |record: ironspin_lab::TrialRecord, part: &str| {
        assert_eq!(record.verdict, Verdict::Error);
        assert!(record.reason.contains(part), "{}", record.reason);
        assert!(record.claims.is_empty());
    };
    spoiled(
        on(|frame| {
            if frame.step == 70 {
                frame.bodies[1].velocity.y = f64::NAN;
            }
            Ok(())
        }),
        "`ingot[0]` is not finite at step 70",
    );
    spoiled(
        on(|frame| {
            frame.bodies.truncate(2);
            Ok(())
        }),
        "2 bodies in frame 1 of a world of 3",
    );
    spoiled(
        on(|frame| {
            frame.step += u64::from(frame.step == 5);
            Ok(())
        }),
        "frame 6 where frame 5 is due",
    );
    spoiled(
        on(|frame| {
            let (point, normal) = (DVec3::ZERO, DVec3::Y);
            frame.contacts = vec![Contact { bodies: [0, 9], point, normal, depth: 0.0, impulse: 1.0, times: Some(1) }];
            Ok(())
        }),
        "a contact of bodies [0, 9]",
    );
    spoiled(
        on(|frame| if frame.step == 3 { Err(EngineError::Crashed { why: "bang".into() }) } else { Ok(()) }),
        "bang",
    );
    spoiled(run_trial_on(&short_stack(), Err(EngineError::Crashed { why: "never started".into() })), "never started");
}

#[test]
fn a_missing_feature_is_unsupported_and_not_failed() {
    let record = on(|_| Err(EngineError::Unsupported { feature: "ray".into() }));
    assert_eq!(record.verdict, Verdict::Unsupported);
    assert!(record.reason.contains("ray"));
}

#[test]
fn a_body_that_sinks_fails_the_right_claims_only() {
    let record = on(|frame| {
        frame.bodies[2].pose.position.y -= 1e-3;
        Ok(())
    });
    assert_eq!(record.verdict, Verdict::Fail);
    let failed: Vec<&str> = record.claims.iter().filter(|c| c.verdict == Verdict::Fail).map(|c| c.gauge.name).collect();
    // 0.12 m in 120 steps: no fall from its place, but motion, overlap and creep.
    assert_eq!(failed, ["jitter.speed", "overlap.deepest", "creep.rate"]);
    assert_eq!(record.deciding().unwrap().gauge.name, "jitter.speed", "the first one broken, as the scene has it");
}

#[test]
fn a_grid_tells_what_happens_and_keeps_its_order() {
    let order = GridOrder {
        scenes: vec!["rivet-shot".to_owned(), "ingot-stack".to_owned()],
        engines: vec!["builtin".to_owned(), "builtin:swept=off".to_owned()],
        steps: vec!["1/60".parse().unwrap(), "1/30".parse().unwrap()],
        ..GridOrder::plain(Vec::new(), Vec::new(), Vec::new())
    };
    let mut order_of_stack = order.clone();
    order_of_stack.scenes.truncate(1);
    let plans = plan_grid(&order_of_stack).unwrap();
    let heard = Mutex::new(Vec::new());
    let records =
        run_grid(&plans, 2, &AtomicBool::new(false), &|event: &LabEvent| heard.lock().unwrap().push(event.clone()));
    let heard = heard.into_inner().unwrap();
    let started = heard.iter().filter(|event| matches!(event, LabEvent::Started { .. })).count();
    assert_eq!((started, heard.len()), (4, 8));
    for (plan, record) in plans.iter().zip(&records) {
        assert_eq!(record.engine(), plan.engine.text());
        assert_eq!(record.plan.conditions, plan.conditions);
    }
    let alone: Vec<_> = plans.iter().map(run_trial).collect();
    for (together, alone) in records.iter().zip(&alone) {
        assert_eq!(together.recording, alone.recording);
    }
}

#[test]
fn a_trial_names_the_command_that_runs_it_again() {
    let words = short_stack().arguments().join(" ");
    assert_eq!(words, "run ingot-stack --dt 1/60 --engine builtin --set count=2 --set span=2");
}
