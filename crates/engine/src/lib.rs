//! The built-in engine: rigid bodies of the plane and of space, soft bodies of the plane; sequential impulses, impacts at their own time, swept collision.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Builtin`] | the engine as the bench sees it: build, advance, frames | `builtin.rs` |
//! | [`Settings`], [`SETTINGS`] | what can be chosen, with meaning and default | `common/settings.rs`, `options.rs` |
//! | `Stepped`, `Real`, threads, settings | what worlds of every dimension share | `common/` |
//! | | rigid bodies in the plane | `plane/` |
//! | | rigid bodies in space | `space/` |
//! | | soft bodies in the plane | `soft/` |
//! | [`faults`], [`FaultEntry`] | mistakes built in on purpose: the catalogue, and the one place that knows them | `faults/` |
//!
//! # No absolute tolerance
//!
//! Every slop and threshold is a share of a size, of g·dt or of a step, all of them in `tolerance.rs`. So a world given
//! in units larger by a power of two moves with the same mantissas.
//!
//! # How a step goes
//!
//! 1. Contacts at the present poses (overlap, or a gap within the slop).
//! 2. Impacts: a contact that approaches faster than gravity explains is an impact that happened within the last step. Its
//!    time is worked out from the overlap, the impact is applied at the speed of that time, and the motion since is put
//!    right. This is exact for a single impact under constant acceleration, so no energy appears or vanishes.
//! 3. Forces; resting contacts by sequential impulses, warm-started.
//! 4. Positions by the mean of the velocities at both ends of the step (exact for constant acceleration).
//! 5. Swept bodies go from impact to impact by conservative advancement instead.

mod builtin;
mod common;
mod faults;
mod options;
mod plane;
mod soft;
mod space;

pub use builtin::Builtin;
pub use common::injection::Injection;
pub use common::settings::{BroadPhase, Integrator, Mixing, Precision, Settings, SolverKind, Swept};
pub use faults::{FaultEntry, FaultSize, Notice, SOUND, faults};
pub use options::{SETTINGS, Setting};
