//! What is wrong with a trace, and where.

use std::path::PathBuf;

/// Why a trace cannot be read or written.
#[derive(Debug, thiserror::Error)]
pub enum TraceError {
    /// The file cannot be opened, read or written.
    #[error("cannot {what} the trace `{}`: {cause}", .path.display())]
    File {
        /// Read or write.
        what: &'static str,
        /// Which file.
        path: PathBuf,
        /// What the system says.
        cause: std::io::Error,
    },
    /// The extension names no format.
    #[error("`{}` is neither .csv nor .parquet", .path.display())]
    Format {
        /// Which file.
        path: PathBuf,
    },
    /// The file as a whole is wrong.
    #[error("{}: {why}", .path.display())]
    Whole {
        /// Which file.
        path: PathBuf,
        /// What was found and what was expected.
        why: String,
        /// The nearest name that is known, or what to do.
        help: Option<String>,
    },
    /// One row is wrong.
    #[error("{}:{line}: {why}", .path.display())]
    Row {
        /// Which file.
        path: PathBuf,
        /// Line of a CSV file, or number of the row of a Parquet file, from 1.
        line: u64,
        /// What was found and what was expected.
        why: String,
        /// The nearest name that is known, or what to do.
        help: Option<String>,
    },
}

impl TraceError {
    /// What to do about it, if that is known.
    pub fn help(&self) -> Option<&str> {
        match self {
            TraceError::Whole { help, .. } | TraceError::Row { help, .. } => help.as_deref(),
            TraceError::Format { .. } => Some("name a file that ends in .csv or .parquet"),
            TraceError::File { .. } => None,
        }
    }
}
