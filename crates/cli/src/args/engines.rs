//! Arguments of `engines` and of the processes behind it.

use super::conditions::{Limit, process_limits};
use clap::{Args, Subcommand, ValueEnum};
use ironspin_link::ProcessLimits;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct EnginesOptions {
    #[command(subcommand)]
    pub(crate) action: Option<EnginesAction>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum EnginesAction {
    /// Ask an engine small questions with known answers, and say what its author probably did wrong
    Probe(ProbeOptions),
}

/// What a probe writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ProbeFormat {
    /// A table
    Table,
    /// JSON
    Json,
}

#[derive(Debug, Args)]
pub(crate) struct ProbeOptions {
    /// The engine, such as cmd:./my-engine or lib:./libmyengine.so
    #[arg(value_name = "ENGINE")]
    pub(crate) engine: String,
    /// What it may use: start, build, step and cpu in seconds, memory in bytes
    #[arg(long, value_name = "NAME=VALUE,...", default_value = "")]
    limits: Limit,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ProbeFormat::Table)]
    pub(crate) format: ProbeFormat,
}

impl ProbeOptions {
    pub(crate) fn process_limits(&self) -> ProcessLimits {
        process_limits(self.limits, false)
    }
}

#[derive(Debug, Args)]
pub(crate) struct ServeLibraryOptions {
    /// The shared library
    #[arg(value_name = "FILE")]
    pub(crate) library: PathBuf,
    /// Over the plain protocol, frames as JSON
    #[arg(long)]
    pub(crate) plain: bool,
    /// Number of an open file in memory that the bench reads frames from
    #[arg(long, value_name = "N", conflicts_with = "plain")]
    pub(crate) room: Option<i32>,
}

#[derive(Debug, Args)]
pub(crate) struct KeepOptions {
    /// Number of the process that must live on
    #[arg(long, value_name = "N")]
    pub(crate) bench: u32,
    /// What the engine may use
    #[arg(long, value_name = "NAME=VALUE,...", default_value = "")]
    limits: Limit,
    /// The program and its arguments
    #[arg(last = true, required = true, value_name = "WORD")]
    pub(crate) words: Vec<String>,
}

impl KeepOptions {
    pub(crate) fn process_limits(&self) -> ProcessLimits {
        process_limits(self.limits, false)
    }
}
