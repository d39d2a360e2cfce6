//! `ironspin-fuzz TARGET COUNT SEED FOLDER`: throws so many inputs at a target and prints the figures in a line; what broke something is kept in
//! the folder. Ends with 1 when anything did.
#![allow(clippy::print_stdout, clippy::print_stderr)]

use ironspin_fuzz::{TARGETS, drive};
use std::path::Path;
use std::process::ExitCode;

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [name, count, seed, folder] = words.as_slice() else {
        eprintln!("ironspin-fuzz TARGET COUNT SEED FOLDER; targets are:");
        TARGETS.iter().for_each(|target| eprintln!("  {:12} {}", target.name, target.about));
        return ExitCode::from(2);
    };
    let target = TARGETS.iter().find(|target| target.name == name);
    let (Some(target), Ok(count), Ok(seed)) = (target, count.parse(), seed.parse()) else {
        eprintln!("no such target, or a number that is none");
        return ExitCode::from(2);
    };
    // What breaks is told below, once each.
    std::panic::set_hook(Box::new(|_| {}));
    let began = std::time::Instant::now();
    let figures = drive(target, seed, count, Some(Path::new(folder)));
    let seconds = began.elapsed().as_secs_f64();
    println!(
        "{name}: inputs={} taken={} seconds={seconds:.0} slowest={:.2} memory_mb={} broken={}",
        figures.inputs,
        figures.taken,
        figures.slowest,
        most_memory() / 1000,
        figures.broken.len()
    );
    let mut told = std::collections::BTreeSet::new();
    for (why, _) in &figures.broken {
        if told.insert(why) {
            println!("  {why:.300}");
        }
    }
    ExitCode::from(u8::from(!figures.broken.is_empty()))
}

/// Most memory that this process has held, kB; 0 where the system does not tell.
fn most_memory() -> u64 {
    let text = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.and_then(|line| line.split_whitespace().next()?.parse().ok()).unwrap_or(0)
}
