//! A recorded trace in the place of an engine.

use ironspin_model::{
    Conditions, Dimension, Engine, EngineError, EngineInfo, FEATURES, Frame, FrameSink, Scalar, World,
};
use ironspin_trace::{Conventions, FrameReader, Table, TraceError};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Plays a trace back, frame by frame. It takes any world whose bodies the trace has, and does what was recorded.
pub(crate) struct Playback {
    path: PathBuf,
    reader: Option<FrameReader>,
    now: Option<Frame>,
    steps: u64,
}

impl Playback {
    /// Opens a trace.
    ///
    /// # Errors
    /// When it cannot be read.
    pub(crate) fn open(path: &Path) -> Result<Playback, EngineError> {
        Table::open(path).map_err(|fault| bad(&fault))?;
        Ok(Playback { path: path.to_owned(), reader: None, now: None, steps: 0 })
    }

    fn next(&mut self) -> Result<(), EngineError> {
        let reader = self.reader.as_mut().ok_or(EngineError::NothingBuilt)?;
        let frame = reader.next_frame().map_err(|fault| bad(&fault))?;
        let Some(mut frame) = frame else {
            return Err(EngineError::BadAnswer { why: format!("the trace ends after {} steps", self.steps) });
        };
        if self.now.is_some() {
            self.steps += 1;
        }
        frame.step = self.steps;
        self.now = Some(frame);
        Ok(())
    }
}

fn bad(fault: &TraceError) -> EngineError {
    EngineError::BadAnswer { why: fault.to_string() }
}

impl Engine for Playback {
    fn info(&self) -> EngineInfo {
        let answers_questions = ["ray", "restore", "threads"];
        EngineInfo {
            name: "trace".to_owned(),
            version: "1".to_owned(),
            options: Vec::new(),
            scalar: Scalar::F64,
            spaces: Dimension::BOTH.to_vec(),
            features: FEATURES
                .iter()
                .filter(|name| !answers_questions.contains(name))
                .map(|&name| name.to_owned())
                .collect(),
        }
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        let table = Table::open(&self.path).map_err(|fault| bad(&fault))?;
        let conventions = Conventions { dt: Some(conditions.dt.seconds), ..Conventions::default() };
        let reader = FrameReader::new(table, Arc::new(world.clone()), &conventions).map_err(|fault| bad(&fault))?;
        (self.reader, self.now, self.steps) = (Some(reader), None, 0);
        self.next()
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        if steps.is_empty() {
            sink(self.now.as_ref().ok_or(EngineError::NothingBuilt)?);
        }
        for &length in steps {
            let since = self.now.as_ref().ok_or(EngineError::NothingBuilt)?.time;
            self.next()?;
            let now = self.now.as_ref().ok_or(EngineError::NothingBuilt)?;
            // A trace of other steps would be measured as if it were of these.
            if ((now.time - since) / length - 1.0).abs() > 1e-3 {
                let why = format!("the trace goes from {since} to {} s where a step of {length} s is due", now.time);
                return Err(EngineError::BadAnswer { why });
            }
            sink(now);
        }
        Ok(())
    }

    fn act(&mut self, _: usize, _: &ironspin_model::Effect) -> Result<(), EngineError> {
        // What was done is in the recorded states already.
        Ok(())
    }
}
