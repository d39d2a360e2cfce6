//! `plan.json`: the trials of a folder, in order. By it a folder is known as a sweep or a proof.

use super::files::Worth;
use super::{Shard, files};
use crate::folder::FolderError;
use crate::plan::TrialPlan;
use crate::work::Work;
use serde::{Deserialize, Serialize};
use std::io;
use std::path::Path;

/// Name and version of the form.
const FORMAT: &str = "ironspin.plan/1";
pub(super) const PLAN: &str = "plan.json";
/// Largest plan, bytes: 120 a trial.
const LIMIT: u64 = 2 << 30;

/// The trials of a folder, in order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct PlanFile {
    format: String,
    /// Which share of the grid it is, such as `2/5`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) shard: Option<String>,
    /// The arguments of the proof that the trials are for; none of a sweep.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) proof: Vec<String>,
    /// All trials of the grid, those of other shares too.
    pub(crate) trials: Vec<PlannedTrial>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct PlannedTrial {
    pub(crate) key: String,
    pub(crate) trial: String,
}

impl PlanFile {
    pub(crate) fn of_grid<'a>(plans: impl Iterator<Item = &'a TrialPlan>, shard: Option<Shard>) -> PlanFile {
        let planned = |plan: &TrialPlan| PlannedTrial { key: plan.key(), trial: plan.arguments()[1..].join(" ") };
        PlanFile::new(Vec::new(), plans.map(planned).collect(), shard)
    }

    pub(crate) fn of_proof(words: Vec<String>, work: &[Work], shard: Option<Shard>) -> PlanFile {
        let planned = |work: &Work| PlannedTrial { key: work.key(), trial: work.words().join(" ") };
        PlanFile::new(words, work.iter().map(planned).collect(), shard)
    }

    fn new(proof: Vec<String>, trials: Vec<PlannedTrial>, shard: Option<Shard>) -> PlanFile {
        PlanFile { format: FORMAT.to_owned(), shard: shard.map(|shard| shard.to_string()), proof, trials }
    }

    pub(crate) fn keys(&self) -> Vec<String> {
        self.trials.iter().map(|planned| planned.key.clone()).collect()
    }

    /// Whether both are of the same trials, whatever their shares.
    pub(super) fn same_grid(&self, other: &PlanFile) -> bool {
        self.trials == other.trials && self.proof == other.proof
    }

    pub(crate) fn write(&self, folder: &Path) -> Result<(), FolderError> {
        let fault = |error| FolderError::Io { folder: folder.to_owned(), cause: io::Error::other(error) };
        let text = serde_json::to_string_pretty(self).map_err(fault)?;
        files::put_with(folder, PLAN, Worth::Kept, &|out| out.write_all(text.as_bytes()))
    }

    pub(crate) fn read(folder: &Path) -> Result<PlanFile, FolderError> {
        let not_ours = || FolderError::NotOurs(folder.to_owned());
        let text = ironspin_model::read_text(&folder.join(PLAN), LIMIT).map_err(|_| not_ours())?;
        let plan: PlanFile = serde_json::from_str(&text).map_err(|_| not_ours())?;
        if plan.format == FORMAT { Ok(plan) } else { Err(not_ours()) }
    }
}
