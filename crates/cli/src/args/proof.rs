//! Arguments of `proof`.

use super::FarmPlace;
use super::conditions::{Limit, process_limits};
use clap::{Args, ValueEnum};
use ironspin_lab::{ProofDepth, Shard};
use ironspin_link::ProcessLimits;
use std::path::PathBuf;

/// What a proof is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ProofFormat {
    /// Lines to read
    Table,
    /// One JSON document
    Json,
    /// The whole matrix in Markdown
    Markdown,
}

#[derive(Debug, Args)]
pub(crate) struct ProofOptions {
    /// Only these faults; all when left out
    #[arg(long = "fault", value_name = "NAME", value_delimiter = ',')]
    pub(crate) faults: Vec<String>,
    /// Only these bundled scenes; all when left out
    #[arg(long = "scene", value_name = "NAME", value_delimiter = ',')]
    pub(crate) scenes: Vec<String>,
    /// The small proof: what the entries of the faults name, at one step, and the sound engine as it is by default
    #[arg(long)]
    pub(crate) quick: bool,
    /// The proof of the faults: what their entries name, at all steps, seeds and sizes, and the sound engine in all settings, units and twins; not every fault on
    /// every scene
    #[arg(long, conflicts_with = "quick")]
    pub(crate) named: bool,
    /// The engine that is broken on purpose: one with the options `fault` and `fault-size`
    #[arg(long, value_name = "ENGINE", default_value = "builtin")]
    pub(crate) engine: String,
    /// List the faults, and run nothing
    #[arg(long)]
    pub(crate) list: bool,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ProofFormat::Table)]
    pub(crate) format: ProofFormat,
    /// Folder for proof.json and proof.html; with --on and --shard also for what came of each trial, and what is finished there is not run again
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Run one share of the proof only, such as 2/5; always the same trials
    #[arg(long, value_name = "SHARE", requires = "out")]
    pub(crate) shard: Option<Shard>,
    #[command(flatten)]
    pub(crate) farm: FarmPlace,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
    /// What an engine in a process of its own may use: start, build, step and cpu in seconds, memory in bytes
    #[arg(long, value_name = "NAME=VALUE,...", default_value = "")]
    limits: Limit,
}

impl ProofOptions {
    /// The arguments that say what is to be proved.
    pub(crate) fn words(&self) -> Vec<String> {
        let mut words = vec!["proof".to_owned(), "--engine".to_owned(), self.engine.clone()];
        for (name, values) in [("--fault", &self.faults), ("--scene", &self.scenes)] {
            if !values.is_empty() {
                words.extend([name.to_owned(), values.join(",")]);
            }
        }
        words.extend(self.quick.then(|| "--quick".to_owned()));
        words.extend(self.named.then(|| "--named".to_owned()));
        words.extend(self.process_limits().arguments());
        words
    }

    /// How much is to be proved.
    pub(crate) fn depth(&self) -> ProofDepth {
        match (self.quick, self.named) {
            (true, _) => ProofDepth::Quick,
            (false, true) => ProofDepth::Named,
            (false, false) => ProofDepth::Whole,
        }
    }

    /// How an engine in a process of its own is kept.
    pub(crate) fn process_limits(&self) -> ProcessLimits {
        process_limits(self.limits, false)
    }
}
