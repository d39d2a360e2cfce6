//! Our figures beside those of the C programs that stand for what the machine can do.

use std::path::{Path, PathBuf};
use std::process::Command;

const PAIRS: usize = 5;

/// The C programs, built into a folder of their own.
pub(crate) struct Limits(Option<tempfile::TempDir>);

impl Limits {
    pub(crate) fn build(programs: &[&str]) -> Self {
        let Some(source) = std::env::var_os("IRONSPIN_LIMITS").map(PathBuf::from) else { return Limits(None) };
        // Some of them include themselves by the path they are named by.
        let source = source.canonicalize().expect("a folder of limits");
        let folder = tempfile::tempdir().expect("a temporary folder");
        for &name in programs {
            // Nothing is fused in these, as nothing is in Rust.
            let fused = if !["broad", "step", "events"].contains(&name) { "off" } else { "fast" };
            let built = Command::new("gcc")
                .args(["-std=gnu11", "-O3", "-march=native", "-w", &format!("-ffp-contract={fused}")])
                .arg(source.join(format!("{name}.c")))
                .arg("-o")
                .arg(folder.path().join(name))
                .args(["-lm", "-pthread"])
                .status();
            assert!(built.is_ok_and(|status| status.success()), "{name}.c does not build");
        }
        Limits(Some(folder))
    }

    pub(crate) fn figure(&self, program: &str, argument: &str, name: &str) -> Option<f64> {
        let folder: &Path = self.0.as_ref()?.path();
        let output = Command::new(folder.join(program)).arg(argument).output().ok()?;
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let mut words = text.split_whitespace();
        words.find(|word| *word == name)?;
        let value: f64 = words.next()?.parse().ok()?;
        // Rates become times.
        Some(if program == "events" { 1.0 / value } else { value })
    }
}

pub(crate) fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

pub(crate) fn row(what: &str, limits: &Limits, program: &str, argument: &str, name: &str, ours: impl Fn() -> f64) {
    let (mut mine, mut theirs) = (Vec::new(), Vec::new());
    for _ in 0..PAIRS {
        theirs.extend(limits.figure(program, argument, name));
        mine.push(ours());
    }
    let mine = median(mine);
    if theirs.is_empty() {
        println!("| {what} | {mine:.4} | `{name}` not measured | |");
    } else {
        let limit = median(theirs);
        println!("| {what} | {mine:.4} | `{name}` {limit:.4} | {:.2} |", mine / limit);
    }
}
