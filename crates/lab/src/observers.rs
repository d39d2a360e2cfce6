//! Everything that looks at the frames of a trial.

use crate::force_work::ForceWork;
use crate::plan::TrialPlan;
use crate::probes::{Answer, Prober};
use crate::recording::Recorder;
use crate::sanity::Sanity;
use crate::watch::Watch;
use ironspin_gauge::{Derived, FrameCache, QueryResult, Step, View};
use ironspin_model::{DVec3, Dimension, Effect, Engine, EngineError, Frame, Schedule, World, spread};
use ironspin_scene::{Due, Question, Setup};
use ironspin_trace::{Header, TraceWriter};
use std::path::PathBuf;

/// Everything that looks at the frames of a trial.
pub(crate) struct Observers<'a> {
    world: &'a World,
    pub(crate) watches: Vec<Watch>,
    pub(crate) recorder: Recorder,
    pub(crate) before: Option<Frame>,
    pub(crate) error: Option<EngineError>,
    pub(crate) prober: Prober<'a>,
    sanity: Sanity,
    cache: FrameCache,
    derived: Derived,
    /// Whether any of the gauges asks it anything.
    needs_geometry: bool,
    /// Gravity from a time on, for scenes that change it.
    gravity: Vec<(f64, DVec3)>,
    /// Scripted actions in the order of their times.
    script: Vec<(f64, usize, &'a Effect)>,
    /// How many of them are done.
    done: usize,
    /// What the bench did itself before the next step.
    acted: Due,
    /// What forces that follow the state have done.
    pub(crate) force_work: ForceWork<'a>,
    /// Keeps the frames, if they are to be kept.
    writer: Option<TraceWriter>,
    /// Where they are kept, or why they are not.
    pub(crate) kept: Option<Result<PathBuf, String>>,
}

fn gravity_over_time(world: &World) -> Vec<(f64, DVec3)> {
    let changes = world.actions.iter().filter_map(|action| match action.effect {
        Effect::Gravity(gravity) => Some((action.at_time, gravity)),
        _ => None,
    });
    changes.collect()
}

impl<'a> Observers<'a> {
    pub(crate) fn new(setup: &'a Setup, steps: u64) -> Self {
        let world = &setup.world;
        let effects = world.actions.iter().filter(|action| !matches!(action.effect, Effect::Gravity(_)));
        let mut script: Vec<_> = effects.map(|action| (action.at_time, action.body, &action.effect)).collect();
        script.sort_by(|a, b| a.0.total_cmp(&b.0));
        let watches: Vec<Watch> = setup.claims.iter().filter_map(|claim| Watch::new(claim, world)).collect();
        Observers {
            world,
            needs_geometry: watches.iter().any(Watch::needs_geometry),
            watches,
            recorder: Recorder::new(world, steps),
            before: None,
            error: None,
            prober: Prober::new(&setup.probes),
            sanity: Sanity::new(setup),
            cache: FrameCache::new(world),
            derived: Derived::default(),
            gravity: gravity_over_time(world),
            script,
            done: 0,
            acted: Due::default(),
            force_work: ForceWork::new(setup),
            writer: None,
            kept: None,
        }
    }

    /// Keeps what the plan asks to be kept.
    pub(crate) fn keep(&mut self, plan: &TrialPlan) {
        if let Some(pace) = plan.pace {
            self.recorder.set_pace(pace);
        }
        let Some((path, format)) = &plan.trace else { return };
        let header = Header {
            scene: plan.setup.name.clone(),
            engine: plan.engine.text().to_owned(),
            dt: plan.conditions.dt.text.clone(),
            seed: plan.conditions.seed,
        };
        let names = self.world.bodies.iter().map(|body| body.name.clone()).collect();
        match TraceWriter::begin(path, *format, &header, self.world.dimension, names) {
            Ok(writer) => self.writer = Some(writer),
            Err(error) => self.kept = Some(Err(error.to_string())),
        }
    }

    /// Ends the file of frames.
    pub(crate) fn finish_trace(&mut self) {
        if let Some(writer) = self.writer.take() {
            self.kept = Some(writer.finish().map_err(|error| error.to_string()));
        }
    }

    /// Takes a frame. After a fault nothing is looked at any more.
    pub(crate) fn see(&mut self, frame: &Frame) {
        if self.error.is_some() {
            return;
        }
        if let Some(error) = self.sanity.check(self.world, self.before.as_ref(), frame) {
            self.error = Some(error);
            return;
        }
        let normalised;
        let frame = if self.world.dimension == Dimension::Plane || frame.has_unit_rotations() {
            frame
        } else {
            let mut copy = frame.clone();
            copy.normalise_rotations();
            normalised = copy;
            &normalised
        };
        // What held over the step: changes up to its start.
        let since = self.before.as_ref().map_or(frame.time, |before| before.time);
        let slack = 1e-9 * (frame.time - since);
        let changed = self.gravity.iter().rev().find(|(time, _)| *time <= since + slack);
        let gravity = changed.map_or(self.world.gravity, |(_, gravity)| *gravity);
        let Due { deeds: mut effects, forces } = std::mem::take(&mut self.acted);
        self.force_work.see(self.before.as_ref(), frame, &effects[effects.len() - forces..]);
        if self.before.is_some() {
            while let Some(&(_, body, effect)) = self.script.get(self.done).filter(|(time, ..)| *time <= since + slack)
            {
                effects.push((body, effect.clone()));
                self.done += 1;
            }
        }
        if !self.world.softs.is_empty() {
            let held = |node: usize| self.cache.is_held(node);
            effects = effects.iter().flat_map(|(id, effect)| spread(self.world, *id, effect, held)).collect();
            self.cache.note_effects(&effects);
        }
        if let Some(Err(error)) = self.writer.as_mut().map(|writer| writer.add(frame)) {
            self.writer = None;
            self.kept = Some(Err(error.to_string()));
        }
        if self.needs_geometry {
            self.cache.update(frame);
        } else {
            self.cache.pass_over();
        }
        let (world, before, cache) = (self.world, self.before.as_ref(), &self.cache);
        let step = Step { world, before, now: frame, gravity, effects: &effects, cache };
        let view = View { step, derived: &self.derived };
        for watch in &mut self.watches {
            watch.observe(&view);
        }
        if self.recorder.observe(self.world, frame, self.force_work.stored()) {
            self.watches.iter_mut().for_each(|watch| watch.sample(world));
        }
        for due in self.prober.see(frame) {
            let result = QueryResult::Forecast { ahead: due.ahead, off: &due.off };
            self.watches.iter_mut().for_each(|watch| watch.observe_query(self.world, due.asked, &result));
        }
        self.before.get_or_insert_default().take_motion_of(frame);
    }

    /// Notes what the bench did itself before the next step.
    pub(crate) fn tell(&mut self, due: Due) {
        self.acted = due;
    }

    /// Asks the engine what is due; steps until the next question, if there is one.
    pub(crate) fn ask(
        &mut self,
        engine: &mut dyn Engine,
        schedule: &Schedule,
        done: u64,
    ) -> Result<Option<u64>, EngineError> {
        let Some(frame) = &self.before else { return Ok(None) };
        let asked = self.prober.ask(engine, frame, schedule, done)?;
        let records = &self.prober.records;
        for record in &records[records.len() - asked..] {
            if let (Question::Ray { from, to }, Answer::Ray(hit)) = (&record.question, &record.answer) {
                let result = QueryResult::Ray { frame, from: *from, to: *to, hit: *hit };
                self.watches.iter_mut().for_each(|watch| watch.observe_query(self.world, record.time, &result));
            }
        }
        Ok(self.prober.steps_until(frame.time, schedule, done))
    }
}
