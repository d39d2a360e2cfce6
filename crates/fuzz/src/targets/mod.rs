//! What inputs are thrown at.
//!
//! | file | what |
//! |---|---|
//! | `scenes.rs` | scenes, what they resolve to, their trials; expressions; the program itself |
//! | `wires.rs` | lines of the protocol, texts of the C interface |
//! | `files.rs` | traces, plans, folders of results, ledgers |

mod files;
mod scenes;
mod wires;

use std::path::Path;

/// Something that reads what strangers write.
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// What it reads.
    pub about: &'static str,
    /// Whether inputs are text.
    pub is_text: bool,
    /// An input may take so long, s; beyond it is a hang. A trial steps an engine, which may have much to do.
    pub longest: u64,
    /// The inputs that are changed.
    pub seeds: fn() -> Vec<Vec<u8>>,
    /// Reads an input; whether it was taken for a good one.
    ///
    /// # Errors
    /// When something came of it that must not, besides a panic.
    pub throw: fn(&[u8]) -> Result<bool, String>,
}

/// All of them.
pub const TARGETS: [Target; 11] = [
    Target {
        name: "scene",
        about: "scene files, worked out",
        is_text: true,
        longest: 5,
        seeds: scenes::scenes,
        throw: scenes::scene,
    },
    Target {
        name: "resolved",
        about: "resolved scenes, read back",
        is_text: true,
        longest: 5,
        seeds: scenes::scenes,
        throw: scenes::resolved,
    },
    Target {
        name: "trial",
        about: "sixteen steps of what was read",
        is_text: true,
        longest: 60,
        seeds: scenes::scenes,
        throw: scenes::trial,
    },
    Target {
        name: "expression",
        about: "expressions",
        is_text: true,
        longest: 5,
        seeds: scenes::expressions,
        throw: scenes::expression,
    },
    Target {
        name: "answer",
        about: "lines that engines answer",
        is_text: true,
        longest: 5,
        seeds: wires::answers,
        throw: wires::answer,
    },
    Target {
        name: "call",
        about: "lines that engines are asked",
        is_text: true,
        longest: 5,
        seeds: wires::calls,
        throw: wires::call,
    },
    Target {
        name: "describe",
        about: "texts of the C interface",
        is_text: true,
        longest: 5,
        seeds: wires::descriptions,
        throw: wires::describe,
    },
    Target {
        name: "trace",
        about: "recorded traces",
        is_text: false,
        longest: 5,
        seeds: files::traces,
        throw: files::trace,
    },
    Target { name: "plan", about: "plan files", is_text: true, longest: 5, seeds: files::plans, throw: files::plan },
    Target {
        name: "folder",
        about: "folders of results and ledgers",
        is_text: false,
        longest: 5,
        seeds: files::folders,
        throw: files::folder,
    },
    Target {
        name: "program",
        about: "scenes, by the program beside this one",
        is_text: true,
        longest: 5,
        seeds: scenes::scenes,
        throw: scenes::program,
    },
];

fn bytes(text: &str) -> Vec<u8> {
    text.as_bytes().to_vec()
}

/// A folder in memory where there is one.
fn place() -> Result<tempfile::TempDir, String> {
    let shared = Path::new("/dev/shm");
    let made = if shared.is_dir() { tempfile::tempdir_in(shared) } else { tempfile::tempdir() };
    made.map_err(|error| error.to_string())
}
