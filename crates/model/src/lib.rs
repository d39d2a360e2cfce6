//! The shared nouns of the bench. Every other crate speaks in these types and none of them does work here.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Dimension`] | plane or space | `dimension.rs` |
//! | [`Pose`], [`Inertia`] | place and rotation; resistance to turning | `pose.rs` |
//! | [`World`], [`Material`] | what an engine is asked to simulate | `world.rs` |
//! | [`Body`], [`Part`], [`Shape`] | rigid bodies | `body.rs` |
//! | [`PlaneShape`], [`shape_mass`], [`body_mass`] | shapes of the plane; mass, centre and inertia from geometry | `plane/` |
//! | [`SpaceShape`], [`Hull`], [`TriangleMesh`], [`solid_mass`], [`solid_body_mass`] | shapes of space; mass, centre and inertia from geometry | `space/` |
//! | [`turn`] | rotations of space with one library of sines | `turn.rs` |
//! | [`SoftBody`], [`NodeSpring`], [`Pressure`], [`Net`] | soft bodies, what they store, how fast they swing | `soft/` |
//! | [`Joint`], [`JointFrame`] | joints between bodies | `joint.rs` |
//! | [`Action`], [`Effect`] | what a scene does to bodies while it runs | `action.rs` |
//! | [`Frame`], [`BodyState`], [`Contact`] | what an engine answers: the state of every body at one step | `frame.rs` |
//! | [`Conditions`] | everything about a run that is neither scene nor engine | `conditions.rs` |
//! | [`Clock`], [`Schedule`] | how steps come out of frame times | `clock.rs` |
//! | [`Timestep`], [`Factor`], [`Origin`] | numbers that keep their text | `factor.rs` |
//! | [`Engine`], [`EngineInfo`], [`OptionInfo`] | the seam between the bench and an engine under test | `engine.rs` |
//! | [`EngineError`] | how an engine can refuse or fail | `error.rs` |
//! | [`Claim`], [`Bound`], [`Verdict`] | what must hold, and how it turned out | `claim.rs` |
//! | [`Measure`], [`Moment`] | numbers worked out from the states of bodies | `measure.rs` |
//! | [`rows`] | states and contacts as rows of numbers, the one layout of them | `rows.rs` |
//! | [`WireIds`] | how engines outside number bodies, soft bodies and nodes | `wire.rs` |
//! | [`nearest`] | the nearest known name to a misspelt one | `nearest.rs` |
//!
//! # Conventions, stated once
//!
//! - SI units: m, kg, s, N, J, rad. Planar quantities count per metre of depth (density in kg/m²).
//! - y points up; angles turn counter-clockwise; sizes are full sizes, never half.
//! - State is three-dimensional. A planar world keeps z = 0 and turns about z only.
//! - A body's position is its centre of mass; its parts are placed about it.

mod action;
mod body;
mod claim;
mod clock;
mod conditions;
mod dimension;
mod engine;
mod error;
mod factor;
mod frame;
mod input;
mod joint;
mod measure;
mod nearest;
mod plane;
mod pose;
pub mod rows;
mod soft;
mod space;
mod text;
pub mod turn;
mod wire;
mod world;

pub use action::{Action, Effect, spread};
pub use body::{Body, BodyKind, Part, Shape};
pub use claim::{Bound, Claim, Details, Law, Nth, Severity, Verdict, Window, title_of};
pub use clock::{Clock, ClockError, ClockKind, Schedule, Stall};
pub use conditions::{Conditions, THREAD_LIMIT};
pub use dimension::Dimension;
pub use engine::{
    Engine, EngineInfo, FEATURES, FrameSink, OptionInfo, RayHit, RowSink, Rows, Scalar, StepForces, Token,
};
pub use error::EngineError;
pub use factor::{Factor, NumberError, Origin, Timestep};
pub use frame::{BodyState, Contact, Frame, SensorEvent, SensorEventKind};
pub use glam::{DMat3, DQuat, DVec2, DVec3};
pub use input::{open_plain, read_bytes, read_text};
pub use joint::{Joint, JointFrame, JointKind};
pub use measure::{Measure, MeasureFunction, Moment};
pub use nearest::nearest;
pub use plane::{MassProperties, PlaneShape, body_mass, shape_mass};
pub use pose::{Inertia, Pose, about_z};
pub use soft::{
    CELL_LIMIT, NODE, NODE_LIMIT, Net, NodeSpring, NodeTraits, Pin, Pressure, SOFT_SUBSTEPS, SPRING_LIMIT, SoftBody,
    SoftMethod, Stick, Yield, largest_step,
};
pub use space::{
    Hull, HullError, HullFace, MeshError, SolidProperties, SpaceShape, TriangleMesh, solid_body_mass, solid_mass,
};
pub use text::{showable_json, shown, shown_in_line, shown_json};
pub use wire::WireIds;
pub use world::{Bounds, Material, PairMaterial, World};
