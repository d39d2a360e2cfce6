//! One engine, asked and answered as JSON.

use super::say::{with, world};
use crate::process_limits::ProcessLimits;
use crate::protocol::{Hello, Number, Process, Program, Remarks, shortened};
use crate::spec::EngineSpec;
use ironspin_model::EngineError;
use serde::Deserialize;
use serde_json::{Value, json};
use std::time::Duration;

/// Why a question ends before its end.
pub(super) enum Stop {
    /// The answer is another than it should be.
    Wrong { found: String, hint: String },
    /// The engine lacks something only found out on the way.
    Lacks(String),
    /// It came to an end, or cannot be understood.
    Broken(EngineError),
}

pub(super) fn wrong<T>(found: impl Into<String>, hint: impl Into<String>) -> Result<T, Stop> {
    Err(Stop::Wrong { found: found.into(), hint: hint.into() })
}

/// A value must be as expected. `hints` are values that point to a mistake, with the mistake; `otherwise` is what is said of all others.
pub(super) fn expect(
    what: &str,
    found: f64,
    expected: f64,
    within: f64,
    hints: &[(f64, &str)],
    otherwise: &str,
) -> Result<(), Stop> {
    if (found - expected).abs() <= within {
        return Ok(());
    }
    let near = |value: f64| (found - value).abs() <= within.max(0.01 * value.abs());
    let hint = hints.iter().find(|(value, _)| near(*value)).map_or(otherwise, |(_, hint)| hint);
    let [mut said, due] = [found, expected].map(show);
    if said == due {
        // Few digits hide the difference.
        said = found.to_string();
    }
    wrong(format!("{what} is {said}, and {due} is due"), hint)
}

/// A number in few digits.
fn show(value: f64) -> String {
    let rounded = (value * 1e6).round() / 1e6;
    if value != 0.0 && (value.abs() < 1e-3 || value.abs() >= 1e7) {
        format!("{value:.4e}")
    } else {
        rounded.to_string()
    }
}

/// Numbers of a body in space: x y z, qw qx qy qz, vx vy vz, wx wy wz.
pub(super) const IN_SPACE: usize = 13;

/// A frame as it was reported.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Seen<const NUMBERS: usize = 6> {
    pub(super) step: u64,
    pub(super) bodies: Vec<[f64; NUMBERS]>,
    pub(super) contacts: Vec<Vec<f64>>,
    pub(super) events: Vec<Value>,
}

#[derive(Deserialize)]
struct Frame {
    step: u64,
    state: Vec<Number>,
    #[serde(default)]
    contacts: Vec<Vec<Number>>,
    #[serde(default)]
    events: Vec<Value>,
}

/// An error of the protocol.
pub(super) struct Refusal {
    pub(super) code: i64,
    pub(super) message: String,
}

/// The engine, and what it said about itself.
pub(super) struct Talk {
    program: Program,
    options: Value,
    process_limits: ProcessLimits,
    process: Option<Process>,
    remarks: Remarks,
    pub(super) hello: Hello,
    /// The numbers it works with, which may depend on its options.
    scalar: String,
}

impl Talk {
    pub(super) fn begin(spec: &EngineSpec) -> Result<Talk, EngineError> {
        let (program, options) = spec.examined()?;
        let options = options.iter().map(|(name, value)| (name.clone(), Value::from(value.clone()))).collect();
        let process_limits = spec.process_limits().clone();
        let hello = Hello::default();
        let options = Value::Object(options);
        let remarks = Remarks::default();
        let mut talk = Talk { program, options, process_limits, process: None, remarks, hello, scalar: String::new() };
        let reported = match talk.ask("hello", &Talk::greeting()) {
            Ok(Ok(reported)) => reported,
            Ok(Err(refusal)) => {
                let why = format!("to `hello` it answered error {}: {}", refusal.code, refusal.message);
                return Err(EngineError::BadAnswer { why });
            }
            Err(Stop::Broken(error)) => return Err(error),
            Err(_) => return Err(EngineError::NothingBuilt),
        };
        let text = reported.to_string();
        talk.hello = serde_json::from_value(reported).map_err(|error| EngineError::BadAnswer {
            why: format!("to `hello` it said `{}`: {error}", shortened(&text)),
        })?;
        talk.scalar.clone_from(&talk.hello.scalar);
        Ok(talk)
    }

    pub(super) fn greeting() -> Value {
        json!({"protocol": 1, "bench": {"name": "ironspin", "version": env!("CARGO_PKG_VERSION")}})
    }

    /// Whether a feature, `shape WORD` or `space` is listed, or several of them with ` and ` between.
    pub(super) fn lists(&self, needs: &str) -> bool {
        needs.split(" and ").all(|need| match need.strip_prefix("shape ") {
            Some(shape) => self.hello.shapes.iter().any(|known| known == shape),
            None if need == "space" => self.hello.spaces.contains(&3),
            None => self.hello.features.iter().any(|known| known == need),
        })
    }

    /// How exact positions are: by the engine's own number format.
    pub(super) fn exact(&self) -> f64 {
        if self.scalar == "f32" { 1e-4 } else { 1e-9 }
    }

    /// The process is not used any more.
    pub(super) fn forget(&mut self) {
        self.process = None;
    }

    fn process(&mut self) -> Result<&mut Process, Stop> {
        if self.process.is_none() {
            let started = Process::start(&self.program, &self.process_limits, &self.remarks);
            self.process = Some(started.map_err(Stop::Broken)?);
        }
        self.process.as_mut().ok_or(Stop::Broken(EngineError::NothingBuilt))
    }

    /// Sends a line as it is; the answer.
    pub(super) fn line(&mut self, line: &str) -> Result<Value, Stop> {
        self.line_within(line, self.limit())
    }

    fn line_within(&mut self, line: &str, limit: Duration) -> Result<Value, Stop> {
        let line = self.process()?.ask(line.to_owned(), limit, &mut |_| {}).map_err(Stop::Broken)?;
        serde_json::from_str(&line).map_err(|error| {
            let why = format!("it said `{}`: {error}", shortened(&line));
            Stop::Broken(EngineError::BadAnswer { why })
        })
    }

    fn limit(&self) -> Duration {
        self.process_limits.limits.to_build()
    }

    /// One call; its result or its error.
    pub(super) fn ask(&mut self, method: &str, params: &Value) -> Result<Result<Value, Refusal>, Stop> {
        let number = self.process()?.next_call();
        let call = json!({"jsonrpc": "2.0", "id": number, "method": method, "params": params});
        // Steps have a limit of their own, which `--limits step=` sets.
        let steps = params["dt"].as_array().map(Vec::len).filter(|_| method == "advance");
        let limit = steps.map_or_else(|| self.limit(), |steps| self.process_limits.limits.to_advance(steps, None));
        let mut answer = self.line_within(&call.to_string(), limit)?;
        if answer["id"] != json!(number) {
            return wrong(
                format!("call {number} was answered with the id {}", answer["id"]),
                "give back the `id` of each call as it came, as a number",
            );
        }
        if let Some(error) = answer.get("error").filter(|error| !error.is_null()) {
            let message = error["message"].as_str().unwrap_or_default().to_owned();
            return Ok(Err(Refusal { code: error["code"].as_i64().unwrap_or(0), message }));
        }
        match answer.get_mut("result") {
            Some(result) => Ok(Ok(result.take())),
            None => wrong(
                format!("`{method}` was answered without `result` or `error`"),
                "every answer has one of the two, also where there is nothing to say: `\"result\":{}`",
            ),
        }
    }

    /// A call that must succeed.
    pub(super) fn tell(&mut self, method: &str, params: &Value) -> Result<Value, Stop> {
        match self.ask(method, params)? {
            Ok(result) => Ok(result),
            Err(Refusal { code: -32001, message }) => Err(Stop::Lacks(message)),
            Err(Refusal { code, message }) => wrong(
                format!("`{method}` was answered with error {code}: {message}"),
                "the call is as docs/engine-protocol.md has it; read the message, and look at which key it trips over",
            ),
        }
    }

    /// A call that must be refused with a code.
    pub(super) fn refused(&mut self, method: &str, params: &Value, due: i64, hint: &str) -> Result<(), Stop> {
        match self.ask(method, params)? {
            Ok(_) => wrong(format!("`{method}` was answered as if all were well, and error {due} is due"), hint),
            Err(refusal) if refusal.code == due => Ok(()),
            Err(refusal) => wrong(format!("error {} ({}), and {due} is due", refusal.code, refusal.message), hint),
        }
    }

    /// Builds an empty world with the options that were given, if any: one that is refused would make every question fail.
    pub(super) fn try_options(&mut self) -> Result<(), EngineError> {
        if self.options.as_object().is_none_or(serde_json::Map::is_empty) {
            return Ok(());
        }
        let world = with(world(Vec::new()), json!({"options": self.options}));
        let answer = self.ask("build", &world);
        // The questions begin with a process that has built nothing.
        self.forget();
        match answer {
            Ok(Err(refusal)) => {
                let given = self.options.as_object().into_iter().flatten();
                let given: Vec<String> =
                    given.map(|(name, value)| format!("{name}={}", value.as_str().unwrap_or_default())).collect();
                Err(EngineError::BadWorld {
                    why: format!(
                        "it refuses the options {}: error {}: {}",
                        given.join(","),
                        refusal.code,
                        refusal.message
                    ),
                })
            }
            // Whatever else is wrong is for the questions to find out.
            Ok(Ok(_)) | Err(_) => Ok(()),
        }
    }

    pub(super) fn build(&mut self, world: &Value) -> Result<(), Stop> {
        let mut world = world.clone();
        if world["options"].as_object().is_none_or(serde_json::Map::is_empty) {
            world["options"] = self.options.clone();
        }
        let due = world["bodies"].as_array().map_or(0, Vec::len);
        let built = self.tell("build", &world)?;
        if let Some(scalar) = built["scalar"].as_str() {
            scalar.clone_into(&mut self.scalar);
        }
        if built["bodies"] != json!(due) {
            return wrong(
                format!("`build` says {} bodies, and {due} were sent", built["bodies"]),
                "answer `build` with the number of all bodies, static ones too",
            );
        }
        Ok(())
    }

    /// Steps, with whatever else `advance` takes.
    pub(super) fn steps(&mut self, dt: &[f64], record: u64, actions: &Value) -> Result<Vec<Seen>, Stop> {
        self.frames(dt, record, actions, "six numbers a body: x, y, angle, vx, vy, spin")
    }

    fn frames<const NUMBERS: usize>(
        &mut self,
        dt: &[f64],
        record: u64,
        actions: &Value,
        rows: &str,
    ) -> Result<Vec<Seen<NUMBERS>>, Stop> {
        let reported = self.tell("advance", &json!({"dt": dt, "record": record, "actions": actions}))?;
        let frames = reported.get("frames").cloned().unwrap_or_default();
        let frames: Vec<Frame> = serde_json::from_value(frames).or_else(|error| {
            wrong(
                format!("frames that cannot be read: {error}"),
                format!("a frame is {{\"step\":s,\"state\":[{rows}]}}; what is not finite is \"nan\", \"inf\" or \"-inf\" in quotes"),
            )
        })?;
        let seen = frames.into_iter().map(|frame| {
            if frame.state.len() % NUMBERS != 0 {
                return wrong(
                    format!("{} numbers in a state", frame.state.len()),
                    format!("a state has {rows}, one body after the other in one list"),
                );
            }
            let rows = frame.state.chunks_exact(NUMBERS).map(|row| std::array::from_fn(|at| row[at].0));
            Ok(Seen {
                step: frame.step,
                bodies: rows.collect(),
                contacts: frame.contacts.iter().map(|row| row.iter().map(|number| number.0).collect()).collect(),
                events: frame.events,
            })
        });
        seen.collect()
    }

    /// So many steps of a length, and the last frame.
    pub(super) fn run(&mut self, count: usize, dt: f64) -> Result<Seen, Stop> {
        self.run_with(count, dt, &json!([]))
    }

    /// The same with actions.
    pub(super) fn run_with(&mut self, count: usize, dt: f64, actions: &Value) -> Result<Seen, Stop> {
        let frames = self.steps(&vec![dt; count], 1, actions)?;
        last(frames, count)
    }

    /// The same in space.
    pub(super) fn run_in_space(&mut self, count: usize, dt: f64, actions: &Value) -> Result<Seen<IN_SPACE>, Stop> {
        let rows = "13 numbers a body: x, y, z, qw, qx, qy, qz, vx, vy, vz, wx, wy, wz";
        last(self.frames(&vec![dt; count], 1, actions, rows)?, count)
    }

    /// The process must end by itself, soon.
    pub(super) fn must_end(&mut self) -> Result<(), Stop> {
        let Some(mut process) = self.process.take() else { return Ok(()) };
        if !process.ends_by_itself() {
            let hint = "leave the loop and end the process after answering `close`";
            return wrong("the process goes on after `close`", hint);
        }
        // Its last words are heard when it is dropped.
        drop(process);
        match self.remarks.take().into_iter().next() {
            None => Ok(()),
            Some(remark) => wrong(remark, "end what you have started before you end yourself"),
        }
    }
}

/// The last of the frames of so many steps.
fn last<const NUMBERS: usize>(frames: Vec<Seen<NUMBERS>>, count: usize) -> Result<Seen<NUMBERS>, Stop> {
    let due = count.max(1);
    if frames.len() != due {
        return wrong(
            format!("{} frames for {count} steps with `record` 1", frames.len()),
            "give a frame after every step that `record` asks for, and the present one where there are no steps",
        );
    }
    frames.into_iter().next_back().ok_or(Stop::Lacks("frames".to_owned()))
}
