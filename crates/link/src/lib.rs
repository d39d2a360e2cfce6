//! Joins an engine to the bench.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`EngineSpec`] | an engine as named on the command line, checked | `spec.rs` |
//! | [`EngineSpec::start`] | a running engine behind the [`ironspin_model::Engine`] trait | `spec.rs` |
//! | `Guarded` | turns a panic of an engine into an error of its trial | `guarded.rs` |
//! | [`builtin_settings`] | what can be chosen for the built-in engine | here |

mod guarded;
mod playback;
mod spec;

pub use spec::EngineSpec;

/// Every setting of the built-in engine with meaning and default.
pub fn builtin_settings() -> Vec<ironspin_model::OptionInfo> {
    ironspin_engine::Settings::default().list()
}
