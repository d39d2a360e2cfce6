//! `run` on the bundled scenes: what they must show.

use crate::util::{Yard, claim, measured};

#[test]
fn bearings_rebound_as_they_should_at_240_steps_a_second() {
    let result = Yard::new().json(0, "bearing-drop --dt 1/240");
    for (ball, e) in [("lead-ball", 0.2), ("bronze-ball", 0.5), ("steel-ball", 0.9)] {
        let speed = measured(&result, "rebound.speed", ball);
        assert!((speed / e - 1.0).abs() < 0.01, "{ball}: {speed}");
        let height = measured(&result, "rebound.height", ball);
        assert!((height / (e * e) - 1.0).abs() < 0.02, "{ball}: {height}");
    }
    assert!(measured(&result, "impacts.count", "ideal-ball") >= 11.0);
    assert!(measured(&result, "energy.drift", "ideal-ball") < 0.01);
}

#[test]
fn ten_ingots_stand_for_twenty_seconds() {
    let result = Yard::new().json(0, "ingot-stack --dt 1/60");
    assert_eq!(result["trials"][0]["steps"], 1200);
    assert_eq!(measured(&result, "stands", "ingot[*]"), 1.0);
    assert!(measured(&result, "jitter.speed", "ingot[*]") < 0.01 * 9.81 / 60.0);
    assert!(measured(&result, "overlap.deepest", "*") < 0.02 * 0.5);
    assert_eq!(claim(&result, "jitter.speed", "ingot[*]")["window"], serde_json::json!([15.0, 20.0]));
}

#[test]
fn the_wagons_count_314_where_the_step_allows_and_say_how_many_digits_were_right_where_not() {
    let yard = Yard::new();
    // Swept collision sees every impact within a step; without it each needs a step of its own.
    for line in ["wagon-count --dt 1/60", "wagon-count --dt 1e-4 --engine builtin:swept=off"] {
        assert_eq!(measured(&yard.json(0, line), "impacts.count", "light, heavy"), 314.0, "{line}");
    }
    let result = yard.json(1, "wagon-count --dt 1/60 --engine builtin:swept=off");
    let count = claim(&result, "impacts.count", "light, heavy");
    assert!(count["measured"].as_f64().unwrap() < 314.0);
    assert!(count["detail"].as_str().unwrap().contains("of 3 digits right"), "{count}");
}

/// Numbers of collisions from the independent reference values in `oracles.json`, family 4.
#[test]
fn the_wagons_agree_with_the_reference_counts() {
    let oracles: serde_json::Value = serde_json::from_str(include_str!("../oracles.json")).unwrap();
    let yard = Yard::new();
    let mut compared = 0;
    for case in oracles.as_array().unwrap().iter().filter(|case| case["id"].as_str().unwrap().starts_with("f04.wall")) {
        for (ratio, count) in case["inputs"]["mass_ratio"]
            .as_array()
            .unwrap()
            .iter()
            .zip(case["outputs"]["collisions"].as_array().unwrap())
        {
            // Ratio 7.5 is known for another start, which shifts only the times; larger ones need minutes.
            if ratio.as_f64().unwrap() <= 1e6 {
                let result = yard.json(0, &format!("wagon-count --set ratio={ratio} --dt 1/240"));
                assert_eq!(
                    measured(&result, "impacts.count", "light, heavy"),
                    count.as_f64().unwrap(),
                    "ratio {ratio}"
                );
                compared += 1;
            }
        }
    }
    assert!(compared >= 7, "{compared} ratios compared");
}

#[test]
fn rivets_tunnel_without_swept_collision_and_never_with_it() {
    let yard = Yard::new();
    let off = yard.json(1, "rivet-shot --dt 1/60 --engine builtin:swept=off");
    assert!(measured(&off, "tunnel.count", "rivet[*]") > 0.0);
    let detail = claim(&off, "tunnel.count", "rivet[*]")["detail"].as_str().unwrap();
    assert!(detail.contains("from ") && detail.contains(" m/s on"), "the speed from which on: {detail}");
    for swept in ["marked", "all"] {
        let on = yard.json(0, &format!("rivet-shot --dt 1/60 --engine builtin:swept={swept}"));
        assert_eq!(measured(&on, "tunnel.count", "rivet[*]"), 0.0);
    }
}

#[test]
fn the_same_run_gives_the_same_bytes_whatever_the_jobs() {
    let yard = Yard::new();
    let line = "run bearing-drop rivet-shot ingot-stack --dt 1/60,1/100 --engine builtin --engine builtin:swept=off --format json";
    let first = yard.expect(1, &format!("{line} --jobs 1"));
    let second = yard.expect(1, &format!("{line} --jobs 2"));
    assert!(first.out == second.out, "two runs differ");
    assert!(!first.out.contains("timing"));
    assert!(yard.expect(1, &format!("{line} --timing")).out.contains("\"timing\""));
}

#[test]
fn the_result_document_has_the_form_it_promises() {
    let result = Yard::new().json(0, "ingot-stack --set count=2 --set span=2");
    let keys = |value: &serde_json::Value| value.as_object().unwrap().keys().cloned().collect::<Vec<_>>();
    assert_eq!(result["format"], "ironspin.result/1");
    assert_eq!(keys(&result), ["format", "summary", "tool", "trials"]);
    assert_eq!(keys(&result["summary"]), ["error", "fail", "pass", "trials", "unsupported"]);
    let trial = &result["trials"][0];
    let expected = [
        "again",
        "bodies",
        "claims",
        "dimensionless_dt",
        "dt",
        "dt_text",
        "engine",
        "engine_options",
        "engine_version",
        "parameters",
        "scene",
        "seed",
        "set",
        "steps",
        "threads",
        "verdict",
    ];
    assert_eq!(keys(trial), expected);
    let mut expected =
        vec!["because", "bound", "detail", "gauge", "measured", "of", "severity", "unit", "verdict", "window"];
    assert_eq!(keys(&trial["claims"][0]), expected);
    // A value with a dimension is shown without it, too.
    let with_dimension = trial["claims"].as_array().unwrap().iter().find(|claim| claim["unit"] == "m/s").unwrap();
    expected.insert(3, "dimensionless");
    assert_eq!(keys(with_dimension), expected);
    assert_eq!(trial["parameters"]["count"], 2.0);
}

#[test]
fn a_scene_file_of_ones_own_runs_and_leaves_a_folder() {
    let yard = Yard::new();
    yard.write("my-drop.toml", MY_DROP);
    let answer = yard.expect(0, "run my-drop.toml --out results");
    assert!(answer.out.contains("pass  my-drop"), "{}", answer.out);
    let text = yard.read("results/trials.csv");
    let mut rows = csv_rows(&text);
    assert_eq!(rows.remove(0)[0], "scene");
    assert_eq!(rows.len(), 1);
    assert_eq!(rows[0][5], "overlap.deepest");
    let stored: serde_json::Value = serde_json::from_str(&yard.read("results/result.json")).unwrap();
    assert_eq!(stored["summary"]["pass"], 1);
}

#[test]
fn a_scene_that_claims_nothing_is_measured_by_the_default_gauges() {
    let yard = Yard::new();
    let (bare, _) = MY_DROP.split_once("[[claim]]").expect("a claim");
    yard.write("bare.toml", bare);
    let answer = yard.expect(0, "run bare.toml --dt 1/240 --out results");
    assert!(answer.out.contains("it claims nothing, and shows"), "{}", answer.out);
    let shown = |gauge: &str, text: &str| text.lines().any(|line| line.trim_start().starts_with(gauge));
    for gauge in ["energy.gain", "momentum.balance", "overlap.deepest", "jitter.speed", "ghost.speed"] {
        assert!(shown(gauge, &answer.out), "{gauge} is not in {}", answer.out);
    }
    assert!(!shown("escape.count", &answer.out), "the scene has no bounds");
    // What is kept is read again.
    let stored: serde_json::Value = serde_json::from_str(&yard.read("results/result.json")).unwrap();
    assert_eq!(stored["trials"][0]["claims"][0]["bound"], "none");
    yard.expect(0, "report results");
    assert!(yard.read("results/report.html").contains("claims nothing"));
    yard.expect(0, "compare results results");
    // No bound fails, and the figure of a wrong engine is there to be seen.
    let ghost =
        |engine: &str| measured(&yard.json(0, &format!("bare.toml --dt 1/240 --engine {engine}")), "ghost.speed", "*");
    assert_eq!(ghost("builtin"), 0.0);
    assert!(ghost("builtin:fault=gravity-twice") > 0.01);
    // A claim of its own is all that is measured then.
    yard.write("one.toml", MY_DROP);
    assert_eq!(yard.json(0, "one.toml")["trials"][0]["claims"].as_array().map(Vec::len), Some(1));
}

/// Reads CSV without quotes in it.
fn csv_rows(text: &str) -> Vec<Vec<&str>> {
    text.lines().map(|line| line.split(',').collect()).collect()
}

/// The scene of the README's first five minutes.
const MY_DROP: &str = r#"scene = 1
name  = "my-drop"
about = "A crate dropped on the quay comes to rest on it."

[world]
gravity  = [0, -9.81]
duration = 3

[material.wood]
density     = 600
friction    = 0.5
restitution = 0.1

[[body]]
name     = "quay"
kind     = "static"
shape    = { half_plane = [0, 1] }
at       = [0, 0]
material = "wood"

[[body]]
name     = "crate"
shape    = { box = [0.8, 0.6] }
at       = [0, 2]
angle    = "20 deg"
material = "wood"

[[claim]]
gauge   = "overlap.deepest"
of      = "crate"
window  = [2, 3]
at_most = 0.006
because = "a hundredth of the shorter edge cannot be seen"
"#;

#[test]
fn csv_and_quiet_write_what_they_should_where_they_should() {
    let yard = Yard::new();
    let answer = yard.expect(1, "run rivet-shot --engine builtin:swept=off --format csv --quiet");
    let lines: Vec<&str> = answer.out.lines().collect();
    assert_eq!(lines.len(), 3, "{}", answer.out);
    assert!(lines[1].starts_with("rivet-shot,builtin:swept=off,") && lines[1].contains("tunnel.count"));
    assert!(answer.err.is_empty(), "{}", answer.err);
    assert!(yard.expect(1, "run rivet-shot --engine builtin:swept=off").err.contains("1 trial in "));
}

#[test]
fn settings_that_are_compared_by_name_all_run_the_bundled_scenes() {
    let yard = Yard::new();
    let engines = [
        "builtin:integrator=symplectic-euler",
        "builtin:integrator=rk4",
        "builtin:solver=compliant",
        "builtin:solver=position",
        "builtin:broad=tree",
        "builtin:precision=f32",
        "builtin:mixing=average",
        "builtin:sleep=on",
        "builtin:threads=2",
    ];
    let line = engines.iter().map(|engine| format!("--engine {engine}")).collect::<Vec<_>>().join(" ");
    let answer = yard.ironspin(&format!("run bearing-drop ingot-stack rivet-shot {line} --format json"));
    assert!(answer.status == 0 || answer.status == 1, "{}", answer.err);
    let result: serde_json::Value = serde_json::from_str(&answer.out).unwrap();
    assert_eq!(result["summary"]["error"], 0);
    for trial in result["trials"].as_array().unwrap() {
        // Every one of them keeps the stack and stops the rivets.
        if trial["scene"] != "bearing-drop" {
            assert_eq!(trial["verdict"], "pass", "{} on {}", trial["scene"], trial["engine"]);
        }
    }
}

#[test]
fn an_engine_that_lacks_something_is_unsupported_and_fails_nothing() {
    let yard = Yard::new();
    let result = yard.json(5, "ingot-stack --engine builtin:solver=event");
    assert_eq!(result["trials"][0]["verdict"], "unsupported");
    assert!(result["trials"][0]["reason"].as_str().unwrap().contains("fixed_turn"));
    // A run in which nothing was judged says so; with another that was judged it is one of many.
    let line = "run ingot-stack --engine builtin:solver=event -q";
    assert!(yard.expect(5, line).err.contains("no claim could be judged"));
    yard.expect(0, &format!("{line} --accept-unjudged"));
    yard.expect(0, &format!("{line} --engine builtin"));
    yard.expect(5, "sweep ingot-stack --engine builtin:solver=event --out none -q");
}

#[test]
fn faults_built_in_on_purpose_are_caught_by_the_right_claims() {
    let yard = Yard::new();
    for (fault, scene, gauge) in [
        ("half-sizes", "ingot-stack", "overlap.deepest"),
        ("gravity-twice", "bearing-drop", "impacts.count"),
        ("restitution-of-height", "bearing-drop", "rebound.speed"),
        ("restitution-of-height", "bearing-drop", "rebound.height"),
        ("one-answers", "wagon-count", "momentum.balance"),
    ] {
        let result = yard.json(1, &format!("{scene} --dt 1/240 --engine builtin:swept=off,fault={fault}"));
        let failed = result["trials"][0]["claims"]
            .as_array()
            .unwrap()
            .iter()
            .any(|c| c["gauge"] == gauge && c["verdict"] == "fail");
        assert!(failed, "{fault} in {scene} was not caught by {gauge}: {result}");
    }
}
