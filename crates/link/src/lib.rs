//! Joins an engine to the bench.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`EngineSpec`] | an engine as named on the command line, checked | `spec.rs` |
//! | [`EngineSpec::start`] | a running engine behind the [`ironspin_model::Engine`] trait | `spec.rs` |
//! | `Guarded` | turns a panic of an engine into an error of its trial | `guarded.rs` |
//! | `Remote`, [`serve`] | an engine in a process of its own, over the protocol; the other end of it | `protocol/` |
//! | [`ProcessLimits`], [`keep`] | time, memory and processor limits; the process between the bench and an engine | `process_limits.rs`, `supervisor.rs`, `processes.rs`, `control_group.rs` |
//! | [`serve_library`] | a shared library behind the C interface, in a process of its own | `library.rs`, `interface.rs` |
//! | [`probe::probe`] | questions with known answers, for the author of an engine | `probe/` |
//! | [`builtin_settings`] | what can be chosen for the built-in engine | here |

#[cfg(unix)]
mod control_group;
mod guarded;
#[doc(hidden)]
pub mod inlets;
mod interface;
mod library;
mod playback;
pub mod probe;
mod process_limits;
#[cfg(unix)]
mod processes;
mod protocol;
mod spec;
mod supervisor;

pub use library::serve_library;
pub use process_limits::{LimitError, Limits, ProcessLimits};
pub use protocol::{Follower, Served, Starter, serve};
pub use spec::{EngineSpec, hash_of};
#[cfg(unix)]
pub use supervisor::keep;
pub use supervisor::memory_of_children;

/// Every setting of the built-in engine with meaning and default.
pub fn builtin_settings() -> Vec<ironspin_model::OptionInfo> {
    ironspin_engine::Settings::default().list()
}

/// Starts the built-in engine with settings, as pairs of name and value.
///
/// # Errors
/// For a setting that it does not have or cannot take.
pub fn start_builtin(
    options: &[(String, String)],
) -> Result<Box<dyn ironspin_model::Engine>, ironspin_model::EngineError> {
    let pairs = options.iter().map(|(name, value)| (name.as_str(), value.as_str()));
    Ok(Box::new(ironspin_engine::Builtin::new(ironspin_engine::Settings::read(pairs)?)))
}
