//! A folder for each test, and the program run in it.

use assert_cmd::Command;
use serde_json::Value;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

/// Whether a tool of the machine is there. A test that goes without it says so past the capture of the test runner, and `.ci/run` fails on
/// that line.
pub(crate) fn has_tool(tool: &str, test: &str) -> bool {
    let found = std::process::Command::new(tool).arg("--version").output().is_ok_and(|output| output.status.success());
    if !found {
        use std::io::Write;
        let _ = writeln!(std::io::stderr().lock(), "SKIPPED: {test} needs {tool}");
    }
    found
}

/// A temporary folder in which the program is run.
pub(crate) struct Yard {
    folder: TempDir,
}

/// What came back.
pub(crate) struct Answer {
    pub(crate) status: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Yard {
    pub(crate) fn new() -> Self {
        Yard { folder: tempfile::tempdir().expect("a temporary folder") }
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: &str) {
        let path = self.path(name);
        let folder = path.parent().expect("a folder of the file");
        std::fs::create_dir_all(folder).expect("a folder in the temporary folder");
        std::fs::write(path, text).expect("a file in the temporary folder");
    }

    pub(crate) fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    /// Names of everything in the folder, sorted.
    pub(crate) fn names(&self) -> Vec<String> {
        self.names_in(".")
    }

    /// The same of a folder in it.
    pub(crate) fn names_in(&self, folder: &str) -> Vec<String> {
        let mut names: Vec<String> = std::fs::read_dir(self.folder.path().join(folder))
            .expect("a folder")
            .map(|entry| entry.expect("an entry").file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    }

    /// Runs the program with a line of arguments.
    pub(crate) fn ironspin(&self, line: &str) -> Answer {
        if let (Some(file), true) = (std::env::var_os("IRONSPIN_ERRORS"), line.starts_with("run case.toml")) {
            self.note_errors(line, Path::new(&file));
        }
        self.run(line)
    }

    /// Adds a line to a file for each claim of a run that expects a value: gauge, unit, measured, expected. For the table of what gauges measure wrong at
    /// most: `IRONSPIN_ERRORS=FILE cargo test -p ironspin --test cli -- oracles`.
    fn note_errors(&self, line: &str, file: &Path) {
        let line = line.split(" --format").next().unwrap_or(line);
        let Ok(document) = serde_json::from_str::<Value>(&self.run(&format!("{line} --format json -q")).out) else {
            return;
        };
        let mut lines = String::new();
        for claim in
            document["trials"].as_array().into_iter().flatten().flat_map(|trial| trial["claims"].as_array()).flatten()
        {
            lines +=
                &format!("{}\n", serde_json::json!([claim["gauge"], claim["unit"], claim["measured"], claim["bound"]]));
        }
        let mut file = std::fs::OpenOptions::new().create(true).append(true).open(file).expect("the file of errors");
        std::io::Write::write_all(&mut file, lines.as_bytes()).expect("the file of errors");
    }

    fn run(&self, line: &str) -> Answer {
        let output = Command::cargo_bin("ironspin")
            .expect("the built program")
            .current_dir(self.folder.path())
            .env("COLUMNS", "120")
            .env("NO_COLOR", "1")
            .args(line.split_whitespace())
            .output()
            .expect("the program to start");
        Answer {
            status: output.status.code().unwrap_or(-1),
            out: String::from_utf8_lossy(&output.stdout).into_owned(),
            err: String::from_utf8_lossy(&output.stderr).into_owned(),
        }
    }

    /// Runs the program and expects a status; a failure shows both streams.
    pub(crate) fn expect(&self, status: i32, line: &str) -> Answer {
        let answer = self.ironspin(line);
        assert_eq!(answer.status, status, "ironspin {line}\n--- out\n{}\n--- err\n{}", answer.out, answer.err);
        answer
    }

    /// Runs `run ... --format json` and reads the answer.
    pub(crate) fn json(&self, status: i32, line: &str) -> serde_json::Value {
        let answer = self.expect(status, &format!("run {line} --format json"));
        serde_json::from_str(&answer.out).expect("JSON on standard output")
    }
}

/// The claim of a gauge, about some bodies, in the first trial of a result.
pub(crate) fn claim<'a>(result: &'a serde_json::Value, gauge: &str, of: &str) -> &'a serde_json::Value {
    result["trials"][0]["claims"]
        .as_array()
        .expect("claims")
        .iter()
        .find(|claim| claim["gauge"] == gauge && claim["of"] == of)
        .unwrap_or_else(|| panic!("no claim of {gauge} about {of}"))
}

/// What that claim measured.
pub(crate) fn measured(result: &serde_json::Value, gauge: &str, of: &str) -> f64 {
    claim(result, gauge, of)["measured"].as_f64().expect("a measured value")
}

/// A number of a case.
pub(crate) fn number(value: &serde_json::Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("no number: {value}"))
}

/// Numbers of a case.
pub(crate) fn list(value: &serde_json::Value) -> Vec<f64> {
    value.as_array().unwrap_or_else(|| panic!("no list: {value}")).iter().map(number).collect()
}
