//! Shares joined to a whole.

use super::plan_file::PlanFile;
use super::{DRAWINGS, Draw, Shard, Survey, SweepFolder, TRIALS, drawing_name, trial_name};
use crate::document::Manifest;
use crate::folder::FolderError;
use crate::work::Work;
use std::path::{Path, PathBuf};

impl SweepFolder {
    /// Joins folders of shares of one grid in a new folder.
    ///
    /// # Errors
    /// When a folder is no sweep, when they are not of the same grid or made by different ones, or the file system refuses.
    pub fn merge(place: &Path, shares: &[PathBuf], draw: &Draw<'_>) -> Result<(SweepFolder, Survey), FolderError> {
        let (folder, plan) = SweepFolder::gather(place, shares)?;
        let survey = Survey::of(&folder, &plan.keys());
        draw(&folder, &survey)?;
        Ok((folder, survey))
    }

    /// Joins folders of shares of one proof in a new folder.
    ///
    /// # Errors
    /// As [`SweepFolder::merge`].
    pub fn merge_outcomes(place: &Path, shares: &[PathBuf]) -> Result<SweepFolder, FolderError> {
        SweepFolder::gather(place, shares).map(|(folder, _)| folder)
    }

    /// The arguments of the proof that a folder is for; none for a sweep.
    ///
    /// # Errors
    /// When it holds no plan.
    pub fn proof_words(place: &Path) -> Result<Vec<String>, FolderError> {
        Ok(PlanFile::read(place)?.proof)
    }

    /// Opens a folder for a proof or a share of it, as [`SweepFolder::prepare`] does for a grid.
    ///
    /// # Errors
    /// When something else stands there, or the file system refuses.
    pub fn prepare_proof(
        place: &Path,
        words: Vec<String>,
        work: &[Work],
        shard: Option<Shard>,
    ) -> Result<SweepFolder, FolderError> {
        SweepFolder::prepare_for(place, &PlanFile::of_proof(words, work, shard))
    }

    /// Brings the trials of several folders together in one.
    fn gather(place: &Path, shares: &[PathBuf]) -> Result<(SweepFolder, PlanFile), FolderError> {
        let folder = SweepFolder { place: place.to_owned() };
        folder.check()?;
        same_makers(shares)?;
        let mut whole: Option<PlanFile> = None;
        for share in shares {
            let plan = PlanFile::read(share)?;
            match &whole {
                None => whole = Some(plan),
                Some(whole) if whole.same_grid(&plan) => {}
                Some(_) => return Err(FolderError::OtherGrid(share.clone())),
            }
        }
        let Some(mut plan) = whole else { return Err(FolderError::NotOurs(place.to_owned())) };
        plan.shard = None;
        for made in [TRIALS, DRAWINGS] {
            crate::whole::plain_folder(&place.join(made)).map_err(|cause| folder.fault(cause))?;
        }
        for planned in &plan.trials {
            let whole = |share: &&PathBuf| {
                SweepFolder { place: (*share).clone() }.document::<serde::de::IgnoredAny>(&planned.key).is_some()
            };
            let Some(share) = shares.iter().find(whole) else { continue };
            let name = trial_name(&planned.key);
            let bytes = std::fs::read(share.join(&name)).map_err(|cause| folder.fault(cause))?;
            folder.put(&name, &bytes)?;
            if let Ok(drawing) = std::fs::read(share.join(drawing_name(&planned.key))) {
                folder.put(&drawing_name(&planned.key), &drawing)?;
            }
        }
        plan.write(place)?;
        Ok((folder, plan))
    }
}

/// Largest manifest, bytes.
const MANIFEST_LIMIT: u64 = 16 << 20;

/// What a folder says of its making, where it says it.
pub fn manifest_of(place: &Path) -> Option<Manifest> {
    serde_json::from_str(&ironspin_model::read_text(&place.join("manifest.json"), MANIFEST_LIMIT).ok()?).ok()
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
        if let (Some(own), Some(known)) = (&other.program, &first.program)
            && own != known
        {
            return differs("another build of the program".to_owned(), own, known);
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
