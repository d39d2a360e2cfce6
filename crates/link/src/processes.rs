//! The processes below one, as the system tells of them. Where it tells nothing, there are none.

use nix::sys::signal::{Signal, kill};
use nix::unistd::Pid;
use std::collections::BTreeMap;
use std::fs::{read_dir, read_to_string};
use std::time::Duration;

/// Looks for processes that were started while others were stopped, and for the end of all.
const ROUNDS: usize = 200;
const PAUSE: Duration = Duration::from_millis(2);
/// Processes of the machine that are looked at.
const MOST: usize = 100_000;

/// A process as it was seen.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Seen {
    /// The process group that it was in.
    pub(crate) group: i32,
    /// The name of its program.
    pub(crate) name: String,
}

/// A process with the number of its parent, and whether it lives.
fn look(pid: i32) -> Option<(i32, Seen, bool)> {
    let text = read_to_string(format!("/proc/{pid}/stat")).ok()?;
    // The name stands in brackets and may hold brackets itself.
    let (head, rest) = text.rsplit_once(") ")?;
    let name = head.split_once('(')?.1.to_owned();
    let mut words = rest.split(' ');
    let lives = !matches!(words.next()?, "Z" | "X");
    let [parent, group] = [words.next()?.parse().ok()?, words.next()?.parse().ok()?];
    Some((parent, Seen { group, name }, lives))
}

/// How many tasks there are on this machine, as one number that is read at once; nothing where it is not told.
pub(crate) fn tasks() -> Option<u64> {
    let text = read_to_string("/proc/loadavg").ok()?;
    text.split(' ').nth(3)?.split_once('/')?.1.parse().ok()
}

/// Every living process below one, which is not counted itself.
pub(crate) fn below(root: i32) -> BTreeMap<i32, Seen> {
    let entries = read_dir("/proc").into_iter().flatten().flatten();
    let numbers = entries.filter_map(|entry| entry.file_name().to_str()?.parse::<i32>().ok());
    let mut children: BTreeMap<i32, Vec<(i32, Seen, bool)>> = BTreeMap::new();
    for pid in numbers.take(MOST) {
        if let Some((parent, seen, lives)) = look(pid) {
            children.entry(parent).or_default().push((pid, seen, lives));
        }
    }
    let (mut found, mut waiting) = (BTreeMap::new(), vec![root]);
    while let Some(parent) = waiting.pop() {
        for (pid, seen, lives) in children.remove(&parent).unwrap_or_default() {
            waiting.push(pid);
            if lives {
                found.insert(pid, seen);
            }
        }
    }
    found
}

/// Memory that processes hold, bytes: what several share is counted once, when counting it each time would pass `limit`.
pub(crate) fn resident<'a>(processes: impl Iterator<Item = &'a i32> + Clone, limit: u64) -> u64 {
    let kibibytes = |text: Option<String>, name: &str| {
        let line = text?.lines().find_map(|line| line.strip_prefix(name).map(str::to_owned))?;
        Some(1024 * line.split_whitespace().next()?.parse::<u64>().ok()?)
    };
    let whole = |pid: &i32| kibibytes(read_to_string(format!("/proc/{pid}/status")).ok(), "VmRSS:");
    let all = processes.clone().filter_map(whole).sum::<u64>();
    if all <= limit {
        return all;
    }
    let shares = |pid: &i32| kibibytes(read_to_string(format!("/proc/{pid}/smaps_rollup")).ok(), "Pss:");
    // Where shares are not told of a process, all that it has counts.
    processes.filter_map(|pid| shares(pid).or_else(|| whole(pid))).sum()
}

/// Ends every process below one, with those that they start meanwhile; what was ended.
pub(crate) fn end_below(root: i32) -> BTreeMap<i32, Seen> {
    let mut ended = BTreeMap::new();
    for _ in 0..ROUNDS {
        let mut stopped: BTreeMap<i32, Seen> = BTreeMap::new();
        // Stopped first, so that none starts another while the rest is ended.
        for _ in 0..ROUNDS {
            let new: Vec<_> = below(root).into_iter().filter(|(pid, _)| !stopped.contains_key(pid)).collect();
            if new.is_empty() {
                break;
            }
            for (pid, seen) in new {
                let _ = kill(Pid::from_raw(pid), Signal::SIGSTOP);
                stopped.insert(pid, seen);
            }
        }
        if stopped.is_empty() {
            return ended;
        }
        for pid in stopped.keys() {
            let _ = kill(Pid::from_raw(*pid), Signal::SIGKILL);
        }
        ended.extend(stopped);
        std::thread::sleep(PAUSE);
    }
    ended
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::*;
    use std::process::Command;

    #[test]
    fn processes_below_one_are_found_measured_and_ended() {
        // A shell with a child of its own that has left its group.
        let mut shell = Command::new("sh").args(["-c", "setsid sleep 1000 & wait"]).spawn().unwrap();
        let root = std::process::id() as i32;
        let wanted = |found: &BTreeMap<i32, Seen>| found.values().filter(|seen| seen.name == "sleep").count() == 1;
        let found = (0..500).find_map(|_| {
            std::thread::sleep(PAUSE);
            let found = below(shell.id() as i32);
            wanted(&found).then_some(found)
        });
        let found = found.expect("a sleeping process below the shell");
        assert!(below(root).len() > found.len());
        assert!(found.iter().any(|(&pid, seen)| seen.group == pid), "{found:?}");
        let few = resident(found.keys(), u64::MAX);
        assert!((1 << 16..1 << 26).contains(&few), "{few} bytes");
        // Shared pages are counted in part.
        assert!(resident(found.keys(), 0) < few);
        assert!(wanted(&end_below(shell.id() as i32)));
        assert!(below(shell.id() as i32).is_empty());
        shell.wait().unwrap();
        assert!(below(i32::MAX).is_empty());
    }
}
