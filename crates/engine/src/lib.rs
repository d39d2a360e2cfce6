//! The built-in engine: planar rigid bodies, sequential impulses, impacts at their own time, swept collision.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Builtin`] | the engine as the bench sees it: build, advance, frames | `builtin.rs` |
//! | [`Settings`], [`SETTINGS`] | what can be chosen, with meaning and default | `settings.rs` |
//! | `Real` | the scalar everything is generic over | `scalar.rs` |
//! | `Vec2`, `Rotation` | plane vectors and rotations | `vector.rs` |
//! | `Piece`, `Convex` | collision geometry in a body's frame | `shape.rs` |
//! | `Bodies` | state and mass of all bodies | `bodies.rs` |
//! | `broad`, `boxes`, `grid`, `found` | pairs whose boxes overlap, in four ways that find the same; the grid and its vectors; pairs sorted | `broad.rs`, `boxes.rs`, `grid.rs`, `grid_wide.rs`, `found.rs` |
//! | `flight` | bodies that nothing touches, one by one and by fours | `flight.rs`, `flight_wide.rs` |
//! | `manifold`, `seam` | contact points by separating axes and clipping; segments of polylines | `manifold.rs`, `seam.rs` |
//! | `distance` | gap between two convex pieces | `distance.rs` |
//! | `Contacts` | contacts that persist from step to step, for warm starting | `contacts.rs` |
//! | `Forces` | gravity, springs, scripted forces, damping, and their integration | `forces.rs` |
//! | `Joints` | rods, ropes, hinges, sliders, welds | `joints.rs` |
//! | `impact`, `impacts` | instantaneous impacts of one manifold; those of the time since the last step | `impact.rs`, `late_impacts.rs` |
//! | `Solver`, `wide` | velocities of resting contacts and joints; the rows of eight contacts at a time | `solver.rs`, `wide.rs` |
//! | `soft`, `position` | the other solvers for resting contact | `compliant.rs`, `position.rs` |
//! | `event`, `tournament`, `touching` | from impact to impact at exact times; the next one of all; when two outlines touch | `event.rs`, `tournament.rs`, `touching.rs` |
//! | `sweep` | motion of swept bodies from impact to impact within a step | `sweep.rs` |
//! | `Sensors`, `rays`, `Sleep` | notices, rays, piles at rest | `sensors.rs`, `rays.rs`, `sleep.rs` |
//! | `Threads` | work shared between threads, in order | `threads.rs` |
//! | [`faults`], [`FaultEntry`] | mistakes built in on purpose: the catalogue, and the one place that knows them | `faults/` |
//! | `Simulation` | one step, in order | `simulation.rs` |
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

mod bodies;
mod boxes;
mod broad;
mod builtin;
mod colouring;
mod compliant;
mod contacts;
mod distance;
mod event;
mod faults;
mod flight;
mod flight_wide;
mod forces;
mod found;
mod grid;
mod grid_wide;
mod impact;
mod inner;
mod joints;
mod late_impacts;
mod manifold;
mod passes;
mod position;
mod rays;
mod scalar;
mod seam;
mod sensors;
mod settings;
mod shape;
mod simulation;
mod sleep;
mod solver;
mod sweep;
mod team;
mod threads;
mod tolerance;
mod touching;
mod tournament;
mod vector;
mod wide;

pub use builtin::Builtin;
pub use faults::{FaultEntry, FaultSize, Notice, SOUND, faults};
pub use settings::{BroadPhase, Integrator, Mixing, Precision, SETTINGS, Setting, Settings, SolverKind, Swept};

#[cfg(test)]
mod tests {
    use std::mem::size_of;

    #[test]
    fn a_contact_takes_four_hundred_bytes_a_point_at_most() {
        use crate::contacts::Contact;
        use crate::wide::{Bundle, LANES};
        // The contact, its rows and what is remembered of it, for two points.
        let bytes = size_of::<Contact<f64>>()
            + size_of::<Bundle<f64>>() / LANES
            + 96
            + size_of::<crate::manifold::Manifold<f64>>();
        assert!(bytes <= 2 * 400, "{bytes}");
    }
}
