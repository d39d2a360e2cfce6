//! A control group for an engine, where the system lets us make one: its kernel ends what passes the limit of memory, and refuses what passes
//! a number of processes, at once.
#![allow(unsafe_code)]

use nix::sys::signal::{Signal, kill};
use nix::unistd::Pid;
use std::fs::{OpenOptions, create_dir, read_to_string, remove_dir, write};
use std::io::Write;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

/// Rounds of ending what is in a group, and of waiting for its end.
const ROUNDS: usize = 200;
const PAUSE: Duration = Duration::from_millis(2);

/// What is limited: `memory` or `pids`.
#[derive(Clone, Copy, PartialEq)]
enum Controller {
    Memory,
    Pids,
}

impl Controller {
    fn word(self) -> &'static str {
        match self {
            Controller::Memory => "memory",
            Controller::Pids => "pids",
        }
    }
}

/// The two layouts of control groups: a tree for each controller, or one for all.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Layout {
    First,
    Second,
}

/// A group with one engine in it, to be taken away by [`ControlGroup::remove`].
pub(crate) struct ControlGroup {
    /// One folder for each controller, or one for both.
    folders: Vec<PathBuf>,
    layout: Layout,
}

impl ControlGroup {
    /// A group with a limit of memory, bytes, and of processes and threads; nothing where the system gives none. What the system does not limit is
    /// left to others.
    pub(crate) fn new(memory: u64, tasks: usize) -> Option<ControlGroup> {
        let made = |controller: Controller| {
            places(controller, std::process::id()).into_iter().find_map(|(folder, layout)| {
                let is_there = layout == Layout::Second && controller == Controller::Pids && folder.exists();
                if !is_there {
                    create_dir(&folder).ok()?;
                }
                let (name, limit) = match (controller, layout) {
                    (Controller::Memory, Layout::First) => ("memory.limit_in_bytes", memory.to_string()),
                    (Controller::Memory, Layout::Second) => ("memory.max", memory.to_string()),
                    (Controller::Pids, _) => ("pids.max", tasks.to_string()),
                };
                if write(folder.join(name), limit).is_err() {
                    if !is_there {
                        remove(&folder);
                    }
                    return None;
                }
                Some((folder, layout))
            })
        };
        let found: Vec<_> = [Controller::Memory, Controller::Pids].into_iter().filter_map(made).collect();
        let layout = found.first()?.1;
        let mut folders: Vec<PathBuf> = found.into_iter().map(|(folder, _)| folder).collect();
        folders.dedup();
        Some(ControlGroup { folders, layout })
    }

    /// Lets a program that is about to be started begin in it, with all that it starts; nothing where the system refuses.
    pub(crate) fn take_in(&self, command: &mut Command) -> Option<()> {
        for folder in &self.folders {
            let members = OpenOptions::new().write(true).open(folder.join("cgroup.procs")).ok()?;
            // Zero is whoever writes it. A program that cannot enter starts all the same, and is looked after by looking.
            let enter = move || {
                let _ = (&members).write(b"0");
                Ok(())
            };
            // One system call, which is safe between fork and exec.
            unsafe { command.pre_exec(enter) };
        }
        Some(())
    }

    /// Whether something in it was ended for its memory.
    pub(crate) fn was_full(&self) -> bool {
        let name = if self.layout == Layout::First { "memory.oom_control" } else { "memory.events" };
        self.counts(name, "oom_kill ")
    }

    /// Whether it was refused a process for their number.
    pub(crate) fn was_crowded(&self) -> bool {
        self.counts("pids.events", "max ")
    }

    /// Whether a file has a line that begins with a word and goes on with more than 0.
    fn counts(&self, name: &str, word: &str) -> bool {
        self.folders.iter().any(|folder| {
            let text = read_to_string(folder.join(name)).unwrap_or_default();
            let count = text.lines().find_map(|line| line.strip_prefix(word)?.trim().parse::<u64>().ok());
            count.is_some_and(|count| count > 0)
        })
    }

    /// Ends all that are in it, with those that they start meanwhile.
    pub(crate) fn end_all(&self) {
        let members = || {
            let texts = self.folders.iter().filter_map(|folder| read_to_string(folder.join("cgroup.procs")).ok());
            texts.flat_map(|text| text.lines().filter_map(|line| line.parse().ok()).collect::<Vec<i32>>()).collect()
        };
        for _ in 0..ROUNDS {
            let there: Vec<i32> = members();
            if there.is_empty() {
                return;
            }
            // Stopped first, so that none starts another while the rest is ended.
            for signal in [Signal::SIGSTOP, Signal::SIGKILL] {
                for &pid in &there {
                    let _ = kill(Pid::from_raw(pid), signal);
                }
            }
            std::thread::sleep(PAUSE);
        }
    }

    /// Takes it away. All in it must have been ended.
    pub(crate) fn remove(&self) {
        self.folders.iter().for_each(|folder| remove(folder));
    }

    /// Ends and takes away what the supervisor of a number has left, which was ended before it could do so.
    pub(crate) fn end_of(supervisor: u32) {
        for controller in [Controller::Memory, Controller::Pids] {
            for (folder, layout) in places(controller, supervisor).into_iter().filter(|(folder, _)| folder.exists()) {
                let left = ControlGroup { folders: vec![folder], layout };
                left.end_all();
                left.remove();
            }
        }
    }
}

/// Where the group of a supervisor may stand, the best place first. A group that holds processes may be refused groups with limits; one beside
/// it may not.
fn places(controller: Controller, supervisor: u32) -> Vec<(PathBuf, Layout)> {
    let texts = read_to_string("/proc/self/cgroup").ok().zip(read_to_string("/proc/self/mountinfo").ok());
    let Some((own, layout)) = texts.and_then(|(groups, mounts)| own_group(controller, &groups, &mounts)) else {
        return Vec::new();
    };
    let name = format!("ironspin-{supervisor}");
    [Some(own.as_path()), own.parent()].into_iter().flatten().map(|above| (above.join(&name), layout)).collect()
}

/// Takes a group away, for which those in it must have ended.
fn remove(folder: &Path) {
    for _ in 0..ROUNDS {
        if remove_dir(folder).is_ok() || !folder.exists() {
            return;
        }
        std::thread::sleep(PAUSE);
    }
}

/// The folder of the group that this process is in, where a controller counts.
fn own_group(controller: Controller, groups: &str, mounts: &str) -> Option<(PathBuf, Layout)> {
    let listed = |list: &str| list.split(',').any(|word| word == controller.word());
    // A mount: numbers, root, place, options, a dash, kind, source, more options.
    let mounted = |kind: &str, wanted: &dyn Fn(&str) -> bool| {
        mounts.lines().find_map(|line| {
            let (head, tail) = line.split_once(" - ")?;
            let (words, more): (Vec<&str>, Vec<&str>) = (head.split(' ').collect(), tail.split(' ').collect());
            let fits = more.first() == Some(&kind) && more.last().is_some_and(|options| wanted(options));
            let (root, place) = (*words.get(3)?, Path::new(*words.get(4)?));
            fits.then_some((root, place))
        })
    };
    // A group: number, controllers, path.
    let group = |wanted: &dyn Fn(&str, &str) -> bool| {
        groups.lines().find_map(|line| {
            let mut words = line.splitn(3, ':');
            let (number, controllers, path) = (words.next()?, words.next()?, words.next()?);
            wanted(number, controllers).then_some(path)
        })
    };
    let place = |(root, place): (&str, &Path), path: &str| {
        let inside = path.strip_prefix(root.trim_end_matches('/'))?;
        Some(place.join(inside.trim_start_matches('/')))
    };
    let first = mounted("cgroup", &listed).zip(group(&|_, controllers| listed(controllers)));
    if let Some((mount, path)) = first {
        return Some((place(mount, path)?, Layout::First));
    }
    let (mount, path) = mounted("cgroup2", &|_| true).zip(group(&|number, _| number == "0"))?;
    Some((place(mount, path)?, Layout::Second))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_group_of_this_process_is_found() {
        let of = |groups: &str, mounts: &str| own_group(Controller::Memory, groups, mounts);
        let first = "35 31 0:32 / /sys/fs/cgroup/memory rw,relatime - cgroup cgroup rw,memory\n36 31 0:33 / /sys/fs/cgroup/unified rw - cgroup2 cgroup2 rw\n";
        let known = of("4:memory:/yard/quay\n0::/\n", first);
        assert_eq!(known, Some((PathBuf::from("/sys/fs/cgroup/memory/yard/quay"), Layout::First)));
        let second = "31 1 0:27 / /sys/fs/cgroup rw,nosuid - cgroup2 cgroup2 rw,nsdelegate\n";
        let known = of("0::/user.slice/yard.scope\n", second);
        assert_eq!(known, Some((PathBuf::from("/sys/fs/cgroup/user.slice/yard.scope"), Layout::Second)));
        // A group outside of what is mounted here.
        assert_eq!(of("0::/yard\n", "31 1 0:27 /quay /sys/fs/cgroup rw - cgroup2 cgroup2 rw\n"), None);
        assert_eq!(of("", ""), None);
    }

    #[test]
    fn a_group_is_taken_away_again() {
        // Where the system gives one.
        if let Some(group) = ControlGroup::new(1 << 30, 10) {
            assert!(!group.was_full());
            let folders = group.folders.clone();
            group.remove();
            assert!(folders.iter().all(|folder| !folder.exists()));
        }
    }
}
