//! Processes of this machine in the place of a scheduler: a leader that works off the shares, some at a time, and then joins them.

use super::FarmError;
use super::plan::{FarmFile, cores, file, read, write};
use super::share::last_words;
use super::state::{Seen, State};
use crate::folder::FolderError;
use crate::sweep::SweepFolder;
use crate::whole::create_plain;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, VecDeque};
use std::fs::File;
use std::io;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// How often the leader looks at its processes.
const LOOK: Duration = Duration::from_millis(20);
/// The leader holds this file locked as long as it lives.
const LOCK: &str = "here.lock";

/// What the leader is doing.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Here {
    leader: u32,
    /// Shares that run.
    running: Vec<usize>,
    /// Shares whose turn has not come.
    waiting: Vec<usize>,
    /// How shares ended that did not end well.
    failed: BTreeMap<usize, String>,
}

fn fault(folder: &SweepFolder, cause: io::Error) -> FarmError {
    FarmError::Folder(FolderError::Io { folder: folder.place().to_owned(), cause })
}

/// Begins the work that was laid out in a folder, in processes that live on when this one ends; the number of their leader.
///
/// # Errors
/// When no process can be started.
pub fn begin_here(folder: &SweepFolder, farm: &FarmFile, program: &Path) -> Result<u32, FarmError> {
    let log = |name: &str| create_plain(&file(folder.place(), name)).map_err(|cause| fault(folder, cause));
    let mut command = Command::new(program);
    command.args(["farm", "here"]).arg(folder.place()).current_dir(&farm.directory);
    command.stdin(Stdio::null()).stdout(log("leader.txt")?).stderr(log("leader-log.txt")?);
    #[cfg(unix)]
    std::os::unix::process::CommandExt::process_group(&mut command, 0);
    Ok(command.spawn().map_err(|cause| fault(folder, cause))?.id())
}

/// Works off the shares of a folder by processes of this program, and then joins them; whether the join was begun.
///
/// # Errors
/// When another leader is at work there, or the file system refuses.
pub fn supervise(place: &Path, program: &Path, stop: &AtomicBool) -> Result<bool, FarmError> {
    let (folder, farm) = (SweepFolder::open(place)?, FarmFile::read(place)?);
    let lock = create_plain(&file(place, LOCK)).map_err(|cause| fault(&folder, cause))?;
    if lock.try_lock().is_err() {
        return Err(FarmError::Alive { folder: place.to_owned(), jobs: "its leader lives".to_owned() });
    }
    let most = farm.processes.unwrap_or_else(|| (cores() / farm.cpus.max(1)).max(1));
    let mut waiting: VecDeque<usize> = (1..=farm.shares.len()).collect();
    let mut running: BTreeMap<usize, Child> = BTreeMap::new();
    let (mut failed, mut asked_to_end) = (BTreeMap::new(), false);
    let tell = |running: &BTreeMap<usize, Child>, waiting: &VecDeque<usize>, failed: &BTreeMap<usize, String>| {
        let (running, waiting) = (running.keys().copied().collect(), waiting.iter().copied().collect());
        let here = Here { leader: std::process::id(), running, waiting, failed: failed.clone() };
        write(&folder, "here.json", &here)
    };
    tell(&running, &waiting, &failed)?;
    while !(running.is_empty() && waiting.is_empty()) {
        let mut changed = false;
        while running.len() < most && !stop.load(Ordering::Relaxed) {
            let Some(number) = waiting.pop_front() else { break };
            running.insert(number, begin_share(&folder, &farm, program, number)?);
            changed = true;
        }
        // Asked a second time they would end at once.
        if stop.load(Ordering::Relaxed) && !std::mem::replace(&mut asked_to_end, true) {
            waiting.clear();
            running.values().for_each(ask_to_end);
        }
        let ended: Vec<usize> = running
            .iter_mut()
            .filter_map(|(&number, child)| child.try_wait().ok().flatten().map(|status| (number, status)))
            .map(|(number, status)| {
                if !status.success() {
                    failed.insert(number, status.to_string());
                }
                number
            })
            .collect();
        changed |= !ended.is_empty();
        ended.iter().for_each(|number| drop(running.remove(number)));
        if changed {
            tell(&running, &waiting, &failed)?;
        }
        std::thread::sleep(LOOK);
    }
    if stop.load(Ordering::Relaxed) {
        return Ok(false);
    }
    let out = create_plain(&file(place, "join.txt")).map_err(|cause| fault(&folder, cause))?;
    let errors = out.try_clone().map_err(|cause| fault(&folder, cause))?;
    let mut join = Command::new(program);
    join.args(["farm", "join"]).arg(place).args(&farm.join).stdin(Stdio::null()).stdout(out).stderr(errors);
    join.status().map_err(|cause| fault(&folder, cause))?;
    // The lock is let go here, and not earlier.
    drop(lock);
    Ok(true)
}

fn begin_share(folder: &SweepFolder, farm: &FarmFile, program: &Path, number: usize) -> Result<Child, FarmError> {
    let log =
        create_plain(&file(folder.place(), &format!("log-{number}.txt"))).map_err(|cause| fault(folder, cause))?;
    let mut command = Command::new(program);
    command.args(["farm", "work"]).arg(folder.place()).args(["--share", &number.to_string()]);
    command.current_dir(&farm.directory).stdin(Stdio::null()).stdout(Stdio::null()).stderr(log);
    command.spawn().map_err(|cause| fault(folder, cause))
}

#[cfg(unix)]
fn ask_to_end(child: &Child) {
    send_term(child.id());
}

#[cfg(unix)]
fn send_term(process: u32) {
    use nix::sys::signal::{Signal, kill};
    if let Ok(process) = i32::try_from(process) {
        // One that has ended already needs no signal.
        let _ = kill(nix::unistd::Pid::from_raw(process), Signal::SIGTERM);
    }
}

#[cfg(not(unix))]
fn ask_to_end(_: &Child) {}

#[cfg(not(unix))]
fn send_term(_: u32) {}

/// Whether a leader is at work in a folder.
fn alive(folder: &Path) -> bool {
    File::open(file(folder, LOCK)).is_ok_and(|lock| lock.try_lock_shared().is_err())
}

/// Asks the leader of a folder to end; whether there was one.
pub fn stop_here(folder: &Path) -> bool {
    let leader = read::<Here>(folder, "here.json").filter(|_| alive(folder));
    leader.as_ref().inspect(|here| send_term(here.leader)).is_some()
}

/// What the leader says of the shares.
pub(super) fn seen(folder: &Path) -> Seen {
    let mut seen = Seen::default();
    let Some(here) = read::<Here>(folder, "here.json") else { return seen };
    if alive(folder) {
        seen.shares.extend(here.running.iter().map(|&share| (share, (State::Running, None))));
        seen.shares.extend(here.waiting.iter().map(|&share| (share, (State::Waiting, None))));
        seen.join = Some(if seen.shares.is_empty() { State::Running } else { State::Waiting });
        seen.jobs.push(format!("process {}", here.leader));
    }
    seen.ended = here.failed;
    if !alive(folder)
        && let Some(words) = last_words(folder, "leader-log.txt")
    {
        seen.leader = Some(words);
    }
    seen
}
