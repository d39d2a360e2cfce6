//! Runs the bench on one engine and holds it to its word: the verdict, the time, the memory of the bench, and that no process is left.

use crate::remote::program;
use crate::util::Yard;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// What must come of an engine on `first-drop`.
pub(super) enum Must<'a> {
    /// An engine error whose reason holds these words.
    Fail(&'a str),
    /// A pass, and these words on standard error.
    Pass(&'a str),
}

/// Time that a trial of a saboteur may take beyond its limits, s: far beyond what any takes, far below a hang.
const LONGEST: Duration = Duration::from_secs(40);
/// Memory that the bench itself may hold, kB.
const MOST: u64 = 300_000;
/// Longest output, bytes: nothing that an engine says fills a terminal.
const LONGEST_OUTPUT: usize = 200_000;

/// Most memory that a process has held so far, kB; 0 where the system does not tell.
fn memory(pid: u32) -> u64 {
    let text = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
    let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.and_then(|line| line.split_whitespace().next()?.parse().ok()).unwrap_or(0)
}

/// Living processes whose environment holds a mark, which children inherit, also those that leave their group.
fn marked(mark: &str) -> Vec<String> {
    let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    let found = processes.filter(|process| {
        let environment = std::fs::read(process.path().join("environ")).unwrap_or_default();
        let is_marked = environment.windows(mark.len()).any(|window| window == mark.as_bytes());
        let state = std::fs::read_to_string(process.path().join("stat")).unwrap_or_default();
        is_marked && !state.rsplit_once(") ").is_none_or(|(_, rest)| rest.starts_with(['Z', 'X']))
    });
    found.map(|process| std::fs::read_to_string(process.path().join("cmdline")).unwrap_or_default()).collect()
}

/// Runs `first-drop` on an engine.
pub(super) fn watched(yard: &Yard, engine: &str, limits: &str, more: &[&str], must: &Must<'_>) {
    let began = Instant::now();
    let mark = format!("FOUNDRY_YARD={}", yard.path("").display());
    let [out_path, err_path] = ["out.txt", "err.txt"].map(|name| yard.path(name));
    let file = |path| Stdio::from(std::fs::File::create(path).expect("a file"));
    let limits = if limits.is_empty() { Vec::new() } else { vec!["--limits", limits] };
    let mut bench = Command::new(program())
        .current_dir(yard.path(""))
        .env("NO_COLOR", "1")
        .env("FOUNDRY_YARD", yard.path(""))
        .args(["run", "first-drop", "-q", "--engine", engine])
        .args(limits)
        .args(more)
        .stdin(Stdio::null())
        .stdout(file(&out_path))
        .stderr(file(&err_path))
        .spawn()
        .expect("the program to start");
    let mut most = 0;
    let status = loop {
        most = most.max(memory(bench.id()));
        if let Some(status) = bench.try_wait().expect("an end") {
            break status;
        }
        assert!(began.elapsed() < LONGEST, "{engine}: no end in {LONGEST:?}");
        std::thread::sleep(Duration::from_millis(10));
    };
    let text = |path| String::from_utf8_lossy(&std::fs::read(path).expect("a file")).into_owned();
    let (out, err) = (text(&out_path), text(&err_path));
    assert!(most < MOST, "{engine}: {most} kB of memory");
    assert!(out.len() + err.len() < LONGEST_OUTPUT, "{engine}: {} bytes of output", out.len() + err.len());
    assert!(!out.contains('\u{1b}') && !err.contains('\u{1b}'), "{engine}: an escape sequence");
    match must {
        Must::Fail(words) => {
            assert_eq!(status.code(), Some(3), "{engine}\n{out}{err}");
            assert!(out.contains(words), "{engine}: `{words}` not in\n{out}{err}");
        }
        Must::Pass(words) => {
            assert_eq!(status.code(), Some(0), "{engine}\n{out}{err}");
            assert!(err.contains(words), "{engine}: `{words}` not in\n{err}");
        }
    }
    // What was ended may take a moment to be gone.
    let ended = Instant::now();
    while !marked(&mark).is_empty() {
        assert!(ended.elapsed() < Duration::from_secs(5), "{engine} left {:?}", marked(&mark));
        std::thread::sleep(Duration::from_millis(20));
    }
}
