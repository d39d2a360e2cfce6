//! A process between the bench and an engine: it sets limits, and ends the engine with all its children when the bench has gone,
//! however that went.

use crate::process_limits::Limits;
use std::process::ExitStatus;

/// Added to the number of the signal that ended an engine, in the exit code of its supervisor.
pub(crate) const BY_SIGNAL: i32 = 128;
/// Exit code for a program that cannot be started.
const NO_PROGRAM: u8 = 127;

/// How an engine ended, in words.
pub(crate) fn ending(status: ExitStatus, limits: &Limits) -> String {
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
    if let Some(bytes) = limits.memory.filter(|_| !status.success()) {
        reported += &format!(" (its memory was limited to {bytes} bytes)");
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

/// Runs a program within limits until it ends or the bench does; its exit code, or 128 and the number of its signal.
///
/// `bench` is the number of the process that must live on. The caller must be the leader of a process group of its own, which is ended as a whole when the bench has gone. Standard
/// input and output are the program's.
#[cfg(unix)]
pub fn keep(limits: &Limits, bench: u32, program: &str, arguments: &[String]) -> u8 {
    use nix::sys::resource::{Resource, setrlimit};
    use nix::sys::signal::{Signal, killpg};
    use std::os::unix::process::{ExitStatusExt, parent_id};
    use std::time::Duration;
    const LOOK: Duration = Duration::from_millis(50);

    let group = nix::unistd::getpgrp();
    std::thread::spawn(move || {
        while parent_id() == bench {
            std::thread::sleep(LOOK);
        }
        // This process is one of the group.
        let _ = killpg(group, Signal::SIGKILL);
    });
    let limited = [(Resource::RLIMIT_AS, limits.memory), (Resource::RLIMIT_CPU, limits.cpu)]
        .into_iter()
        .filter_map(|(resource, limit)| limit.map(|limit| (resource, limit)))
        // The hard limit of the processor time comes a little later, so that the signal shows which limit it was.
        .try_for_each(|(resource, limit)| setrlimit(resource, limit, limit.saturating_add(5)));
    if let Err(error) = limited {
        tell(&format!("the limits {limits} cannot be set: {error}"));
        return NO_PROGRAM;
    }
    let mut child = match std::process::Command::new(program).args(arguments).spawn() {
        Ok(child) => child,
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
    let Ok(status) = child.wait() else { return NO_PROGRAM };
    let code = status.code().or(status.signal().map(|signal| BY_SIGNAL + signal));
    code.and_then(|code| u8::try_from(code).ok()).unwrap_or(u8::MAX)
}

#[cfg(unix)]
fn tell(message: &str) {
    use std::io::Write;
    // The bench keeps it as the engine's log.
    let _ = writeln!(std::io::stderr(), "{message}");
}
