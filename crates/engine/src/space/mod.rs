//! Rigid bodies in space.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Vec3`, `Mat3`, `Quat` | vectors, matrices and rotations of space | `vector.rs` |
//! | `Piece`, `Form` | collision geometry in a body's frame | `shape.rs` |
//! | `Shell`, `Mesh` | corners, edges and faces of what is flat; surfaces of triangles | `shell.rs`, `mesh.rs` |
//! | `Bodies` | state, momentum and mass of all bodies | `bodies.rs` |
//! | `flight` | how a free body turns, and eight of them at once | `flight.rs`, `flight_wide.rs` |
//! | `broad`, `Grid` | pairs whose boxes overlap, in four ways that find the same; the grid | `broad.rs`, `grid.rs`, `grid_wide.rs` |
//! | `narrow` | gap and contact points of two pieces, by their forms | `narrow/` |
//! | `Contact`, `Contacts` | where two pieces touch; contacts that persist from step to step, for warm starting | `contact.rs`, `contacts.rs` |
//! | | which faces between level pieces are no obstacles | `inner.rs` |
//! | `Forces` | gravity, scripted forces, damping, and where bodies go by them | `forces.rs` |
//! | `Springs` | forces of springs, and steps of bodies under them | `springs.rs` |
//! | `Joints`, `Row` | joints as rows of velocity constraints; one row | `joints.rs`, `joint_rows.rs` |
//! | `impact`, `late_impacts` | instantaneous impacts of one manifold; those of the time since the last step | `impact.rs`, `late_impacts.rs` |
//! | `Solver`, `wide`, `overlap` | velocities of resting contacts; the rows of a contact and of eight at a time; bodies moved apart | `solver.rs`, `rows.rs`, `wide.rs`, `overlap.rs` |
//! | `Sensors`, `rays`, `Sleep` | notices, rays, piles at rest | `sensors.rs`, `rays.rs`, `sleep.rs` |
//! | `Sweeper`, `Leg`, `Way`, `BoxTree` | swept bodies, from impact to impact; where each goes; when two first touch; what meets a box | `sweep.rs`, `leg.rs`, `way.rs`, `box_tree.rs` |
//! | `Simulation` | everything about a world that is stepped; one step, in order; the engine's view of it | `simulation.rs`, `stepped.rs` |
//! | | what no world may have, and what is not made for space | `checks.rs` |
//! | | what a fault does in the middle of a step | `mid_step.rs` |

pub(crate) mod bodies;
mod box_tree;
mod broad;
mod checks;
mod contact;
mod contacts;
mod flight;
mod flight_wide;
mod forces;
mod grid;
mod grid_wide;
mod impact;
mod inner;
mod joint_rows;
mod joints;
mod lanes;
mod late_impacts;
mod leg;
mod mesh;
mod mid_step;
pub(crate) mod narrow;
mod overlap;
pub(crate) mod rays;
mod rows;
mod sensors;
pub(crate) mod shape;
mod shell;
mod simulation;
mod sleep;
mod solver;
mod springs;
mod stepped;
mod sweep;
pub(crate) mod vector;
mod way;
mod wide;

pub(crate) use stepped::build;
