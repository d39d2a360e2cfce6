//! Traces, plans, folders of results and ledgers.

use super::place;
use ironspin_lab::{
    GridOrder, JudgeOrder, Ledger, ResultDocument, SweepFolder, judge_trace, keep_traces, manifest_of, plan_grid,
    read_plan, run_trial,
};
use ironspin_model::Timestep;
use ironspin_report::{Beyond, Drawing, PageTrial, markdown, page, trials_csv};
use ironspin_trace::TraceFormat;
use std::path::{Path, PathBuf};

/// Trials of a short scene in each format of traces.
fn recorded() -> Result<Vec<Vec<u8>>, String> {
    let place = place()?;
    let step: Timestep = "1/30".parse().map_err(|_| "a step")?;
    let mut found = Vec::new();
    for format in [TraceFormat::Csv, TraceFormat::Parquet] {
        let order = GridOrder::plain(vec!["first-drop".to_owned()], vec!["builtin".to_owned()], vec![step.clone()]);
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

pub(super) fn traces() -> Vec<Vec<u8>> {
    recorded().unwrap_or_default()
}

pub(super) fn trace(input: &[u8]) -> Result<bool, String> {
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

pub(super) fn plans() -> Vec<Vec<u8>> {
    std::fs::read(kept().join("yard-plan.toml")).into_iter().collect()
}

pub(super) fn plan(input: &[u8]) -> Result<bool, String> {
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

pub(super) fn folders() -> Vec<Vec<u8>> {
    let named = |name: &str| {
        let contents = std::fs::read(kept().join(name)).ok()?;
        Some([name.as_bytes(), &[0], contents.as_slice()].concat())
    };
    FILES.iter().filter_map(|name| named(name)).collect()
}

pub(super) fn folder(input: &[u8]) -> Result<bool, String> {
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
