//! What made a run folder.

use super::Tool;
use crate::plan::TrialPlan;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What made a run folder: version, command, machine, time. Differs from run to run.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Manifest {
    /// Name and version of the form.
    pub format: String,
    /// The program.
    pub tool: Tool,
    /// SHA-256 of its file, where folders of results may be joined.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// Its arguments.
    pub command: Vec<String>,
    /// The machine.
    pub host: Host,
    /// SHA-256 of each scene's text.
    pub scenes: BTreeMap<String, String>,
    /// What each engine is known by: its version, or the hash of its file.
    #[serde(default)]
    pub engines: BTreeMap<String, String>,
    /// Time it took, s.
    pub seconds: f64,
}

/// A machine.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Host {
    /// Operating system.
    pub os: String,
    /// Processor.
    pub arch: String,
    /// Processors that may be used.
    pub cores: usize,
}

impl Host {
    /// This one.
    pub fn this() -> Self {
        Host {
            os: std::env::consts::OS.to_owned(),
            arch: std::env::consts::ARCH.to_owned(),
            cores: std::thread::available_parallelism().map_or(1, usize::from),
        }
    }
}

/// SHA-256 of the file of this program; nothing when it cannot be read.
pub fn program_hash() -> Option<String> {
    ironspin_link::hash_of(&std::env::current_exe().ok()?).ok()
}

impl Manifest {
    /// With the hash of the program, as folders have it that may be joined.
    #[must_use]
    pub fn with_program(mut self) -> Self {
        self.program = program_hash();
        self
    }

    /// Describes a run by its command line, its trials and the time it took.
    pub fn new<'a>(command: Vec<String>, plans: impl Iterator<Item = &'a TrialPlan>, seconds: f64) -> Self {
        let (mut scenes, mut engines) = (BTreeMap::new(), BTreeMap::new());
        for plan in plans {
            scenes.entry(plan.setup.name.clone()).or_insert_with(|| plan.scene_hash.clone());
            engines.entry(plan.engine.text().to_owned()).or_insert_with(|| plan.engine_hash.clone());
        }
        Manifest {
            format: "ironspin.manifest/1".to_owned(),
            tool: Tool::this(),
            program: None,
            command,
            host: Host::this(),
            scenes,
            engines,
            seconds,
        }
    }
}
