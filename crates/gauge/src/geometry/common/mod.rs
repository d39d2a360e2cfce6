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

mod bounds;
mod gap;
mod membership;
mod placement;
mod room;
mod shapes;

pub(crate) use bounds::{Anchor, Bounds, NOISE};
pub use gap::Gap;
pub(crate) use gap::velocity_at;
pub(crate) use membership::Membership;
pub(crate) use placement::{Placed, Placement, furthest_moved, sweep};
pub(crate) use room::Room;
pub(crate) use shapes::Shapes;
