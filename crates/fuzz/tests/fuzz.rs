//! Some inputs of every kind, and all that once broke something.

use ironspin_fuzz::{TARGETS, drive};
use std::path::Path;

/// Inputs of each target, fewer where each takes long.
fn count(name: &str) -> u64 {
    match name {
        "trial" => 300,
        "call" => 500,
        "scene" | "resolved" | "trace" | "folder" => 3_000,
        _ => 10_000,
    }
}

#[test]
fn nothing_breaks_over_some_inputs_of_every_kind() {
    std::thread::scope(|scope| {
        // The program itself is tried elsewhere.
        for target in TARGETS.iter().filter(|target| target.name != "program") {
            scope.spawn(move || {
                let figures = drive(target, 20, count(target.name), None);
                assert_eq!(figures.inputs, count(target.name), "{}", target.name);
                if let Some((why, input)) = figures.broken.first() {
                    panic!("{}: {why}\n{}", target.name, String::from_utf8_lossy(input));
                }
                // Otherwise nothing but the first look at an input would be tried.
                assert!(figures.taken > 0, "{}: nothing was taken", target.name);
            });
        }
    });
}

#[test]
fn what_once_broke_something_breaks_nothing_more() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("kept");
    let mut thrown = 0;
    for entry in kept.read_dir().expect("the kept inputs") {
        let path = entry.expect("an entry").path();
        let name = path.file_name().expect("a name").to_string_lossy().into_owned();
        let target = TARGETS.iter().find(|target| name.starts_with(&format!("{}-", target.name)));
        let target = target.unwrap_or_else(|| panic!("{name} belongs to no target"));
        let input = std::fs::read(&path).expect("an input");
        if let Err(why) = (target.throw)(&input) {
            panic!("{name}: {why}");
        }
        thrown += 1;
    }
    assert!(thrown > 0);
}
