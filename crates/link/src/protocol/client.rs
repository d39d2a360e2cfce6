//! An engine in a process of its own behind the `Engine` trait.

use super::bytes::read_frame;
use super::child::{Process, Program};
use super::message::{ActionRow, Advance, Frames, Hello, Ray, RayAsked};
use super::number::Number;
use super::process_pool::{ProcessPool, Resting};
use super::remarks::Remarks;
use super::streams::shortened;
use super::world::Build;
use super::{ABSENT, NO_FORCE, NOTHING_BUILT, UNSUPPORTED, VERSION};
use crate::process_limits::ProcessLimits;
use ironspin_model::{
    Action, Conditions, DVec3, Dimension, Effect, Engine, EngineError, EngineInfo, Frame, FrameSink, OptionInfo,
    RayHit, Scalar, Token, WireIds, World, nearest,
};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Most states of bodies in one answer: some three million bytes as text.
const STATES_A_CALL: usize = 16_000;
/// Most frames in one answer.
const FRAMES_A_CALL: usize = 64;
/// Time for a question that needs no step.
const A_QUESTION: Duration = Duration::from_secs(10);

/// An engine behind a pipe.
pub(crate) struct Remote {
    /// Gone once it has failed.
    process: Option<Process>,
    hello: Arc<Hello>,
    options: BTreeMap<String, String>,
    /// The numbers it works with under these options.
    scalar: Scalar,
    process_limits: ProcessLimits,
    process_pool: Arc<ProcessPool>,
    built: Option<Built>,
    /// Whether this program is at the other end.
    is_ours: bool,
    /// The last frame that came as bytes.
    frame: Frame,
    /// Longest time of a step so far, s, as the mean of a call.
    slowest: Option<f64>,
    /// When the trial under way began.
    began: Instant,
}

struct Built {
    dimension: Dimension,
    ids: WireIds,
    bodies: usize,
    done: u64,
    time: f64,
    actions: Vec<Action>,
    next_action: usize,
    /// Actions before the next step, beside those of the world.
    pending: Vec<ActionRow>,
    /// Steps, times and actions at the states that were saved.
    saved: BTreeMap<u64, (u64, f64, usize)>,
}

#[derive(Deserialize)]
struct Told<'a> {
    #[serde(default)]
    id: Value,
    #[serde(default, borrow)]
    result: Option<&'a RawValue>,
    #[serde(default)]
    error: Option<Fault>,
}

#[derive(Deserialize)]
struct Fault {
    code: i64,
    #[serde(default)]
    message: String,
}

/// Whether a line reads as an answer of some kind about a world.
pub(crate) fn answer_of(line: &str, world: &World) -> bool {
    let Ok(told) = serde_json::from_str::<Told<'_>>(line) else { return false };
    let Some(result) = told.result else { return told.error.is_some() };
    let ids = WireIds::of(world);
    let frames: Option<Frames> = serde_json::from_str(result.get()).ok();
    let read = frames.is_some_and(|frames| {
        let mut read = frames.frames.into_iter().map(|row| row.frame(world.dimension, &ids));
        // Every one is read.
        read.by_ref().filter(Result::is_err).count() == 0
    });
    let ray: Option<Ray> = serde_json::from_str(result.get()).ok();
    let hit = ray.and_then(|ray| ray.hit).is_some_and(|hit| hit.hit(world.dimension).is_ok());
    read || hit || serde_json::from_str::<Hello>(result.get()).is_ok()
}

fn bad(why: String) -> EngineError {
    EngineError::BadAnswer { why }
}

/// Asks one question; frames that come as bytes before the answer go to `frames`.
fn call<T: DeserializeOwned>(
    process: &mut Process,
    method: &str,
    params: &impl Serialize,
    limit: Duration,
    frames: &mut dyn FnMut(&[u8]),
) -> Result<T, EngineError> {
    let number = process.next_call();
    let question = json!({"jsonrpc": "2.0", "id": number, "method": method, "params": params});
    let line = process.ask(question.to_string(), limit, frames)?;
    let unread = |error| bad(format!("to `{method}` it said `{}`: {error}", shortened(&line)));
    let answer: Told<'_> = serde_json::from_str(&line).map_err(unread)?;
    if answer.id != json!(number) {
        return Err(bad(format!("to call {number} (`{method}`) it answered call {}", answer.id)));
    }
    if let Some(fault) = answer.error {
        return Err(match fault.code {
            UNSUPPORTED => EngineError::Unsupported { feature: fault.message },
            NOTHING_BUILT => EngineError::NothingBuilt,
            NO_FORCE => EngineError::BadScene { why: fault.message },
            code => bad(format!("to `{method}` it answered error {code}: {}", fault.message)),
        });
    }
    let result = answer.result.ok_or_else(|| bad(format!("to `{method}` neither a result nor an error")))?;
    serde_json::from_str(result.get()).map_err(unread)
}

/// Starts a program and asks what it is.
fn greet(program: &Program, process_limits: &ProcessLimits, remarks: &Remarks) -> Result<Resting, EngineError> {
    let mut process = Process::start(program, process_limits, remarks)?;
    let bench = json!({"name": "ironspin", "version": env!("CARGO_PKG_VERSION")});
    let asked = json!({"protocol": VERSION, "bench": bench});
    let hello: Hello = call(&mut process, "hello", &asked, process_limits.limits.to_start(), &mut |_| {})?;
    if hello.protocol != VERSION {
        let why = format!("it speaks version {} of the protocol, and {VERSION} is spoken here", hello.protocol);
        return Err(bad(why));
    }
    remarks.hear(&hello.engine);
    Ok(Resting { process, hello: Arc::new(hello) })
}

impl Remote {
    /// Takes a process that rests in the stable, or starts one and asks what it is; whether it has been used before.
    ///
    /// # Errors
    /// When it cannot be started, does not answer, speaks another version, or lacks an option.
    pub(crate) fn start(
        program: &Program,
        options: &[(String, String)],
        process_limits: &ProcessLimits,
        process_pool: &Arc<ProcessPool>,
        fresh: bool,
    ) -> Result<(Remote, bool), EngineError> {
        let rested = if fresh || process_limits.fresh { None } else { process_pool.take() };
        let used = rested.is_some();
        let resting = rested.map_or_else(|| greet(program, process_limits, &process_pool.remarks), Ok)?;
        let hello = resting.hello;
        if let Some((name, _)) = options.iter().find(|(name, _)| !hello.options.contains_key(name)) {
            let known: Vec<String> = hello.options.keys().cloned().collect();
            return Err(EngineError::UnknownOption {
                engine: hello.engine.name.clone(),
                found: name.clone(),
                nearest: nearest(name, known.iter().map(String::as_str)).map(str::to_owned),
                known,
            });
        }
        let remote = Remote {
            process: Some(resting.process),
            scalar: Scalar::of(&hello.scalar),
            hello,
            options: options.iter().cloned().collect(),
            process_limits: process_limits.clone(),
            process_pool: Arc::clone(process_pool),
            built: None,
            is_ours: program.in_bytes(),
            frame: Frame::default(),
            slowest: None,
            began: Instant::now(),
        };
        Ok((remote, used))
    }

    fn call<T: DeserializeOwned>(
        &mut self,
        method: &str,
        params: &impl Serialize,
        limit: Duration,
    ) -> Result<T, EngineError> {
        self.call_with(method, params, limit, &mut |_| {})
    }

    fn call_with<T: DeserializeOwned>(
        &mut self,
        method: &str,
        params: &impl Serialize,
        limit: Duration,
        frames: &mut dyn FnMut(&[u8]),
    ) -> Result<T, EngineError> {
        let gone = || EngineError::Crashed { why: "it has failed before".to_owned() };
        let left = self.process_limits.limits.trial.map(|most| (most - self.began.elapsed().as_secs_f64()).max(0.0));
        let within = left.map_or(limit, |left| limit.min(Duration::from_secs_f64(left)));
        let outcome = call(self.process.as_mut().ok_or_else(gone)?, method, params, within, frames);
        let outcome = match (outcome, self.process_limits.limits.trial) {
            (Err(error @ EngineError::Hung { .. }), Some(most)) if within < limit => {
                Err(error.during(&format!("the trial took its {most} s")))
            }
            (outcome, _) => outcome,
        };
        if !matches!(outcome, Ok(_) | Err(EngineError::Unsupported { .. } | EngineError::NothingBuilt)) {
            self.process = None;
        }
        outcome
    }

    /// An answer that is wrong: nothing more is asked of that process.
    fn wrong(&mut self, why: String) -> EngineError {
        self.process = None;
        bad(why)
    }

    /// As `advance`, in one call.
    fn advance_some(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        let built = self.built()?;
        let mut actions = std::mem::take(&mut built.pending);
        let mut times = Vec::with_capacity(steps.len());
        let mut time = built.time;
        for (number, &length) in steps.iter().enumerate() {
            // A time that should be equal may be an ulp or two short after many additions.
            let now = time + 1e-9 * length;
            while let Some(action) = built.actions.get(built.next_action).filter(|action| action.at_time <= now) {
                let before = built.done + number as u64;
                actions.push(ActionRow::of(built.dimension, &built.ids, before, action.body, &action.effect));
                built.next_action += 1;
            }
            time += length;
            times.push(time);
        }
        let (done, bodies, since, dimension) = (built.done, built.bodies, built.time, built.dimension);
        let ids = built.ids.clone();
        let limit = self.process_limits.limits.to_advance(steps.len(), self.slowest);
        let asked = Advance { dt: steps.iter().map(|&step| Number(step)).collect(), record: 1, actions };
        let began = Instant::now();
        if let Some(process) = &self.process {
            process.expect_frames(steps.len().max(1), bodies);
        }
        // Its lists are kept from call to call.
        let mut frame = std::mem::take(&mut self.frame);
        let mut due = Due { dimension, done, bodies, since, times: &times, seen: 0, wrong: None };
        let steps_asked = match steps.len() {
            0 => format!("at step {done}"),
            1 => format!("in step {}", done + 1),
            many => format!("in steps {} to {}", done + 1, done + many as u64),
        };
        let answer: Frames = self
            .call_with("advance", &asked, limit, &mut |bytes| due.take_bytes(bytes, &mut frame, sink))
            .map_err(|error| error.during(&steps_asked))?;
        if !steps.is_empty() {
            let mean = began.elapsed().as_secs_f64() / steps.len() as f64;
            self.slowest = Some(self.slowest.map_or(mean, |slowest| slowest.max(mean)));
        }
        for row in answer.frames {
            match row.frame(dimension, &ids) {
                Ok(mut reported) => due.take(&mut reported, sink),
                Err(why) => due.refuse(why),
            }
        }
        self.frame = frame;
        if let Some(why) = due.end() {
            return Err(self.wrong(why));
        }
        let built = self.built()?;
        built.done += steps.len() as u64;
        built.time = time;
        Ok(())
    }

    fn built(&mut self) -> Result<&mut Built, EngineError> {
        self.built.as_mut().ok_or(EngineError::NothingBuilt)
    }

    fn spaces(&self) -> Vec<Dimension> {
        Dimension::listed(self.hello.spaces.iter().copied().map(u64::from))
    }

    /// What a world needs and this engine does not list.
    fn lacking(&self, world: &World) -> Option<String> {
        let hello = &self.hello;
        if !self.spaces().contains(&world.dimension) {
            return Some(world.dimension.feature());
        }
        if world.bodies.iter().any(|body| body.absent) && !hello.features.iter().any(|name| name == ABSENT) {
            return Some(ABSENT.to_owned());
        }
        let parts = world.rigid().iter().flat_map(|body| &body.parts);
        let mut shapes = parts.map(|part| part.shape.word());
        // An engine that lists no shape has forgotten to; it will refuse what it cannot build.
        shapes
            .find(|word| !hello.shapes.is_empty() && !hello.shapes.iter().any(|known| known == word))
            .map(|word| format!("the shape {word}"))
    }
}

/// The frames that a call must give.
struct Due<'a> {
    dimension: Dimension,
    done: u64,
    bodies: usize,
    since: f64,
    times: &'a [f64],
    seen: usize,
    /// What is wrong with the first that is not as it must be; later ones are passed over.
    wrong: Option<String>,
}

impl Due<'_> {
    fn take_bytes(&mut self, bytes: &[u8], frame: &mut Frame, sink: &mut FrameSink<'_>) {
        match read_frame(self.dimension, bytes, frame) {
            Some(()) => self.take(frame, sink),
            None => self.refuse(format!("{} bytes for a frame", bytes.len())),
        }
    }

    /// A frame that cannot be read.
    fn refuse(&mut self, why: String) {
        self.seen += 1;
        self.wrong.get_or_insert(why);
    }

    fn take(&mut self, frame: &mut Frame, sink: &mut FrameSink<'_>) {
        if self.wrong.is_some() {
            return;
        }
        let (step, time) = match self.times.get(self.seen) {
            Some(&time) => (self.done + self.seen as u64 + 1, time),
            None => (self.done, self.since),
        };
        self.seen += 1;
        self.wrong = if self.seen > self.times.len().max(1) {
            Some(format!("more than {} frames", self.times.len()))
        } else if frame.step != step {
            Some(format!("frame {} where frame {step} is due", frame.step))
        } else if frame.bodies.len() != self.bodies {
            Some(format!("{} bodies in frame {step}, and there are {}", frame.bodies.len(), self.bodies))
        } else {
            frame.time = time;
            sink(frame);
            None
        };
    }

    fn end(self) -> Option<String> {
        let due = self.times.len().max(1);
        let short = (self.seen < due).then(|| format!("{} frames for {} steps", self.seen, self.times.len()));
        self.wrong.or(short)
    }
}

impl Drop for Remote {
    fn drop(&mut self) {
        if let Some(process) = self.process.take()
            && !self.process_limits.fresh
        {
            self.process_pool.put(Resting { process, hello: Arc::clone(&self.hello) });
        }
    }
}

impl Engine for Remote {
    fn info(&self) -> EngineInfo {
        let reported = |value: &Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        let options = self.hello.options.iter().map(|(name, row)| {
            let default = reported(&row.default);
            let value = self.options.get(name).cloned().unwrap_or_else(|| default.clone());
            OptionInfo { name: name.clone(), about: row.about.clone(), default, value }
        });
        EngineInfo {
            name: self.hello.engine.name.clone(),
            version: self.hello.engine.version.clone(),
            options: options.collect(),
            scalar: self.scalar,
            spaces: self.spaces(),
            features: self.hello.features.clone(),
        }
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        self.built = None;
        self.began = Instant::now();
        if let Some(feature) = self.lacking(world) {
            return Err(EngineError::Unsupported { feature });
        }
        let build = Build::of(world, conditions, self.options.clone());
        let answer: Value = self.call("build", &build, self.process_limits.limits.to_build())?;
        if let Some(scalar) = answer["scalar"].as_str() {
            self.scalar = Scalar::of(scalar);
        }
        if answer["bodies"] != json!(world.rigid_count()) {
            return Err(self.wrong(format!("it built {} bodies of {}", answer["bodies"], world.rigid_count())));
        }
        self.built = Some(Built {
            dimension: world.dimension,
            ids: WireIds::of(world),
            bodies: world.bodies.len(),
            done: 0,
            time: 0.0,
            actions: world.actions.clone(),
            next_action: 0,
            pending: Vec::new(),
            saved: BTreeMap::new(),
        });
        Ok(())
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        if steps.is_empty() {
            return self.advance_some(steps, sink);
        }
        // Answers of a size that either end can hold.
        let most = (STATES_A_CALL / self.built()?.bodies.max(1)).clamp(1, FRAMES_A_CALL);
        steps.chunks(most).try_for_each(|steps| self.advance_some(steps, sink))
    }

    fn act(&mut self, body: usize, effect: &Effect) -> Result<(), EngineError> {
        let built = self.built()?;
        built.pending.push(ActionRow::of(built.dimension, &built.ids, built.done, body, effect));
        Ok(())
    }

    fn follow(&mut self, scene: &str, seed: u64) -> Result<bool, EngineError> {
        // Only this program itself, with a library in it, knows how.
        if !self.is_ours {
            return Ok(false);
        }
        let answer: Value = self.call("follow", &json!({"scene": scene, "seed": seed}), A_QUESTION)?;
        Ok(answer["follows"] == json!(true))
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        let answer: Value = self.call("save", &json!({}), A_QUESTION)?;
        let token = answer["token"].as_u64();
        let token =
            token.ok_or_else(|| EngineError::BadAnswer { why: format!("a token such as {}", answer["token"]) })?;
        let built = self.built()?;
        built.saved.insert(token, (built.done, built.time, built.next_action));
        Ok(Token(token))
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        let _: Value = self.call("restore", &json!({"token": token.0}), A_QUESTION)?;
        let built = self.built()?;
        let known = built.saved.get(&token.0).copied();
        let (done, time, next) =
            known.ok_or_else(|| EngineError::BadAnswer { why: format!("nothing is saved under {}", token.0) })?;
        (built.done, built.time, built.next_action) = (done, time, next);
        built.pending.clear();
        Ok(())
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        let built = self.built()?;
        let (dimension, built_ids) = (built.dimension, built.ids.clone());
        let answer: Ray = self.call("ray", &RayAsked::of(dimension, from, to), A_QUESTION)?;
        let hit = answer.hit.map(|hit| hit.hit(dimension)).transpose().map_err(|why| self.wrong(why))?;
        Ok(hit.map(|hit| built_ids.hit_inside(hit)))
    }
}
