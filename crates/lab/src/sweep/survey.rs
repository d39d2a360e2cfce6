//! The trials of a folder taken together without having them all in memory: files that hold every trial are written while the trials are read.

use super::SweepFolder;
use crate::document::{FORMAT, PooledDocument, ResultDocument, Summary, Tool, TrialDocument};
use crate::pool::pool_documents;
use ironspin_model::Verdict;
use serde::{Serialize, Serializer};

/// Of more trials than this, what was found of each is not kept whole.
pub const MANY: usize = 5_000;

/// What is known of the trials of a folder. Memory is that of a few figures a trial when there are many.
#[derive(Clone, Debug)]
pub struct Survey {
    /// The trials that are there, in the order of the plan. Of more than [`MANY`], what no map, list of broken claims or comparison of sizes asks
    /// for is left out; [`SweepFolder::trial`] has it.
    pub trials: Vec<TrialDocument>,
    /// How many turned out how.
    pub summary: Summary,
    /// Claims about the values of trials that differ by their seed alone.
    pub pooled: Vec<PooledDocument>,
    /// Names of the trials that are there, in the same order.
    pub keys: Vec<String>,
    /// How many there should be.
    pub planned: usize,
}

impl Survey {
    /// Of some trials of a folder.
    pub(super) fn of(folder: &SweepFolder, keys: &[String]) -> Survey {
        let many = keys.len() > MANY;
        let (mut trials, mut known, mut chancy) = (Vec::new(), Vec::new(), Vec::new());
        for key in keys {
            let Some(mut trial) = folder.trial(key) else { continue };
            if trial.claims.iter().any(|claim| !claim.samples.is_empty()) {
                chancy.push(trial.clone());
                trial.drop_samples();
            }
            if many {
                trial.keep_figures_only();
            }
            trials.push(trial);
            known.push(key.clone());
        }
        Survey {
            summary: Summary::count(trials.iter()),
            pooled: pool_documents(&chancy).into_iter().map(PooledDocument::of).collect(),
            trials,
            keys: known,
            planned: keys.len(),
        }
    }

    /// How many trials are not there.
    pub fn missing(&self) -> usize {
        self.planned - self.keys.len()
    }

    /// The verdict over all trials: the worst of them, and of claims about several together.
    pub fn verdict(&self) -> Verdict {
        let worst = self.trials.iter().map(|trial| trial.verdict).max().unwrap_or(Verdict::Pass);
        match self.pooled.iter().any(PooledDocument::decides) {
            true => worst.max(Verdict::Fail),
            false => worst,
        }
    }

    /// The results without the trials.
    pub fn head(&self) -> ResultDocument {
        ResultDocument {
            format: FORMAT.to_owned(),
            tool: Tool::this(),
            summary: self.summary,
            trials: Vec::new(),
            pooled: self.pooled.clone(),
            twins: Vec::new(),
        }
    }
}

/// The results of a folder as one document, whose trials are read while they are written: the same text as of a [`ResultDocument`].
#[derive(Serialize)]
pub struct ResultStream<'a> {
    format: &'static str,
    tool: Tool,
    summary: Summary,
    trials: TrialStream<'a>,
    #[serde(skip_serializing_if = "<[_]>::is_empty")]
    pooled: &'a [PooledDocument],
}

struct TrialStream<'a>(&'a SweepFolder, &'a Survey);

impl Serialize for TrialStream<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        use serde::ser::{Error, SerializeSeq};
        let mut list = serializer.serialize_seq(Some(self.1.keys.len()))?;
        for trial in self.0.trials(self.1) {
            list.serialize_element(&trial.map_err(S::Error::custom)?)?;
        }
        list.end()
    }
}

impl<'a> ResultStream<'a> {
    /// Of the trials of a survey.
    pub fn of(folder: &'a SweepFolder, survey: &'a Survey) -> Self {
        ResultStream {
            format: FORMAT,
            tool: Tool::this(),
            summary: survey.summary,
            trials: TrialStream(folder, survey),
            pooled: &survey.pooled,
        }
    }
}
