//! Conditions of trials as they are typed.

use clap::Args;
use ironspin_lab::{GridOrder, STEP_LIMIT, TRIAL_LIMIT};
use ironspin_link::{LimitError, Limits, ProcessLimits};
use ironspin_model::{Clock, ClockKind, Factor, Origin, Stall, Timestep};

/// One seed or several.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Seeds(pub(crate) Vec<u64>);

/// Most seeds of one run.
const MOST_SEEDS: u64 = 10_000;

/// Whether frame times differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum Frames {
    /// All alike
    Even,
    /// Each between half and one and a half of the even time, by the seed
    Uneven,
}

#[derive(Debug, Args)]
pub(crate) struct ConditionOptions {
    /// Step lengths in seconds, separated by commas
    #[arg(long, value_name = "STEP,...", value_delimiter = ',', default_value = "1/60")]
    pub(crate) dt: Vec<Timestep>,
    /// Engine under test, such as builtin:swept=all,iterations=8; may be given several times
    #[arg(long = "engine", value_name = "ENGINE", default_value = "builtin")]
    pub(crate) engines: Vec<String>,
    /// Set a parameter of the scene, or try several values: count=10,20,40; a list stands in brackets: masses=[1,2]; may be given several times
    #[arg(long = "set", value_name = "NAME=VALUE,...", value_parser = name_and_values)]
    pub(crate) set: Vec<(String, Vec<String>)>,
    /// Seeds of everything random, such as 7 or 1,2,5 or 1..20; values of several seeds are pooled for laws of chance
    #[arg(long, value_name = "SEEDS", default_value = "1", value_parser = seeds)]
    pub(crate) seed: Seeds,
    /// How steps come out of frame times: fixed, raw:FPS (each time handed on as it comes), bank:FPS (saved up, paid out in fixed steps)
    #[arg(long, value_name = "CLOCK,...", value_delimiter = ',', default_value = "fixed")]
    pub(crate) clock: Vec<ClockKind>,
    /// Whether frame times differ
    #[arg(long, value_enum, value_name = "HOW", default_value_t = Frames::Even)]
    pub(crate) frames: Frames,
    /// One frame takes longer: SECONDS@TIME, such as 0.4@2.0
    #[arg(long, value_name = "STALL")]
    pub(crate) stall: Option<Stall>,
    /// The same world in other length units, such as 100 or 2^-10; nothing may change
    #[arg(long, value_name = "FACTOR,...", value_delimiter = ',', default_value = "1")]
    pub(crate) units: Vec<Factor>,
    /// The world so many times as big, under the same gravity
    #[arg(long, value_name = "FACTOR,...", value_delimiter = ',', default_value = "1")]
    pub(crate) size: Vec<Factor>,
    /// The whole world moved, m: x, x:y or x:y:z, such as 1e6
    #[arg(long, value_name = "PLACE,...", value_delimiter = ',', default_value = "0", allow_hyphen_values = true)]
    pub(crate) origin: Vec<Origin>,
    /// Threads allowed to the engine
    #[arg(long, value_name = "N,...", value_delimiter = ',', default_value = "1", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub(crate) threads: Vec<u16>,
    /// How often each trial is run
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub(crate) repeat: u32,
    /// What an engine in a process of its own may use: start, build, step, trial and cpu in seconds, memory and address-space in bytes, processes, such as step=0.5,memory=2GiB
    #[arg(long, value_name = "NAME=VALUE,...", default_value = "")]
    pub(crate) limits: Limit,
    /// A process of its own for every trial, where one would serve for many
    #[arg(long)]
    pub(crate) fresh: bool,
    /// Most bodies a scene may have
    #[arg(long, value_name = "N", default_value_t = ironspin_scene::BODY_LIMIT)]
    pub(crate) max_bodies: usize,
    /// Most trials
    #[arg(long, value_name = "N", default_value_t = TRIAL_LIMIT)]
    pub(crate) max_trials: usize,
    /// Most steps of a trial
    #[arg(long, value_name = "N", default_value_t = STEP_LIMIT)]
    pub(crate) max_steps: u64,
}

/// Limits, or the usual ones where nothing is said.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Limit(Limits);

impl std::str::FromStr for Limit {
    type Err = LimitError;

    fn from_str(text: &str) -> Result<Limit, LimitError> {
        if text.is_empty() { Ok(Limit::default()) } else { text.parse().map(Limit) }
    }
}

/// How engines in processes of their own are kept: watched over by this program.
pub(crate) fn process_limits(limits: Limit, fresh: bool) -> ProcessLimits {
    ProcessLimits { program: std::env::current_exe().ok(), limits: limits.0, fresh }
}

impl ConditionOptions {
    /// How engines in processes of their own are kept.
    pub(crate) fn process_limits(&self) -> ProcessLimits {
        process_limits(self.limits, self.fresh)
    }

    /// The grid of some scenes.
    pub(crate) fn order(&self, scenes: &[String]) -> GridOrder {
        let clock = |&kind: &ClockKind| Clock { kind, uneven: self.frames == Frames::Uneven, stall: self.stall };
        GridOrder {
            set: self.set.clone(),
            clocks: self.clock.iter().map(clock).collect(),
            units: self.units.clone(),
            sizes: self.size.clone(),
            origins: self.origin.clone(),
            threads: self.threads.iter().map(|&threads| usize::from(threads)).collect(),
            seeds: self.seed.0.clone(),
            repeat: self.repeat,
            process_limits: self.process_limits(),
            body_limit: self.max_bodies,
            trial_limit: self.max_trials,
            step_limit: self.max_steps,
            ..GridOrder::plain(scenes.to_vec(), self.engines.clone(), self.dt.clone())
        }
    }
}

pub(crate) fn seeds(text: &str) -> Result<Seeds, String> {
    let wrong = || format!("`{text}`: expected seeds such as 7 or 1,2,5 or 1..20, up to {MOST_SEEDS} of them");
    let number = |text: &str| text.trim().parse::<u64>().map_err(|_| wrong());
    let mut all = Vec::new();
    for part in text.split(',') {
        match part.split_once("..") {
            Some((from, to)) => {
                let (from, to) = (number(from)?, number(to)?);
                if to < from || to - from >= MOST_SEEDS {
                    return Err(wrong());
                }
                all.extend(from..=to);
            }
            None => all.push(number(part)?),
        }
    }
    let mut sorted = all.clone();
    sorted.sort_unstable();
    sorted.dedup();
    if sorted.len() != all.len() || all.len() as u64 > MOST_SEEDS {
        return Err(format!("{}, each once", wrong()));
    }
    Ok(Seeds(all))
}

pub(crate) fn name_and_value(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((name, value)) if !name.trim().is_empty() => Ok((name.trim().to_owned(), value.trim().to_owned())),
        _ => Err("expected NAME=VALUE, such as count=20".to_owned()),
    }
}

/// Reads `count=10,20,40`. Commas in brackets belong to an expression.
pub(crate) fn name_and_values(text: &str) -> Result<(String, Vec<String>), String> {
    let (name, values) = name_and_value(text)?;
    let mut depth = 0_i32;
    let parts = values.split(|c: char| {
        match c {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            _ => {}
        }
        c == ',' && depth == 0
    });
    let parts: Vec<String> = parts.map(|part| part.trim().to_owned()).collect();
    if parts.iter().any(String::is_empty) {
        return Err("expected NAME=VALUE or NAME=VALUE,VALUE, such as count=10,20,40".to_owned());
    }
    Ok((name, parts))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_of_values_are_split_outside_of_brackets() {
        let read = |text: &str| name_and_values(text).map(|(_, values)| values);
        assert_eq!(read("count=10, 20"), Ok(vec!["10".to_owned(), "20".to_owned()]));
        assert_eq!(read("side=max(1,2),3"), Ok(vec!["max(1,2)".to_owned(), "3".to_owned()]));
        assert!(read("count=1,,2").is_err() && read("=1").is_err());
    }

    #[test]
    fn seeds_are_read_as_lists_and_ranges() {
        for (typed, expected) in [("7", vec![7]), ("1,5", vec![1, 5]), ("2..4,9", vec![2, 3, 4, 9])] {
            assert_eq!(seeds(typed), Ok(Seeds(expected)));
        }
    }
}
