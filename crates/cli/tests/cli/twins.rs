//! Twins: what must agree to the bit does, what is broken is found with its first step.

use crate::util::Yard;

fn twins(yard: &Yard, status: i32, line: &str) -> Vec<serde_json::Value> {
    let answer = yard.expect(status, &format!("twin {line} --format json -q"));
    let document: serde_json::Value = serde_json::from_str(&answer.out).expect("JSON on standard output");
    assert_eq!(document["format"], "ironspin.twins/1");
    document["twins"].as_array().expect("a list").clone()
}

const EXACT: &str = "again,process,threads,split,restore,units,mass,tempo,bystander";

#[test]
fn exact_changes_change_not_a_bit() {
    let yard = Yard::new();
    let scenes = "ingot-stack ladle-swing spring-hammer turnstile casting-split gate-layers rivet-blade rising-platform yard-edge";
    for twin in twins(&yard, 0, &format!("{scenes} --by {EXACT}")) {
        assert_eq!(twin["verdict"], "pass", "{twin}");
        assert!(twin["first"].is_null() && twin["steps"].as_u64().unwrap() > 0, "{twin}");
    }
}

#[test]
fn more_threads_and_other_settings_change_not_a_bit_either() {
    let yard = Yard::new();
    // 820 bodies: enough for the threads to share the work.
    let line = format!("billet-pyramid --set base=40 --set span=0.5 --by {EXACT}");
    let line = if yard.ironspin(&format!("twin {line} -q")).status == 2 {
        format!("billet-pyramid --by {EXACT}")
    } else {
        line
    };
    twins(&yard, 0, &line);
    for engine in
        ["builtin:solver=compliant", "builtin:solver=position", "builtin:precision=f32", "builtin:broad=sweep"]
    {
        if yard.ironspin(&format!("run first-drop --engine {engine} -q")).status != 2 {
            let found = twins(&yard, 0, &format!("first-drop ingot-stack --engine {engine} --by {EXACT}"));
            assert!(found.iter().all(|twin| twin["verdict"] == "pass"), "{engine}");
        }
    }
}

#[test]
fn an_engine_that_forgets_something_when_it_is_put_back_is_found() {
    let yard = Yard::new();
    let engine = "builtin:fault=forgets-on-restore";
    let found = twins(&yard, 1, &format!("ingot-stack --engine {engine} --by again,restore --out parted"));
    assert_eq!((&found[0]["verdict"], &found[1]["verdict"]), (&"pass".into(), &"fail".into()));
    let first = &found[1]["first"];
    assert!(first["step"].as_u64().unwrap() > 0 && first["body"].as_str().unwrap().starts_with("ingot["), "{first}");
    assert!(["x", "y", "angle", "vx", "vy", "spin"].contains(&first["component"].as_str().unwrap()));
    let names: Vec<String> = std::fs::read_dir(yard.path("parted"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    assert!(names.iter().any(|name| name.ends_with("ingot-stack-restore.svg")), "{names:?}");
    let reported = yard.expect(1, &format!("twin ingot-stack --engine {engine} --by restore -q"));
    assert!(
        reported.out.contains("first at step") && reported.out.contains("again: ironspin twin"),
        "{}",
        reported.out
    );
}

#[test]
fn what_cannot_be_changed_is_unsupported_and_what_is_not_known_refused() {
    let yard = Yard::new();
    let found = twins(&yard, 0, "wagon-count --by boost");
    assert_eq!(found[0]["verdict"], "unsupported");
    assert!(found[0]["reason"].as_str().unwrap().contains("`buffer` cannot be in uniform motion"), "{}", found[0]);
    let answer = yard.expect(2, "twin first-drop --by miror");
    assert!(answer.err.contains("did you mean `mirror`?"), "{}", answer.err);
}

#[test]
fn scenes_promise_twins_and_run_checks_them_when_asked() {
    let yard = Yard::new();
    let answer = yard.expect(0, "run first-drop slag-lob --twins -q");
    assert!(answer.out.contains("28 twins: 28 agree") || answer.out.contains("twins: "), "{}", answer.out);
    assert!(answer.out.contains("0 do not"), "{}", answer.out);
    assert_eq!(twins(&yard, 0, "first-drop --by promised").len(), 14);
}

#[test]
fn twins_that_run_along_stand_in_every_document() {
    let yard = Yard::new();
    let line = "run rivet-swarm --twins --set count=20 --dt 1/60 -q --format";
    let answer = yard.ironspin(&format!("{line} json"));
    let document: serde_json::Value = serde_json::from_str(&answer.out).expect(&answer.out);
    let twins = document["twins"].as_array().expect("a list");
    let verdict = |by: &str| twins.iter().find(|twin| twin["by"] == by).map(|twin| twin["verdict"].clone());
    assert_eq!(verdict("again"), Some("pass".into()), "{twins:?}");
    let failing = twins.iter().filter(|twin| twin["verdict"] == "fail").count();
    let junit = yard.ironspin(&format!("{line} junit")).out;
    assert!(junit.contains("name=\"twin again at dt 1/60\""), "{junit}");
    assert_eq!(junit.matches("<failure").count(), failing);
    let csv = yard.ironspin(&format!("{line} csv")).out;
    assert!(csv.lines().any(|line| line.contains(",twin.again,*,0,m,,every bit,pass,must,no bit differs,")), "{csv}");
    let step = |line: &str| line.split(',').nth(2).map(str::to_owned);
    assert!(
        csv.lines().skip(1).all(|line| step(line) == step(csv.lines().nth(1).unwrap())),
        "one form of the step: {csv}"
    );
    let markdown = yard.ironspin(&format!("{line} markdown")).out;
    assert!(
        markdown.contains("| twin | wanted | what came of it |")
            && markdown.contains("| again | every bit | no bit differs |"),
        "{markdown}"
    );
}
