//! Arguments of `sweep` and `merge`.

use super::{ConditionOptions, FarmPlace, ResultsAs, SceneSelection};
use clap::Args;
use ironspin_lab::Shard;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct SweepOptions {
    #[command(flatten)]
    pub(crate) scenes: SceneSelection,
    /// Take scenes and conditions from a plan file instead
    #[arg(long, value_name = "FILE", conflicts_with_all = ["scenes", "all", "topic", "dt", "engines", "set", "seed", "clock", "frames", "stall", "units", "size", "origin", "threads", "repeat"])]
    pub(crate) plan: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// Folder of the sweep; what is finished there is not run again
    #[arg(long, value_name = "DIR", default_value = "out/sweep")]
    pub(crate) out: PathBuf,
    /// Run one share of the grid only, such as 2/5; always the same trials
    #[arg(long, value_name = "SHARE")]
    pub(crate) shard: Option<Shard>,
    #[command(flatten)]
    pub(crate) farm: FarmPlace,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ResultsAs::Table)]
    pub(crate) format: ResultsAs,
    /// Keep the results in a ledger (SQLite)
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: Option<PathBuf>,
    /// Name of the entry in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

#[derive(Debug, Args)]
pub(crate) struct MergeOptions {
    /// Folders of the shares
    #[arg(required = true, value_name = "DIR")]
    pub(crate) shares: Vec<PathBuf>,
    /// Folder for the whole
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ResultsAs::Table)]
    pub(crate) format: ResultsAs,
    /// Keep the results in a ledger (SQLite)
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: Option<PathBuf>,
    /// Name of the entry in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
}
