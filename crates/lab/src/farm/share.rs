//! One share, where it is worked on: its trials are read again from their arguments, and must be what was planned.

use super::plan::{FarmFile, FarmKind, file, read, write};
use super::{FarmError, host_name};
use crate::document::program_hash;
use crate::folder::FolderError;
use crate::grid::LabEvent;
use crate::plan::{TrialPlan, shell_line};
use crate::proof::keep_outcomes;
use crate::sweep::{Sketch, SweepFolder};
use crate::work::Work;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::atomic::AtomicBool;
use std::time::Instant;

/// A trial of a share.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Piece {
    /// Names what comes of it.
    pub key: String,
    /// Which of several equal runs it is.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub repeat: u32,
    /// The arguments that do it alone.
    pub words: Vec<String>,
}

fn one() -> u32 {
    1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "as the derive calls it")]
fn is_one(repeat: &u32) -> bool {
    *repeat == 1
}

impl Piece {
    pub(super) fn of(work: &Work) -> Piece {
        Piece { key: work.key(), repeat: work.plan().conditions.repeat, words: work.words() }
    }
}

/// Who worked on a share.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Maker {
    /// The machine.
    pub host: String,
    /// SHA-256 of the program's file.
    pub program: Option<String>,
    /// What each engine of the share was known by.
    pub engines: BTreeMap<String, String>,
    /// Trials that were run, by the last that worked on the share.
    pub run: usize,
    /// How long that took, s.
    pub seconds: f64,
    /// Trials at a time.
    pub cpus: usize,
    /// What was run, as bodies times steps.
    pub weight: f64,
}

/// Trials of a share that are in memory at a time.
const PART: usize = 1_000;

/// A share of what was laid out in a folder.
#[derive(Debug)]
pub struct Share {
    /// The folder.
    pub folder: SweepFolder,
    /// What was laid out.
    pub farm: FarmFile,
    /// Which one, from 1.
    pub number: usize,
    /// Its trials.
    pub pieces: Vec<Piece>,
}

impl Share {
    /// Opens a share, for this build of the program.
    ///
    /// # Errors
    /// When nothing was laid out, there is no such share, or another build of the program laid it out.
    pub fn open(place: &Path, number: usize) -> Result<Share, FarmError> {
        let farm = FarmFile::read(place)?;
        let pieces: Option<Vec<Piece>> = read(place, &format!("share-{number}.json"));
        let pieces = pieces.ok_or(FarmError::NoShare { found: number, of: farm.shares.len() })?;
        if let (Some(found), Some(expected)) = (program_hash(), farm.program.clone())
            && found != expected
        {
            return Err(FarmError::OtherProgram { whose: format!("the program on {}", host_name()), found, expected });
        }
        Ok(Share { folder: SweepFolder::open(place)?, farm, number, pieces })
    }

    /// Goes to the folder from which scenes and engines are seen as they are named.
    ///
    /// # Errors
    /// When it is not there.
    pub fn enter_directory(&self) -> Result<(), FarmError> {
        let gone = |cause| FarmError::NoDirectory { folder: self.farm.directory.clone(), host: host_name(), cause };
        std::env::set_current_dir(&self.farm.directory).map_err(gone)
    }

    /// Its trials in parts that fit in memory, as large as a share may be.
    pub fn parts(&self) -> impl Iterator<Item = &[Piece]> {
        self.pieces.chunks(PART)
    }

    /// Leaves a record of who works on it; to be written again after each part.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn sign(&self, made: &Maker) -> Result<(), FolderError> {
        write(&self.folder, &format!("made-{}.json", self.number), made)
    }

    /// A record of this machine and program.
    pub fn maker(&self) -> Maker {
        Maker {
            host: host_name(),
            program: program_hash(),
            engines: BTreeMap::new(),
            run: 0,
            seconds: 0.0,
            cpus: self.farm.cpus,
            weight: 0.0,
        }
    }

    /// Checks that trials read from the arguments of some pieces are what was planned, and that their engines are here, the same, and start; engines
    /// that are in the record have been looked at.
    ///
    /// # Errors
    /// For the first that is not so.
    pub fn check(&self, pieces: &[Piece], work: &mut [Work], made: &mut Maker) -> Result<(), FarmError> {
        for (work, piece) in work.iter_mut().zip(pieces) {
            let plan = work.plan_mut();
            plan.conditions.repeat = piece.repeat;
            let engine = plan.engine.text().to_owned();
            if let Some(expected) = self.farm.engines.get(&engine)
                && *expected != plan.engine_hash
            {
                let (found, expected) = (plan.engine_hash.clone(), expected.clone());
                return Err(FarmError::OtherEngine { engine, host: host_name(), found, expected });
            }
            if made.engines.insert(engine.clone(), plan.engine_hash.clone()).is_none() && plan.engine.is_foreign() {
                // Otherwise a node that lacks a program would give errors of the engine in place of results.
                plan.engine.start().map_err(|cause| FarmError::NoEngine {
                    engine,
                    host: host_name(),
                    cause: Box::new(cause),
                })?;
            }
            if work.key() != piece.key {
                return Err(FarmError::OtherTrial { trial: shell_line(&piece.words), host: host_name() });
            }
        }
        Ok(())
    }

    /// Runs what of a part has no file yet; what was run is added to the record. `told` hears of each trial that is there.
    ///
    /// # Errors
    /// When the file system refuses; what is finished stays.
    pub fn run(
        &self,
        work: Vec<Work>,
        made: &mut Maker,
        program: Option<&Path>,
        stop: &AtomicBool,
        (told, sketch): (&(dyn Fn() + Sync), &Sketch<'_>),
    ) -> Result<(), FolderError> {
        let began = Instant::now();
        let due = |work: &&Work| self.folder.document::<serde::de::IgnoredAny>(&work.key()).is_none();
        let weight: f64 = work.iter().filter(due).map(Work::weight).sum();
        made.run += match self.farm.kind {
            FarmKind::Sweep => self.sweep(work, stop, told, sketch)?,
            FarmKind::Proof => keep_outcomes(&self.folder, &work, (self.farm.cpus, program), stop, &|_, _, _| told())?,
        };
        made.seconds += began.elapsed().as_secs_f64();
        made.weight += weight;
        Ok(())
    }

    fn sweep(
        &self,
        work: Vec<Work>,
        stop: &AtomicBool,
        told: &(dyn Fn() + Sync),
        sketch: &Sketch<'_>,
    ) -> Result<usize, FolderError> {
        let plans: Vec<TrialPlan> = work.into_iter().map(Work::into_plan).collect();
        let keys: Vec<String> = plans.iter().map(TrialPlan::key).collect();
        let all: Vec<usize> = (0..plans.len()).collect();
        let listener = |event: &LabEvent| {
            if !matches!(event, LabEvent::Started { .. }) {
                told();
            }
        };
        self.folder.run_missing((&plans, &keys, &all), self.farm.cpus, stop, &listener, (sketch, &|| Ok(())))
    }

    /// How many of its trials have no file.
    pub fn missing(&self) -> usize {
        let whole = |piece: &&Piece| self.folder.document::<serde::de::IgnoredAny>(&piece.key).is_some();
        self.pieces.len() - self.pieces.iter().filter(whole).count()
    }
}

/// Who worked on the shares of a folder, where they have said so.
///
/// # Errors
/// When a share was made by another build of the program or with another engine than what was laid out.
pub(super) fn makers(folder: &Path, farm: &FarmFile) -> Result<Vec<Maker>, FarmError> {
    let mut makers = Vec::new();
    for number in 1..=farm.shares.len() {
        let Some(made) = read::<Maker>(folder, &format!("made-{number}.json")) else { continue };
        if let (Some(found), Some(expected)) = (&made.program, &farm.program)
            && found != expected
        {
            let (found, expected) = (found.clone(), expected.clone());
            return Err(FarmError::OtherProgram { whose: format!("share {number}"), found, expected });
        }
        for (engine, found) in &made.engines {
            if let Some(expected) = farm.engines.get(engine)
                && found != expected
            {
                let (engine, found, expected) = (engine.clone(), found.clone(), expected.clone());
                return Err(FarmError::OtherEngine { engine, host: made.host, found, expected });
            }
        }
        makers.push(made);
    }
    Ok(makers)
}

/// The last words of a log; nothing where there are none.
pub(super) fn last_words(folder: &Path, log: &str) -> Option<String> {
    use std::io::{Read, Seek, SeekFrom};
    const TAIL: u64 = 4096;
    let mut log = std::fs::File::open(file(folder, log)).ok()?;
    let length = log.metadata().ok()?.len();
    log.seek(SeekFrom::Start(length.saturating_sub(TAIL))).ok()?;
    let mut tail = Vec::new();
    log.take(TAIL).read_to_end(&mut tail).ok()?;
    let tail = String::from_utf8_lossy(&tail).into_owned();
    let line = tail.lines().rfind(|line| !line.trim().is_empty())?;
    Some(line.trim().chars().filter(|letter| !letter.is_control()).take(300).collect())
}
