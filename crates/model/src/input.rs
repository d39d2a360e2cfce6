//! Files of strangers: plain ones alone, and no larger than they may be.

use std::fs::File;
use std::io::{Error, Read, Result};
use std::path::Path;

/// Opens a plain file, after links are followed. A pipe or a device would keep its reader waiting, or never end.
///
/// # Errors
/// When it is something else, or cannot be opened.
pub fn open_plain(path: &Path) -> Result<File> {
    let kind = std::fs::metadata(path)?;
    match kind.is_file() {
        true => File::open(path),
        false => Err(Error::other(if kind.is_dir() { "it is a folder" } else { "it is no plain file" })),
    }
}

/// Reads the text of a plain file of at most so many bytes.
///
/// # Errors
/// When it is larger, no plain file, no text, or cannot be read.
pub fn read_text(path: &Path, most: u64) -> Result<String> {
    let mut text = String::new();
    let read = open_plain(path)?.take(most.saturating_add(1)).read_to_string(&mut text)?;
    no_more_than(most, read)?;
    Ok(text)
}

/// Reads a plain file of at most so many bytes.
///
/// # Errors
/// When it is larger, no plain file, or cannot be read.
pub fn read_bytes(path: &Path, most: u64) -> Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let read = open_plain(path)?.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    no_more_than(most, read)?;
    Ok(bytes)
}

fn no_more_than(most: u64, read: usize) -> Result<()> {
    if read as u64 > most {
        return Err(Error::other(format!("it is larger than {} MB", most >> 20)));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plain_files_alone_are_read_and_no_large_ones() {
        let place = std::env::temp_dir().join(format!("ironspin-input-{}", std::process::id()));
        std::fs::write(&place, "four").unwrap();
        assert_eq!(read_text(&place, 4).unwrap(), "four");
        assert!(read_text(&place, 3).unwrap_err().to_string().contains("larger than"));
        std::fs::remove_file(&place).unwrap();
        assert!(read_text(&std::env::temp_dir(), 9).unwrap_err().to_string().contains("a folder"));
        #[cfg(unix)]
        assert!(read_text(Path::new("/dev/zero"), 9).unwrap_err().to_string().contains("no plain file"));
        assert!(read_text(&place, 9).is_err());
    }
}
