//! Soft bodies: point masses, the springs, sticks and gas between them, what draws them to their built shape, and what they touch.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Place` | what nodes need of the vectors of plane and space | `place.rs` |
//! | `Nodes`, `Soft` | state and mass of all nodes; a soft body | `nodes.rs` |
//! | `Rows` | nodes in rows of four numbers, for what pulls along springs; four at once | `rows.rs`, `rows_wide.rs` |
//! | | accelerations by springs, gas, matching, gravity and damping | `forces.rs` |
//! | | the rotation that fits best | `best_turn.rs` |
//! | | sticks, and springs that give way | `sticks.rs` |
//! | `Method` | one sub-step of free motion by the four integrators; by constraints with compliance; by a backward Euler step | `integrate.rs`, `constrain.rs`, `backward.rs` |
//! | `Pin`, `Carriers`, `System` | nodes that are held to points of rigid bodies; these and the sticks beside them, solved together | `pins.rs`, `tied.rs` |
//! | `Room`, `Touching` | free motion in order; actions; a sub-step in order | `room.rs` |
//! | `Touch`, `Look`, `Homes` | one contact; what those see who look for contacts; who lives inside of which skin | `touch.rs` |
//! | `Pressed`, `Notes` | ways and velocities that fit what is touched; what touched in a step | `press.rs`, `notes.rs` |
//! | `Slips` | mistakes in the middle of a sub-step | `mid_step.rs` |
//! | `PlaneSofts`, `SpaceSofts` | what touches in plane and space | `plane/`, `space/` |
//!
//! A sub-step goes: free motion by the integrator, contacts along the way, ways that end outside of what is touched, the end of the integrator's
//! step at the places reached, velocities that fit the contacts. Ways and velocities are solved apart, so that a bounce keeps its
//! speed and a node at rest on a slope does not creep.

mod backward;
mod best_turn;
mod constrain;
mod forces;
mod integrate;
mod mid_step;
mod nodes;
mod notes;
mod pins;
mod place;
mod plane;
mod press;
mod room;
mod rows;
#[cfg(target_arch = "x86_64")]
mod rows_wide;
mod space;
mod sticks;
mod tied;
mod touch;

pub(crate) use nodes::refusal;
pub(crate) use plane::PlaneSofts;
pub(crate) use room::{Touching, Turn};
pub(crate) use space::SpaceSofts;
