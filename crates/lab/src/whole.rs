//! Files that stand in their place whole or not at all, and never where a link leads. What a killed program has left of them is taken away
//! by the next.

use crate::folder::open_to_others;
use std::fs::File;
use std::io::{self, Write};
use std::path::Path;
use std::time::Duration;

/// Begins the name of a file or folder that is not whole yet.
pub(crate) const DRAFT: &str = ".ironspin-";
/// A file in a folder of that kind that is locked as long as its program lives.
const LOCK: &str = ".lock";
/// A draft of one file of this age belongs to no program that runs.
const OLD_DRAFT: Duration = Duration::from_secs(600);

/// The folder that a path stands in.
pub(crate) fn parent_of(path: &Path) -> &Path {
    path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Puts a file in its place, whole or not at all. A link that stands there makes way for it, and what it leads to stays as it is.
///
/// # Errors
/// When something else than a file stands there, or the file system refuses.
pub fn put_file(path: &Path, contents: &[u8]) -> io::Result<()> {
    std::fs::create_dir_all(parent_of(path))?;
    if path.symlink_metadata().is_ok_and(|there| !there.is_file() && !there.is_symlink()) {
        return Err(io::Error::new(io::ErrorKind::AlreadyExists, "something that is no file stands there"));
    }
    draft_of(path, contents)?.persist(path).map(drop).map_err(|refused| refused.error)
}

/// The same where nothing stands yet.
///
/// # Errors
/// When anything stands there, or the file system refuses.
pub fn put_new_file(path: &Path, contents: &[u8]) -> io::Result<()> {
    draft_of(path, contents)?.persist_noclobber(path).map(drop).map_err(|refused| refused.error)
}

/// A file that is whole, and not in its place yet.
fn draft_of(path: &Path, contents: &[u8]) -> io::Result<tempfile::NamedTempFile> {
    remove_left(parent_of(path));
    let mut draft = tempfile::Builder::new().prefix(DRAFT).tempfile_in(parent_of(path))?;
    draft.write_all(contents)?;
    open_to_others(draft.path(), 0o644)?;
    Ok(draft)
}

/// Opens a file to be written from its beginning; a link that stands there makes way for it.
///
/// # Errors
/// When the file system refuses.
pub(crate) fn create_plain(path: &Path) -> io::Result<File> {
    if path.is_symlink() {
        std::fs::remove_file(path)?;
    }
    File::create(path)
}

/// Makes a folder where there is none.
///
/// # Errors
/// When a link stands there, through which nothing is written, or the file system refuses.
pub fn plain_folder(path: &Path) -> io::Result<()> {
    if path.is_symlink() {
        let what =
            format!("`{}` is a link, and nothing is written through links in a folder of results", path.display());
        return Err(io::Error::new(io::ErrorKind::InvalidInput, what));
    }
    std::fs::create_dir_all(path)
}

/// A folder that is not whole yet, known as such as long as this program lives.
#[derive(Debug)]
pub(crate) struct DraftFolder {
    folder: tempfile::TempDir,
    /// Locked, and let go by the system however the program ends.
    _lock: File,
}

impl DraftFolder {
    pub(crate) fn new_in(parent: &Path) -> io::Result<DraftFolder> {
        remove_left(parent);
        let folder = tempfile::Builder::new().prefix(DRAFT).tempdir_in(parent)?;
        // It has its name only once it is locked, so that nobody finds it free.
        let unnamed = folder.path().join(".lock-to-be");
        let lock = File::create(&unnamed)?;
        // Where the file system has no locks, any draft looks left: there it gets no lock, and stays.
        if lock.try_lock().is_ok() {
            std::fs::rename(unnamed, folder.path().join(LOCK))?;
        } else {
            std::fs::remove_file(unnamed)?;
        }
        Ok(DraftFolder { folder, _lock: lock })
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// It is about to become what it was made for.
    pub(crate) fn finish(&self) -> io::Result<()> {
        match std::fs::remove_file(self.path().join(LOCK)) {
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => Ok(()),
            other => other,
        }
    }

    /// It stands elsewhere now.
    pub(crate) fn keep(self) {
        let _ = self.folder.keep();
    }
}

/// Takes away what programs that were killed have left half made. What cannot be removed does no harm.
fn remove_left(parent: &Path) {
    for entry in parent.read_dir().into_iter().flatten().flatten() {
        let (name, path) = (entry.file_name(), entry.path());
        if !name.to_string_lossy().starts_with(DRAFT) || path.is_symlink() {
            continue;
        }
        if path.is_dir() {
            // One without a lock is being made, or finished.
            let abandoned = File::open(path.join(LOCK)).is_ok_and(|lock| lock.try_lock().is_ok());
            if abandoned {
                let _ = std::fs::remove_dir_all(&path);
            }
        } else {
            let age = entry.metadata().and_then(|data| data.modified()).map(|written| written.elapsed());
            if age.is_ok_and(|age| age.is_ok_and(|age| age > OLD_DRAFT)) {
                let _ = std::fs::remove_file(&path);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::folder::names_in as names;

    #[test]
    fn what_was_left_is_taken_away_and_what_lives_stays() {
        let place = tempfile::tempdir().unwrap();
        let living = DraftFolder::new_in(place.path()).unwrap();
        let left = place.path().join(".ironspin-left");
        std::fs::create_dir(&left).unwrap();
        std::fs::write(left.join(LOCK), "").unwrap();
        std::fs::write(left.join("report.html"), "half").unwrap();
        let old = File::create(place.path().join(".ironspin-old")).unwrap();
        old.set_modified(std::time::SystemTime::now() - Duration::from_secs(700)).unwrap();
        put_file(&place.path().join("plot.svg"), b"<svg/>").unwrap();
        let living_name = living.path().file_name().unwrap().to_string_lossy().into_owned();
        assert_eq!(names(place.path()), [living_name.as_str(), "plot.svg"]);
    }

    #[cfg(unix)]
    #[test]
    fn nothing_is_written_through_a_link() {
        use std::os::unix::fs::symlink;
        let place = tempfile::tempdir().unwrap();
        let precious = place.path().join("precious");
        std::fs::write(&precious, "dear").unwrap();
        for name in ["plot.svg", "log.txt"] {
            symlink(&precious, place.path().join(name)).unwrap();
        }
        put_file(&place.path().join("plot.svg"), b"<svg/>").unwrap();
        create_plain(&place.path().join("log.txt")).unwrap().write_all(b"log").unwrap();
        assert_eq!(std::fs::read(&precious).unwrap(), b"dear");
        assert_eq!(std::fs::read(place.path().join("plot.svg")).unwrap(), b"<svg/>");
        symlink(place.path(), place.path().join("trials")).unwrap();
        assert!(plain_folder(&place.path().join("trials")).unwrap_err().to_string().contains("is a link"));
        assert!(put_file(place.path(), b"").is_err());
    }
}
