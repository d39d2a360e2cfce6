//! Throws changed inputs at everything that reads what strangers write: scenes, expressions, trials of what was read, lines of the protocol, texts
//! of the C interface, traces, plans, folders of results and ledgers.
//!
//! | file | duty |
//! |---|---|
//! | `change.rs` | a generator of numbers, and changes of an input |
//! | `targets/` | what inputs are thrown at, and the inputs that are changed |
//! | `drive.rs` | throws so many, keeps what broke something, and counts |
//!
//! The same seed gives the same inputs. A few thousand are thrown by `cargo test`; `scripts/fuzz.sh` throws a million.

mod change;
mod drive;
mod targets;

pub use change::Changer;
pub use drive::{Figures, drive};
pub use targets::{TARGETS, Target};
