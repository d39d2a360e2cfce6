//! Soft bodies in the plane: point masses, the springs and the gas between them, and what they touch.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Nodes`, `Soft` | state and mass of all nodes; what never changes of a soft body | `nodes.rs` |
//! | | accelerations by springs, gas, gravity and damping | `forces.rs` |
//! | | one sub-step of free motion by the four integrators | `integrate.rs` |
//! | `Touch`, `Side` | where nodes and skin touch rigid bodies | `touch.rs` |
//! | | where soft bodies touch each other and themselves | `among.rs` |
//! | | ways and velocities that fit what is touched | `press.rs` |
//! | `SoftRoom` | a sub-step, in order; actions; rays | `room.rs`, `actions.rs`, `rays.rs` |
//!
//! A sub-step goes: free motion by the integrator, contacts along the way, ways that end outside of what is touched, the end of the integrator's
//! step at the places reached, velocities that fit the contacts. Ways and velocities are solved apart, so that a bounce keeps its
//! speed and a node at rest on a slope does not creep.

mod actions;
mod among;
mod forces;
mod integrate;
mod nodes;
mod press;
mod rays;
mod room;
mod touch;

pub(crate) use nodes::refusal;
pub(crate) use room::{SoftRoom, SubStep};
