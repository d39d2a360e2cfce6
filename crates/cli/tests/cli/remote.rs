//! Engines in processes of their own: the same bits as in this one; what crashes, babbles or lies costs its own trial.

use crate::util::Yard;
use std::process::Command;

pub(crate) fn program() -> String {
    assert_cmd::cargo::cargo_bin("ironspin").display().to_string()
}

/// The built-in engine as a shared library, built beside the tests because they depend on it.
pub(crate) fn library() -> String {
    let beside = std::path::PathBuf::from(program());
    let folder = beside.parent().expect("a folder").join("deps");
    let name = format!("{}ironspin_builtin{}", std::env::consts::DLL_PREFIX, std::env::consts::DLL_SUFFIX);
    folder.join(name).display().to_string()
}

/// Runs the program with words that may have blanks in them.
pub(crate) fn run(yard: &Yard, words: &[&str]) -> (i32, String, String) {
    let output = Command::new(program())
        .current_dir(yard.path(""))
        .env("NO_COLOR", "1")
        .args(words)
        .output()
        .expect("the program to start");
    let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(output.stdout), text(output.stderr))
}

fn results(yard: &Yard, scenes: &[&str], engine: &str) -> serde_json::Value {
    let words: Vec<&str> = ["run"]
        .into_iter()
        .chain(scenes.iter().copied())
        .chain(["--engine", engine, "--format", "json", "-q"])
        .collect();
    let (_, out, err) = run(yard, &words);
    let mut document: serde_json::Value = serde_json::from_str(&out).unwrap_or_else(|_| panic!("{err}"));
    for trial in document["trials"].as_array_mut().expect("trials") {
        let trial = trial.as_object_mut().expect("a trial");
        // All but what it is called.
        ["engine", "engine_options", "again"].iter().for_each(|name| drop(trial.remove(*name)));
    }
    document
}

#[test]
fn the_built_in_engine_served_and_as_a_library_gives_the_same_bits_on_all_scenes() {
    let yard = Yard::new();
    let scenes: Vec<&str> = ironspin_scene::bundled::names().collect();
    let builtin = results(&yard, &scenes, "builtin");
    let served = format!("cmd:{} serve-engine", program());
    assert_eq!(results(&yard, &scenes, &served), builtin);
    assert_eq!(results(&yard, &scenes, &format!("lib:{}", library())), builtin);
    let by_events = results(&yard, &["wagon-count"], "builtin:solver=event");
    assert_eq!(results(&yard, &["wagon-count"], &format!("{served} :: solver=event")), by_events);
    assert_eq!(results(&yard, &["wagon-count"], &format!("lib:{} :: solver=event", library())), by_events);
}

#[test]
fn twins_and_edges_work_over_the_wire() {
    let yard = Yard::new();
    let served = format!("cmd:{} serve-engine", program());
    let (status, out, err) =
        run(&yard, &["twin", "first-drop", "--by", "again,restore,split,units,mirror", "--engine", &served, "-q"]);
    assert_eq!(status, 0, "{out}{err}");
    let (status, out, err) = run(
        &yard,
        &[
            "edge",
            "rivet-shot",
            "--set",
            "rungs=1",
            "--raise",
            "speed=1..100",
            "--until",
            "tunnel",
            "--scan",
            "3",
            "--engine",
            &served,
            "-q",
        ],
    );
    assert!(status == 0 && out.contains("holds everywhere"), "{out}{err}");
}

#[test]
#[cfg(unix)]
fn what_crashes_babbles_or_lies_costs_its_own_trial_with_its_last_words() {
    let yard = Yard::new();
    let served = format!("{} serve-engine", program());
    // Answers of the sound engine with one thing changed.
    let spoilt = |name: &str, edit: &str| {
        yard.write(name, &format!("{served} | sed -u '{edit}'\n"));
        format!("cmd:sh {name}")
    };
    for (engine, words) in [
        ("cmd:./no-such-engine".to_owned(), "cannot be started"),
        ("cmd:echo hello".to_owned(), "it said `hello`"),
        ("cmd:printf half".to_owned(), "half a line: `half`"),
        ("cmd:sh -c 'echo the winch broke >&2; exit 7'".to_owned(), "the winch broke"),
        ("cmd:sh -c 'exec >&-; sleep 1'".to_owned(), "no answer to"),
        (spoilt("id.sh", r#"s/"id":2/"id":9/"#), "it answered call 9"),
        (spoilt("state.sh", r#"s/"state":\[/"state":[1,/"#), "numbers in the state of frame"),
        (spoilt("step.sh", r#"s/"step":3,/"step":4,/"#), "frame 4 where frame 3 is due"),
        (spoilt("version.sh", r#"s/"protocol":1/"protocol":2/"#), "version 2 of the protocol"),
        (spoilt("bodies.sh", r#"s/"bodies":2/"bodies":1000000000/"#), "bodies of 2"),
        (format!("cmd:{served} :: swepd=all"), "did you mean `swept`?"),
    ] {
        let (status, out, err) = run(&yard, &["run", "first-drop", "--engine", &engine, "--engine", "builtin", "-q"]);
        assert_eq!(status, 3, "{engine}\n{out}{err}");
        assert!(out.contains("2 trials: 1 pass, 0 fail, 1 engine error"), "{engine}\n{out}{err}");
        assert!(out.contains(words), "{engine}: `{words}` not in\n{out}{err}");
    }
    // What it cannot do is not asked for.
    let poor = spoilt("poor.sh", r#"s/"sensor",//"#);
    let (status, out, _) = run(&yard, &["run", "turnstile", "--engine", &poor, "-q"]);
    assert!(status == 5 && out.contains("1 unsupported"), "{out}");
}

#[test]
fn calls_that_are_wrong_are_answered_with_their_codes() {
    let yard = Yard::new();
    let calls = [
        ("{\"id\":1,\"method\":\"advance\",\"params\":{\"dt\":[0.1]}}", "-32000"),
        ("not json", "-32700"),
        ("{\"id\":2,\"method\":\"dance\"}", "-32601"),
        ("{\"id\":3,\"method\":\"build\",\"params\":{\"space\":2}}", "-32602"),
        ("{\"id\":4,\"method\":\"close\"}", "\"result\":{}"),
    ];
    let lines: String = calls.iter().map(|(call, _)| format!("{call}\n")).collect();
    let output = assert_cmd::Command::new(program())
        .current_dir(yard.path(""))
        .arg("serve-engine")
        .write_stdin(lines)
        .output()
        .unwrap();
    let answers = String::from_utf8(output.stdout).unwrap();
    for (answer, (call, part)) in answers.lines().zip(calls) {
        assert!(answer.contains(part), "{call}\n{answer}");
    }
    assert_eq!(answers.lines().count(), calls.len());
}

#[test]
fn a_trial_has_a_limit_of_its_own() {
    let yard = Yard::new();
    let engine = format!("cmd:{} serve-engine", env!("CARGO_BIN_EXE_ironspin"));
    let line = ["run", "billet-pyramid", "--set", "base=40", "--engine", &engine, "--limits", "trial=0.4", "-q"];
    let began = std::time::Instant::now();
    let (status, out, err) = run(&yard, &line);
    assert_eq!(status, 3, "{out}{err}");
    assert!(out.contains("the trial took its 0.4 s"), "{out}{err}");
    assert!(began.elapsed().as_secs() < 20, "{:?}", began.elapsed());
}
