//! How engines in processes of their own are kept: time, memory, processor time, one process for many trials or one for each.

use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;
use std::time::Duration;

/// Where foreign engines live.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ProcessLimits {
    /// This program, which watches over an engine as `keep-engine` and loads shared libraries as `serve-library`. Without it programs are
    /// started bare and libraries not at all.
    pub program: Option<PathBuf>,
    /// What an engine may use.
    pub limits: Limits,
    /// A process of its own for every trial.
    pub fresh: bool,
}

impl ProcessLimits {
    /// The arguments that say the same on the command line; nothing where all is as usual.
    pub fn arguments(&self) -> Vec<String> {
        let mut words = Vec::new();
        if self.limits != Limits::default() {
            words.extend(["--limits".to_owned(), self.limits.to_string()]);
        }
        if self.fresh {
            words.push("--fresh".to_owned());
        }
        words
    }
}

/// What an engine may use before it is ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Time to say `hello`, s.
    pub start: f64,
    /// Time for a `build`, s.
    pub build: f64,
    /// Time for a step, s; nothing for a limit that follows the steps seen so far.
    pub step: Option<f64>,
    /// Time for a trial, from its build on, s.
    pub trial: Option<f64>,
    /// Memory that it and all that it starts hold together, bytes.
    pub memory: u64,
    /// Processes that it and all that it starts are together.
    pub processes: usize,
    /// Address space of each of its processes, bytes.
    pub address_space: Option<u64>,
    /// Processor time of a process, s.
    pub cpu: Option<u64>,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            start: 10.0,
            build: 30.0,
            step: None,
            trial: None,
            memory: MEMORY,
            processes: PROCESSES,
            address_space: None,
            cpu: None,
        }
    }
}

/// Memory of an engine where nothing is said, bytes: 4 GiB.
const MEMORY: u64 = 1 << 32;
/// Its processes, likewise.
const PROCESSES: usize = 256;
/// Time for a call beside its steps where nothing is said, and for a step before any was seen, s.
const A_CALL: f64 = 10.0;
const FIRST_STEP: f64 = 2.0;
/// A step may take so many times as long as the slowest so far.
const SLOWER: f64 = 100.0;

impl Limits {
    /// Time for the start.
    pub(crate) fn to_start(self) -> Duration {
        Duration::from_secs_f64(self.start)
    }

    /// Time for a build.
    pub(crate) fn to_build(self) -> Duration {
        Duration::from_secs_f64(self.build)
    }

    /// Time for a call of so many steps, when the slowest so far took `slowest` s each on average.
    pub(crate) fn to_advance(self, steps: usize, slowest: Option<f64>) -> Duration {
        let steps = steps as f64;
        let seconds = match (self.step, slowest) {
            (Some(step), _) => step * steps.max(1.0),
            (None, Some(slowest)) => A_CALL + steps * SLOWER * slowest,
            (None, None) => A_CALL + steps * FIRST_STEP,
        };
        Duration::from_secs_f64(seconds.min(1e6))
    }
}

/// A limit that cannot be read.
#[derive(Debug, thiserror::Error)]
#[error(
    "`{found}`: expected limits such as start=10,build=30,step=0.5,trial=60,cpu=60 (seconds), memory=2GiB,address-space=8GiB, processes=16, separated by commas"
)]
pub struct LimitError {
    found: String,
}

impl FromStr for Limits {
    type Err = LimitError;

    fn from_str(text: &str) -> Result<Limits, LimitError> {
        let mut limits = Limits::default();
        for pair in text.split(',') {
            let wrong = || LimitError { found: pair.trim().to_owned() };
            let (name, value) = pair.split_once('=').ok_or_else(wrong)?;
            let seconds = || value.trim().parse().ok().filter(|&s: &f64| s > 0.0 && s <= 1e6).ok_or_else(wrong);
            match name.trim() {
                "start" => limits.start = seconds()?,
                "build" => limits.build = seconds()?,
                "step" => limits.step = Some(seconds()?),
                "trial" => limits.trial = Some(seconds()?),
                "memory" => limits.memory = bytes(value.trim()).ok_or_else(wrong)?,
                "address-space" => limits.address_space = Some(bytes(value.trim()).ok_or_else(wrong)?),
                "processes" => {
                    let count = value.trim().parse().ok().filter(|count| (1..=100_000).contains(count));
                    limits.processes = count.ok_or_else(wrong)?;
                }
                "cpu" => limits.cpu = Some(seconds()?.ceil() as u64),
                _ => return Err(wrong()),
            }
        }
        Ok(limits)
    }
}

impl fmt::Display for Limits {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let usual = Limits::default();
        let mut reported = Vec::new();
        if self.start != usual.start {
            reported.push(format!("start={}", self.start));
        }
        if self.build != usual.build {
            reported.push(format!("build={}", self.build));
        }
        reported.extend(self.step.map(|step| format!("step={step}")));
        reported.extend(self.trial.map(|trial| format!("trial={trial}")));
        if self.memory != usual.memory {
            reported.push(format!("memory={}", self.memory));
        }
        if self.processes != usual.processes {
            reported.push(format!("processes={}", self.processes));
        }
        reported.extend(self.address_space.map(|bytes| format!("address-space={bytes}")));
        reported.extend(self.cpu.map(|seconds| format!("cpu={seconds}")));
        out.write_str(&reported.join(","))
    }
}

/// Reads `2GiB`, `500MB` or a number of bytes.
fn bytes(text: &str) -> Option<u64> {
    let digits = text.find(|c: char| c.is_ascii_alphabetic()).unwrap_or(text.len());
    let unit: f64 = match text[digits..].trim() {
        "" | "B" => 1.0,
        "kB" => 1e3,
        "MB" => 1e6,
        "GB" => 1e9,
        "KiB" => 1024.0,
        "MiB" => 1_048_576.0,
        "GiB" => 1_073_741_824.0,
        _ => return None,
    };
    let number: f64 = text[..digits].trim().parse().ok()?;
    let whole = number * unit;
    // Less could not even start a process.
    (1e6..1e18).contains(&whole).then_some(whole as u64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_read_and_told() {
        let limits: Limits =
            "step=0.25, trial=9, memory=2GiB,cpu=60,start=1,processes=3,address-space=8GB".parse().unwrap();
        assert_eq!((limits.memory, limits.cpu, limits.step), (1 << 31, Some(60), Some(0.25)));
        assert_eq!((limits.processes, limits.address_space), (3, Some(8_000_000_000)));
        assert_eq!(limits.to_string().parse::<Limits>().unwrap(), limits);
        for wrong in ["", "step", "step=-1", "memory=2furlongs", "memory=12", "processes=0", "speed=3", "cpu=nan"] {
            assert!(wrong.parse::<Limits>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn the_time_for_a_step_follows_those_seen() {
        let limits = Limits::default();
        assert_eq!(limits.to_advance(64, None), Duration::from_secs(138));
        assert_eq!(limits.to_advance(64, Some(1e-3)), Duration::from_secs_f64(16.4));
        assert_eq!("step=0.5".parse::<Limits>().unwrap().to_advance(4, Some(1e-3)), Duration::from_secs(2));
    }
}
