//! Arguments of `farm`, and of the commands whose trials it runs.

use crate::diagnostic::Diagnostic;
use clap::{Args, Subcommand, ValueEnum};
use ironspin_lab::{Where, read_farm_table};
use std::path::{Path, PathBuf};

/// Where the trials of a command are run.
#[derive(Debug, Args)]
pub(crate) struct FarmPlace {
    /// Run the trials elsewhere: slurm, slurm:partition=P,time=T,memory=M,cpus=N,account=A,extra="--constraint=C", local, local:processes=N,cpus=N
    /// (processes here), list (print a command a share), or a plan file for its [farm] table
    #[arg(long, value_name = "WHERE", conflicts_with_all = ["shard", "jobs"])]
    pub(crate) on: Option<String>,
    /// How many shares; as many as take some minutes each when left out
    #[arg(long, value_name = "N", requires = "on", value_parser = clap::value_parser!(u32).range(1..=100_000))]
    pub(crate) shares: Option<u32>,
    /// Stay with the work that --on began until it is joined, and end as a run here would have
    #[arg(long, requires = "on")]
    pub(crate) follow: bool,
    /// Show what --on would submit, and do nothing
    #[arg(long, requires = "on", conflicts_with = "follow")]
    pub(crate) dry_run: bool,
}

impl FarmPlace {
    /// Where the trials are to be run, and in how many shares; nothing when they are run here. `plan` is the plan file of the command.
    pub(crate) fn place(&self, plan: Option<&Path>) -> Result<Option<(Where, Option<usize>)>, Diagnostic> {
        let Some(on) = &self.on else { return Ok(None) };
        let own = self.shares.map(|shares| shares as usize);
        let no_table = || Diagnostic::Kept { why: format!("`{on}` has no [farm] table") };
        let (place, shares) = match plan {
            _ if on.ends_with(".toml") => read_farm_table(Path::new(on), None)?.ok_or_else(no_table)?,
            Some(plan) if !on.contains(':') => match read_farm_table(plan, Some(on))? {
                Some(found) => found,
                None => (typed(on)?, None),
            },
            _ => (typed(on)?, None),
        };
        Ok(Some((place, own.or(shares))))
    }
}

fn typed(on: &str) -> Result<Where, Diagnostic> {
    on.parse().map_err(|why| Diagnostic::Kept { why: format!("--on {on}: {why}") })
}

#[derive(Debug, Args)]
pub(crate) struct FarmOptions {
    #[command(subcommand)]
    pub(crate) action: FarmAction,
}

#[derive(Debug, Subcommand)]
pub(crate) enum FarmAction {
    /// Say of each share whether it is waiting, running, done, or failed with its last words
    Status(StatusOptions),
    /// Work on one share, where a scheduler has put it
    Work(WorkOptions),
    /// Join what is finished and draw the report, also when trials are missing
    Join(JoinOptions),
    /// Take the shares that are waiting or running out of the queue; what is finished stays
    Stop {
        /// Folder of the sweep or proof
        #[arg(value_name = "DIR")]
        folder: PathBuf,
    },
    /// Work off the shares of a folder by processes of this machine
    #[command(hide = true)]
    Here {
        /// Folder of the sweep or proof
        #[arg(value_name = "DIR")]
        folder: PathBuf,
    },
}

/// What the state is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum StatusFormat {
    /// A table to read
    Table,
    /// One JSON document
    Json,
}

#[derive(Debug, Args)]
pub(crate) struct StatusOptions {
    /// Folder of the sweep or proof
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = StatusFormat::Table)]
    pub(crate) format: StatusFormat,
}

#[derive(Debug, Args)]
pub(crate) struct WorkOptions {
    /// Folder of the sweep or proof
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
    /// Which share, from 1
    #[arg(long, value_name = "K")]
    pub(crate) share: usize,
}

#[derive(Debug, Args)]
pub(crate) struct JoinOptions {
    /// Folder of the sweep or proof
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
    /// Keep the results of a sweep in a ledger (SQLite)
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: Option<PathBuf>,
    /// Name of the entry in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
}
