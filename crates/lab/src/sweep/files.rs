//! Files of a folder that several programs may write at once: each whole or not at all, in the order of no clock but the file system's.

use crate::folder::{FolderError, open_to_others};
use crate::whole::plain_folder;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// Begins the name of a file that is not whole yet.
pub(super) const DRAFT: &str = ".draft-";
/// A draft of this age belongs to no program that runs.
const OLD_DRAFT: Duration = Duration::from_secs(600);
/// Room that a trial takes, at least, bytes.
const ROOM_A_TRIAL: usize = 2048;
/// Most room that is tried before the first trial, bytes.
const MOST_ROOM: usize = 16 << 20;

/// What a file is worth when the power goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Worth {
    /// It is flushed to the disk before it takes its place.
    Kept,
    /// It may be lost or in pieces: whoever reads it can do without.
    Spare,
}

/// Puts a file in its place, whole or not at all.
///
/// # Errors
/// When the file system or the writer refuses.
pub(super) fn put_with(
    folder: &Path,
    name: &str,
    worth: Worth,
    write: &dyn Fn(&mut dyn Write) -> io::Result<()>,
) -> Result<(), FolderError> {
    let fault = |cause| FolderError::Io { folder: folder.to_owned(), cause };
    match try_to_put(folder, name, worth, write) {
        // Another program took the draft for one that was left behind: a clock that is far off, or a disk that took very long.
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => try_to_put(folder, name, worth, write).map_err(fault),
        other => other.map_err(fault),
    }
}

fn try_to_put(
    folder: &Path,
    name: &str,
    worth: Worth,
    write: &dyn Fn(&mut dyn Write) -> io::Result<()>,
) -> io::Result<()> {
    let target = folder.join(name);
    let parent = target.parent().unwrap_or(folder);
    // Where the folder itself stands is its user's choice.
    if parent == folder {
        std::fs::create_dir_all(parent)?;
    } else {
        plain_folder(parent)?;
    }
    let draft = tempfile::Builder::new().prefix(DRAFT).tempfile_in(parent)?;
    let mut out = BufWriter::with_capacity(1 << 16, draft.as_file());
    write(&mut out)?;
    let file = out.into_inner().map_err(io::IntoInnerError::into_error)?;
    if worth == Worth::Kept {
        file.sync_data()?;
    }
    open_to_others(draft.path(), 0o644)?;
    draft.persist(&target).map(|_| ()).map_err(|refused| refused.error)
}

/// Removes what a program that was killed has left half written; what is young may belong to one that runs.
pub(super) fn remove_old_drafts(folder: &Path, folders: &[PathBuf]) {
    // The clock of the file system, which all nodes share, and not that of this one.
    let Some(now) = time_of(folder) else { return };
    for entry in folders.iter().flat_map(|folder| folder.read_dir().into_iter().flatten().flatten()) {
        let is_draft = entry.file_name().to_string_lossy().starts_with(DRAFT);
        let written = entry.metadata().ok().and_then(|data| data.modified().ok());
        let age = written.and_then(|written| now.duration_since(written).ok());
        if is_draft && age.is_some_and(|age| age > OLD_DRAFT) {
            // What cannot be removed does no harm.
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// What time it is by the file system of a folder.
fn time_of(folder: &Path) -> Option<SystemTime> {
    let mut file = tempfile::Builder::new().prefix(DRAFT).tempfile_in(folder).ok()?;
    file.write_all(b" ").ok()?;
    file.as_file().sync_all().ok()?;
    file.path().metadata().ok()?.modified().ok()
}

/// Tries whether there is room for so many trials.
///
/// # Errors
/// When the file system refuses.
pub(super) fn try_room(folder: &Path, trials: usize) -> Result<(), FolderError> {
    let room = vec![0x20; trials.saturating_mul(ROOM_A_TRIAL).min(MOST_ROOM)];
    let io = |cause| FolderError::Io { folder: folder.to_owned(), cause };
    let mut trial = tempfile::Builder::new().prefix(DRAFT).tempfile_in(folder).map_err(io)?;
    trial.write_all(&room).map_err(io)?;
    trial.as_file().sync_data().map_err(io)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn drafts_are_old_by_the_clock_of_the_file_system() {
        let place = tempfile::tempdir().unwrap();
        let (old, young) = (place.path().join(".draft-old"), place.path().join(".draft-young"));
        for (path, seconds) in [(&old, 700), (&young, 500)] {
            let file = std::fs::File::create(path).unwrap();
            file.set_modified(time_of(place.path()).unwrap() - Duration::from_secs(seconds)).unwrap();
        }
        remove_old_drafts(place.path(), &[place.path().to_owned()]);
        assert!(!old.exists() && young.exists());
    }

    #[test]
    fn a_draft_that_somebody_took_away_is_written_again() {
        let place = tempfile::tempdir().unwrap();
        let taken = std::cell::Cell::new(false);
        let write = |out: &mut dyn Write| {
            if !taken.replace(true) {
                for entry in place.path().read_dir()?.flatten() {
                    std::fs::remove_file(entry.path())?;
                }
            }
            out.write_all(b"whole")
        };
        put_with(place.path(), "trial", Worth::Kept, &write).unwrap();
        assert_eq!(std::fs::read(place.path().join("trial")).unwrap(), b"whole");
    }
}
