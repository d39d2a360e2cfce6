//! What gauges ask of worlds of every dimension.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Room` | what the geometry of a dimension must give | `room.rs` |
//! | [`Gap`] | the gap of two bodies as gauges see it | `gap.rs` |
//! | `Shapes` | sizes of all bodies, and who may touch whom | `shapes.rs` |
//! | `Placement`, `Placed` | the bodies of one frame in place | `placement.rs` |
//! | `Bounds`, `Anchor` | between what a gap must lie | `bounds.rs` |
//! | `Membership` | sets of bodies | `membership.rs` |
//! | `Cone` | directions in which contacts may push | `cone.rs` |
//! | `Met`, `Crossing` | what the way of a centre does to a barrier | `barrier.rs` |
//! | `Moving` | first touches between two frames | `advance.rs` |

mod advance;
mod barrier;
mod bounds;
mod cone;
mod gap;
mod membership;
mod placement;
mod room;
mod shapes;

pub(crate) use advance::Moving;
pub(crate) use barrier::{Crossing, Met};
pub(crate) use bounds::{Anchor, Bounds, NOISE};
pub(crate) use cone::Cone;
pub use gap::Gap;
pub(crate) use gap::velocity_at;
pub(crate) use membership::Membership;
pub(crate) use placement::{Placed, Placement, furthest_moved, sweep};
pub(crate) use room::{Room, barriers};
pub(crate) use shapes::Shapes;
