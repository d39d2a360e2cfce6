//! Shares of a list of trials, laid out in a folder.

use super::share::{Maker, Piece};
use super::{FarmError, Where};
use crate::document::{Tool, program_hash};
use crate::folder::FolderError;
use crate::plan::hash;
use crate::sweep::{PlanFile, SweepFolder};
use crate::work::Work;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::io;
use std::path::{Path, PathBuf};

/// Name and version of the form.
const FORMAT: &str = "ironspin.farm/1";
/// Seconds of a body in a step, and of a trial beside, where nothing was measured yet.
const GUESS: [f64; 2] = [2e-6, 0.03];
/// Largest file of a farm, bytes: a share of 100,000 trials takes some 20 MB.
const LIMIT: u64 = 1 << 30;
/// How long a share should take, s.
const SHARE_SECONDS: f64 = 300.0;

/// What becomes of the trials.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FarmKind {
    /// Results, as of a sweep.
    Sweep,
    /// A proof.
    Proof,
}

/// What is to be shared out.
#[derive(Debug)]
pub struct FarmOrder<'a> {
    /// The folder, which all that work on it see.
    pub folder: &'a Path,
    /// The trials.
    pub work: &'a [Work],
    /// What becomes of them.
    pub kind: FarmKind,
    /// Arguments of the proof they are for; empty for a sweep.
    pub proof: Vec<String>,
    /// Arguments that belong to every trial but stand in none.
    pub options: Vec<String>,
    /// Where it is to be done.
    pub place: Where,
    /// How many shares; nothing for as many as take some minutes each.
    pub shares: Option<usize>,
    /// Most shares that the place takes.
    pub most_shares: usize,
    /// The command line that asked for it.
    pub command: Vec<String>,
    /// Arguments of the join.
    pub join: Vec<String>,
}

/// What was laid out in a folder.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct FarmFile {
    format: String,
    /// The program that laid it out.
    pub tool: Tool,
    /// SHA-256 of its file.
    pub program: Option<String>,
    /// What becomes of the trials.
    pub kind: FarmKind,
    /// Where it is done: `slurm`, `local` or `list`.
    pub on: String,
    /// The command line.
    pub command: Vec<String>,
    /// The folder in which it was given, as scenes and engines are seen from it.
    pub directory: PathBuf,
    /// Arguments that belong to every trial but stand in none.
    #[serde(default)]
    pub options: Vec<String>,
    /// Arguments of the join.
    #[serde(default)]
    pub join: Vec<String>,
    /// Trials at a time in a share.
    pub cpus: usize,
    /// Shares at a time, where processes here do it.
    #[serde(default)]
    pub processes: Option<usize>,
    /// What each engine is known by.
    pub engines: BTreeMap<String, String>,
    /// SHA-256 of each scene's text.
    pub scenes: BTreeMap<String, String>,
    /// Trials of the whole.
    pub planned: usize,
    /// How many of them had been finished before.
    pub kept: usize,
    /// How many trials each share has.
    pub shares: Vec<usize>,
}

/// The numbers that a scheduler gave.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Jobs {
    /// Of the shares.
    pub array: Option<String>,
    /// Of the join.
    pub join: Option<String>,
}

pub(super) fn file(folder: &Path, name: &str) -> PathBuf {
    folder.join("farm").join(name)
}

pub(super) fn read<T: DeserializeOwned>(folder: &Path, name: &str) -> Option<T> {
    serde_json::from_str(&ironspin_model::read_text(&file(folder, name), LIMIT).ok()?).ok()
}

pub(super) fn write(folder: &SweepFolder, name: &str, content: &impl Serialize) -> Result<(), FolderError> {
    let fault = |error| FolderError::Io { folder: folder.place().to_owned(), cause: io::Error::other(error) };
    folder.put(&format!("farm/{name}"), serde_json::to_string_pretty(content).map_err(fault)?.as_bytes())
}

impl FarmFile {
    /// What was laid out in a folder.
    ///
    /// # Errors
    /// When nothing was.
    pub fn read(folder: &Path) -> Result<FarmFile, FarmError> {
        let found: Option<FarmFile> = read(folder, "farm.json");
        found.filter(|farm| farm.format == FORMAT).ok_or_else(|| FarmError::NotLaidOut(folder.to_owned()))
    }

    /// The name of its jobs: the same for a folder, and for no other.
    pub fn job_name(folder: &Path) -> String {
        format!("ironspin-{}", &hash([folder.to_string_lossy().as_ref()])[..12])
    }
}

impl FarmOrder<'_> {
    /// What would be laid out, and which trials each share has; nothing is written.
    ///
    /// # Errors
    /// When finished trials of the folder were made by another build of the program.
    pub fn draft(&self) -> Result<(FarmFile, Vec<Vec<usize>>), FarmError> {
        let finished = finished_of(self.folder, self.kind);
        let earlier = FarmFile::read(self.folder).ok();
        let program = program_hash();
        let keys: Vec<String> = self.work.iter().map(Work::key).collect();
        let due: Vec<usize> = (0..keys.len()).filter(|&number| !finished(&keys[number])).collect();
        if let Some((found, expected)) =
            earlier.as_ref().and_then(|farm| Some((farm.program.clone()?, program.clone()?)))
            && found != expected
            && due.len() < keys.len()
        {
            let whose = format!("what is finished in `{}`", self.folder.display());
            return Err(FarmError::OtherProgram { whose, found, expected });
        }
        let weights: Vec<f64> = due.iter().map(|&number| self.work[number].weight()).collect();
        let shares = self.count(&weights, earlier.as_ref());
        let dealt = deal(&weights, shares);
        let dealt: Vec<Vec<usize>> =
            dealt.iter().map(|share| share.iter().map(|&place| due[place]).collect()).collect();
        let plans = || self.work.iter().map(Work::plan);
        let farm = FarmFile {
            format: FORMAT.to_owned(),
            tool: Tool::this(),
            program,
            kind: self.kind,
            on: self.place.word().to_owned(),
            command: self.command.clone(),
            directory: std::env::current_dir().unwrap_or_default(),
            options: self.options.clone(),
            join: self.join.clone(),
            cpus: self.place.cpus(),
            processes: if let Where::Local { processes, .. } = &self.place { *processes } else { None },
            engines: plans().map(|plan| (plan.engine.text().to_owned(), plan.engine_hash.clone())).collect(),
            scenes: plans().map(|plan| (plan.setup.name.clone(), plan.scene_hash.clone())).collect(),
            planned: keys.len(),
            kept: keys.len() - due.len(),
            shares: dealt.iter().map(Vec::len).collect(),
        };
        Ok((farm, dealt))
    }

    /// Lays out the work in its folder, in place of what an earlier call has laid out there; what is finished stays.
    ///
    /// # Errors
    /// As [`FarmOrder::draft`], and when the file system refuses.
    pub fn lay_out(&self) -> Result<(SweepFolder, FarmFile), FarmError> {
        let (farm, dealt) = self.draft()?;
        let plan = match self.kind {
            FarmKind::Sweep => PlanFile::of_grid(self.work.iter().map(Work::plan), None),
            FarmKind::Proof => PlanFile::of_proof(self.proof.clone(), self.work, None),
        };
        let folder = SweepFolder::prepare_for(self.folder, &plan)?;
        let old = file(self.folder, "");
        if old.is_dir() {
            let fault = |cause| FolderError::Io { folder: self.folder.to_owned(), cause };
            std::fs::remove_dir_all(&old).map_err(fault)?;
        }
        for (number, trials) in (1..).zip(&dealt) {
            let pieces: Vec<Piece> = trials.iter().map(|&trial| Piece::of(&self.work[trial])).collect();
            write(&folder, &format!("share-{number}.json"), &pieces)?;
        }
        write(&folder, "farm.json", &farm)?;
        Ok((folder, farm))
    }

    /// How many shares make some minutes each, by what earlier shares of the folder took where there are any.
    fn count(&self, weights: &[f64], earlier: Option<&FarmFile>) -> usize {
        if weights.is_empty() {
            return 0;
        }
        let most = self.most_shares.min(weights.len());
        if let Some(shares) = self.shares {
            return shares.clamp(1, most);
        }
        let (mut seconds, mut weight) = (0.0, 0.0);
        for number in 1..=earlier.map_or(0, |farm| farm.shares.len()) {
            if let Some(made) = read::<Maker>(self.folder, &format!("made-{number}.json")) {
                seconds += made.seconds * made.cpus as f64;
                weight += made.weight;
            }
        }
        let total: f64 = weights.iter().sum();
        let whole =
            if weight > 0.0 { total * seconds / weight } else { total * GUESS[0] + weights.len() as f64 * GUESS[1] };
        let shares = match &self.place {
            // Here shares wait for each other, and a small one costs next to nothing.
            Where::Local { processes, .. } => processes.unwrap_or_else(cores),
            Where::Slurm(_) | Where::List => (whole / (SHARE_SECONDS * self.place.cpus() as f64)).ceil() as usize,
        };
        shares.clamp(1, most)
    }
}

/// Processors of this machine.
pub(super) fn cores() -> usize {
    std::thread::available_parallelism().map_or(1, usize::from)
}

/// Whether what comes of a trial is in a folder, whole.
fn finished_of(folder: &Path, kind: FarmKind) -> impl Fn(&str) -> bool + use<> {
    let folder = SweepFolder::open(folder).ok();
    move |key: &str| {
        folder.as_ref().is_some_and(|folder| match kind {
            FarmKind::Sweep => folder.trial(key).is_some(),
            FarmKind::Proof => folder.document::<serde::de::IgnoredAny>(key).is_some(),
        })
    }
}

/// Deals pieces of work into shares that take about as long: the longest first, each to the share that has least (Graham 1969). Pieces of
/// a share stand in their order.
fn deal(weights: &[f64], shares: usize) -> Vec<Vec<usize>> {
    let mut dealt = vec![Vec::new(); shares];
    let mut order: Vec<usize> = (0..weights.len()).collect();
    order.sort_by(|&a, &b| weights[b].total_cmp(&weights[a]).then(a.cmp(&b)));
    // Weights are sums of bodies times steps, whole numbers for all that matters here; a trial costs something even when it has none.
    let mut least: BinaryHeap<Reverse<(u128, usize)>> = (0..shares).map(|share| Reverse((0, share))).collect();
    for piece in order {
        let Some(Reverse((load, share))) = least.pop() else { break };
        dealt[share].push(piece);
        least.push(Reverse((load + weights[piece].max(0.0) as u128 + 1, share)));
    }
    dealt.iter_mut().for_each(|share| share.sort_unstable());
    dealt
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_take_about_as_long_and_have_every_piece_once() {
        let weights: Vec<f64> = (0..1000).map(|number| f64::from(1 + number * 7919 % 1013)).collect();
        let dealt = deal(&weights, 16);
        let mut all: Vec<usize> = dealt.iter().flatten().copied().collect();
        all.sort_unstable();
        assert_eq!(all, (0..1000).collect::<Vec<_>>());
        let loads: Vec<f64> = dealt.iter().map(|share| share.iter().map(|&piece| weights[piece]).sum()).collect();
        let (least, most) = loads.iter().fold((f64::MAX, 0.0_f64), |(a, b), &load| (a.min(load), b.max(load)));
        assert!(most / least < 1.01, "{least} {most}");
        assert!(deal(&[1.0; 3], 3).iter().all(|share| share.len() == 1));
        assert!(deal(&[], 0).is_empty());
    }
}
