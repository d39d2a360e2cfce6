//! A process between the bench and an engine: it sets limits, watches over the memory of all that the engine starts, and ends it whole
//! when it has ended, passed a limit, or the bench has gone, however that went.

use crate::process_limits::Limits;
use std::process::ExitStatus;

/// Added to the number of the signal that ended an engine, in the exit code of its supervisor.
pub(crate) const BY_SIGNAL: i32 = 128;
/// Exit code for a program that cannot be started.
const NO_PROGRAM: u8 = 127;
/// Exit code when an engine has passed a limit that is watched over here; what it was stands in the log, after [`MARK`].
const OVER_LIMIT: u8 = 126;
/// Before lines of the log that are the supervisor's.
pub(crate) const MARK: &str = "ironspin keep-engine: ";

/// How an engine ended, in words; what its supervisor said of that is taken from `remarks`.
pub(crate) fn ending(status: ExitStatus, limits: &Limits, remarks: &mut Vec<String>) -> String {
    if status.code() == Some(i32::from(OVER_LIMIT))
        && let Some(last) = remarks.pop()
    {
        return last;
    }
    let mut reported = status.to_string();
    #[cfg(unix)]
    {
        use std::os::unix::process::ExitStatusExt;
        let passed_on = status.code().filter(|&code| code > BY_SIGNAL).map(|code| code - BY_SIGNAL);
        if let Some(number) = status.signal().or(passed_on) {
            use nix::sys::signal::Signal;
            let name = Signal::try_from(number).map_or("unknown", Signal::as_str);
            reported = format!("signal {number} ({name})");
            if let Some(seconds) = limits.cpu.filter(|_| number == Signal::SIGXCPU as i32) {
                reported += &format!(": it had used its {seconds} s of processor time");
            }
        }
    }
    if let Some(bytes) = limits.address_space.filter(|_| !status.success()) {
        reported += &format!(" (its address space was limited to {bytes} bytes)");
    }
    reported
}

/// Most memory that any process had which this one has started and seen end, bytes; nothing where none has or the system does not report it.
pub fn memory_of_children() -> Option<u64> {
    #[cfg(target_os = "linux")]
    {
        use nix::sys::resource::{UsageWho, getrusage};
        let most = getrusage(UsageWho::RUSAGE_CHILDREN).ok()?.max_rss();
        u64::try_from(most).ok().filter(|&most| most > 0).map(|most| 1024 * most)
    }
    #[cfg(not(target_os = "linux"))]
    None
}

#[cfg(unix)]
pub use unix::keep;

#[cfg(unix)]
mod unix {
    use super::{BY_SIGNAL, MARK, NO_PROGRAM, OVER_LIMIT};
    use crate::control_group::ControlGroup;
    use crate::process_limits::Limits;
    use crate::processes::{below, end_below, resident, tasks};
    use nix::errno::Errno;
    use nix::sys::resource::{Resource, setrlimit};
    use nix::sys::signal::{Signal, killpg};
    use nix::sys::wait::{WaitPidFlag, WaitStatus, waitpid};
    use nix::unistd::Pid;
    use std::os::unix::process::parent_id;
    use std::sync::{Arc, Mutex, PoisonError};
    use std::time::{Duration, Instant};

    /// Time between two looks at the bench and at the memory of processes known.
    const LOOK: Duration = Duration::from_millis(50);
    /// The processes are looked for anew at every so many looks.
    const LOOKS: u32 = 10;
    /// They are looked for at once when there are so many tasks more on the machine.
    const MANY_MORE: u64 = 100;
    /// Time for what an engine has started to end after it.
    const TO_FOLLOW: Duration = Duration::from_millis(200);
    const PAUSE: Duration = Duration::from_millis(5);

    /// Threads of a process where the system counts them together.
    const TASKS_A_PROCESS: usize = 8;

    /// Why the engine was ended, once it was.
    type Reason = Arc<Mutex<Option<String>>>;

    /// Runs a program within limits until it ends or the bench does; its exit code, or 128 and the number of its signal.
    ///
    /// `bench` is the number of the process that must live on. The caller must be the leader of a process group of its own, which is ended
    /// as a whole when the bench has gone. Standard input and output are the program's.
    pub fn keep(limits: &Limits, bench: u32, program: &str, arguments: &[String]) -> u8 {
        // What leaves the engine and its group becomes a child of this process, and is found.
        #[cfg(target_os = "linux")]
        let _ = nix::sys::prctl::set_child_subreaper(true);
        let limited = [(Resource::RLIMIT_AS, limits.address_space), (Resource::RLIMIT_CPU, limits.cpu)]
            .into_iter()
            .filter_map(|(resource, limit)| limit.map(|limit| (resource, limit)))
            // The hard limit of the processor time comes a little later, so that the signal shows which limit it was.
            .try_for_each(|(resource, limit)| setrlimit(resource, limit, limit.saturating_add(5)));
        if let Err(error) = limited {
            tell(&format!("the limits {limits} cannot be set: {error}"));
            return NO_PROGRAM;
        }
        let mut command = std::process::Command::new(program);
        command.args(arguments);
        // The system counts threads, too, of which a process may have several.
        let tasks = TASKS_A_PROCESS.saturating_mul(limits.processes);
        let control_group = ControlGroup::new(limits.memory, tasks);
        let control_group = control_group.filter(|group| group.take_in(&mut command).is_some()).map(Arc::new);
        let child = match command.spawn() {
            Ok(child) => child.id(),
            Err(error) => {
                tell(&format!("`{program}` cannot be started: {error}"));
                return NO_PROGRAM;
            }
        };
        // The streams end when the engine ends them.
        if let Ok(nothing) = std::fs::OpenOptions::new().read(true).write(true).open("/dev/null") {
            let _ = nix::unistd::dup2_stdin(&nothing);
            let _ = nix::unistd::dup2_stdout(&nothing);
        }
        let reason = Reason::default();
        let (limits, told, group) = (*limits, Arc::clone(&reason), control_group.clone());
        std::thread::spawn(move || watch(&limits, bench, group.as_deref(), &told));
        let code = end_of(child);
        let (left, remark) = clear_away();
        let full = control_group.is_some_and(|group| {
            let full = group.was_full();
            group.remove();
            full
        });
        let over = reason.lock().unwrap_or_else(PoisonError::into_inner).take();
        // A program that was refused more processes may end before anybody has looked.
        let many = (left > limits.processes).then(|| over_processes(left, limits.processes));
        let over = over.or_else(|| full.then(|| over_memory(None, limits.memory))).or(many);
        if let Some(over) = over {
            remark_on(&over);
            return OVER_LIMIT;
        }
        remark.iter().for_each(|remark| remark_on(remark));
        code.and_then(|code| u8::try_from(code).ok()).unwrap_or(u8::MAX)
    }

    /// Looks after the bench, and after what the engine and all below it hold.
    fn watch(limits: &Limits, bench: u32, group: Option<&ControlGroup>, reason: &Reason) {
        let own = std::process::id() as i32;
        let end = || {
            group.iter().for_each(|group| group.end_all());
            end_below(own);
        };
        let mut processes = below(own);
        let mut tasks_then = tasks();
        for look in 1_u32.. {
            if parent_id() != bench {
                end();
                group.iter().for_each(|group| group.remove());
                // This process is one of the group.
                let _ = killpg(nix::unistd::getpgrp(), Signal::SIGKILL);
                return;
            }
            let tasks_now = tasks();
            let many_more = tasks_now.zip(tasks_then).is_some_and(|(now, then)| now > then + MANY_MORE);
            if look.is_multiple_of(LOOKS) || many_more {
                processes = below(own);
                tasks_then = tasks_now;
            }
            let held = resident(processes.keys(), limits.memory);
            let over = if held > limits.memory {
                Some(over_memory(Some((held, processes.len())), limits.memory))
            } else if processes.len() > limits.processes {
                Some(over_processes(processes.len(), limits.processes))
            } else if group.is_some_and(ControlGroup::was_crowded) {
                Some(over_processes(TASKS_A_PROCESS * limits.processes, limits.processes))
            } else {
                None
            };
            if over.is_some() {
                *reason.lock().unwrap_or_else(PoisonError::into_inner) = over;
                end();
                return;
            }
            std::thread::sleep(LOOK);
        }
    }

    fn over_processes(count: usize, limit: usize) -> String {
        format!("it had {count} processes and threads, and {limit} processes are its limit (--limits processes=)")
    }

    fn over_memory(seen: Option<(u64, usize)>, limit: u64) -> String {
        let held = match seen {
            Some((held, 1)) => format!("it held {held} bytes of memory"),
            Some((held, count)) => format!("it held {held} bytes of memory in {count} processes"),
            None => "it was ended for its memory".to_owned(),
        };
        format!("{held}, and {limit} bytes are its limit (--limits memory=)")
    }

    /// Waits until a process ends, and takes the entries of all others that end meanwhile; its exit code, or 128 and its signal.
    fn end_of(child: u32) -> Option<i32> {
        let child = Pid::from_raw(i32::try_from(child).ok()?);
        loop {
            match waitpid(None, None) {
                Ok(WaitStatus::Exited(pid, code)) if pid == child => return Some(code),
                Ok(WaitStatus::Signaled(pid, signal, _)) if pid == child => return Some(BY_SIGNAL + signal as i32),
                Ok(_) | Err(Errno::EINTR) => {}
                Err(_) => return None,
            }
        }
    }

    /// Ends what an engine has left behind, once it has had its time to follow; how many processes there were, and that in words.
    fn clear_away() -> (usize, Option<String>) {
        let own = std::process::id() as i32;
        let began = Instant::now();
        loop {
            while matches!(waitpid(None, Some(WaitPidFlag::WNOHANG)), Ok(status) if status != WaitStatus::StillAlive) {}
            if below(own).is_empty() {
                return (0, None);
            }
            if began.elapsed() >= TO_FOLLOW {
                break;
            }
            std::thread::sleep(PAUSE);
        }
        let group = nix::unistd::getpgrp().as_raw();
        let left = end_below(own);
        let names: std::collections::BTreeSet<&str> = left.values().map(|seen| seen.name.as_str()).collect();
        let names: Vec<&str> = names.into_iter().take(4).collect();
        let apart = left.values().filter(|seen| seen.group != group).count();
        let processes = if left.len() == 1 { "1 process".to_owned() } else { format!("{} processes", left.len()) };
        let apart = match apart {
            0 => String::new(),
            apart => format!(", {apart} of them in a process group apart"),
        };
        let remark = format!("it left {processes} behind ({}){apart}; ended", names.join(", "));
        (left.len(), (!left.is_empty()).then_some(remark))
    }

    fn remark_on(what: &str) {
        tell(&format!("{MARK}{what}"));
    }

    fn tell(message: &str) {
        use std::io::Write;
        // The bench keeps it as the engine's log.
        let _ = writeln!(std::io::stderr(), "{message}");
    }
}
