//! Rays and forecasts of a trial: asked of the engine while it runs, without changing anything.

use ironspin_model::{BodyState, Engine, EngineError, Frame, RayHit, Schedule};
use ironspin_scene::{Probe, Question};

/// Steps asked for in one call of a forecast.
const STEPS_A_CALL: usize = 256;

/// What was asked and what came back.
#[derive(Clone, Debug, PartialEq)]
pub struct ProbeRecord {
    /// Time of the frame at which it was asked, s.
    pub time: f64,
    /// What was asked.
    pub question: Question,
    /// What came back.
    pub answer: Answer,
}

/// The answer to a [`Question`].
#[derive(Clone, Debug, PartialEq)]
pub enum Answer {
    /// What the ray hit first, if anything.
    Ray(Option<RayHit>),
    /// Where the bodies were said to be, held against where they came.
    Forecast {
        /// Time they were forecast for, s after the question.
        ahead: f64,
        /// Largest distance of a body from its forecast, m, and which body; absent when the trial ended before.
        worst: Option<(f64, usize)>,
    },
}

/// A forecast whose time has not come yet.
struct Waiting {
    due: u64,
    record: usize,
    bodies: Vec<usize>,
    states: Vec<BodyState>,
}

/// Asks what is due.
pub(crate) struct Prober<'a> {
    /// In the order of their times.
    probes: Vec<&'a Probe>,
    asked: usize,
    waiting: Vec<Waiting>,
    pub(crate) records: Vec<ProbeRecord>,
}

impl<'a> Prober<'a> {
    pub(crate) fn new(probes: &'a [Probe]) -> Self {
        let mut probes: Vec<&Probe> = probes.iter().collect();
        probes.sort_by(|a, b| a.at_time.total_cmp(&b.at_time));
        Prober { probes, asked: 0, waiting: Vec::new(), records: Vec::new() }
    }

    /// Steps from step `done` and its time until something is to be asked; nothing when nothing is left.
    pub(crate) fn steps_until(&self, time: f64, schedule: &Schedule, done: u64) -> Option<u64> {
        let next = self.probes.get(self.asked)?;
        Some(schedule.steps_for(done, next.at_time - time))
    }

    /// Asks what is due at a frame after `done` steps; how many questions were asked.
    pub(crate) fn ask(
        &mut self,
        engine: &mut dyn Engine,
        now: &Frame,
        schedule: &Schedule,
        done: u64,
    ) -> Result<usize, EngineError> {
        let known = self.records.len();
        let dt = schedule.length(done);
        while let Some(probe) = self.probes.get(self.asked).filter(|probe| probe.at_time <= now.time + 1e-9 * dt) {
            self.asked += 1;
            let answer = match &probe.question {
                Question::Ray { from, to } => Answer::Ray(engine.ray(*from, *to)?),
                Question::Forecast { of, horizon } => {
                    // The nearest number of whole steps.
                    let steps = schedule.steps_for(done, horizon - 0.5 * dt).max(1);
                    let lengths: Vec<f64> = (done..done + steps).map(|step| schedule.length(step)).collect();
                    let states = forecast(engine, of, &lengths)?;
                    let record = self.records.len();
                    self.waiting.push(Waiting { due: now.step + steps, record, bodies: of.clone(), states });
                    Answer::Forecast { ahead: lengths.iter().sum(), worst: None }
                }
            };
            self.records.push(ProbeRecord { time: now.time, question: probe.question.clone(), answer });
        }
        Ok(self.records.len() - known)
    }

    /// Holds forecasts against a frame; those whose time has come.
    pub(crate) fn see(&mut self, frame: &Frame) -> Vec<Due> {
        let mut due = Vec::new();
        for waiting in self.waiting.iter().filter(|waiting| waiting.due == frame.step) {
            let off: Vec<(usize, f64)> = waiting
                .bodies
                .iter()
                .zip(&waiting.states)
                .map(|(&body, state)| (body, off(frame, body, state)))
                .collect();
            let most = off.iter().fold(None, |most: Option<(f64, usize)>, &(body, off)| match most {
                Some(most) if most.0 >= off => Some(most),
                _ => Some((off, body)),
            });
            let record = &mut self.records[waiting.record];
            if let Answer::Forecast { worst, ahead } = &mut record.answer {
                *worst = most;
                due.push(Due { asked: record.time, ahead: *ahead, off });
            }
        }
        self.waiting.retain(|waiting| waiting.due != frame.step);
        due
    }
}

/// A forecast whose time has come.
pub(crate) struct Due {
    /// When it was asked for, s.
    pub(crate) asked: f64,
    /// How far ahead it was made, s.
    pub(crate) ahead: f64,
    /// Bodies, and how far each came from its forecast place, m.
    pub(crate) off: Vec<(usize, f64)>,
}

/// How far a body came from where it was forecast, m.
fn off(frame: &Frame, body: usize, state: &BodyState) -> f64 {
    let apart = (frame.bodies[body].pose.position - state.pose.position).length();
    // Both gone is as forecast; one of them gone is as wrong as can be.
    match [state.is_absent(), frame.bodies[body].is_absent()] {
        [true, true] => 0.0,
        _ if apart.is_nan() => f64::INFINITY,
        _ => apart,
    }
}

/// The states of some bodies after steps of these lengths, by a copy of the world.
fn forecast(engine: &mut dyn Engine, of: &[usize], lengths: &[f64]) -> Result<Vec<BodyState>, EngineError> {
    let token = engine.save()?;
    let mut states = Vec::new();
    for lengths in lengths.chunks(STEPS_A_CALL) {
        engine.advance(lengths, &mut |frame| {
            states.clear();
            states.extend(of.iter().filter_map(|&body| frame.bodies.get(body).copied()));
        })?;
    }
    engine.restore(token)?;
    if states.len() != of.len() {
        return Err(EngineError::BadAnswer { why: "a forecast without all its bodies".to_owned() });
    }
    Ok(states)
}
