//! Sweeps: folders that go on where they stopped, shares, plans, and what is refused before the first trial.

use crate::util::Yard;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;

const GRID: &str =
    "first-drop rivet-shot ingot-stack --dt 1/30,1/60 --units 1,2^-10 --engine builtin --engine builtin:swept=off -q";

/// The files drawn from the trials.
fn drawn(yard: &Yard, folder: &str) -> [String; 3] {
    ["result.json", "trials.csv", "map.txt"].map(|name| yard.read(&format!("{folder}/{name}")))
}

fn trials(yard: &Yard, folder: &str) -> Vec<std::path::PathBuf> {
    let entries = std::fs::read_dir(yard.path(&format!("{folder}/trials"))).expect("a folder of trials");
    let mut files: Vec<_> = entries.map(|entry| entry.expect("an entry").path()).collect();
    files.sort();
    files
}

#[test]
fn a_sweep_goes_on_where_it_stopped_and_ends_with_the_same_bytes() {
    let yard = Yard::new();
    yard.expect(1, &format!("sweep {} --out whole --jobs 1", GRID));
    let whole = drawn(&yard, "whole");
    let files = trials(&yard, "whole");
    assert_eq!(files.len(), 3 * 2 * 2 * 2);
    assert!(
        whole[2].contains("rivet-shot on builtin:swept=off\n  dt           1/30  1/60\n  plain        FAIL  FAIL"),
        "{}",
        whole[2]
    );
    // Half of the trials lost, one of the others broken off in the middle.
    for file in files.iter().step_by(2) {
        std::fs::remove_file(file).unwrap();
    }
    let broken = std::fs::read_to_string(&files[1]).unwrap();
    std::fs::write(&files[1], &broken[..broken.len() / 2]).unwrap();
    let kept = std::fs::metadata(&files[3]).unwrap().modified().unwrap();
    let again = yard.expect(1, &format!("sweep {} --out whole --jobs 2", GRID).replace(" -q", ""));
    assert!(again.err.contains("13 trials in"), "{}", again.err);
    assert!(again.err.contains("11 of them were in the folder already"), "{}", again.err);
    assert_eq!(drawn(&yard, "whole"), whole);
    assert_eq!(std::fs::metadata(&files[3]).unwrap().modified().unwrap(), kept, "a finished trial was written again");
}

#[test]
fn shares_are_fixed_and_join_to_the_whole() {
    let yard = Yard::new();
    yard.expect(1, &format!("sweep {} --out whole", GRID));
    let mut sum = 0;
    for share in 1..=3 {
        // Whatever the trials say, a share whose trials were run has done its work.
        let done = yard.expect(0, &format!("sweep {} --out part{share} --shard {share}/3", GRID).replace(" -q", ""));
        assert!(done.err.contains(&format!("share {share}/3 is done")), "{}", done.err);
        sum += trials(&yard, &format!("part{share}")).len();
    }
    assert_eq!(sum, 24);
    yard.expect(1, "merge part1 part2 part3 --out joined -q");
    assert_eq!(drawn(&yard, "joined"), drawn(&yard, "whole"));
    assert_eq!(yard.read("joined/report.html"), yard.read("whole/report.html"));
    let made = |folder: &str| -> serde_json::Value {
        serde_json::from_str(&yard.read(&format!("{folder}/manifest.json"))).unwrap()
    };
    for key in ["tool", "scenes", "engines"] {
        assert_eq!(made("joined")[key], made("whole")[key], "{key}");
    }
    let partly = yard.expect(4, "merge part1 --out some");
    assert!(partly.err.contains("trials are missing: they are in none of the folders"), "{}", partly.err);
    yard.ironspin("sweep first-drop --out other -q");
    let mixed = yard.expect(2, "merge part1 other --out mixed");
    assert!(mixed.err.contains("`other` is a share of another grid"), "{}", mixed.err);
}

/// The command line of the page, with the program of this build.
#[cfg(unix)]
#[test]
fn the_loop_of_the_docs_runs_shares_and_joins_them() {
    let page = include_str!("../../../../docs/sweeps.md");
    let script =
        page.split("```sh\n").find(|block| block.starts_with("for share")).unwrap().split("```").next().unwrap();
    let yard = Yard::new();
    yard.write("yard.toml", "plan = 1\nscenes = [\"first-drop\", \"rivet-shot\"]\ndt = [\"1/30\", \"1/60\"]\n");
    let program = Path::new(env!("CARGO_BIN_EXE_ironspin"));
    let folders = [program.parent().unwrap().as_os_str(), &std::env::var_os("PATH").unwrap_or_default()]
        .join(std::ffi::OsStr::new(":"));
    let done = std::process::Command::new("sh")
        .args(["-ec", script])
        .env("PATH", folders)
        .current_dir(yard.path("."))
        .output()
        .expect("a shell");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    yard.expect(0, "sweep --plan yard.toml --out alone -q");
    assert_eq!(drawn(&yard, "whole"), drawn(&yard, "alone"));
}

#[test]
fn a_sweep_of_many_trials_has_several_pages_and_goes_into_a_ledger_in_one_piece() {
    let yard = Yard::new();
    yard.expect(0, "sweep first-drop --seed 1..2100 --out many --ledger yard.db --name base -q");
    let first = yard.read("many/report.html");
    assert!(first.contains("2100 trials: 2100 pass") && first.contains("pass 2100"), "the whole");
    assert_eq!(yard.names_in("many/report-pages"), ["0001.html", "0002.html", "0003.html"]);
    for (number, trials, links) in [
        (1, "1000 trials", "<a href=\"0002.html\">Next page</a>"),
        (2, "1000 trials", "<a href=\"0001.html\">Page before</a>"),
        (3, "100 trials", "<a href=\"../report.html\">All trials</a>"),
    ] {
        assert!(first.contains(&format!("href=\"report-pages/000{number}.html\"")));
        let page = yard.read(&format!("many/report-pages/000{number}.html"));
        assert!(page.contains(trials) && page.contains(links), "page {number}");
    }
    assert!(
        first.contains("first-drop on builtin at dt 1/60, seed 2001 to first-drop on builtin at dt 1/60, seed 2100")
    );
    let same = yard.expect(0, "compare yard.db#base many").out;
    assert!(same.contains("0 changed") && !same.starts_with("0 figures"), "{same}");
    // The same from the folder alone, and no page too many when it has fewer trials.
    yard.write("many/report-pages/0009.html", "old");
    yard.expect(0, "report many -q");
    assert_eq!(yard.names_in("many/report-pages").len(), 3);
}

#[test]
fn shares_made_with_another_engine_do_not_join() {
    let yard = Yard::new();
    for share in 1..=2 {
        yard.expect(
            0,
            &format!("sweep first-drop --dt 1/30,1/60 --engine builtin --out part{share} --shard {share}/2 -q"),
        );
    }
    let changed = yard.read("part2/manifest.json").replace("\"builtin\": \"builtin ", "\"builtin\": \"builtin 9.");
    yard.write("part2/manifest.json", &changed);
    let refused = yard.expect(2, "merge part1 part2 --out whole");
    assert!(
        refused.err.contains("`part2` was made with another engine `builtin` than the first folder"),
        "{}",
        refused.err
    );
    assert!(!yard.path("whole").exists());
}

#[test]
fn a_plan_file_says_the_same_as_the_command_line() {
    let yard = Yard::new();
    yard.write(
        "yard.toml",
        "plan = 1\nscenes = [\"first-drop\", \"rivet-shot\"]\ndt = [\"1/30\", \"1/60\"]\nsize = [1, 4]\nseed = [3]\n",
    );
    yard.expect(0, "sweep --plan yard.toml --out planned -q");
    yard.expect(0, "sweep first-drop rivet-shot --dt 1/30,1/60 --size 1,4 --seed 3 --out typed -q");
    assert_eq!(drawn(&yard, "planned"), drawn(&yard, "typed"));
}

#[test]
fn what_cannot_be_swept_is_refused_before_the_first_trial() {
    let yard = Yard::new();
    yard.write("slip.toml", "plan = 1\nscenes = [\"first-drop\"]\nsizes = [1]\n");
    yard.write("none.toml", "plan = 1\nscenes = [\"first-drp\"]\n");
    yard.write("taken/precious.txt", "x");
    for (line, words) in [
        ("sweep --plan slip.toml", "unknown key `sizes`"),
        ("sweep --plan slip.toml", "slip.toml:3:1"),
        ("sweep --plan none.toml", "did you mean `first-drop`?"),
        ("sweep --plan missing.toml", "cannot read the plan"),
        ("sweep first-drop --set heigth=1,2", "heigth"),
        ("sweep first-drop --seed 1..10000 --dt 1/30,1/60,1/120", "this grid has 30000 trials, and the limit is 20000"),
        ("sweep first-drop --out taken", "is no folder of results"),
        ("sweep first-drop --shard 6/5", "expected SHARE/SHARES"),
        ("sweep first-drop --out slip.toml/x", "cannot write"),
    ] {
        let answer = yard.expect(2, line);
        assert!(answer.err.contains(words), "{line}\n{}", answer.err);
    }
    assert_eq!(yard.names(), ["none.toml", "slip.toml", "taken"]);
}

#[test]
#[cfg(unix)]
fn killed_at_any_moment_no_finished_trial_is_lost() {
    let yard = Yard::new();
    yard.expect(1, &format!("sweep {} --out whole", GRID));
    let mut before = 0;
    for moment in [30, 60, 90, 120, 40] {
        let mut child = std::process::Command::new(assert_cmd::cargo::cargo_bin("ironspin"))
            .current_dir(yard.path(""))
            .args(format!("sweep {} --out cut --jobs 2", GRID).split_whitespace())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("the program to start");
        std::thread::sleep(Duration::from_millis(moment));
        child.kill().expect("a signal");
        child.wait().expect("an end");
        let finished = if Path::new(&yard.path("cut/trials")).exists() {
            trials(&yard, "cut").iter().filter(|file| file.extension().is_some_and(|end| end == "json")).count()
        } else {
            0
        };
        assert!(finished >= before, "a finished trial was lost");
        before = finished;
    }
    yard.expect(1, &format!("sweep {} --out cut", GRID));
    assert_eq!(drawn(&yard, "cut"), drawn(&yard, "whole"));
}

#[test]
#[cfg(unix)]
fn ctrl_c_keeps_what_is_finished_and_ends_with_130() {
    let yard = Yard::new();
    let child = std::process::Command::new(assert_cmd::cargo::cargo_bin("ironspin"))
        .current_dir(yard.path(""))
        .args("sweep first-drop --seed 1..10000 --out long --jobs 2 -q".split_whitespace())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program to start");
    // Once something is finished the signal has somebody to catch it.
    let begun = || yard.path("long/trials").is_dir() && !trials(&yard, "long").is_empty();
    for _ in 0..3000 {
        if begun() {
            break;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    let signal = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().expect("kill");
    assert!(signal.success());
    let output = child.wait_with_output().expect("an end");
    let reported = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(130), "{reported}");
    assert!(reported.contains("the same command goes on from here"), "{reported}");
    let document: serde_json::Value = serde_json::from_str(&yard.read("long/result.json")).unwrap();
    let kept = document["summary"]["trials"].as_u64().unwrap();
    assert!(reported.contains(&format!("interrupted: {kept} of 10000 trials are finished")), "{reported}");
}

#[cfg(unix)]
#[test]
fn a_command_that_is_given_a_time_ends_with_what_is_finished() {
    let yard = Yard::new();
    let began = std::time::Instant::now();
    let ended = yard.expect(130, "sweep first-drop --seed 1..10000 --out long -q --timeout 1.5");
    assert!(began.elapsed() < Duration::from_secs(20), "{:?}", began.elapsed());
    assert!(ended.err.contains("the time of --timeout is over"), "{}", ended.err);
    // Under load the time may be over before the first trial.
    let began_trials = ended.err.contains("of 10000 trials are finished");
    assert!(began_trials || !ended.err.contains("trials"), "{}", ended.err);
    yard.expect(130, "sweep first-drop --seed 1..10000 --out short -q --timeout 0.001");
    assert!(yard.expect(2, "run first-drop --timeout nan").err.contains("expected a number above 0"));
}
