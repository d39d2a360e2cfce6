//! Scene files to worlds. Knows nothing of terminals or engines.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Scene`] | a scene file that was read and checked for form; resolves to a [`Setup`] | `scene.rs` |
//! | [`Setup`], [`Settings`] | world and claims with every expression worked out, and what they were worked out from | `scene.rs`, `resolve/` |
//! | [`SceneError`] | a mistake with its place in the file, what was found and what to write instead | `diagnostic.rs` |
//! | `SceneFile` and its tables | the form of the file, word for word | `file/` |
//! | `Number`, `Evaluator` | a number or an expression; its evaluation within limits | `number.rs`, `expression/` |
//! | `Selector` | `ingot[*]`, `ball[2]`, `*` | `select.rs` |
//! | [`bundled`] | the scenes that come inside the program | `bundled.rs` |
//! | [`StateForce`], [`Script`] | forces that follow the state, and conditions: what the bench itself does before each step | `forces.rs`, `script.rs` |
//! | [`follow`] | the same forces at the side of an engine in another process | `follow.rs` |
//! | [`Topic`], [`TOPICS`] | what scenes are about | `topics.rs` |
//! | [`Selection`] | which scenes a command is about | `selection.rs` |
//! | [`Coverage`] | which scenes bring two features together under a claim | `coverage.rs` |
//!
//! The way through: text -> `SceneFile` (serde) -> [`Scene`] -> [`Scene::resolve`] with [`Settings`] -> [`Setup`].

mod budget;
pub mod bundled;
mod coverage;
mod diagnostic;
mod expression;
mod file;
mod follow;
mod forces;
mod lints;
mod mesh_file;
mod names;
mod near;
mod number;
mod placed;
mod print;
mod random;
mod resolve;
mod rules;
mod scene;
mod script;
mod select;
mod selection;
mod setup;
mod state;
mod topics;

pub use coverage::{Coverage, Family, Feature, features, features_of_bodies};
pub use diagnostic::{Place, SceneError};
pub use follow::{follow, forces_text};
pub use forces::{NoForce, StateForce, potential};
pub use lints::WARNINGS;

/// The JSON Schema of scene files, for editors and validators.
pub fn json_schema() -> serde_json::Value {
    schemars::schema_for!(file::SceneFile).to_value()
}
pub use rules::{Probe, Question, Series, SeriesShape, TWIN_KINDS, Trigger, Twin};
pub use scene::{Scene, is_scene_name, toml_error};
pub use script::{Due, Script};
pub use selection::Selection;
pub use setup::{BODY_LIMIT, Parameter, Settings, Setup, Warning};
pub use topics::{TOPICS, Topic, find_topic};
