//! A folder of results, written whole or not at all.

use crate::whole::{DraftFolder, parent_of};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Documents of results: those of an older run do not stay beside a newer one.
const DOCUMENTS: [&str; 10] = [
    "result.json",
    "trials.csv",
    "drawings.json",
    "twins.json",
    "twin-drawings.json",
    "series.json",
    "cost.json",
    "proof.json",
    "proof.html",
    "report.html",
];

/// The file by which a folder is known as ours.
const MARK: &str = "manifest.json";

/// Why a folder cannot be written.
#[derive(Debug, thiserror::Error)]
pub enum FolderError {
    /// It exists and was not made by this program.
    #[error("`{}` exists and is no folder of results", .0.display())]
    NotOurs(PathBuf),
    /// Folders that are to be joined are not of one grid.
    #[error("`{}` is a share of another grid than the first folder", .0.display())]
    OtherGrid(PathBuf),
    /// Folders that are to be joined were made by different programs, engines or scenes.
    #[error("`{}` was made with {what} than the first folder: {found}, and not {expected}", .folder.display())]
    OtherMaker {
        /// The folder.
        folder: PathBuf,
        /// Such as `another engine `cmd:./engine``.
        what: String,
        /// Version or hash in this folder.
        found: String,
        /// Version or hash in the first one.
        expected: String,
    },
    /// The file system refuses.
    #[error("cannot write to `{}`: {cause}", .folder.display())]
    Io {
        /// The folder.
        folder: PathBuf,
        /// What the system says.
        cause: io::Error,
    },
}

/// A folder that is about to be written. Made before the first trial, so that a bad path fails at once; nothing stands
/// at its place until [`RunFolder::publish`].
#[derive(Debug)]
pub struct RunFolder {
    target: PathBuf,
    draft: DraftFolder,
}

impl RunFolder {
    /// Prepares a folder at `target`, which must be free, empty, or an older folder of results.
    ///
    /// # Errors
    /// When something else stands there, or the file system refuses.
    pub fn prepare(target: &Path) -> Result<RunFolder, FolderError> {
        let io = |cause| FolderError::Io { folder: target.to_owned(), cause };
        if target.exists() && !target.join(MARK).is_file() {
            let empty = target.is_dir() && target.read_dir().map_err(io)?.next().is_none();
            if !empty {
                return Err(FolderError::NotOurs(target.to_owned()));
            }
        }
        let parent = parent_of(target);
        std::fs::create_dir_all(parent).map_err(io)?;
        let draft = DraftFolder::new_in(parent).map_err(io)?;
        Ok(RunFolder { target: target.to_owned(), draft })
    }

    /// Writes a file into the draft.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn write(&self, name: &str, contents: &[u8]) -> Result<(), FolderError> {
        let io = |cause| FolderError::Io { folder: self.target.clone(), cause };
        let mut file = std::fs::File::create(self.draft.path().join(name)).map_err(io)?;
        file.write_all(contents).map_err(io)?;
        file.sync_all().map_err(io)
    }

    /// Puts the draft in its place; an older folder of results there makes way for it, file by file.
    ///
    /// # Errors
    /// When the file system refuses.
    pub fn publish(self) -> Result<PathBuf, FolderError> {
        let io = |cause| FolderError::Io { folder: self.target.clone(), cause };
        self.draft.finish().map_err(io)?;
        if self.target.exists() {
            for name in DOCUMENTS.iter().filter(|name| !self.draft.path().join(name).exists()) {
                match std::fs::remove_file(self.target.join(name)) {
                    Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(io(cause)),
                    _ => {}
                }
            }
            for entry in self.draft.path().read_dir().map_err(io)? {
                let entry = entry.map_err(io)?;
                std::fs::rename(entry.path(), self.target.join(entry.file_name())).map_err(io)?;
            }
        } else {
            // A folder made for one's own eyes is opened to the others as an ordinary new one would be.
            open_to_others(self.draft.path(), 0o755).map_err(io)?;
            std::fs::rename(self.draft.path(), &self.target).map_err(io)?;
            // Nothing is left for the guard to remove.
            self.draft.keep();
        }
        Ok(self.target)
    }
}

/// What was made for one's own eyes gets the rights of an ordinary new file or folder.
#[cfg(unix)]
pub(crate) fn open_to_others(path: &Path, rights: u32) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(rights))
}

#[cfg(not(unix))]
pub(crate) fn open_to_others(_: &Path, _: u32) -> io::Result<()> {
    Ok(())
}

/// Names of everything in a folder, sorted.
#[cfg(test)]
pub(crate) fn names_in(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> =
        folder.read_dir().unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

#[cfg(test)]
mod tests {
    use super::names_in as names;
    use super::*;

    #[test]
    fn nothing_stands_there_before_it_is_published_and_a_dropped_draft_leaves_nothing() {
        let place = tempfile::tempdir().unwrap();
        let target = place.path().join("deep/run");
        let folder = RunFolder::prepare(&target).unwrap();
        folder.write(MARK, b"{}").unwrap();
        assert!(!target.exists());
        drop(folder);
        assert!(names(&place.path().join("deep")).is_empty());
    }

    #[test]
    fn an_older_run_makes_way_and_anything_else_does_not() {
        let place = tempfile::tempdir().unwrap();
        let target = place.path().join("run");
        for text in ["old", "new"] {
            let folder = RunFolder::prepare(&target).unwrap();
            folder.write(MARK, text.as_bytes()).unwrap();
            folder.publish().unwrap();
        }
        assert_eq!(std::fs::read_to_string(target.join(MARK)).unwrap(), "new");
        assert_eq!(names(place.path()), ["run"]);
        std::fs::write(place.path().join("precious"), "x").unwrap();
        assert!(matches!(RunFolder::prepare(place.path()), Err(FolderError::NotOurs(_))));
        assert!(matches!(RunFolder::prepare(&place.path().join("precious")), Err(FolderError::NotOurs(_))));
        assert!(matches!(RunFolder::prepare(&place.path().join("precious/run")), Err(FolderError::Io { .. })));
    }
}
