//! How far the shares of a folder are: from the files of trials, and from what the scheduler says; no state is kept beside.

use super::plan::{FarmFile, Jobs, read, write};
use super::share::{Maker, Piece, last_words, makers};
use super::{FarmError, here, slurm};
use crate::sweep::{PlanFile, SweepFolder};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// How far a share is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// Its turn has not come.
    Waiting,
    /// It is worked on.
    Running,
    /// All of its trials are there.
    Done,
    /// It has ended without some of its trials.
    Failed,
}

impl State {
    /// As it is told.
    pub fn word(self) -> &'static str {
        match self {
            State::Waiting => "waiting",
            State::Running => "running",
            State::Done => "done",
            State::Failed => "failed",
        }
    }
}

/// What is at work for a folder.
#[derive(Clone, Debug, Default)]
pub(super) struct Seen {
    /// Shares with the node they run on.
    pub(super) shares: BTreeMap<usize, (State, Option<String>)>,
    pub(super) join: Option<State>,
    /// Numbers of the jobs.
    pub(super) jobs: Vec<String>,
    /// How shares ended.
    pub(super) ended: BTreeMap<usize, String>,
    /// Why nothing was begun at all.
    pub(super) leader: Option<String>,
}

/// How far a share is.
#[derive(Clone, Debug, Serialize)]
pub struct ShareState {
    /// Which one, from 1.
    pub share: usize,
    /// How far.
    pub state: State,
    /// Trials that have a file.
    pub done: usize,
    /// Of how many.
    pub trials: usize,
    /// Where it runs or ran.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub node: Option<String>,
    /// What it said last, of one that failed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub last_words: Option<String>,
}

/// How far the work in a folder is.
#[derive(Clone, Debug, Serialize)]
pub struct FarmState {
    /// Where it is done.
    pub on: String,
    /// Trials of the whole that have a file.
    pub done: usize,
    /// Of how many.
    pub planned: usize,
    /// Each share.
    pub shares: Vec<ShareState>,
    /// The join: waiting, running, done or failed.
    pub join: State,
    /// With which status it ended.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub status: Option<u8>,
    /// Jobs that are waiting or running.
    pub jobs: Vec<String>,
    /// Why nothing is known of the scheduler.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unknown: Option<String>,
}

/// With which status a join ended.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
struct End {
    status: u8,
}

/// Counts what is finished in a folder.
#[derive(Debug)]
pub struct Progress {
    folder: SweepFolder,
    keys: BTreeSet<String>,
}

impl Progress {
    /// Of a folder.
    ///
    /// # Errors
    /// When it holds no plan.
    pub fn of(folder: &SweepFolder) -> Result<Progress, FarmError> {
        let keys = PlanFile::read(folder.place())?.keys().into_iter().collect();
        Ok(Progress { folder: folder.clone(), keys })
    }

    /// How many trials of its plan have a file.
    pub fn count(&self) -> usize {
        self.folder.finished().iter().filter(|key| self.keys.contains(*key)).count()
    }
}

impl FarmFile {
    /// Most shares that a place takes.
    pub fn most_shares(place: &super::Where) -> usize {
        match place {
            super::Where::Slurm(_) => slurm::most_shares(),
            super::Where::Local { .. } | super::Where::List => 100_000,
        }
    }

    fn seen(&self, folder: &Path) -> Result<Seen, FarmError> {
        match self.on.as_str() {
            "slurm" => slurm::seen(folder),
            "local" => Ok(here::seen(folder)),
            _ => Ok(Seen::default()),
        }
    }

    /// The jobs of a folder that are waiting or running.
    ///
    /// # Errors
    /// When the scheduler cannot be asked.
    pub fn alive(&self, folder: &Path) -> Result<Vec<String>, FarmError> {
        Ok(self.seen(folder)?.jobs)
    }

    /// With which status the join ended; nothing as long as it has not.
    pub fn end(folder: &Path) -> Option<u8> {
        read::<End>(folder, "end.json").map(|end| end.status)
    }

    /// Says with which status the join ends.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn put_end(folder: &SweepFolder, status: u8) -> Result<(), FarmError> {
        Ok(write(folder, "end.json", &End { status })?)
    }

    /// Who worked on the shares, where they have said so.
    ///
    /// # Errors
    /// When a share was made by another build of the program or with another engine than what was laid out.
    pub fn makers(&self, folder: &Path) -> Result<Vec<Maker>, FarmError> {
        makers(folder, self)
    }

    /// How far everything is.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn state(&self, folder: &SweepFolder) -> Result<FarmState, FarmError> {
        let place = folder.place();
        let (seen, unknown) = match self.seen(place) {
            Ok(seen) => (seen, None),
            Err(error) => (Seen::default(), Some(error.to_string())),
        };
        let jobs: Jobs = read(place, "jobs.json").unwrap_or_default();
        let finished: BTreeSet<String> = folder.finished().into_iter().collect();
        let mut shares = Vec::new();
        // Asked for only when a share has failed, since the scheduler may be slow.
        let mut ended: Option<BTreeMap<usize, String>> = None;
        for (share, &trials) in (1..).zip(&self.shares) {
            let pieces: Vec<Piece> = read(place, &format!("share-{share}.json")).unwrap_or_default();
            let done = pieces.iter().filter(|piece| finished.contains(&piece.key)).count();
            let made = read::<Maker>(place, &format!("made-{share}.json"));
            let live = seen.shares.get(&share);
            let state = match live {
                _ if done == trials => State::Done,
                Some((state, _)) => *state,
                // Whoever runs the commands of a list is not known; who left a record has begun.
                None if self.on == "list" || unknown.is_some() => match &made {
                    Some(_) => State::Running,
                    None => State::Waiting,
                },
                None => State::Failed,
            };
            let last_words = (state == State::Failed).then(|| {
                let ended = ended.get_or_insert_with(|| match self.on.as_str() {
                    "slurm" => slurm::ended(&jobs),
                    _ => seen.ended.clone(),
                });
                let log = last_words(place, &format!("log-{share}.txt"));
                let said: Vec<String> =
                    [ended.get(&share).cloned(), log, seen.leader.clone()].into_iter().flatten().collect();
                match (said.is_empty(), &made) {
                    // The scheduler forgets a task that was cancelled before it was one of its own.
                    (true, None) => "it was taken out of the queue before it began".to_owned(),
                    _ => said.join(": "),
                }
            });
            let node = live.and_then(|(_, node)| node.clone()).or_else(|| made.map(|made| made.host));
            let last_words = last_words.filter(|words| !words.is_empty());
            shares.push(ShareState { share, state, done, trials, node, last_words });
        }
        let status = FarmFile::end(place);
        let join = match (status, seen.join) {
            (Some(_), _) => State::Done,
            (None, Some(state)) => state,
            (None, None) if self.on == "list" || unknown.is_some() => State::Waiting,
            (None, None) => State::Failed,
        };
        let done = Progress::of(folder)?.count();
        Ok(FarmState {
            on: self.on.clone(),
            done,
            planned: self.planned,
            shares,
            join,
            status,
            jobs: seen.jobs,
            unknown,
        })
    }
}
