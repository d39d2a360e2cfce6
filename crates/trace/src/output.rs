//! What all files that are written have in common.

use std::path::Path;
use tempfile::NamedTempFile;

/// A file that will be renamed to its place, readable as any other file.
pub(crate) fn temporary_in(folder: &Path) -> std::io::Result<NamedTempFile> {
    let mut builder = tempfile::Builder::new();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    builder.tempfile_in(folder)
}

/// The shortest text that reads back with the same bits.
pub(crate) fn exact(value: f64) -> String {
    format!("{value:?}")
}
