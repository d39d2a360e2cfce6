//! Engines that crash, hang, flood or leave children behind: the right verdict in bounded time, other trials untouched, nothing left over.

mod libraries;
mod programs;
mod watched;

use crate::remote::{program, run};
use crate::util::Yard;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// The sound engine, each of whose calls `$l`, the `$n`th, goes through some words of shell that may stop.
fn through(yard: &Yard, name: &str, filter: &str) -> String {
    let each = format!("while IFS= read -r l; do n=$((n+1)); {filter}; printf '%s\\n' \"$l\"; done");
    yard.write(name, &format!("(n=0; b=0; {each}) | {} serve-engine; exit 9\n", program()));
    format!("cmd:sh {name}")
}

/// Runs `first-drop` on an engine and on the sound one; the engine's must be an error that says `words`, the other's a pass.
fn must_fail(yard: &Yard, engine: &str, more: &[&str], words: &str) {
    let began = Instant::now();
    let all = [&["run", "first-drop", "--engine", engine, "--engine", "builtin", "-q"], more].concat();
    let (status, out, err) = run(yard, &all);
    assert_eq!(status, 3, "{engine}\n{out}{err}");
    assert!(out.contains("2 trials: 1 pass, 0 fail, 1 engine error"), "{engine}\n{out}{err}");
    assert!(out.contains(words), "{engine}: `{words}` not in\n{out}{err}");
    // Far beyond what any of these takes, far below a hang.
    assert!(began.elapsed() < Duration::from_secs(60), "{engine} took {:?}", began.elapsed());
}

#[test]
fn hangs_floods_and_limits_end_as_verdicts() {
    let yard = Yard::new();
    for (engine, more, words) in [
        (through(&yard, "hang.sh", "[ $n -eq 4 ] && sleep 1000"), "step=0.02", "no answer in"),
        (through(&yard, "crash.sh", "[ $n -eq 4 ] && exit"), "step=2", "exit status: 9"),
        // Reads nothing at all, so that a large world cannot be written to it.
        ("cmd:sleep 1000".to_owned(), "start=0.5", "no answer in 0.5 s to"),
        ("cmd:sh -c 'yes the winch squeals >&2'".to_owned(), "start=0.5", "its log ends: the winch squeals"),
        ("cmd:sh -c 'yes | tr -d \"\\n\"'".to_owned(), "start=30", "a line of more than"),
        ("cmd:sh -c 'yes'".to_owned(), "start=5", "it said `y`"),
        ("cmd:sh -c 'printf \"\\\\377\\\\376\\\\n\"'".to_owned(), "start=5", "no UTF-8"),
        ("cmd:sh -c 'kill -SEGV $$'".to_owned(), "start=5", "signal 11 (SIGSEGV)"),
        ("cmd:sh -c 'while :; do :; done'".to_owned(), "start=20,cpu=1", "it had used its 1 s of processor time"),
    ] {
        must_fail(&yard, &engine, &["--limits", more], words);
    }
}

#[test]
fn answers_out_of_order_are_told() {
    let yard = Yard::new();
    // The second call is answered as the third.
    let engine = through(&yard, "order.sh", "case $n in 2) l=$(printf '%s' \"$l\" | sed s/:2,/:3,/);; esac");
    must_fail(&yard, &engine, &[], "to call 2 (`build`) it answered call 3");
}

#[test]
fn a_process_serves_many_trials_and_a_second_try_is_marked() {
    let yard = Yard::new();
    // Fails at its second world.
    let engine = through(&yard, "once.sh", "case $l in *'\"build\"'*) b=$((b+1)); [ $b -eq 2 ] && exit;; esac");
    let words = ["run", "first-drop", "--dt", "1/60,1/120", "--jobs", "1", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &words);
    assert!(status == 0 && out.contains("2 trials: 2 pass"), "{out}{err}");
    assert_eq!(out.matches("this is the second try, in a new process").count(), 1, "{out}");
    let (_, out, _) = run(&yard, &[&words[..], &["--format", "json"]].concat());
    assert_eq!(out.matches("\"retried\"").count(), 1, "{out}");
    // A process each, and nothing to try again.
    let (status, out, _) = run(&yard, &[&words[..], &["--fresh"]].concat());
    assert!(status == 0 && !out.contains("second try"), "{out}");
    // One process for both where nothing is amiss.
    yard.write("count.sh", &format!("echo start >> starts; exec {} serve-engine\n", program()));
    let (status, out, _) =
        run(&yard, &["run", "first-drop", "--dt", "1/60,1/120", "--jobs", "1", "--engine", "cmd:sh count.sh", "-q"]);
    assert_eq!((status, yard.read("starts").lines().count()), (0, 1), "{out}");
}

#[test]
fn a_saboteur_leaves_the_rest_of_a_sweep_as_it_is() {
    let yard = Yard::new();
    let engine = through(&yard, "crash.sh", "[ $n -eq 4 ] && exit");
    let trials = |engines: &[&str], out: &str| {
        let engines: Vec<&str> = engines.iter().flat_map(|engine| ["--engine", engine]).collect();
        let words =
            [&["sweep", "first-drop", "slag-lob", "--dt", "1/60,1/120", "--out", out, "-q"], &engines[..]].concat();
        let (_, _, err) = run(&yard, &words);
        let text = yard.read(&format!("{out}/result.json"));
        let document: serde_json::Value = serde_json::from_str(&text).unwrap_or_else(|_| panic!("{err}"));
        let trials = document["trials"].as_array().expect("trials").clone();
        trials.into_iter().filter(|trial| trial["engine"] == "builtin").collect::<Vec<_>>()
    };
    let beside = trials(&["builtin", &engine], "beside");
    assert_eq!(beside.len(), 4);
    assert_eq!(beside, trials(&["builtin"], "alone"));
}

/// Starts the bench on an engine that hangs, once it has printed its number. The caller waits for its end.
#[allow(clippy::zombie_processes)]
fn hanging(yard: &Yard) -> (std::process::Child, String) {
    // Two processes: the one that was started, and one that it started itself.
    yard.write("hang.sh", "sleep 1000 &\necho $! >> numbers\necho $$ >> numbers\nexec sleep 1000\n");
    let bench = Command::new(program())
        .current_dir(yard.path(""))
        .args(["run", "first-drop", "--engine", "cmd:sh hang.sh", "-q", "--limits", "start=600"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .expect("the program to start");
    let began = Instant::now();
    loop {
        let numbers = std::fs::read_to_string(yard.path("numbers")).unwrap_or_default();
        if numbers.lines().count() == 2 {
            return (bench, numbers);
        }
        assert!(began.elapsed() < Duration::from_secs(20), "the engine does not start");
        std::thread::sleep(Duration::from_millis(10));
    }
}

fn send(signal: &str, number: &str) -> bool {
    Command::new("kill").args([signal, number]).stderr(Stdio::null()).status().expect("kill").success()
}

/// Whether a process is still there and no mere entry in the table.
fn lives(number: &str) -> bool {
    let state = std::fs::read_to_string(format!("/proc/{number}/stat")).unwrap_or_default();
    match state.rsplit_once(") ") {
        Some((_, rest)) => !rest.starts_with('Z'),
        None => !cfg!(target_os = "linux") && send("-0", number),
    }
}

#[test]
fn nothing_is_left_behind_after_the_bench_is_killed_or_interrupted() {
    for signals in [&["-KILL"][..], &["-INT", "-INT"], &["-TERM", "-TERM"]] {
        let yard = Yard::new();
        let (mut bench, numbers) = hanging(&yard);
        assert!(numbers.lines().all(lives), "{numbers}");
        for signal in signals {
            send(signal, &bench.id().to_string());
            std::thread::sleep(Duration::from_millis(100));
        }
        bench.wait().expect("an end");
        let began = Instant::now();
        while numbers.lines().any(lives) {
            assert!(began.elapsed() < Duration::from_secs(10), "left behind after {signals:?}: {numbers}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}
