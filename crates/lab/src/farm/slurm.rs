//! The commands of the scheduler: what is submitted, and what it says of it. Every argument is handed on as one; no shell takes any apart.

use super::FarmError;
use super::place::Resources;
use super::plan::{FarmFile, Jobs, file, write};
use super::state::{Seen, State};
use crate::plan::shell_line;
use crate::sweep::SweepFolder;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Largest number of tasks of an array unless the site says otherwise.
const ARRAY: usize = 1000;

/// The script of a share. The program takes the place of the shell, so that a signal reaches it, and once.
const SHARE_SCRIPT: &str = "#!/bin/sh\nexec \"$@\" --share \"$SLURM_ARRAY_TASK_ID\"\n";
/// The script of the join.
const JOIN_SCRIPT: &str = "#!/bin/sh\nexec \"$@\"\n";

/// What would be submitted.
#[derive(Clone, Debug)]
pub struct Submission {
    /// Scripts by their places.
    pub scripts: [(PathBuf, &'static str); 2],
    /// The command that submits the shares.
    pub array: Vec<String>,
    /// The command that submits the join, after the shares; without them where there are none.
    pub join: Vec<String>,
}

/// Stands for the number of the shares' job in a submission that was not made.
const SOME_JOB: &str = "JOB";

impl Submission {
    /// For what was laid out in a folder, to be run by a program; `after` is the number of the shares' job, where it is known.
    ///
    /// # Errors
    /// For a folder whose name the scheduler would change.
    pub fn of(
        folder: &Path,
        farm: &FarmFile,
        resources: &Resources,
        program: &Path,
        after: Option<&str>,
    ) -> Result<Submission, FarmError> {
        let text = folder.to_string_lossy().into_owned();
        if text.contains(['\\', '\n']) {
            return Err(FarmError::FolderName(folder.to_owned()));
        }
        let name = FarmFile::job_name(folder);
        let (share, join) = (file(folder, "share.sh"), file(folder, "join.sh"));
        // A per cent sign begins a name that the scheduler fills in.
        let log = |name: &str| format!("--output={}", file(folder, "").display().to_string().replace('%', "%%") + name);
        let mut array = vec!["sbatch".to_owned(), "--parsable".to_owned(), format!("--job-name={name}")];
        array.extend([
            format!("--array=1-{}", farm.shares.len()),
            "--requeue".to_owned(),
            "--open-mode=append".to_owned(),
        ]);
        array.extend([log("log-%a.txt"), format!("--chdir={}", farm.directory.display())]);
        array.extend(options(resources, Some(farm.cpus)));
        let own = |words: &[&str]| -> Vec<String> {
            [program.display().to_string()]
                .into_iter()
                .chain(words.iter().map(|&word| word.to_owned()))
                .chain([text.clone()])
                .collect()
        };
        array.push(share.display().to_string());
        array.extend(own(&["farm", "work"]));
        let mut whole = vec!["sbatch".to_owned(), "--parsable".to_owned(), format!("--job-name={name}-join")];
        if !farm.shares.is_empty() {
            // Also when shares have failed: the join says which.
            whole.push(format!("--dependency=afterany:{}", after.unwrap_or(SOME_JOB)));
        }
        whole.extend(["--requeue".to_owned(), "--open-mode=append".to_owned()]);
        whole.extend([log("join.txt"), format!("--chdir={}", farm.directory.display())]);
        whole.extend(options(resources, None));
        whole.push(join.display().to_string());
        whole.extend(own(&["farm", "join"]));
        whole.extend(farm.join.iter().cloned());
        Ok(Submission { scripts: [(share, SHARE_SCRIPT), (join, JOIN_SCRIPT)], array, join: whole })
    }
}

/// What the scheduler is told of resources.
fn options(resources: &Resources, cpus: Option<usize>) -> Vec<String> {
    let Resources { partition, time, memory, account, extra, .. } = resources;
    let named = [("partition", partition), ("time", time), ("mem", memory), ("account", account)];
    let mut options: Vec<String> =
        named.iter().filter_map(|(name, value)| Some(format!("--{name}={}", value.as_ref()?))).collect();
    options.extend(cpus.map(|cpus| format!("--cpus-per-task={cpus}")));
    options.extend(extra.iter().cloned());
    options
}

/// Submits what was laid out in a folder: an array of shares, and a join after it.
///
/// # Errors
/// When the scheduler refuses, or the file system does.
pub fn submit(folder: &SweepFolder, farm: &FarmFile, resources: &Resources, program: &Path) -> Result<Jobs, FarmError> {
    let place = folder.place();
    let mut jobs = Jobs::default();
    let submission = Submission::of(place, farm, resources, program, None)?;
    for (script, text) in &submission.scripts {
        let name = script.file_name().unwrap_or_default().to_string_lossy();
        folder.put(&format!("farm/{name}"), text.as_bytes())?;
    }
    if !farm.shares.is_empty() {
        jobs.array = Some(number(&call(&submission.array)?));
    }
    write(folder, "jobs.json", &jobs)?;
    let submission = Submission::of(place, farm, resources, program, jobs.array.as_deref())?;
    let join = call(&submission.join);
    if let (Err(_), Some(array)) = (&join, &jobs.array) {
        // Shares that nobody joins are not left behind.
        let _ = call(&["scancel".to_owned(), array.clone()]);
    }
    jobs.join = Some(number(&join?));
    write(folder, "jobs.json", &jobs)?;
    Ok(jobs)
}

/// `12;cluster` to `12`.
fn number(said: &str) -> String {
    said.trim().split(';').next().unwrap_or_default().to_owned()
}

/// Largest number of shares that the site takes.
pub(super) fn most_shares() -> usize {
    let said = call(&["scontrol".to_owned(), "show".to_owned(), "config".to_owned()]).unwrap_or_default();
    let line = said.lines().find_map(|line| line.trim().strip_prefix("MaxArraySize"));
    let most = line.and_then(|line| line.trim_start_matches([' ', '=']).trim().parse::<usize>().ok());
    // Indices are below that size, and the first is 1.
    most.map_or(ARRAY, |most| most.saturating_sub(1)).max(1)
}

/// Takes the jobs of a folder out of the queue.
///
/// # Errors
/// When the scheduler cannot be reached.
pub fn withdraw(folder: &Path) -> Result<(), FarmError> {
    let name = FarmFile::job_name(folder);
    for name in [name.clone(), format!("{name}-join")] {
        call(&["scancel".to_owned(), format!("--name={name}")])?;
    }
    Ok(())
}

/// What the scheduler has in its queue of the jobs of a folder.
pub(super) fn seen(folder: &Path) -> Result<Seen, FarmError> {
    let name = FarmFile::job_name(folder);
    let names = format!("--name={name},{name}-join");
    let words = ["squeue", "--noheader", "--array", &names, "--format=%j|%K|%T|%N|%i"].map(str::to_owned);
    Ok(read_queue(&call(&words)?, &name))
}

fn read_queue(said: &str, name: &str) -> Seen {
    let mut seen = Seen::default();
    for line in said.lines() {
        let mut columns = line.trim().split('|');
        let mut column = || columns.next().unwrap_or_default();
        let (job, share, state, node, id) = (column(), column(), column(), column(), column());
        let state = match state {
            "RUNNING" | "COMPLETING" | "SUSPENDED" | "STOPPED" | "SIGNALING" | "STAGE_OUT" => State::Running,
            "PENDING" | "CONFIGURING" | "REQUEUED" | "REQUEUE_HOLD" | "REQUEUE_FED" | "RESIZING" => State::Waiting,
            _ => continue,
        };
        seen.jobs.push(id.to_owned());
        if job == name {
            if let Ok(share) = share.parse() {
                seen.shares.insert(share, (state, Some(node.to_owned()).filter(|node| !node.is_empty())));
            }
        } else {
            seen.join = Some(state);
        }
    }
    seen.jobs.sort();
    seen
}

/// What the scheduler remembers of shares that have ended: a word on each, such as `CANCELLED`. It forgets after some minutes.
pub(super) fn ended(jobs: &Jobs) -> BTreeMap<usize, String> {
    let Some(array) = &jobs.array else { return BTreeMap::new() };
    let words = ["scontrol", "--oneliner", "show", "job", array].map(str::to_owned);
    call(&words).map(|said| said.lines().filter_map(read_job).collect()).unwrap_or_default()
}

fn read_job(line: &str) -> Option<(usize, String)> {
    let field = |name: &str| line.split_whitespace().find_map(|word| word.strip_prefix(name)?.strip_prefix('='));
    let share = field("ArrayTaskId")?.parse().ok()?;
    let state = field("JobState")?;
    let code = field("ExitCode").filter(|code| *code != "0:0").map_or_else(String::new, |code| format!(" {code}"));
    let node =
        field("NodeList").filter(|node| *node != "(null)").map_or_else(String::new, |node| format!(" on {node}"));
    Some((share, format!("{state}{code}{node}")))
}

/// Calls a command with its arguments as they are; what it wrote.
fn call(words: &[String]) -> Result<String, FarmError> {
    let fault = |why: String| FarmError::Scheduler { command: shell_line(&words[..words.len().min(4)]), why };
    let (program, arguments) = words.split_first().ok_or_else(|| fault("no command".to_owned()))?;
    let done = Command::new(program)
        .args(arguments)
        .stdin(Stdio::null())
        .output()
        .map_err(|error| fault(format!("{error}; is this a machine from which jobs can be submitted?")))?;
    if done.status.success() {
        return Ok(String::from_utf8_lossy(&done.stdout).into_owned());
    }
    let said = String::from_utf8_lossy(&done.stderr);
    let last = said.lines().rfind(|line| !line.trim().is_empty()).unwrap_or("it said nothing").trim();
    Err(fault(last.chars().filter(|letter| !letter.is_control()).take(300).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_queue_is_read_by_share() {
        let said =
            "yard|3|RUNNING|node1|12_3\nyard|4|PENDING||12_4\nyard-join|N/A|PENDING||13\nyard|5|COMPLETED|node2|12_5\n";
        let seen = read_queue(said, "yard");
        assert_eq!(seen.shares.get(&3), Some(&(State::Running, Some("node1".to_owned()))));
        assert_eq!(seen.shares.get(&4), Some(&(State::Waiting, None)));
        assert_eq!((seen.shares.len(), seen.join, seen.jobs.len()), (2, Some(State::Waiting), 3));
    }

    #[test]
    fn what_has_ended_is_told_in_a_word() {
        let line =
            "JobId=14 ArrayJobId=12 ArrayTaskId=2 JobName=x JobState=TIMEOUT Reason=None ExitCode=0:15 NodeList=node2";
        assert_eq!(read_job(line), Some((2, "TIMEOUT 0:15 on node2".to_owned())));
        assert_eq!(read_job("JobId=12 ArrayJobId=12 ArrayTaskId=3-9 JobState=PENDING"), None);
    }
}
