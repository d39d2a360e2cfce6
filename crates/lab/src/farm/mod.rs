//! Lists of trials worked off by other machines or processes: a plan in a folder that all of them see, shares of it, and a join.
//!
//! Nothing here queues, retries or carries data: a scheduler of the site does, and the folder is the only state. Work is done at least once; what comes
//! of a trial is a file that is whole or not there, and says the same whoever wrote it.
//!
//! | file | content |
//! |---|---|
//! | `place.rs` | where work is done, and with what |
//! | `plan.rs` | shares of a list of trials, laid out in a folder |
//! | `share.rs` | one share, where it is worked on |
//! | `slurm.rs` | the commands of that scheduler, and what it says |
//! | `here.rs` | processes of this machine in the place of a scheduler |
//! | `state.rs` | how far the shares are |
//!
//! In the folder, beside what every sweep has:
//!
//! | file | content |
//! |---|---|
//! | `farm/farm.json` | what was laid out, by what program, for what engines |
//! | `farm/share-K.json` | the trials of a share with their arguments |
//! | `farm/made-K.json` | who worked on a share, and how long |
//! | `farm/log-K.txt` | what a share said |
//! | `farm/jobs.json` | the numbers that the scheduler gave |
//! | `farm/end.json` | with which status the join ended |

mod here;
mod place;
mod plan;
mod share;
mod slurm;
mod state;

pub use here::{begin_here, stop_here, supervise};
pub(crate) use place::FarmTable;
pub use place::{Resources, Where, read_farm_table};
pub use plan::{FarmFile, FarmKind, FarmOrder, Jobs};
pub use share::{Maker, Piece, Share};
pub use slurm::{Submission, submit, withdraw};
pub use state::{FarmState, Progress, ShareState, State};

use crate::folder::FolderError;
use ironspin_model::EngineError;
use std::path::PathBuf;

/// Why work cannot be shared out or done.
#[derive(Debug, thiserror::Error)]
pub enum FarmError {
    /// The folder cannot be read or written.
    #[error(transparent)]
    Folder(#[from] FolderError),
    /// An engine cannot be named or started.
    #[error(transparent)]
    Engine(#[from] EngineError),
    /// Nothing was laid out there.
    #[error("`{}` holds no shares: they are laid out with `--on`", .0.display())]
    NotLaidOut(PathBuf),
    /// There is no such share.
    #[error("there is no share {found}: there are {of}, counted from 1")]
    NoShare {
        /// As asked for.
        found: usize,
        /// How many there are.
        of: usize,
    },
    /// Earlier jobs of the folder are not at their end.
    #[error("the work in `{}` goes on: {jobs}", .folder.display())]
    Alive {
        /// The folder.
        folder: PathBuf,
        /// Which jobs.
        jobs: String,
    },
    /// Another build of the program than the one that laid out the work.
    #[error("{whose} was made by another build of the program: {found}, and not {expected}")]
    OtherProgram {
        /// Such as `share 3`.
        whose: String,
        /// Hash of its file.
        found: String,
        /// Hash of the file that laid out the work.
        expected: String,
    },
    /// Another engine than the one that the work was laid out for.
    #[error("the engine `{engine}` is another one on {host}: {found}, and not {expected}")]
    OtherEngine {
        /// As it was named.
        engine: String,
        /// The machine.
        host: String,
        /// What it is known by there.
        found: String,
        /// What it was known by when the work was laid out.
        expected: String,
    },
    /// The folder in which the work was laid out is not there.
    #[error("the folder `{}`, in which the work was laid out, cannot be entered on {host}: {cause}", .folder.display())]
    NoDirectory {
        /// The folder.
        folder: PathBuf,
        /// The machine.
        host: String,
        /// Why.
        cause: std::io::Error,
    },
    /// An engine that cannot be started on a node.
    #[error("the engine `{engine}` cannot be started on {host}: {cause}")]
    NoEngine {
        /// As it was named.
        engine: String,
        /// The machine.
        host: String,
        /// Why.
        cause: Box<EngineError>,
    },
    /// A trial is not what was planned.
    #[error("the trial `{trial}` is another one on {host} than when it was planned: its scene has changed")]
    OtherTrial {
        /// Its arguments.
        trial: String,
        /// The machine.
        host: String,
    },
    /// The scheduler refuses or cannot be reached.
    #[error("`{command}`: {why}")]
    Scheduler {
        /// What was called.
        command: String,
        /// What it said.
        why: String,
    },
    /// A folder whose name the scheduler would change.
    #[error("the folder `{}` has a backslash or a line end in its name, which the scheduler cannot take", .0.display())]
    FolderName(PathBuf),
}

/// The name of this machine, as it is told in messages and records.
pub(crate) fn host_name() -> String {
    let said = std::env::var("SLURMD_NODENAME").ok();
    let read = || std::fs::read_to_string("/proc/sys/kernel/hostname").ok();
    said.or_else(read).map_or_else(|| "this machine".to_owned(), |name| name.trim().to_owned())
}
