//! Geometry of the gauges: colliders, gaps, paths and what is inside. Independent of any engine's.

mod common;
mod plane;
mod space;

pub(crate) use common::Membership;
pub(crate) use plane::{
    Anchor, Bounds, Placed, Placement, Pose, Shapes, cross, furthest_moved, sweep, velocity_at, winding,
};
pub use plane::{Collider, Gap, Moving};
