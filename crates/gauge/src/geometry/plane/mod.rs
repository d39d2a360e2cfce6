//! Colliders of the plane: gaps by support functions (`gjk.rs`), first touches between two frames by conservative advancement
//! (`advance.rs`), inside and outside of a closed chain by its winding number (`winding.rs`). The bodies of a frame are put in place when
//! somebody asks for them (`placement.rs`); bounds of a gap follow from the one known last and from how far both bodies have gone
//! (`bounds.rs`).

mod advance;
mod bounds;
mod collider;
mod crossing;
mod gap;
mod gjk;
mod placement;
mod shapes;
mod winding;

pub use advance::Moving;
pub(crate) use bounds::{Anchor, Bounds, Pose};
pub use collider::Collider;
pub(crate) use crossing::cross;
pub use gap::Gap;
pub(crate) use placement::{Placed, Placement, furthest_moved, sweep};
pub(crate) use shapes::{Shapes, velocity_at};
pub(crate) use winding::winding;
