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

mod files;
mod merging;
mod plan_file;
mod survey;

pub use merging::manifest_of;
pub(crate) use plan_file::PlanFile;
pub use survey::{MANY, ResultStream, Survey};

use crate::document::{ResultDocument, TrialDocument};
use crate::folder::FolderError;
use crate::grid::{LabEvent, work_through};
use crate::plan::TrialPlan;
use crate::record::TrialRecord;
use files::{DRAFT, Worth};
use ironspin_model::read_text;
use plan_file::PLAN;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

const TRIALS: &str = "trials";
const DRAWINGS: &str = "drawings";
/// Largest file of a trial, bytes.
const TRIAL_LIMIT: u64 = 256 << 20;
/// The files drawn from the trials are written anew no more often than this ...
const REDRAWN: Duration = Duration::from_secs(2);
/// ... and take no larger share of the time than one of so many parts.
const REDRAWING: u32 = 20;

/// Draws files of all trials together into their folder.
pub type Draw<'a> = dyn Fn(&SweepFolder, &Survey) -> Result<(), FolderError> + Sync + 'a;

/// What is drawn of a sweep.
#[derive(Clone, Copy)]
pub struct Draws<'a> {
    /// Files of all trials together.
    pub files: &'a Draw<'a>,
    /// What a trial is drawn from.
    pub trial: &'a Sketch<'a>,
}

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

impl Shard {
    /// Whether a trial belongs to it, with its twins.
    pub fn has(self, plan: &TrialPlan) -> bool {
        plan.share(self.of) + 1 == self.number
    }
}

impl std::fmt::Display for Shard {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.number, self.of)
    }
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
    pub survey: Survey,
    /// Trials that were run now.
    pub run: usize,
    /// Trials in the folder that are no part of this plan.
    pub strangers: usize,
}

/// Trials that have been run, and are not drawn together yet.
#[derive(Debug)]
pub struct Ran {
    /// Trials that were run now.
    pub run: usize,
    strangers: usize,
    /// Names of the trials of this share.
    own: Vec<String>,
}

/// A folder of a sweep.
#[derive(Clone, Debug)]
pub struct SweepFolder {
    place: PathBuf,
}

impl SweepFolder {
    /// Opens a folder for a grid: a new or empty one, or one of a sweep. It is tried before anything runs whether there is room.
    ///
    /// # Errors
    /// When something else stands there, or the file system refuses.
    pub fn prepare(place: &Path, plans: &[TrialPlan], shard: Option<Shard>) -> Result<SweepFolder, FolderError> {
        SweepFolder::prepare_for(place, &PlanFile::of_grid(plans.iter(), shard))
    }

    /// The same for any plan.
    pub(crate) fn prepare_for(place: &Path, plan: &PlanFile) -> Result<SweepFolder, FolderError> {
        let folder = SweepFolder { place: place.to_owned() };
        folder.check()?;
        crate::whole::plain_folder(&place.join(TRIALS)).map_err(|cause| folder.fault(cause))?;
        files::remove_old_drafts(place, &[place.to_owned(), place.join(TRIALS), place.join(DRAWINGS)]);
        files::try_room(place, plan.trials.len())?;
        plan.write(place)?;
        Ok(folder)
    }

    /// Opens a folder that holds a plan.
    ///
    /// # Errors
    /// When it is no folder of a sweep.
    pub fn open(place: &Path) -> Result<SweepFolder, FolderError> {
        PlanFile::read(place).map(|_| SweepFolder { place: place.to_owned() })
    }

    /// Where it stands.
    pub fn place(&self) -> &Path {
        &self.place
    }

    /// What an earlier sweep left in a folder, in the order of its plan, all in memory.
    ///
    /// # Errors
    /// When it is no folder of a sweep.
    pub fn read(place: &Path) -> Result<ResultDocument, FolderError> {
        let (folder, plan) = (SweepFolder { place: place.to_owned() }, PlanFile::read(place)?);
        let trials = plan.trials.iter().filter_map(|planned| folder.trial(&planned.key));
        Ok(ResultDocument::joined(trials.collect()))
    }

    /// Looks at all trials of its plan.
    ///
    /// # Errors
    /// When it is no folder of a sweep.
    pub fn survey(&self) -> Result<Survey, FolderError> {
        Ok(Survey::of(self, &PlanFile::read(&self.place)?.keys()))
    }

    /// What came of a trial; nothing when there is no file, or one that cannot be read.
    pub fn trial(&self, key: &str) -> Option<TrialDocument> {
        self.document(key)
    }

    /// What a trial is drawn from, where that was kept.
    pub fn drawing(&self, key: &str) -> Option<Vec<u8>> {
        std::fs::read(self.place.join(drawing_name(key))).ok()
    }

    /// The trials of a survey one after the other, whole, as they stand among others.
    pub fn trials<'a>(&'a self, survey: &'a Survey) -> impl Iterator<Item = Result<TrialDocument, FolderError>> + 'a {
        survey.keys.iter().map(|key| {
            let gone = || self.fault(io::Error::other(format!("the trial {key} is gone")));
            let mut trial = self.trial(key).ok_or_else(gone)?;
            trial.drop_samples();
            Ok(trial)
        })
    }

    /// Runs what is not in the folder yet; [`SweepFolder::conclude`] draws its files. When `stop` is set, what is finished stays.
    ///
    /// # Errors
    /// When the file system refuses; what is finished stays then, too.
    pub fn run_trials(
        &self,
        plans: &[TrialPlan],
        shard: Option<Shard>,
        jobs: usize,
        stop: &AtomicBool,
        listener: &(dyn Fn(&LabEvent) + Sync),
        draws: Draws<'_>,
    ) -> Result<Ran, FolderError> {
        let keys: Vec<String> = plans.iter().map(TrialPlan::key).collect();
        let mine: Vec<usize> =
            (0..plans.len()).filter(|&trial| shard.is_none_or(|shard| shard.has(&plans[trial]))).collect();
        let own: Vec<String> = mine.iter().map(|&trial| keys[trial].clone()).collect();
        let drawn = Mutex::new((Instant::now(), REDRAWN));
        let redraw = || {
            // Whoever comes while another draws has nothing to wait for.
            let Ok(mut last) = drawn.try_lock() else { return Ok(()) };
            if last.0.elapsed() > last.1 {
                let began = Instant::now();
                (draws.files)(self, &Survey::of(self, &own))?;
                *last = (Instant::now(), (began.elapsed() * REDRAWING).max(REDRAWN));
            }
            Ok(())
        };
        let run = self.run_missing((plans, &keys, &mine), jobs, stop, listener, (draws.trial, &redraw))?;
        Ok(Ran { run, strangers: self.strangers(&keys), own })
    }

    /// Draws the files of a folder whose trials have been run.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn conclude(&self, ran: &Ran, draw: &Draw<'_>) -> Result<Swept, FolderError> {
        let survey = Survey::of(self, &ran.own);
        draw(self, &survey)?;
        Ok(Swept { survey, run: ran.run, strangers: ran.strangers })
    }

    /// Runs those trials of a list that have no file yet, and writes one for each as soon as it is finished; how many were run.
    pub(crate) fn run_missing(
        &self,
        (plans, keys, mine): (&[TrialPlan], &[String], &[usize]),
        jobs: usize,
        stop: &AtomicBool,
        listener: &(dyn Fn(&LabEvent) + Sync),
        (sketch, kept): (&Sketch<'_>, &(dyn Fn() -> Result<(), FolderError> + Sync)),
    ) -> Result<usize, FolderError> {
        let mut due = Vec::new();
        for &trial in mine {
            match self.trial(&keys[trial]) {
                Some(document) => listener(&LabEvent::Kept { trial, verdict: document.verdict }),
                None => due.push(trial),
            }
        }
        let broken: Mutex<Option<FolderError>> = Mutex::new(None);
        let finished = work_through(plans, &due, jobs, stop, listener, &|trial, record| {
            if let Err(fault) = self.keep(&keys[trial], &record, sketch).and_then(|()| kept()) {
                broken.lock().unwrap_or_else(std::sync::PoisonError::into_inner).get_or_insert(fault);
                // Once the file system refuses nothing more can be kept, so nothing more is run.
                stop.store(true, Ordering::Relaxed);
            }
        });
        match broken.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner) {
            Some(fault) => Err(fault),
            None => Ok(finished.iter().flatten().count()),
        }
    }

    /// Writes what came of a trial, and first what it is drawn from.
    fn keep(&self, key: &str, record: &TrialRecord, sketch: &Sketch<'_>) -> Result<(), FolderError> {
        if let Some(drawing) = sketch(record) {
            // A drawing that cannot be read is none, and flushing costs as much as a small trial.
            let name = drawing_name(key);
            files::put_with(&self.place, &name, Worth::Spare, &|out| out.write_all(&drawing))?;
        }
        self.put_document(key, &TrialDocument::of(record, false))
    }

    /// Writes the document of a trial.
    pub(crate) fn put_document(&self, key: &str, document: &impl serde::Serialize) -> Result<(), FolderError> {
        let text = serde_json::to_string_pretty(document).map_err(|error| self.fault(io::Error::other(error)))?;
        self.put(&trial_name(key), text.as_bytes())
    }

    /// The document of a trial of some form; nothing when there is no file, or one that cannot be read.
    pub(crate) fn document<T: serde::de::DeserializeOwned>(&self, key: &str) -> Option<T> {
        serde_json::from_str(&read_text(&self.place.join(trial_name(key)), TRIAL_LIMIT).ok()?).ok()
    }

    /// Puts a file in its place, whole or not at all.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn put(&self, name: &str, contents: &[u8]) -> Result<(), FolderError> {
        files::put_with(&self.place, name, Worth::Kept, &|out| out.write_all(contents))
    }

    /// The same of a file that is written piece by piece.
    ///
    /// # Errors
    /// When the file system or the writer refuses.
    pub fn put_with(&self, name: &str, write: &dyn Fn(&mut dyn Write) -> io::Result<()>) -> Result<(), FolderError> {
        files::put_with(&self.place, name, Worth::Kept, write)
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

    /// Trials in the folder that none of the keys names.
    fn strangers(&self, keys: &[String]) -> usize {
        let known: std::collections::BTreeSet<&str> = keys.iter().map(String::as_str).collect();
        self.finished().iter().filter(|key| !known.contains(key.as_str())).count()
    }

    /// Names of all trials that have a file, whatever is in it; in no order.
    pub(crate) fn finished(&self) -> Vec<String> {
        let entries = self.place.join(TRIALS).read_dir().into_iter().flatten().flatten();
        let names = entries.map(|entry| entry.file_name().to_string_lossy().into_owned());
        names
            .filter(|name| !name.starts_with('.'))
            .filter_map(|name| Some(name.strip_suffix(".json")?.to_owned()))
            .collect()
    }
}

fn drawing_name(key: &str) -> String {
    format!("{DRAWINGS}/{key}.json")
}

fn trial_name(key: &str) -> String {
    format!("{TRIALS}/{key}.json")
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
