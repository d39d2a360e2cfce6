//! Scenes, what they resolve to, their trials; expressions; the program itself.

use super::{bytes, place};
use ironspin_lab::{TrialPlan, check_claims, run_trial};
use ironspin_link::EngineSpec;
use ironspin_model::{Conditions, Timestep, Verdict};
use ironspin_report::{PageTrial, trials_csv};
use ironspin_scene::{Scene, Settings, Setup, bundled};
use std::process::Command;
use std::sync::Arc;

/// Length over thickness beyond which a body is a needle.
const NEEDLE: f64 = 100.0;
/// Most bodies of a scene here; a few inputs are given the usual limit.
const BODIES: usize = 10_000;

pub(super) fn scenes() -> Vec<Vec<u8>> {
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

pub(super) fn scene(input: &[u8]) -> Result<bool, String> {
    let read = read(input);
    Ok(read.is_some_and(|(scene, setup)| check_claims(&scene, &setup).is_ok()))
}

pub(super) fn resolved(input: &[u8]) -> Result<bool, String> {
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

pub(super) fn trial(input: &[u8]) -> Result<bool, String> {
    let Some((scene, setup)) = read(input) else { return Ok(false) };
    // Needles and endless walls have impacts without end in a swept step: much work, and nothing that a reader does.
    let is_needle = |body: &ironspin_model::Body| {
        let parts = body.parts.iter().filter(|part| !part.shape.is_endless());
        parts.map(|part| part.shape.reach()).fold(0.0, f64::max) > NEEDLE * body.smallest_size()
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

pub(super) fn expressions() -> Vec<Vec<u8>> {
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

pub(super) fn expression(input: &[u8]) -> Result<bool, String> {
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

/// What the program may end with: its own statuses.
const STATUSES: [i32; 4] = [0, 1, 2, 3];

pub(super) fn program(input: &[u8]) -> Result<bool, String> {
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
