//! Shares that processes, a scheduler and other programs work on: the same bytes as on one machine, whatever happens to them.
#![cfg(unix)]

use crate::util::{Yard, has_tool};
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
const PLAN: &str = "plan = 1\nscenes = [\"first-drop\", \"rivet-shot\"]\nengines = [\"builtin\", \"builtin:swept=off\"]\n\
    dt = [\"1/30\", \"1/60\"]\nseed = [1, 2]\n";
/// All that a sweep leaves but what made it.
const LEFT: [&str; 5] = ["plan.json", "map.txt", "trials.csv", "result.json", "report.html"];
const PATIENCE: Duration = Duration::from_secs(240);

fn program() -> PathBuf {
    PathBuf::from(env!("CARGO_BIN_EXE_ironspin"))
}

/// A yard with the plan, and what a run of it here leaves.
fn yard() -> Yard {
    let yard = Yard::new();
    yard.write("yard.toml", PLAN);
    yard.expect(1, "sweep --plan yard.toml --out alone -q");
    yard
}

/// Two folders hold the same bytes.
fn same(yard: &Yard, one: &str, other: &str) {
    for name in LEFT {
        assert_eq!(yard.read(&format!("{one}/{name}")), yard.read(&format!("{other}/{name}")), "{name}");
    }
    for part in ["trials", "drawings"] {
        // What a copy of a share is still writing is no file of a trial.
        let whole = |folder: &str| {
            let names = yard.names_in(&format!("{folder}/{part}")).into_iter();
            names.filter(|name| !name.starts_with('.')).collect::<Vec<_>>()
        };
        let names = whole(one);
        assert_eq!(names, whole(other));
        for name in names {
            let read = |folder: &str| yard.read(&format!("{folder}/{part}/{name}"));
            assert_eq!(read(one), read(other), "{part}/{name}");
        }
    }
}

fn state(yard: &Yard, folder: &str) -> Value {
    serde_json::from_str(&yard.ironspin(&format!("farm status {folder} --format json")).out).unwrap()
}

fn until(what: &str, mut met: impl FnMut() -> bool) {
    let began = Instant::now();
    while !met() {
        assert!(began.elapsed() < PATIENCE, "waited too long for {what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

fn start(yard: &Yard, line: &str) -> Child {
    let mut command = Command::new(program());
    command.args(line.split_whitespace()).current_dir(yard.path("."));
    command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
}

fn signal(child: &Child, name: &str) {
    assert!(Command::new("kill").args([name, &child.id().to_string()]).status().unwrap().success());
}

fn finished(yard: &Yard, folder: &str) -> usize {
    let entries = std::fs::read_dir(yard.path(&format!("{folder}/trials"))).into_iter().flatten().flatten();
    entries.filter(|entry| !entry.file_name().to_string_lossy().starts_with('.')).count()
}

#[test]
fn processes_here_leave_what_a_run_here_leaves() {
    let yard = yard();
    let alone = yard.expect(1, "sweep --plan yard.toml --out alone -q");
    let far = yard.expect(1, "sweep --plan yard.toml --out far --on local:processes=2 --shares 3 --follow");
    assert_eq!(far.out, alone.out);
    assert!(far.err.contains("16 trials in 3 shares"), "{}", far.err);
    same(&yard, "alone", "far");
    let table = yard.expect(0, "farm status far").out;
    assert!(table.contains("16 of 16 trials are finished; 3 shares on local"), "{table}");
    assert!(table.contains("done     ") && table.contains("join  done, with status 1"), "{table}");
    // Goes on with what is missing only.
    let lost = yard.names_in("far/trials")[3].clone();
    std::fs::remove_file(yard.path(&format!("far/trials/{lost}"))).unwrap();
    let again = yard.expect(1, "sweep --plan yard.toml --out far --on local --shares 3 --follow");
    assert!(again.err.contains("1 trial in 1 share; 15 were finished before"), "{}", again.err);
    same(&yard, "alone", "far");
    // Nothing is missing: it is joined all the same.
    yard.expect(1, "sweep --plan yard.toml --out far --on local --follow -q");
    same(&yard, "alone", "far");
    let made =
        |folder: &str| -> Value { serde_json::from_str(&yard.read(&format!("{folder}/manifest.json"))).unwrap() };
    for key in ["tool", "program", "scenes", "engines"] {
        assert_eq!(made("far")[key], made("alone")[key], "{key}");
    }
}

#[test]
fn a_proof_is_shared_out_and_joined() {
    let yard = Yard::new();
    let proof = "proof --fault half-sizes --scene first-drop,rivet-shot";
    yard.expect(0, &format!("{proof} --out alone -q"));
    yard.expect(0, &format!("{proof} --out far --on local --shares 3 --follow -q"));
    for share in 1..=2 {
        let told = yard.expect(0, &format!("{proof} --shard {share}/2 --out part{share} -q")).out;
        assert!(told.starts_with(&format!("share={share}/2 trials=")) && told.contains(" kept=0 "), "{told}");
    }
    let part = yard.expect(4, "merge part1 --out some");
    assert!(part.err.contains("trials of the proof are missing"), "{}", part.err);
    assert!(!yard.path("some/proof.json").exists(), "nothing is concluded from a part");
    yard.expect(0, "merge part1 part2 --out whole -q");
    for folder in ["far", "whole"] {
        for name in ["proof.json", "proof.html"] {
            assert_eq!(yard.read(&format!("{folder}/{name}")), yard.read(&format!("alone/{name}")), "{folder}");
        }
    }
    let told = yard.expect(0, &format!("{proof} --shard 1/2 --out part1 -q")).out;
    assert!(told.contains(" run=0 "), "{told}");
    yard.expect(2, &format!("{proof} --on local"));
}

#[test]
fn a_share_that_runs_twice_or_sleeps_in_between_harms_nothing() {
    let yard = Yard::new();
    // Enough that one can be held before it has done all.
    let seeds: Vec<String> = (1..=40).map(|seed| seed.to_string()).collect();
    yard.write("yard.toml", &PLAN.replace("[1, 2]", &format!("[{}]", seeds.join(", "))));
    yard.expect(1, "sweep --plan yard.toml --out alone -q");
    yard.expect(0, "sweep --plan yard.toml --out far --on list --shares 1 -q");
    // One is held in the middle of its work while another does all of it and a third joins.
    let slow = start(&yard, "farm work far --share 1");
    until("a first trial", || finished(&yard, "far") > 1);
    signal(&slow, "-STOP");
    let early = yard.expect(4, "farm join far");
    assert!(early.err.contains("of 320 trials are missing"), "{}", early.err);
    assert!(yard.read("far/report.html").contains("of 320 trials are missing"));
    let mut both = [start(&yard, "farm work far --share 1"), start(&yard, "farm work far --share 1")];
    assert!(both.iter_mut().all(|one| one.wait().unwrap().success()));
    yard.expect(1, "farm join far -q");
    same(&yard, "alone", "far");
    signal(&slow, "-CONT");
    assert!({ slow }.wait().unwrap().success());
    yard.expect(1, "farm join far -q");
    same(&yard, "alone", "far");
}

#[test]
fn a_leader_that_is_stopped_leaves_what_is_finished() {
    let yard = yard();
    let send = "sweep rivet-shot --seed 1..400 --out far --on local:processes=1 --shares 2";
    yard.expect(0, send);
    until("a first trial", || finished(&yard, "far") > 0);
    let refused = yard.expect(2, send);
    assert!(refused.err.contains("goes on: process ") && refused.err.contains("farm stop DIR"), "{}", refused.err);
    yard.expect(0, "farm stop far");
    until("the end of the leader", || state(&yard, "far")["jobs"].as_array().unwrap().is_empty());
    let table = yard.expect(4, "farm status far").out;
    assert!(table.contains("failed") && table.contains("share 1/2 is interrupted"), "{table}");
    yard.expect(0, &format!("{send} --follow -q"));
    assert_eq!(finished(&yard, "far"), 400);
}

#[test]
fn what_runs_on_a_node_must_be_what_was_laid_out() {
    let yard = yard();
    yard.write("engine.sh", &format!("#!/bin/sh\nexec {} serve-engine\n", program().display()));
    let engine = "cmd:sh_engine.sh";
    let lay_out = |folder: &str| {
        let done = Command::new(program())
            .args(["sweep", "first-drop", "--engine", "cmd:sh engine.sh", "--on", "list", "--out", folder])
            .current_dir(yard.path("."))
            .output()
            .unwrap();
        assert!(done.status.success(), "{engine}: {}", String::from_utf8_lossy(&done.stderr));
    };
    lay_out("far");
    yard.write("engine.sh", "#!/bin/sh\nexit 1\n");
    let other = yard.expect(2, "farm work far --share 1");
    assert!(other.err.contains("the engine `cmd:sh engine.sh` is another one on"), "{}", other.err);
    std::fs::remove_file(yard.path("engine.sh")).unwrap();
    let gone = yard.expect(2, "farm work far --share 1");
    assert!(gone.err.contains("is another one on") && gone.err.contains("unread, and not"), "{}", gone.err);
    yard.write("engine.sh", "#!/bin/sh\nexit 1\n");
    lay_out("broken");
    let broken = yard.expect(2, "farm work broken --share 1");
    assert!(broken.err.contains("cannot be started on"), "{}", broken.err);
    assert_eq!(finished(&yard, "broken"), 0, "no error of a node is taken for a result");
    yard.expect(0, "sweep --plan yard.toml --out old --on list --shares 1 -q");
    let mut farm: Value = serde_json::from_str(&yard.read("old/farm/farm.json")).unwrap();
    farm["program"] = "0123".into();
    yard.write("old/farm/farm.json", &farm.to_string());
    assert!(yard.expect(2, "farm work old --share 1").err.contains("another build of the program"));
    assert!(yard.expect(2, "farm work old --share 2").err.contains("there is no share 2: there are 1"));
    assert!(yard.expect(2, "farm status alone").err.contains("holds no shares"));
}

#[test]
fn shares_of_other_makers_are_not_joined() {
    let yard = yard();
    yard.expect(1, "sweep --plan yard.toml --out far --on local --shares 2 --follow -q");
    let made = yard.read("far/farm/made-2.json");
    yard.write("far/farm/made-2.json", &made.replace("\"builtin\": \"builtin ", "\"builtin\": \"builtin 9."));
    let refused = yard.expect(2, "farm join far");
    assert!(refused.err.contains("the engine `builtin` is another one on"), "{}", refused.err);
    let mut other: Value = serde_json::from_str(&made).unwrap();
    other["program"] = "0123".into();
    yard.write("far/farm/made-2.json", &other.to_string());
    let refused = yard.expect(2, "farm join far");
    assert!(refused.err.contains("share 2 was made by another build of the program: 0123"), "{}", refused.err);
}

#[test]
fn what_would_be_submitted_is_shown_word_by_word() {
    let yard = yard();
    yard.write(
        "farm.toml",
        "[farm]\npartition = \"long\"\ntime = \"02:00:00\"\ncpus = 2\nextra = [\"--constraint=a,b c\"]\n",
    );
    let shown = yard.expect(0, "sweep --plan yard.toml --out far --on farm.toml --shares 4 --dry-run").out;
    for line in [
        "--array=1-4",
        "--partition=long",
        "--time=02:00:00",
        "--cpus-per-task=2",
        "--constraint=a,b c",
        "--dependency=afterany:JOB",
    ] {
        assert!(shown.contains(&format!("    {line}\n")), "{line}\n{shown}");
    }
    assert!(
        shown.contains("exec \"$@\" --share \"$SLURM_ARRAY_TASK_ID\"") && shown.contains("far --share K\n"),
        "{shown}"
    );
    assert!(!yard.path("far").exists());
    for (line, words) in [
        ("--on slrum", "did you mean `slurm`?"),
        ("--on slurm:time", "expected NAME=VALUE"),
        ("--on yard.toml", "`yard.toml` has no [farm] table"),
        ("--on nowhere.toml", "cannot read the plan"),
        ("--on local --shard 1/2", "cannot be used with"),
        ("--on local --jobs 2", "cannot be used with"),
        ("--on list --follow", "cannot be followed"),
        ("--follow", "--on <WHERE>"),
    ] {
        let refused = yard.expect(2, &format!("sweep --plan yard.toml --out far {line}"));
        assert!(refused.err.contains(words), "{line}\n{}", refused.err);
    }
}

/// Runs a script with the program of this build in the path, after other folders.
fn run_script(yard: &Yard, script: &str, tools: Option<&Path>, variables: &[(&str, &str)]) {
    let mut folders: Vec<PathBuf> = tools.map(Path::to_owned).into_iter().collect();
    folders.push(program().parent().unwrap().to_owned());
    folders.extend(std::env::split_paths(&std::env::var_os("PATH").unwrap_or_default()));
    let path = std::env::join_paths(folders).unwrap();
    let mut command = Command::new("bash");
    command.args(["-ec", script]).env("PATH", path).envs(variables.iter().copied()).current_dir(yard.path("."));
    let done = command.output().unwrap();
    // The join of these trials ends with 1: a claim fails.
    assert_eq!(done.status.code(), Some(1), "{script}\n{}", String::from_utf8_lossy(&done.stderr));
}

/// The blocks of the page that hold some words.
fn examples(words: &str) -> Vec<&'static str> {
    let page = include_str!("../../../../docs/farm.md");
    let blocks = page.split("```sh\n").skip(1).filter_map(|block| block.split("```").next());
    blocks.filter(|block| block.contains(words)).collect()
}

#[test]
fn the_example_with_parallel_runs() {
    if !has_tool("parallel", "shares by GNU parallel") {
        return;
    }
    let yard = yard();
    run_script(&yard, examples("parallel --jobs")[0], None, &[]);
    same(&yard, "alone", "yard");
}

#[test]
fn the_example_of_a_matrix_runs() {
    let yard = yard();
    let (share, join) = (examples("--shard")[0], examples("ironspin merge")[0]);
    for number in ["1", "2", "3"] {
        run_script(&yard, &format!("{share}exit 1"), None, &[("SHARE", number), ("SHARES", "3")]);
    }
    run_script(&yard, join, None, &[]);
    same(&yard, "alone", "yard");
}

/// A program of a script, ended with the test.
struct Ended<'a>(&'a Path, &'static str);

impl Drop for Ended<'_> {
    fn drop(&mut self) {
        let _ = Command::new(format!("{ROOT}/scripts/{}", self.1)).arg(self.0).status();
    }
}

/// Starts something by a script of the project; `false` where the machine lacks what it takes, which is said.
fn begun(script: &str, folder: &Path, test: &str) -> bool {
    let done = Command::new(format!("{ROOT}/scripts/{script}")).arg(folder).output().unwrap();
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    if done.status.code() == Some(2) {
        use std::io::Write;
        let _ = writeln!(std::io::stderr().lock(), "SKIPPED: {test}: {}", said.trim());
        return false;
    }
    assert!(done.status.success(), "{said}");
    true
}

#[test]
fn the_example_over_ssh_runs() {
    let yard = yard();
    let hosts = yard.path("hosts");
    if !begun("ssh-start.sh", &hosts, "shares over ssh") {
        return;
    }
    let _end = Ended(&hosts, "ssh-stop.sh");
    run_script(&yard, examples("ssh \"$host\"")[0], Some(&hosts.join("bin")), &[]);
    same(&yard, "alone", "yard");
}

/// A disk of a few kilobytes, in a name space of its own: what it holds is copied out before it ends.
#[test]
fn a_full_disk_costs_what_does_not_fit_and_no_more() {
    let yard = yard();
    let can = Command::new("unshare").args(["-rm", "true"]).output().is_ok_and(|done| done.status.success());
    if !can {
        use std::io::Write;
        let _ = writeln!(std::io::stderr().lock(), "SKIPPED: a full disk needs unshare and user name spaces");
        return;
    }
    std::fs::create_dir(yard.path("disk")).unwrap();
    let script = "set -e; mount -t tmpfs -o size=160k small disk
        \"$1\" sweep --plan yard.toml --on list --shares 1 --out disk/far -q > /dev/null
        head -c 60000 /dev/zero > disk/other
        status=0; \"$1\" farm work disk/far --share 1 2> full.txt || status=$?; echo $status > status.txt
        mkdir kept; cp -r disk/far/trials kept; rm disk/other; mount -o remount,size=20m disk
        \"$1\" farm work disk/far --share 1 2> again.txt
        status=0; \"$1\" farm join disk/far -q > /dev/null || status=$?; echo $status >> status.txt
        cp -r disk/far far";
    let done = Command::new("unshare")
        .args(["-rm", "sh", "-c", script, "sh"])
        .arg(program())
        .current_dir(yard.path("."))
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    assert_eq!(yard.read("status.txt"), "2\n1\n");
    assert!(yard.read("full.txt").contains("No space left on device"), "{}", yard.read("full.txt"));
    let kept: Vec<String> = yard.names_in("kept/trials").into_iter().filter(|name| !name.starts_with('.')).collect();
    assert!(!kept.is_empty() && kept.len() < 16, "{} of 16 fitted", kept.len());
    for name in kept {
        assert_eq!(yard.read(&format!("kept/trials/{name}")), yard.read(&format!("alone/trials/{name}")));
    }
    same(&yard, "alone", "far");
}

/// A cluster on this machine: 2,016 trials in 16 shares on two nodes, one of which loses its daemon while a share runs there, and one share is cancelled.
#[test]
fn a_cluster_that_loses_a_node_and_a_share_ends_with_the_same_bytes() {
    let yard = Yard::new();
    let cluster = yard.path("cluster");
    if !begun("slurm-start.sh", &cluster, "a sweep by a scheduler") {
        return;
    }
    let _end = Ended(&cluster, "slurm-stop.sh");
    let in_cluster = |line: &str| {
        let script = format!(". '{}/env'; {line}", cluster.display());
        let done = Command::new("bash")
            .args(["-c", &script, "bash"])
            .arg(program())
            .current_dir(yard.path("."))
            .output()
            .unwrap();
        (
            done.status.code(),
            String::from_utf8_lossy(&done.stdout).into_owned(),
            String::from_utf8_lossy(&done.stderr).into_owned(),
        )
    };
    let grid = "sweep first-drop rivet-shot --dt 1/30,1/60,1/240 --size 1,4 --seed 1..84 --engine builtin --engine builtin:swept=off";
    yard.expect(1, &format!("{grid} --out alone -q"));
    let send = format!("\"$1\" {grid} --on slurm --shares 16 --out far");
    let (status, _, said) = in_cluster(&send);
    assert_eq!(status, Some(0), "{said}");
    assert!(said.contains("2016 trials in 16 shares; job 1 for the shares, job 2 for the join"), "{said}");
    let state = || -> Value { serde_json::from_str(&in_cluster("\"$1\" farm status far --format json").1).unwrap() };
    let mut node = String::new();
    let (status, _, said) = in_cluster(&send);
    assert!(status == Some(2) && said.contains("goes on: "), "{said}");
    // One that has most of its trials before it, so that it does not end before its node does.
    until("a share that runs", || {
        let state = state();
        let begun = |share: &&Value| {
            let number = |name: &str| share[name].as_u64().unwrap();
            share["state"] == "running" && number("done") > 0 && number("done") * 3 < number("trials")
        };
        let running = state["shares"].as_array().unwrap().iter().find(begun);
        node = running.map_or(String::new(), |share| share["node"].as_str().unwrap().to_owned());
        !node.is_empty()
    });
    // The node is taken for dead while its task runs on: for a while two copies of the share run. Then it comes back.
    let lose = format!(
        "kill -9 $(cat cluster/slurmd-{node}.pid); scontrol update nodename={node} state=down reason=died; slurmd -N {node}; scancel 1_16"
    );
    assert_eq!(in_cluster(&lose).0, Some(0));
    until("the join", || state()["join"] == "done");
    let ended = state();
    assert_eq!(ended["status"], 4, "{ended}");
    assert!(in_cluster("scontrol --oneliner show job 1").1.contains("Restarts=1"), "no share ran twice");
    let shares = ended["shares"].as_array().unwrap();
    let failed: Vec<&Value> = shares.iter().filter(|share| share["state"] == "failed").collect();
    assert!(
        failed.len() == 1
            && failed[0]["share"] == 16
            && failed[0]["last_words"] == "it was taken out of the queue before it began",
        "{failed:?}"
    );
    let lost = shares[15]["trials"].as_u64().unwrap();
    let told = format!("share 16 failed with 0 of {lost} trials: it was taken out of the queue");
    assert!(yard.read("far/report.html").contains(&told));
    let (status, _, said) = in_cluster(&format!("{send} --follow"));
    assert_eq!(status, Some(1), "{said}");
    assert!(said.contains(&format!("{lost} trials in 16 shares; {} were finished before", 2016 - lost)), "{said}");
    same(&yard, "alone", "far");
}
