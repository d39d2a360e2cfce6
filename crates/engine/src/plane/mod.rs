//! Rigid bodies in the plane.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Vec2`, `Rotation` | plane vectors and rotations | `vector.rs` |
//! | `Piece`, `Convex` | collision geometry in a body's frame | `shape.rs` |
//! | `Bodies` | state and mass of all bodies | `bodies.rs` |
//! | `broad`, `bound`, `boxes`, `grid` | pairs whose boxes overlap, in four ways that find the same; the grid and its vectors | `broad.rs`, `bound.rs`, `boxes.rs`, `grid.rs`, `grid_wide.rs` |
//! | `flight` | bodies that nothing touches, one by one and by fours | `flight.rs`, `flight_wide.rs` |
//! | `Contact`, `Contacts` | where two pieces touch; contacts that persist from step to step, for warm starting | `contact.rs`, `contacts.rs` |
//! | `Forces` | gravity, springs, scripted forces, damping, and their integration | `forces.rs` |
//! | `Joints` | rods, ropes, hinges, sliders, welds | `joints.rs` |
//! | `impact`, `late_impacts` | instantaneous impacts of one manifold; those of the time since the last step | `impact.rs`, `late_impacts.rs` |
//! | `Solver`, `wide` | velocities of resting contacts and joints; the rows of eight contacts at a time | `solver.rs`, `wide.rs` |
//! | `compliant`, `position` | the other solvers for resting contact | `compliant.rs`, `position.rs` |
//! | `event`, `tournament`, `touching` | from impact to impact at exact times, down to rest; the next one of all; when two outlines touch | `event/`, `tournament.rs`, `touching.rs` |
//! | `sweep`, `Rooms` | motion of swept bodies from impact to impact within a step; where each can be until its end | `sweep.rs`, `rooms.rs` |
//! | `Sensors`, `rays`, `Sleep` | notices, rays, piles at rest | `sensors.rs`, `rays.rs`, `sleep.rs` |
//! | `narrow` | gap and contact points of two pieces, by their forms | `narrow/` |
//! | `phases` | what every solver does before and after | `phases.rs` |
//! | `Simulation` | everything about a world that is stepped; one step, in order; the engine's view of it | `simulation.rs`, `step.rs`, `stepped.rs` |
//! | | what a fault does in the middle of a step | `mid_step.rs` |

pub(crate) mod bodies;
mod bound;
mod boxes;
mod broad;
mod compliant;
mod contact;
mod contacts;
mod event;
mod flight;
mod flight_wide;
mod forces;
mod grid;
mod grid_wide;
mod impact;
mod inner;
mod joints;
mod late_impacts;
mod mid_step;
pub(crate) mod narrow;
mod phases;
mod position;
pub(crate) mod rays;
mod rooms;
mod sensors;
pub(crate) mod shape;
mod simulation;
mod sleep;
mod solver;
mod step;
mod stepped;
mod sweep;
mod touching;
mod tournament;
pub(crate) mod vector;
mod wide;

pub(crate) use stepped::build;

#[cfg(test)]
mod tests {
    use std::mem::size_of;

    #[test]
    fn a_contact_takes_four_hundred_bytes_a_point_at_most() {
        use crate::common::passes::LANES;
        use crate::plane::contact::Contact;
        use crate::plane::wide::Bundle;
        // The contact, its rows and what is remembered of it, for two points.
        let bytes = size_of::<Contact<f64>>()
            + size_of::<Bundle<f64>>() / LANES
            + 96
            + size_of::<crate::plane::narrow::Manifold<f64>>();
        assert!(bytes <= 2 * 400, "{bytes}");
    }
}
