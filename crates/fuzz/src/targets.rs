//! What inputs are thrown at.

use ironspin_lab::{
    JudgeOrder, Ledger, ResultDocument, SweepFolder, TrialPlan, check_claims, judge_trace, keep_traces, manifest_of,
    plan_grid, read_plan, run_trial,
};
use ironspin_link::{EngineSpec, Served, inlets, serve};
use ironspin_model::{BodyKind, Conditions, EngineError, Timestep, Verdict};
use ironspin_report::{Beyond, Drawing, PageTrial, markdown, page, trials_csv};
use ironspin_scene::{Scene, Settings, Setup, bundled};
use ironspin_trace::TraceFormat;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;

/// Something that reads what strangers write.
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// What it reads.
    pub about: &'static str,
    /// Whether inputs are text.
    pub is_text: bool,
    /// An input may take so long, s; beyond it is a hang. A trial steps an engine, which may have much to do.
    pub longest: u64,
    /// The inputs that are changed.
    pub seeds: fn() -> Vec<Vec<u8>>,
    /// Reads an input; whether it was taken for a good one.
    ///
    /// # Errors
    /// When something came of it that must not, besides a panic.
    pub throw: fn(&[u8]) -> Result<bool, String>,
}

/// All of them.
pub const TARGETS: [Target; 11] = [
    Target { name: "scene", about: "scene files, worked out", is_text: true, longest: 5, seeds: scenes, throw: scene },
    Target {
        name: "resolved",
        about: "resolved scenes, read back",
        is_text: true,
        longest: 5,
        seeds: scenes,
        throw: resolved,
    },
    Target {
        name: "trial",
        about: "sixteen steps of what was read",
        is_text: true,
        longest: 60,
        seeds: scenes,
        throw: trial,
    },
    Target {
        name: "expression",
        about: "expressions",
        is_text: true,
        longest: 5,
        seeds: expressions,
        throw: expression,
    },
    Target {
        name: "answer",
        about: "lines that engines answer",
        is_text: true,
        longest: 5,
        seeds: answers,
        throw: answer,
    },
    Target {
        name: "call",
        about: "lines that engines are asked",
        is_text: true,
        longest: 5,
        seeds: calls,
        throw: call,
    },
    Target {
        name: "describe",
        about: "texts of the C interface",
        is_text: true,
        longest: 5,
        seeds: descriptions,
        throw: describe,
    },
    Target { name: "trace", about: "recorded traces", is_text: false, longest: 5, seeds: traces, throw: trace },
    Target { name: "plan", about: "plan files", is_text: true, longest: 5, seeds: plans, throw: plan },
    Target {
        name: "folder",
        about: "folders of results and ledgers",
        is_text: false,
        longest: 5,
        seeds: folders,
        throw: folder,
    },
    Target {
        name: "program",
        about: "scenes, by the program beside this one",
        is_text: true,
        longest: 5,
        seeds: scenes,
        throw: program,
    },
];

/// Length over thickness beyond which a body is a needle.
const NEEDLE: f64 = 100.0;
/// Most bodies of a scene here; a few inputs are given the usual limit.
const BODIES: usize = 10_000;

fn bytes(text: &str) -> Vec<u8> {
    text.as_bytes().to_vec()
}

fn scenes() -> Vec<Vec<u8>> {
    bundled::names().filter_map(bundled::find).map(bytes).collect()
}

fn settings(input: &[u8]) -> Settings {
    let settings = Settings::with_dt(1.0 / 60.0);
    // By the input, so that it gives the same again.
    let is_usual = input.iter().fold(0_u8, |sum, byte| sum.wrapping_add(*byte)) == 0;
    if is_usual { settings } else { Settings { body_limit: BODIES, ..settings } }
}

fn read(input: &[u8]) -> Option<(Scene, Setup)> {
    let text = std::str::from_utf8(input).ok()?;
    let scene = Scene::parse(text, "fuzz.toml").map_err(|error| error.to_string()).ok()?;
    let setup = scene.resolve(&settings(input)).map_err(|error| error.to_string()).ok()?;
    Some((scene, setup))
}

fn scene(input: &[u8]) -> Result<bool, String> {
    let read = read(input);
    Ok(read.is_some_and(|(scene, setup)| check_claims(&scene, &setup).is_ok()))
}

fn resolved(input: &[u8]) -> Result<bool, String> {
    let Some((scene, setup)) = read(input) else { return Ok(false) };
    if check_claims(&scene, &setup).is_err() {
        return Ok(false);
    }
    let printed = scene.print_resolved(&setup);
    let again = Scene::parse(&printed, "resolved.toml").map_err(|error| format!("not read back: {error}"))?;
    let settings = Settings { body_limit: 10 * BODIES, ..settings(input) };
    let second = again.resolve(&settings).map_err(|error| format!("not resolved again: {error}"))?;
    let printed_again = again.print_resolved(&second);
    if printed == printed_again {
        return Ok(true);
    }
    let differs = printed.lines().zip(printed_again.lines()).find(|(one, other)| one != other);
    Err(format!("another resolved form: {differs:?}"))
}

fn trial(input: &[u8]) -> Result<bool, String> {
    let Some((scene, setup)) = read(input) else { return Ok(false) };
    // Needles that turn have impacts without end in a swept step: much work, and nothing that a reader does.
    let is_needle = |body: &ironspin_model::Body| {
        let reach = body.parts.iter().map(|part| part.shape.reach()).fold(0.0, f64::max);
        body.kind == BodyKind::Dynamic && reach > NEEDLE * body.smallest_size()
    };
    let world = &setup.world;
    if check_claims(&scene, &setup).is_err() || world.bodies.len() > 300 || world.bodies.iter().any(is_needle) {
        return Ok(false);
    }
    let dt = (setup.world.duration / 16.0).clamp(1e-6, 0.1);
    let Ok(dt) = format!("{dt:e}").parse::<Timestep>() else { return Ok(false) };
    let mut setup = setup;
    setup.world.duration = setup.world.duration.min(16.0 * dt.seconds);
    let engine = EngineSpec::read("builtin").map_err(|error| error.to_string())?;
    let plan = TrialPlan {
        scene: "fuzz.toml".to_owned(),
        scene_hash: String::new(),
        set: Vec::new(),
        setup: Arc::new(setup),
        engine,
        engine_hash: String::new(),
        conditions: Conditions::with_dt(dt),
        pace: None,
        trace: None,
        judged_by: None,
    };
    let record = run_trial(&plan);
    // The engine is in this program: what it trips over is a mistake here. An explosion is not.
    if record.verdict == Verdict::Error && record.reason.contains("crashed") {
        return Err(record.reason);
    }
    let page = PageTrial::of(&record);
    drop(trials_csv(std::slice::from_ref(&page.document)).map_err(|error| error.to_string())?);
    Ok(record.verdict == Verdict::Pass)
}

fn expressions() -> Vec<Vec<u8>> {
    [
        "2 * (side + 1) ^ 2 - max(1, side) % 3",
        "if side < 2 && !(side == 1) { sin(side) } else { -cos(side / 2) }",
        "clamp(side, 0, 1) + fract(side) * random(3) - atan2(side, 2)",
        "30 deg",
        "1e-3 + 0x10 + 0b11 + 1_000",
        "sqrt(abs(side)) + exp(-side) + ln(side) + floor(side) + sign(side) + hypot(3, 4)",
        "((((((((((side))))))))))",
        "side >= 1 || side <= 0 || side != 3",
    ]
    .map(bytes)
    .to_vec()
}

fn expression(input: &[u8]) -> Result<bool, String> {
    let Ok(text) = std::str::from_utf8(input) else { return Ok(false) };
    let quoted: String = text.chars().map(|letter| format!("\\U{:08X}", u32::from(letter))).collect();
    let scene = format!(
        "scene = 1\nname = \"x\"\nabout = \"x\"\n[set]\nside = {{ value = 0.5, about = \"x\" }}\nnow = {{ value = \"{quoted}\", about = \"x\" }}\n\
         [world]\ngravity = [0, -9.81]\nduration = 1\n[material.iron]\ndensity = 1\nfriction = 1\nrestitution = 0\n\
         [[body]]\nname = \"a\"\nshape = {{ disc = 1 }}\nat = [0, 0]\nmaterial = \"iron\"\n\
         [[claim]]\ngauge = \"value.x\"\nof = \"a\"\nequals = \"now\"\nwithin = 1\nbecause = \"x\"\n"
    );
    Ok(read(scene.as_bytes()).is_some())
}

/// Lines of a conversation with an engine.
fn lines(text: &str) -> Vec<Vec<u8>> {
    text.lines().map(bytes).collect()
}

fn answers() -> Vec<Vec<u8>> {
    lines(include_str!("../seeds/answers.jsonl"))
}

fn answer(input: &[u8]) -> Result<bool, String> {
    Ok(std::str::from_utf8(input).is_ok_and(inlets::answer))
}

fn calls() -> Vec<Vec<u8>> {
    let all = lines(include_str!("../seeds/calls.jsonl"));
    // Each conversation as one input: a world is built before it is stepped.
    let mut conversations: Vec<Vec<u8>> = Vec::new();
    for line in all {
        if line.windows(7).any(|window| window == b"\"hello\"") || conversations.is_empty() {
            conversations.push(Vec::new());
        }
        if let Some(last) = conversations.last_mut() {
            last.extend_from_slice(&line);
            last.push(b'\n');
        }
    }
    conversations
}

fn call(input: &[u8]) -> Result<bool, String> {
    // Very many steps are the asker's own wish.
    if input.len() > 100_000 || std::str::from_utf8(input).is_err() {
        return Ok(false);
    }
    let start = |options: &[(String, String)]| -> Result<Box<dyn ironspin_model::Engine>, EngineError> {
        ironspin_link::start_builtin(options)
    };
    let mut out = Vec::new();
    serve(Served { start: &start, hello: None, in_bytes: false }, &mut &input[..], &mut out)
        .map_err(|error| error.to_string())?;
    Ok(!out.windows(8).any(|window| window == b"\"error\":"))
}

fn descriptions() -> Vec<Vec<u8>> {
    let hello = answers().into_iter().find(|line| line.windows(9).any(|window| window == b"\"engine\":"));
    let own = "{\"engine\":{\"name\":\"quay\",\"version\":\"1\"},\"spaces\":[2,3],\"scalar\":\"f32\",\"shapes\":[\"disc\",\"box\"],\"features\":[\"contacts\",\"ray\"],\"options\":{\"iterations\":{\"about\":\"x\",\"default\":8}}}";
    [Some(bytes(own)), hello].into_iter().flatten().collect()
}

fn describe(input: &[u8]) -> Result<bool, String> {
    Ok(std::str::from_utf8(input).is_ok_and(inlets::described))
}

/// A folder in memory where there is one.
fn place() -> Result<tempfile::TempDir, String> {
    let shared = Path::new("/dev/shm");
    let made = if shared.is_dir() { tempfile::tempdir_in(shared) } else { tempfile::tempdir() };
    made.map_err(|error| error.to_string())
}

/// Trials of a short scene in each format of traces.
fn recorded() -> Result<Vec<Vec<u8>>, String> {
    let place = place()?;
    let step: Timestep = "1/30".parse().map_err(|_| "a step")?;
    let mut found = Vec::new();
    for format in [TraceFormat::Csv, TraceFormat::Parquet] {
        let order = ironspin_lab::GridOrder::plain(
            vec!["first-drop".to_owned()],
            vec!["builtin".to_owned()],
            vec![step.clone()],
        );
        let mut plans = plan_grid(&order).map_err(|error| error.to_string())?;
        keep_traces(&mut plans, place.path(), format);
        for plan in &plans {
            if let Some(Ok(path)) = run_trial(plan).trace {
                found.push(std::fs::read(path).map_err(|error| error.to_string())?);
            }
        }
    }
    Ok(found)
}

fn traces() -> Vec<Vec<u8>> {
    recorded().unwrap_or_default()
}

fn trace(input: &[u8]) -> Result<bool, String> {
    let place = place()?;
    let name = if input.starts_with(b"PAR1") { "fall.parquet" } else { "fall.csv" };
    let path = place.path().join(name);
    std::fs::write(&path, input).map_err(|error| error.to_string())?;
    Ok(judge_trace(&JudgeOrder::plain("first-drop", &path)).is_ok())
}

/// The folder of files that tests keep.
fn kept() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../cli/tests/cli/kept")
}

fn plans() -> Vec<Vec<u8>> {
    std::fs::read(kept().join("yard-plan.toml")).into_iter().collect()
}

fn plan(input: &[u8]) -> Result<bool, String> {
    let place = place()?;
    let path = place.path().join("yard.toml");
    std::fs::write(&path, input).map_err(|error| error.to_string())?;
    let order = read_plan(&path);
    // The grid is counted, and not worked out: it names engines.
    Ok(order.is_ok_and(|order| order.trials().is_some_and(|count| count <= order.trial_limit)))
}

/// Files of a folder, each after its name and a zero.
const FILES: [&str; 7] = [
    "results/result.json",
    "results/drawings.json",
    "results/manifest.json",
    "swept/plan.json",
    "swept/trials/0465faf5171ff3ccc11a.json",
    "run.json",
    "yard.ledger",
];

fn folders() -> Vec<Vec<u8>> {
    let named = |name: &str| {
        let contents = std::fs::read(kept().join(name)).ok()?;
        Some([name.as_bytes(), &[0], contents.as_slice()].concat())
    };
    FILES.iter().filter_map(|name| named(name)).collect()
}

fn folder(input: &[u8]) -> Result<bool, String> {
    let place = place()?;
    let end = input.iter().position(|&byte| byte == 0).unwrap_or(input.len());
    let name = std::str::from_utf8(&input[..end]).ok().filter(|name| FILES.contains(name)).unwrap_or(FILES[0]);
    let contents = input.get(end + 1..).unwrap_or_default();
    let io = |error: std::io::Error| error.to_string();
    let path = place.path().join(name);
    std::fs::create_dir_all(path.parent().unwrap_or(place.path())).map_err(io)?;
    std::fs::write(&path, contents).map_err(io)?;
    if name == "yard.ledger" {
        return Ok(ledger(&path).is_some());
    }
    if let Some(folder) = name.strip_prefix("swept/") {
        let other = if folder == "plan.json" { FILES[4] } else { FILES[3] };
        let place = place.path();
        std::fs::create_dir_all(place.join("swept/trials")).map_err(io)?;
        std::fs::copy(kept().join(other), place.join(other)).map_err(io)?;
        let Ok(document) = SweepFolder::read(&place.join("swept")) else { return Ok(false) };
        return show(&document, &[]).map(|()| true);
    }
    let _ = manifest_of(&place.path().join("results"));
    let document: Option<ResultDocument> = serde_json::from_slice(contents).ok();
    let drawings: Vec<Drawing> = drawings(contents);
    if drawings.is_empty() && document.is_none() {
        return Ok(false);
    }
    let usual = std::fs::read(kept().join("results/result.json")).map_err(io)?;
    let document = match document {
        Some(document) => document,
        None => serde_json::from_slice(&usual).map_err(|error| error.to_string())?,
    };
    show(&document, &drawings).map(|()| true)
}

/// The drawings of a file of them.
fn drawings(contents: &[u8]) -> Vec<Drawing> {
    let value: serde_json::Value = serde_json::from_slice(contents).unwrap_or_default();
    let list = value["drawings"].as_array().cloned().unwrap_or_default();
    list.into_iter().filter_map(|drawing| serde_json::from_value(drawing).ok()).collect()
}

/// Everything that is made of results.
fn show(document: &ResultDocument, drawings: &[Drawing]) -> Result<(), String> {
    let mut trials: Vec<PageTrial> =
        document.trials.iter().map(|trial| PageTrial { document: trial.clone(), drawing: None }).collect();
    for (trial, drawing) in trials.iter_mut().zip(drawings) {
        trial.drawing = Some(drawing.clone());
    }
    page("Results", &[], &trials, &Beyond::default()).map_err(|error| error.to_string())?;
    trials_csv(&document.trials).map_err(|error| error.to_string())?;
    drop(markdown(document));
    Ok(())
}

fn ledger(path: &Path) -> Option<()> {
    let ledger = Ledger::open(path).ok()?;
    let scenes = ledger.scenes().ok()?;
    scenes.iter().for_each(|scene| drop(ledger.history(scene, None)));
    ledger.entry("1").ok().map(drop)
}

/// What the program may end with: its own statuses.
const STATUSES: [i32; 4] = [0, 1, 2, 3];

fn program(input: &[u8]) -> Result<bool, String> {
    let io = |error: std::io::Error| error.to_string();
    let program = std::env::current_exe().map_err(io)?.with_file_name("ironspin");
    let place = place()?;
    std::fs::write(place.path().join("fuzz.toml"), input).map_err(io)?;
    let mut command = Command::new(program);
    command.current_dir(place.path()).env("NO_COLOR", "1").args(["scenes", "check", "fuzz.toml"]);
    let output = command.output().map_err(io)?;
    let status = output.status.code().unwrap_or(-1);
    let text = [output.stdout, output.stderr].map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).concat();
    if !STATUSES.contains(&status) || text.contains("internal error") {
        return Err(format!("status {status}: {text}"));
    }
    if let Some(letter) = text.chars().find(|letter| letter.is_control() && !matches!(letter, '\n' | '\t')) {
        return Err(format!("{letter:?} on the terminal"));
    }
    Ok(status == 0)
}
