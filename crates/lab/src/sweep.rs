//! A folder of a sweep: every trial in a file of its own, written as soon as it is finished, so that a sweep that was stopped in
//! any way goes on where it stopped.
//!
//! | file | content |
//! |---|---|
//! | `plan.json` | the keys of the trials, in order; by it the folder is known as a sweep |
//! | `trials/KEY.json` | what came of one trial |
//! | `drawings/KEY.json` | what it is drawn from, where that was kept |
//! | `manifest.json` | what made the folder |
//! | others | drawn from the trials whenever some are finished |

use crate::document::{Manifest, ResultDocument, TrialDocument};
use crate::folder::{FolderError, open_to_others};
use crate::grid::{LabEvent, work_through};
use crate::plan::TrialPlan;
use crate::record::TrialRecord;
use serde::{Deserialize, Serialize};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Name and version of the form of `plan.json`.
const FORMAT: &str = "ironspin.plan/1";
const PLAN: &str = "plan.json";
const TRIALS: &str = "trials";
const DRAWINGS: &str = "drawings";
/// Begins the name of a file that is not whole yet.
const DRAFT: &str = ".draft-";
/// A draft of this age belongs to no sweep that runs.
const OLD_DRAFT: Duration = Duration::from_secs(600);
/// Room that a trial takes, at least, bytes.
const ROOM_A_TRIAL: usize = 2048;
/// Most room that is tried before the first trial, bytes.
const MOST_ROOM: usize = 16 << 20;
/// The files drawn from the trials are written anew no more often than this.
const REDRAWN: Duration = Duration::from_secs(2);

/// The trials of a folder, in order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct PlanFile {
    format: String,
    /// Which share of the grid it is, such as `2/5`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    shard: Option<String>,
    /// All trials of the grid, those of other shares too.
    trials: Vec<PlannedTrial>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct PlannedTrial {
    key: String,
    trial: String,
}

/// Files drawn from the results: names and contents.
pub type Drawn = Vec<(String, Vec<u8>)>;
/// Draws files from results.
pub type Draw<'a> = dyn Fn(&ResultDocument) -> Drawn + Sync + 'a;

/// What is drawn of a sweep.
#[derive(Clone, Copy)]
pub struct Draws<'a> {
    /// Files of all trials together.
    pub files: &'a Draw<'a>,
    /// What a trial is drawn from.
    pub trial: &'a Sketch<'a>,
}

/// A trial and what it is drawn from, where that was kept.
pub type DrawnTrial = (TrialDocument, Option<Vec<u8>>);

/// Makes of a trial what it is drawn from, if that is to be kept.
pub type Sketch<'a> = dyn Fn(&TrialRecord) -> Option<Vec<u8>> + Sync + 'a;

/// One share of a grid, counted from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Shard {
    /// Which one.
    pub number: u64,
    /// Of how many.
    pub of: u64,
}

impl std::str::FromStr for Shard {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let parts = text.split_once('/').and_then(|(number, of)| Some((number.parse().ok()?, of.parse().ok()?)));
        match parts {
            Some((number, of)) if (1..=of).contains(&number) => Ok(Shard { number, of }),
            _ => Err("expected SHARE/SHARES, such as 2/5".to_owned()),
        }
    }
}

/// How a sweep ended.
#[derive(Debug)]
pub struct Swept {
    /// What is known of the trials of this share, in the order of the plan.
    pub document: ResultDocument,
    /// Trials of this share.
    pub planned: usize,
    /// Trials that were run now.
    pub run: usize,
    /// Trials in the folder that are no part of this plan.
    pub strangers: usize,
}

/// A folder of a sweep.
#[derive(Debug)]
pub struct SweepFolder {
    place: PathBuf,
}

impl SweepFolder {
    /// Opens a folder for a grid: a new or empty one, or one of a sweep. It is tried before anything runs whether there is room.
    ///
    /// # Errors
    /// When something else stands there, or the file system refuses.
    pub fn prepare(place: &Path, plans: &[TrialPlan], shard: Option<Shard>) -> Result<SweepFolder, FolderError> {
        let folder = SweepFolder { place: place.to_owned() };
        folder.check()?;
        let io = |cause| folder.fault(cause);
        std::fs::create_dir_all(place.join(TRIALS)).map_err(io)?;
        folder.remove_old_drafts();
        let plan = PlanFile {
            format: FORMAT.to_owned(),
            shard: shard.map(|shard| format!("{}/{}", shard.number, shard.of)),
            trials: plans
                .iter()
                .map(|plan| PlannedTrial { key: plan.key(), trial: plan.arguments()[1..].join(" ") })
                .collect(),
        };
        folder.try_room(plans.len())?;
        folder.write_plan(&plan)?;
        Ok(folder)
    }

    /// Joins folders of shares of one grid in a new folder.
    ///
    /// # Errors
    /// When a folder is no sweep, when they are not of the same grid or made by different ones, or the file system refuses.
    pub fn merge(place: &Path, shares: &[PathBuf], draw: &Draw<'_>) -> Result<(SweepFolder, Swept), FolderError> {
        let folder = SweepFolder { place: place.to_owned() };
        folder.check()?;
        same_makers(shares)?;
        let mut whole: Option<PlanFile> = None;
        for share in shares {
            let plan = SweepFolder { place: share.clone() }.read_plan()?;
            match &whole {
                None => whole = Some(PlanFile { shard: None, ..plan }),
                Some(whole) if whole.trials == plan.trials => {}
                Some(_) => return Err(FolderError::OtherGrid(share.clone())),
            }
        }
        let Some(plan) = whole else { return Err(FolderError::NotOurs(place.to_owned())) };
        std::fs::create_dir_all(place.join(TRIALS)).map_err(|cause| folder.fault(cause))?;
        let mut trials = Vec::new();
        for planned in &plan.trials {
            let known = shares.iter().find_map(|share| read_trial(share, &planned.key).map(|trial| (share, trial)));
            if let Some((share, trial)) = known {
                let name = trial_name(&planned.key);
                let bytes = std::fs::read(share.join(&name)).map_err(|cause| folder.fault(cause))?;
                folder.put(&name, &bytes)?;
                if let Ok(drawing) = std::fs::read(share.join(drawing_name(&planned.key))) {
                    folder.put(&drawing_name(&planned.key), &drawing)?;
                }
                trials.push(trial);
            }
        }
        folder.write_plan(&plan)?;
        let document = ResultDocument::joined(trials);
        folder.draw(&document, draw)?;
        Ok((folder, Swept { planned: plan.trials.len(), run: 0, strangers: 0, document }))
    }

    /// What an earlier sweep left in a folder, in the order of its plan.
    ///
    /// # Errors
    /// When it is no folder of a sweep.
    pub fn read(place: &Path) -> Result<ResultDocument, FolderError> {
        let plan = SweepFolder { place: place.to_owned() }.read_plan()?;
        let trials = plan.trials.iter().filter_map(|planned| read_trial(place, &planned.key));
        Ok(ResultDocument::joined(trials.collect()))
    }

    /// The same, each with what it is drawn from, where that was kept.
    ///
    /// # Errors
    /// When it is no folder of a sweep.
    pub fn read_drawn(place: &Path) -> Result<Vec<DrawnTrial>, FolderError> {
        let plan = SweepFolder { place: place.to_owned() }.read_plan()?;
        let trials = plan.trials.iter().filter_map(|planned| {
            let drawing = std::fs::read(place.join(drawing_name(&planned.key))).ok();
            Some((read_trial(place, &planned.key)?, drawing))
        });
        Ok(trials.collect())
    }

    /// Runs what is not in the folder yet. When `stop` is set, what is finished stays.
    ///
    /// # Errors
    /// When the file system refuses; what is finished stays then, too.
    pub fn run(
        &self,
        plans: &[TrialPlan],
        shard: Option<Shard>,
        jobs: usize,
        stop: &AtomicBool,
        listener: &(dyn Fn(&LabEvent) + Sync),
        draws: Draws<'_>,
    ) -> Result<Swept, FolderError> {
        let mine = |plan: &TrialPlan| shard.is_none_or(|shard| plan.share(shard.of) + 1 == shard.number);
        let keys: Vec<String> = plans.iter().map(TrialPlan::key).collect();
        let mut known: Vec<Option<TrialDocument>> = vec![None; plans.len()];
        let (mut due, mut planned) = (Vec::new(), 0);
        for trial in (0..plans.len()).filter(|&trial| mine(&plans[trial])) {
            planned += 1;
            known[trial] = read_trial(&self.place, &keys[trial]);
            match &known[trial] {
                Some(document) => listener(&LabEvent::Kept { trial, verdict: document.verdict }),
                None => due.push(trial),
            }
        }
        let strangers = self.strangers(&keys);
        let state = Mutex::new((known, Instant::now()));
        let broken: Mutex<Option<FolderError>> = Mutex::new(None);
        // Once the file system refuses nothing more can be kept, so nothing more is run.
        let give_up = |fault: FolderError| {
            broken.lock().unwrap_or_else(std::sync::PoisonError::into_inner).get_or_insert(fault);
            stop.store(true, Ordering::Relaxed);
        };
        let finished = work_through(plans, &due, jobs, stop, listener, &|trial, record| {
            // What is read back, so that a sweep that went on gives the same bytes.
            let drawing = (draws.trial)(&record);
            let document = TrialDocument::of(&record, false);
            drop(record);
            let drawn = drawing.map_or(Ok(()), |bytes| self.put(&drawing_name(&keys[trial]), &bytes));
            let written = drawn.and_then(|()| self.write_trial(&keys[trial], &document));
            let document = match written {
                Ok(document) => document,
                Err(fault) => return give_up(fault),
            };
            let mut state = state.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
            state.0[trial] = Some(document);
            if state.1.elapsed() > REDRAWN {
                let so_far = ResultDocument::joined(state.0.iter().flatten().cloned().collect());
                if let Err(fault) = self.draw(&so_far, draws.files) {
                    give_up(fault);
                }
                state.1 = Instant::now();
            }
        });
        if let Some(fault) = broken.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner) {
            return Err(fault);
        }
        let (known, _) = state.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
        let document = ResultDocument::joined(known.into_iter().flatten().collect());
        self.draw(&document, draws.files)?;
        Ok(Swept { document, planned, run: finished.iter().flatten().count(), strangers })
    }

    /// Puts a file in its place, whole or not at all.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn put(&self, name: &str, contents: &[u8]) -> Result<(), FolderError> {
        let io = |cause| self.fault(cause);
        let target = self.place.join(name);
        let parent = target.parent().unwrap_or(&self.place);
        std::fs::create_dir_all(parent).map_err(io)?;
        let mut draft = tempfile::Builder::new().prefix(DRAFT).tempfile_in(parent).map_err(io)?;
        draft.write_all(contents).map_err(io)?;
        draft.as_file().sync_data().map_err(io)?;
        open_to_others(draft.path(), 0o644).map_err(io)?;
        draft.persist(&target).map_err(|refused| io(refused.error))?;
        Ok(())
    }

    fn fault(&self, cause: io::Error) -> FolderError {
        FolderError::Io { folder: self.place.clone(), cause }
    }

    /// Whether the folder may be written. One that was left before its plan was written holds nothing but drafts.
    fn check(&self) -> Result<(), FolderError> {
        let place = &self.place;
        if !place.exists() || place.join(PLAN).is_file() {
            return Ok(());
        }
        if !place.is_dir() {
            return Err(FolderError::NotOurs(place.clone()));
        }
        for entry in place.read_dir().map_err(|cause| self.fault(cause))? {
            let name = entry.map_err(|cause| self.fault(cause))?.file_name();
            let name = name.to_string_lossy();
            if !name.starts_with(DRAFT) && name != TRIALS {
                return Err(FolderError::NotOurs(place.clone()));
            }
        }
        Ok(())
    }

    /// Removes what a sweep that was killed has left half written; what is young may belong to one that runs.
    fn remove_old_drafts(&self) {
        for folder in [self.place.clone(), self.place.join(TRIALS)] {
            for entry in folder.read_dir().into_iter().flatten().flatten() {
                let is_draft = entry.file_name().to_string_lossy().starts_with(DRAFT);
                let age =
                    entry.metadata().ok().and_then(|data| data.modified().ok()).and_then(|time| time.elapsed().ok());
                if is_draft && age.is_some_and(|age| age > OLD_DRAFT) {
                    // What cannot be removed does no harm.
                    let _ = std::fs::remove_file(entry.path());
                }
            }
        }
    }

    fn try_room(&self, trials: usize) -> Result<(), FolderError> {
        let room = vec![0x20; (trials * ROOM_A_TRIAL).min(MOST_ROOM)];
        let io = |cause| self.fault(cause);
        let mut trial = tempfile::Builder::new().prefix(DRAFT).tempfile_in(&self.place).map_err(io)?;
        trial.write_all(&room).map_err(io)?;
        trial.as_file().sync_data().map_err(io)
    }

    fn write_plan(&self, plan: &PlanFile) -> Result<(), FolderError> {
        let text = serde_json::to_string_pretty(plan).map_err(|error| self.fault(io::Error::other(error)))?;
        self.put(PLAN, text.as_bytes())
    }

    fn read_plan(&self) -> Result<PlanFile, FolderError> {
        let not_ours = || FolderError::NotOurs(self.place.clone());
        let text = std::fs::read_to_string(self.place.join(PLAN)).map_err(|_| not_ours())?;
        let plan: PlanFile = serde_json::from_str(&text).map_err(|_| not_ours())?;
        if plan.format == FORMAT { Ok(plan) } else { Err(not_ours()) }
    }

    /// Writes what came of a trial; gives what a reader of the file finds.
    fn write_trial(&self, key: &str, document: &TrialDocument) -> Result<TrialDocument, FolderError> {
        let bad = |error| self.fault(io::Error::other(error));
        let text = serde_json::to_string_pretty(document).map_err(bad)?;
        self.put(&trial_name(key), text.as_bytes())?;
        serde_json::from_str(&text).map_err(bad)
    }

    fn draw(&self, document: &ResultDocument, draw: &Draw<'_>) -> Result<(), FolderError> {
        draw(document).iter().try_for_each(|(name, contents)| self.put(name, contents))
    }

    /// Trials in the folder that none of the keys names.
    fn strangers(&self, keys: &[String]) -> usize {
        let known: std::collections::BTreeSet<String> = keys.iter().map(|key| format!("{key}.json")).collect();
        let entries = self.place.join(TRIALS).read_dir().into_iter().flatten().flatten();
        let names = entries.map(|entry| entry.file_name().to_string_lossy().into_owned());
        names.filter(|name| name.ends_with(".json") && !name.starts_with('.') && !known.contains(name)).count()
    }
}

/// What a folder says of its making, where it says it.
pub fn manifest_of(place: &Path) -> Option<Manifest> {
    serde_json::from_str(&std::fs::read_to_string(place.join("manifest.json")).ok()?).ok()
}

/// Results of another program, engine or scene are no shares of one whole.
fn same_makers(shares: &[PathBuf]) -> Result<(), FolderError> {
    let Some(first) = shares.iter().find_map(|share| manifest_of(share)) else { return Ok(()) };
    for folder in shares {
        let Some(other) = manifest_of(folder) else { continue };
        let differs = |what: String, found: &str, expected: &str| {
            Err(FolderError::OtherMaker {
                folder: folder.clone(),
                what,
                found: found.to_owned(),
                expected: expected.to_owned(),
            })
        };
        if other.tool != first.tool {
            return differs("another version of the program".to_owned(), &other.tool.version, &first.tool.version);
        }
        for (kind, own, firsts) in [("engine", &other.engines, &first.engines), ("scene", &other.scenes, &first.scenes)]
        {
            // What the other has not got is another grid, and told as such.
            let change = own.iter().find_map(|(name, hash)| {
                firsts.get(name).filter(|known| *known != hash).map(|known| (name, hash, known))
            });
            if let Some((name, hash, known)) = change {
                return differs(format!("another {kind} `{name}`"), hash, known);
            }
        }
    }
    Ok(())
}

fn drawing_name(key: &str) -> String {
    format!("{DRAWINGS}/{key}.json")
}

fn trial_name(key: &str) -> String {
    format!("{TRIALS}/{key}.json")
}

/// What came of a trial; nothing when there is no file, or one that cannot be read.
fn read_trial(place: &Path, key: &str) -> Option<TrialDocument> {
    serde_json::from_str(&std::fs::read_to_string(place.join(trial_name(key))).ok()?).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_that_was_left_before_its_plan_is_taken_and_one_of_others_is_not() {
        let place = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(place.path().join("cut/trials")).unwrap();
        std::fs::write(place.path().join("cut/.draft-x"), "half").unwrap();
        assert!(SweepFolder::prepare(&place.path().join("cut"), &[], None).is_ok());
        assert!(place.path().join("cut/plan.json").is_file());
        std::fs::create_dir_all(place.path().join("other/trials")).unwrap();
        std::fs::write(place.path().join("other/letter.txt"), "dear").unwrap();
        let refused = SweepFolder::prepare(&place.path().join("other"), &[], None);
        assert!(matches!(refused, Err(FolderError::NotOurs(_))));
        assert!(matches!(SweepFolder::read(&place.path().join("other")), Err(FolderError::NotOurs(_))));
    }
}
