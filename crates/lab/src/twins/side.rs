//! One of the two trials that are compared: an engine with its script, stepped in portions.

use crate::plan::TrialPlan;
use crate::transform::{Transform, Transformed};
use crate::trial::{STEPS_A_CALL, lacking, no_force, reported};
use ironspin_model::{Engine, EngineError, Frame, Scalar, Schedule};
use ironspin_scene::{Script, Setup};

/// Portions of a trial that is advanced in other portions than usual.
const OTHER: [u64; 6] = [1, 7, 2, 31, 3, 64];
/// Between two savings, and how far is run on in between.
const SAVED_EVERY: u64 = 37;
const RUN_ON: u64 = 23;

/// How many steps are asked for at a time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Portions {
    /// As in any trial.
    Usual,
    /// In others, now one and now many.
    Other,
    /// Saved now and then, run on, put back.
    Restored,
}

pub(super) struct Side<'a> {
    engine: Box<dyn Engine>,
    schedule: Schedule,
    setup: &'a Setup,
    script: Script<'a>,
    portions: Portions,
    begun: bool,
    done: u64,
    /// Portions so far.
    count: usize,
    now: Frame,
}

impl<'a> Side<'a> {
    /// Builds the world of a plan, transformed where a transform is given.
    pub(super) fn begin(
        plan: &'a TrialPlan,
        engine: Box<dyn Engine>,
        transform: Option<&Transform>,
        portions: Portions,
    ) -> Result<Side<'a>, EngineError> {
        let schedule = plan.conditions.schedule(plan.setup.world.duration);
        if let Some(missing) = lacking(&engine.info(), &plan.setup, &schedule) {
            return Err(missing);
        }
        let mut engine = reported(engine, plan);
        if let Some(transform) = transform {
            engine = Box::new(Transformed::new(engine, transform.clone(), &plan.setup));
        }
        // In another time unit a step is another number of it.
        let mut conditions = plan.conditions.clone();
        conditions.dt.seconds *= transform.map_or(1.0, |transform| transform.time);
        engine.build(&plan.setup.world, &conditions)?;
        Ok(Side {
            engine,
            schedule,
            setup: &plan.setup,
            script: Script::new(&plan.setup),
            portions,
            begun: false,
            done: 0,
            count: 0,
            now: Frame::default(),
        })
    }

    /// The numbers that the engine works with in this world.
    pub(super) fn scalar(&self) -> Scalar {
        self.engine.info().scalar
    }

    /// Goes a portion further, frame 0 first; whether there is more to come.
    pub(super) fn go_on(&mut self, sink: &mut dyn FnMut(&Frame)) -> Result<bool, EngineError> {
        let now = &mut self.now;
        let mut see = |frame: &Frame| {
            now.clone_from(frame);
            sink(frame);
        };
        if !self.begun {
            self.begun = true;
            self.engine.advance(&[], &mut see)?;
            return Ok(self.schedule.count() > 0);
        }
        let left = self.schedule.count() - self.done;
        let usual = match self.portions {
            Portions::Usual => STEPS_A_CALL,
            Portions::Other => OTHER[self.count % OTHER.len()],
            Portions::Restored => SAVED_EVERY,
        };
        let mut count = usual.min(left);
        if self.portions == Portions::Restored && self.count.is_multiple_of(2) {
            let token = self.engine.save()?;
            let ahead: Vec<f64> = lengths(&self.schedule, self.done, RUN_ON.min(left));
            self.engine.advance(&ahead, &mut |_| {})?;
            self.engine.restore(token)?;
        }
        if !self.script.is_over() {
            count = 1;
            let due = self.script.due(&now.bodies, now.time, self.schedule.length(self.done));
            for (body, effect) in due.map_err(|fault| no_force(fault, now.time, self.setup))?.deeds {
                self.engine.act(body, &effect)?;
            }
        }
        let steps = lengths(&self.schedule, self.done, count);
        let mut see = |frame: &Frame| {
            now.clone_from(frame);
            sink(frame);
        };
        self.engine.advance(&steps, &mut see)?;
        self.done += count;
        self.count += 1;
        if self.now.step != self.done {
            return Err(EngineError::BadAnswer {
                why: format!("no frame of step {} after it was asked for", self.done),
            });
        }
        Ok(self.done < self.schedule.count())
    }
}

fn lengths(schedule: &Schedule, from: u64, count: u64) -> Vec<f64> {
    (from..from + count).map(|step| schedule.length(step)).collect()
}
