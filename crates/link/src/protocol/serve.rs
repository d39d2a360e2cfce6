//! Any engine of this process, served over the protocol.

use super::bytes::{frame_bytes, rows_bytes};
use super::message::{ActionRow, Advance, EngineRow, FrameRow, Frames, Hello, HitRow, OptionRow, Ray, RayAsked};
use super::number::Number;
use super::world::Build;
use super::{ABSENT, BAD_PARAMETERS, NO_FORCE, NO_METHOD, NOTHING_BUILT, UNSUPPORTED, VERSION};
use ironspin_model::rows::{state_len, state_of};
use ironspin_model::{
    BodyState, Dimension, Engine, EngineError, Frame, PlaneShape, Rows, SensorEvent, SpaceShape, StepForces, Token,
    WireIds,
};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::io::{self, BufRead, Write};

/// What `follow` is asked with.
#[derive(Deserialize)]
struct Follow {
    scene: String,
    seed: u64,
}

#[derive(Deserialize)]
struct Call {
    #[serde(default)]
    id: Value,
    method: String,
    #[serde(default)]
    params: Value,
}

struct Refusal {
    code: i64,
    message: String,
}

impl From<EngineError> for Refusal {
    fn from(error: EngineError) -> Self {
        let code = match error {
            EngineError::Unsupported { .. } => UNSUPPORTED,
            EngineError::NothingBuilt => NOTHING_BUILT,
            EngineError::UnknownOption { .. } | EngineError::BadValue { .. } | EngineError::BadWorld { .. } => {
                BAD_PARAMETERS
            }
            _ => -32603,
        };
        let message = match &error {
            EngineError::Unsupported { feature } => feature.clone(),
            other => other.to_string(),
        };
        Refusal { code, message }
    }
}

fn bad(message: impl std::fmt::Display) -> Refusal {
    Refusal { code: BAD_PARAMETERS, message: format!("{message}") }
}

fn read<T: DeserializeOwned>(params: Value) -> Result<T, Refusal> {
    serde_json::from_value(params).map_err(bad)
}

/// The words of all shapes of some dimensions, each once.
fn shape_words(spaces: &[Dimension]) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    for dimension in spaces {
        let own: &[&str] = match dimension {
            Dimension::Plane => &PlaneShape::WORDS,
            Dimension::Space => &SpaceShape::WORDS,
        };
        for word in own {
            if !words.iter().any(|known| known == word) {
                words.push((*word).to_owned());
            }
        }
    }
    words
}

/// Starts an engine with options, as pairs of name and value.
pub type Starter<'a> = dyn Fn(&[(String, String)]) -> Result<Box<dyn Engine>, EngineError> + 'a;

/// Reads the forces of a resolved scene for a seed; nothing for one that cannot be read.
pub type Follower<'a> = dyn Fn(&str, u64) -> Option<Box<dyn StepForces>> + 'a;

/// Forces that are worked out here, and the state that they follow.
struct Followed {
    forces: Box<dyn StepForces>,
    states: Vec<BodyState>,
    time: f64,
}

/// What is served.
#[derive(Clone, Copy)]
pub struct Served<'a> {
    /// Starts the engine.
    pub start: &'a Starter<'a>,
    /// What `hello` answers; made from what the engine says of itself where nothing is given.
    pub hello: Option<&'a Value>,
    /// Reads the forces of a resolved scene, which follow the state, for a seed; nothing where they are not worked out here.
    pub follow: Option<&'a Follower<'a>>,
    /// Frames go before the answer as bytes, each as soon as it is made, for the other end is this program.
    pub in_bytes: bool,
}

/// What comes of a call.
enum Reply {
    Value(Value),
    Frames(Vec<FrameRow>),
}

struct Server<'a> {
    served: Served<'a>,
    engine: Option<Box<dyn Engine>>,
    /// Of the world that was built last.
    dimension: Dimension,
    ids: WireIds,
    done: u64,
    /// Actions for later steps.
    waiting: Vec<ActionRow>,
    followed: Option<Followed>,
    /// What sensors noticed in frames that were not asked for.
    passed: Vec<SensorEvent>,
}

/// Answers calls, one a line, until `close` or the end of the input.
///
/// # Errors
/// When a stream breaks.
pub fn serve(served: Served<'_>, input: &mut dyn BufRead, output: &mut dyn Write) -> io::Result<()> {
    let mut server = Server {
        served,
        engine: None,
        dimension: Dimension::Plane,
        ids: WireIds::default(),
        done: 0,
        waiting: Vec::new(),
        followed: None,
        passed: Vec::new(),
    };
    let mut line = String::new();
    loop {
        line.clear();
        if input.read_line(&mut line)? == 0 {
            return Ok(());
        }
        if line.trim().is_empty() {
            continue;
        }
        let (id, answer, ends) = match serde_json::from_str::<Call>(&line) {
            Ok(call) => {
                let ends = call.method == "close";
                (call.id, server.answer(&call.method, call.params, output), ends)
            }
            Err(error) => (Value::Null, Err(Refusal { code: -32700, message: error.to_string() }), false),
        };
        if served.in_bytes {
            // No more frames.
            output.write_all(&0_u64.to_le_bytes())?;
        }
        match answer {
            Ok(Reply::Value(result)) => write_result(output, &id, &result)?,
            Ok(Reply::Frames(frames)) => write_result(output, &id, &Frames { frames })?,
            Err(Refusal { code, message }) => {
                let error = json!({"code": code, "message": message});
                serde_json::to_writer(&mut *output, &json!({"jsonrpc": "2.0", "id": id, "error": error}))?;
            }
        }
        output.write_all(b"\n")?;
        output.flush()?;
        if ends {
            return Ok(());
        }
    }
}

/// Frames are written as they stand, without a tree of values between.
fn write_result(output: &mut dyn Write, id: &Value, result: &impl Serialize) -> io::Result<()> {
    #[derive(Serialize)]
    struct Told<'a, T> {
        jsonrpc: &'a str,
        id: &'a Value,
        result: &'a T,
    }
    Ok(serde_json::to_writer(&mut *output, &Told { jsonrpc: "2.0", id, result })?)
}

impl Server<'_> {
    fn answer(&mut self, method: &str, params: Value, output: &mut dyn Write) -> Result<Reply, Refusal> {
        if method == "advance" {
            return self.advance(read(params)?, output);
        }
        self.small(method, params).map(Reply::Value)
    }

    /// Everything but `advance`.
    fn small(&mut self, method: &str, params: Value) -> Result<Value, Refusal> {
        match method {
            "hello" => self.hello(),
            "build" => self.build(read(params)?),
            "follow" if self.served.follow.is_some() => self.follow(&read::<Follow>(params)?),
            "save" => Ok(json!({"token": self.engine()?.save()?.0})),
            "restore" => {
                let token = params["token"].as_u64().ok_or_else(|| bad("a token is due"))?;
                self.engine()?.restore(Token(token))?;
                let mut step = 0;
                self.engine()?.advance(&[], &mut |frame| step = frame.step)?;
                self.done = step;
                self.followed = None;
                self.passed.clear();
                Ok(json!({}))
            }
            "ray" => {
                let asked: RayAsked = read(params)?;
                let [from, to] = asked.ends(self.dimension).map_err(bad)?;
                let hit = self.engine()?.ray(from, to)?;
                serde_json::to_value(Ray { hit: hit.as_ref().map(|hit| HitRow::of(self.dimension, &self.ids, hit)) })
                    .map_err(bad)
            }
            "close" => Ok(json!({})),
            other => Err(Refusal { code: NO_METHOD, message: format!("no method `{other}`") }),
        }
    }

    fn engine(&mut self) -> Result<&mut dyn Engine, Refusal> {
        match &mut self.engine {
            Some(engine) => Ok(engine.as_mut()),
            None => Err(EngineError::NothingBuilt.into()),
        }
    }

    fn hello(&mut self) -> Result<Value, Refusal> {
        if let Some(reported) = self.served.hello {
            return Ok(reported.clone());
        }
        let info = (self.served.start)(&[])?.info();
        let options = info.options.iter().map(|option| {
            let row = OptionRow { about: option.about.clone(), default: Value::String(option.default.clone()) };
            (option.name.clone(), row)
        });
        let hello = Hello {
            protocol: VERSION,
            engine: EngineRow { name: info.name, version: info.version },
            spaces: info.spaces.iter().map(|dimension| dimension.number()).collect(),
            scalar: info.scalar.word().to_owned(),
            shapes: shape_words(&info.spaces),
            features: info.features.iter().cloned().chain([ABSENT.to_owned()]).collect(),
            options: options.collect(),
        };
        serde_json::to_value(hello).map_err(bad)
    }

    fn build(&mut self, mut build: Build) -> Result<Value, Refusal> {
        let options: Vec<(String, String)> = std::mem::take(&mut build.options).into_iter().collect();
        let (world, conditions) = build.world().map_err(bad)?;
        let mut engine = (self.served.start)(&options)?;
        engine.build(&world, &conditions)?;
        (self.dimension, self.done, self.ids) = (world.dimension, 0, WireIds::of(&world));
        self.waiting.clear();
        self.followed = None;
        self.passed.clear();
        // What overlaps as built is reported with the first frame, whichever that is.
        engine.advance(&[], &mut |frame| self.passed.extend(frame.events.iter().copied()))?;
        let scalar = engine.info().scalar.word();
        self.engine = Some(engine);
        Ok(json!({"bodies": self.ids.rigid(), "scalar": scalar}))
    }

    fn advance(&mut self, asked: Advance, output: &mut dyn Write) -> Result<Reply, Refusal> {
        if asked.record == 0 {
            return Err(bad("`record` is 1 or more"));
        }
        self.engine()?;
        for action in asked.actions {
            if action.before_step < self.done {
                return Err(bad(format!("an action before step {}, and {} are done", action.before_step, self.done)));
            }
            if action.body.is_some() {
                let (id, effect) = action.effect(self.dimension, &self.ids).map_err(bad)?;
                if id >= self.ids.rigid() && effect.is_for_rigid_bodies() {
                    return Err(bad("an action that means nothing for a soft body"));
                }
            }
            self.waiting.push(action);
        }
        if self.served.in_bytes && asked.record == 1 && self.advance_rows(&asked.dt, output)? {
            return Ok(Reply::Frames(Vec::new()));
        }
        let (mut frames, mut bytes, mut broken) = (Vec::new(), Vec::new(), None);
        let (in_bytes, dimension, ids) = (self.served.in_bytes, self.dimension, self.ids.clone());
        let mut keep = |frame: &Frame| {
            if !in_bytes {
                return frames.push(FrameRow::of(dimension, &ids, frame));
            }
            frame_bytes(dimension, &mut bytes, frame);
            if let Err(error) = output.write_all(&bytes) {
                broken = Some(error);
            }
        };
        if asked.dt.is_empty() {
            let passed = std::mem::take(&mut self.passed);
            self.engine()?.advance(&[], &mut |frame| match passed.is_empty() {
                true => keep(frame),
                false => keep(&Frame { events: passed.clone(), ..frame.clone() }),
            })?;
        }
        for length in &asked.dt {
            let done = self.done;
            self.pull(length.0)?;
            self.act()?;
            let keeps = (done + 1).is_multiple_of(asked.record);
            let mut passed = std::mem::take(&mut self.passed);
            self.engine()?.advance(&[length.0], &mut |frame| {
                if keeps && passed.is_empty() {
                    keep(frame);
                } else {
                    passed.extend(frame.events.iter().copied());
                    if keeps {
                        let events = std::mem::take(&mut passed);
                        keep(&Frame { events, ..frame.clone() });
                    }
                }
            })?;
            self.passed = passed;
            self.done += 1;
            self.look(length.0)?;
        }
        match broken {
            // The bench has gone.
            Some(error) => Err(Refusal { code: -32603, message: error.to_string() }),
            None => Ok(Reply::Frames(frames)),
        }
    }

    /// From here on forces are worked out before each step, from the state as it is.
    fn follow(&mut self, asked: &Follow) -> Result<Value, Refusal> {
        let forces = self.served.follow.and_then(|read| read(&asked.scene, asked.seed));
        let (mut states, mut time) = (Vec::new(), 0.0);
        self.engine()?.advance(&[], &mut |frame| (states, time) = (frame.bodies.clone(), frame.time))?;
        self.followed = forces.map(|forces| Followed { forces, states, time });
        Ok(json!({"follows": self.followed.is_some()}))
    }

    /// Takes the state after a step, for forces that follow it.
    fn look(&mut self, dt: f64) -> Result<(), Refusal> {
        let Some(mut followed) = self.followed.take() else { return Ok(()) };
        followed.time += dt;
        self.engine()?.advance(&[], &mut |frame| followed.states.clone_from(&frame.bodies))?;
        self.followed = Some(followed);
        Ok(())
    }

    /// Does what forces that follow the state do over the next step.
    fn pull(&mut self, dt: f64) -> Result<(), Refusal> {
        let Some(Followed { forces, states, time }) = &mut self.followed else { return Ok(()) };
        let due = forces.due(states, *time, dt).map_err(|message| Refusal { code: NO_FORCE, message })?;
        let engine = self.engine()?;
        Ok(due.iter().try_for_each(|(body, effect)| engine.act(*body, effect))?)
    }

    /// Does what is due before the next step.
    fn act(&mut self) -> Result<(), Refusal> {
        let done = self.done;
        let (due, later): (Vec<_>, Vec<_>) =
            std::mem::take(&mut self.waiting).into_iter().partition(|action| action.before_step == done);
        self.waiting = later;
        for action in due {
            let (body, effect) = action.effect(self.dimension, &self.ids).map_err(bad)?;
            self.engine()?.act(body, &effect)?;
        }
        Ok(())
    }

    /// The same for an engine that holds frames as rows of numbers; false for any other.
    fn advance_rows(&mut self, dt: &[Number], output: &mut dyn Write) -> Result<bool, Refusal> {
        let (mut bytes, mut broken, dimension) = (Vec::new(), None, self.dimension);
        let mut steps: Vec<&[f64]> = Vec::new();
        let lengths: Vec<f64> = dt.iter().map(|length| length.0).collect();
        steps.extend(lengths.chunks(1));
        if steps.is_empty() {
            steps.push(&[]);
        }
        for step in steps {
            if let [length] = step {
                self.pull(*length)?;
                self.act()?;
            }
            let mut followed = self.followed.take();
            let mut passed = std::mem::take(&mut self.passed);
            let known = self.engine()?.advance_rows(step, &mut |rows| {
                if !passed.is_empty() && !step.is_empty() {
                    passed.extend(rows.events);
                }
                let events = if passed.is_empty() { rows.events } else { &passed };
                rows_bytes(dimension, &mut bytes, &Rows { events, ..rows });
                if let Some(Followed { states, time, .. }) = &mut followed {
                    *time += step.iter().sum::<f64>();
                    states.clear();
                    states.extend(rows.state.chunks_exact(state_len(dimension)).map(|row| state_of(dimension, row)));
                }
                // A frame in shared memory keeps its place until it is read, so that the bench must hear of it.
                let reported = output.write_all(&bytes).and_then(|()| rows.place.map_or(Ok(()), |_| output.flush()));
                broken = reported.err().or(broken.take());
                passed = Vec::new();
            })?;
            self.followed = followed;
            if !known {
                self.passed = passed;
                return Ok(false);
            }
            self.done += step.len() as u64;
        }
        match broken {
            // The bench has gone.
            Some(error) => Err(Refusal { code: -32603, message: error.to_string() }),
            None => Ok(true),
        }
    }
}
