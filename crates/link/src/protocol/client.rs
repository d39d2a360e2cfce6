//! An engine in a process of its own behind the `Engine` trait.

use super::child::{Process, shortened};
use super::message::{ActionRow, Advance, Frames, Hello, Ray, RayAsked};
use super::number::Number;
use super::world::Build;
use super::{ABSENT, NOTHING_BUILT, UNSUPPORTED, VERSION};
use ironspin_model::{
    Action, Conditions, DVec3, Deed, Engine, EngineError, EngineInfo, FrameSink, OptionInfo, RayHit, Token, World,
    nearest,
};
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::time::Duration;

/// Time limits: for the start, for a build, and for a call with so many steps.
const TO_START: Duration = Duration::from_secs(10);
const TO_BUILD: Duration = Duration::from_secs(30);
const A_CALL: Duration = Duration::from_secs(10);
const A_STEP: Duration = Duration::from_secs(2);

/// An engine behind a pipe.
pub(crate) struct Remote {
    process: Process,
    info: EngineInfo,
    options: BTreeMap<String, String>,
    calls: u64,
    built: Option<Built>,
}

struct Built {
    bodies: usize,
    done: u64,
    time: f64,
    actions: Vec<Action>,
    next_action: usize,
    /// Deeds before the next step, beside those of the world.
    pending: Vec<ActionRow>,
    /// Steps, times and actions at the states that were saved.
    saved: BTreeMap<u64, (u64, f64, usize)>,
}

#[derive(serde::Deserialize)]
struct Answer {
    #[serde(default)]
    id: Value,
    #[serde(default)]
    result: Option<Value>,
    #[serde(default)]
    error: Option<Fault>,
}

#[derive(serde::Deserialize)]
struct Fault {
    code: i64,
    #[serde(default)]
    message: String,
}

impl Remote {
    /// Starts a program and asks what it is.
    ///
    /// # Errors
    /// When it cannot be started, does not answer, speaks another version, or lacks an option.
    pub(crate) fn start(
        program: &str,
        arguments: &[String],
        options: &[(String, String)],
    ) -> Result<Remote, EngineError> {
        let info =
            EngineInfo { name: String::new(), version: String::new(), options: Vec::new(), features: Vec::new() };
        let mut remote = Remote {
            process: Process::start(program, arguments)?,
            info,
            options: options.iter().cloned().collect(),
            calls: 0,
            built: None,
        };
        let bench = json!({"name": "ironspin", "version": env!("CARGO_PKG_VERSION")});
        let hello: Hello = remote.call("hello", &json!({"protocol": VERSION, "bench": bench}), TO_START)?;
        if hello.protocol != VERSION {
            let why = format!("it speaks version {} of the protocol, and {VERSION} is spoken here", hello.protocol);
            return Err(EngineError::BadAnswer { why });
        }
        let told = |value: &Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        for (name, _) in options {
            if !hello.options.contains_key(name) {
                let known: Vec<String> = hello.options.keys().cloned().collect();
                return Err(EngineError::UnknownOption {
                    engine: hello.engine.name,
                    found: name.clone(),
                    nearest: nearest(name, known.iter().map(String::as_str)).map(str::to_owned),
                    known,
                });
            }
        }
        remote.info = EngineInfo {
            name: hello.engine.name,
            version: hello.engine.version,
            options: hello
                .options
                .iter()
                .map(|(name, row)| {
                    let default = told(&row.default);
                    let value = remote.options.get(name).cloned().unwrap_or_else(|| default.clone());
                    OptionInfo { name: name.clone(), about: row.about.clone(), default, value }
                })
                .collect(),
            features: hello.features,
        };
        Ok(remote)
    }

    fn call<T: DeserializeOwned>(
        &mut self,
        method: &str,
        params: &impl Serialize,
        limit: Duration,
    ) -> Result<T, EngineError> {
        self.calls += 1;
        let bad = |why: String| EngineError::BadAnswer { why };
        let call = json!({"jsonrpc": "2.0", "id": self.calls, "method": method, "params": params});
        let line = self.process.ask(&call.to_string(), limit)?;
        let answer: Answer = serde_json::from_str(&line)
            .map_err(|error| bad(format!("to `{method}` it said `{}`: {error}", shortened(&line))))?;
        if answer.id != json!(self.calls) {
            return Err(bad(format!("to call {} (`{method}`) it answered call {}", self.calls, answer.id)));
        }
        if let Some(fault) = answer.error {
            return Err(match fault.code {
                UNSUPPORTED => EngineError::Unsupported { feature: fault.message },
                NOTHING_BUILT => EngineError::NothingBuilt,
                code => bad(format!("to `{method}` it answered error {code}: {}", fault.message)),
            });
        }
        let result = answer.result.ok_or_else(|| bad(format!("to `{method}` neither a result nor an error")))?;
        serde_json::from_value(result)
            .map_err(|error| bad(format!("to `{method}` it said `{}`: {error}", shortened(&line))))
    }

    fn built(&mut self) -> Result<&mut Built, EngineError> {
        self.built.as_mut().ok_or(EngineError::NothingBuilt)
    }
}

impl Engine for Remote {
    fn info(&self) -> EngineInfo {
        self.info.clone()
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        self.built = None;
        if world.bodies.iter().any(|body| body.absent) && !self.info.features.iter().any(|name| name == ABSENT) {
            return Err(EngineError::Unsupported { feature: ABSENT.to_owned() });
        }
        let build = Build::of(world, conditions, self.options.clone());
        let answer: Value = self.call("build", &build, TO_BUILD)?;
        if answer["bodies"] != json!(world.bodies.len()) {
            let why = format!("it built {} bodies of {}", answer["bodies"], world.bodies.len());
            return Err(EngineError::BadAnswer { why });
        }
        self.built = Some(Built {
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
        let built = self.built()?;
        let mut actions = std::mem::take(&mut built.pending);
        let mut times = Vec::with_capacity(steps.len());
        let mut time = built.time;
        for (number, &length) in steps.iter().enumerate() {
            // A time that should be equal may be an ulp or two short after many additions.
            let now = time + 1e-9 * length;
            while let Some(action) = built.actions.get(built.next_action).filter(|action| action.at_time <= now) {
                actions.push(ActionRow::of(built.done + number as u64, action.body, &action.deed));
                built.next_action += 1;
            }
            time += length;
            times.push(time);
        }
        let (done, bodies, since) = (built.done, built.bodies, built.time);
        let limit = A_CALL + A_STEP * u32::try_from(steps.len()).unwrap_or(u32::MAX);
        let asked = Advance { dt: steps.iter().map(|&step| Number(step)).collect(), record: 1, actions };
        let answer: Frames = self.call("advance", &asked, limit)?;
        let due = steps.len().max(1);
        if answer.frames.len() != due {
            let why = format!("{} frames for {} steps", answer.frames.len(), steps.len());
            return Err(EngineError::BadAnswer { why });
        }
        for (number, row) in answer.frames.into_iter().enumerate() {
            let (step, time) = if steps.is_empty() { (done, since) } else { (done + number as u64 + 1, times[number]) };
            if row.step != step {
                let why = format!("frame {} where frame {step} is due", row.step);
                return Err(EngineError::BadAnswer { why });
            }
            sink(&row.frame(time, bodies).map_err(|why| EngineError::BadAnswer { why })?);
        }
        let built = self.built()?;
        built.done += steps.len() as u64;
        built.time = time;
        Ok(())
    }

    fn act(&mut self, body: usize, deed: &Deed) -> Result<(), EngineError> {
        let built = self.built()?;
        built.pending.push(ActionRow::of(built.done, body, deed));
        Ok(())
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        let answer: Value = self.call("save", &json!({}), A_CALL)?;
        let token = answer["token"].as_u64();
        let token =
            token.ok_or_else(|| EngineError::BadAnswer { why: format!("a token such as {}", answer["token"]) })?;
        let built = self.built()?;
        built.saved.insert(token, (built.done, built.time, built.next_action));
        Ok(Token(token))
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        let _: Value = self.call("restore", &json!({"token": token.0}), A_CALL)?;
        let built = self.built()?;
        let known = built.saved.get(&token.0).copied();
        let (done, time, next) =
            known.ok_or_else(|| EngineError::BadAnswer { why: format!("nothing is saved under {}", token.0) })?;
        (built.done, built.time, built.next_action) = (done, time, next);
        built.pending.clear();
        Ok(())
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        let answer: Ray = self.call("ray", &RayAsked::of(from, to), A_CALL)?;
        Ok(answer.hit.map(|hit| hit.hit()))
    }
}
