//! What an earlier program wrote is read as it was: scenes, plans, results, ledgers, traces, and the C header. The files in `kept/` were
//! written by it and are never made anew.

use crate::util::Yard;
use std::path::Path;

const KEPT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cli/kept");

fn copy_all(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap().map(|entry| entry.unwrap().path()) {
        let target = to.join(entry.file_name().unwrap());
        if entry.is_dir() {
            copy_all(&entry, &target);
        } else {
            std::fs::copy(&entry, &target).unwrap();
        }
    }
}

/// A folder with a copy of what is kept.
fn kept() -> Yard {
    let yard = Yard::new();
    copy_all(Path::new(KEPT), &yard.path("."));
    yard
}

/// The claims of the trials of a result without the figures that a better engine or gauge changes.
fn claims_of(text: &str) -> Vec<Vec<serde_json::Value>> {
    let result: serde_json::Value = serde_json::from_str(text).unwrap();
    let lasting = |claim: &serde_json::Value| {
        let mut claim = claim.clone();
        for figure in ["measured", "used", "detail", "since", "moment", "dimensionless", "warnings"] {
            claim.as_object_mut().unwrap().remove(figure);
        }
        claim
    };
    let trial = |trial: &serde_json::Value| trial["claims"].as_array().unwrap().iter().map(lasting).collect();
    result["trials"].as_array().unwrap().iter().map(trial).collect()
}

#[test]
fn a_kept_scene_gives_the_kept_result() {
    let yard = kept();
    let (fresh, old) = (yard.expect(0, "run yard.toml --format json -q").out, yard.read("run.json"));
    assert_eq!(claims_of(&fresh), claims_of(&old));
    // Whoever reads results finds the same keys.
    let keys = |text: &str| {
        let result: serde_json::Value = serde_json::from_str(text).unwrap();
        let of = |value: &serde_json::Value| value.as_object().unwrap().keys().cloned().collect::<Vec<_>>();
        (of(&result), of(&result["trials"][0]), of(&result["trials"][0]["claims"][0]))
    };
    assert_eq!(keys(&fresh), keys(&old));
    assert!(yard.expect(0, "scenes show yard.toml").out.contains("\ntopics set-up, friction\n"));
}

#[test]
fn a_kept_plan_runs_with_the_older_name_of_a_solver() {
    let yard = kept();
    let answer = yard.expect(0, "sweep --plan yard-plan.toml --out again --format json -q").out;
    let [fresh, old] = [answer, yard.read("swept/result.json")].map(|text| claims_of(&text));
    assert_eq!(fresh.len(), 16);
    assert_eq!(fresh, old);
}

#[test]
fn kept_results_make_their_page_and_compare_with_new_ones() {
    let yard = kept();
    for folder in ["results", "swept", "twins"] {
        yard.expect(0, &format!("report {folder}"));
        assert!(yard.read(&format!("{folder}/report.html")).contains("kept-yard"), "{folder}");
    }
    yard.expect(0, "run yard.toml --out fresh -q");
    let compared = yard.expect(0, "compare results fresh").out;
    assert!(compared.contains("kept-yard") || compared.contains("same"), "{compared}");
    yard.expect(0, "plot results --y energy.gain --over time --out gain.svg -q");
}

#[test]
fn a_kept_ledger_is_read_and_goes_on() {
    let yard = kept();
    let history = yard.expect(0, "history kept-yard --ledger yard.ledger").out;
    assert!(history.contains("overlap.deepest"), "{history}");
    yard.expect(0, "run yard.toml --ledger yard.ledger --name third -q");
    let longer = yard.expect(0, "history kept-yard --ledger yard.ledger").out;
    assert!(longer.len() > history.len(), "{longer}");
}

#[test]
fn kept_traces_are_judged_by_the_kept_claims() {
    let yard = kept();
    for ending in ["csv", "parquet"] {
        let line = format!("judge yard.toml traces/kept-yard_1-60_builtin.{ending} --format json");
        let judged: serde_json::Value = serde_json::from_str(&yard.expect(0, &line).out).unwrap();
        let kept: serde_json::Value = serde_json::from_str(&yard.read("run.json")).unwrap();
        let measured = |result: &serde_json::Value| -> Vec<serde_json::Value> {
            result["trials"][0]["claims"].as_array().unwrap().iter().map(|claim| claim["measured"].clone()).collect()
        };
        assert_eq!(measured(&judged), measured(&kept), "{ending}");
    }
}

/// A library that was compiled against the first header works on; the header itself has not changed.
#[cfg(unix)]
#[test]
fn a_library_compiled_against_the_kept_header_is_examined_as_before() {
    let yard = kept();
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    assert_eq!(
        yard.read("include/ironspin_engine.h"),
        std::fs::read_to_string(format!("{root}/include/ironspin_engine.h")).unwrap()
    );
    let library = yard.path("engine.so").display().to_string();
    let built = std::process::Command::new("cc")
        .args(["-std=c11", "-O2", "-shared", "-fPIC", "-ffp-contract=off"])
        .args([
            "-I",
            &yard.path("include").display().to_string(),
            &format!("{root}/adapters/c/engine.c"),
            "-o",
            &library,
            "-lm",
        ])
        .status()
        .expect("a C compiler");
    assert!(built.success());
    let answer = yard.expect(0, &format!("engines probe lib:{library} -q")).out;
    assert!(answer.contains("0 wrong"), "{answer}");
}
