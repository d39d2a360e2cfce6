//! Twins: two trials that must agree after an exact change (metamorphic relations). Both are stepped side by side and compared
//! frame by frame, in the terms of the scene.

mod compare;
mod handbook;
mod kinds;
mod run;
mod side;
mod wire;

pub use compare::{Difference, Growth};
pub use handbook::TwinEntry;
pub(crate) use kinds::extent;
pub use kinds::{Demand, TwinKind};
pub use run::{TwinDocument, TwinOrder, TwinRecord, TwinsDocument, run_twin, twins_of};
pub use wire::write_frames;
