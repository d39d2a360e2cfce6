//! Geometry of the gauges: colliders, gaps, paths and what is inside. Independent of any engine's. What is the same in the plane and in
//! space stands in `common/`, and asks of either what `Room` names.

mod common;
mod plane;
mod space;

pub use common::Gap;
pub(crate) use common::{
    Anchor, Bounds, Cone, Membership, Met, Moving, Placed, Placement, Room, Shapes, barriers, furthest_moved, sweep,
    velocity_at,
};
pub use plane::{Collider, PlaneGap};
pub(crate) use plane::{Plane, winding};
pub(crate) use space::Space;
pub use space::SpaceCollider;
