//! The shared nouns of the bench. Every other crate speaks in these types and none of them does work here.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`World`], [`Body`], [`Part`], [`Shape`], [`Material`], [`Action`] | what an engine is asked to simulate | `world.rs` |
//! | [`Frame`], [`BodyState`], [`Contact`] | what an engine answers: the state of every body at one step | `frame.rs` |
//! | [`Conditions`] | everything about a run that is neither scene nor engine | `conditions.rs` |
//! | [`Clock`], [`Schedule`] | how steps come out of frame times | `clock.rs` |
//! | [`Timestep`], [`Factor`], [`Origin`] | numbers that keep their text | `factor.rs` |
//! | [`Engine`], [`EngineInfo`], [`OptionInfo`] | the seam between the bench and an engine under test | `engine.rs` |
//! | [`EngineError`] | how an engine can refuse or fail | `error.rs` |
//! | [`Claim`], [`Bound`], [`Verdict`] | what must hold, and how it turned out | `claim.rs` |
//! | [`shape_mass`], [`body_mass`] | mass, centre and inertia from geometry | `mass.rs` |
//! | [`nearest`] | the nearest known name to a misspelt one | `nearest.rs` |
//!
//! # Conventions, stated once
//!
//! - SI units: m, kg, s, N, J, rad. Planar quantities count per metre of depth (density in kg/m²).
//! - y points up; angles turn counter-clockwise; sizes are full sizes, never half.
//! - State is three-dimensional. A planar world keeps z = 0 and turns about z only.
//! - A body's position is its centre of mass; its parts are placed about it.

mod claim;
mod clock;
mod conditions;
mod engine;
mod error;
mod factor;
mod frame;
mod mass;
mod nearest;
mod world;

pub use claim::{Bound, Claim, Details, Law, Measure, MeasureFunction, Severity, Verdict, Window};
pub use clock::{Clock, ClockError, ClockKind, Schedule, Stall};
pub use conditions::Conditions;
pub use engine::{Engine, EngineInfo, FEATURES, FrameSink, OptionInfo, RayHit, RowSink, Rows, Scalar, Token};
pub use error::EngineError;
pub use factor::{Factor, NumberError, Origin, Timestep};
pub use frame::{BodyState, Contact, Frame, SensorEvent, SensorEventKind};
pub use glam::{DQuat, DVec2, DVec3};
pub use mass::{MassProperties, body_mass, shape_mass};
pub use nearest::nearest;
pub use world::{Action, Body, BodyKind, Bounds, Effect, Joint, JointKind, Material, PairMaterial, Part, Shape, World};
