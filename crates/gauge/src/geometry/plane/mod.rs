//! Colliders of the plane: gaps by support functions (`gjk.rs`), first touches between two frames by conservative advancement
//! (`advance.rs`), inside and outside of a closed chain by its winding number (`winding.rs`); where bodies stand and how far they can have
//! gone (`pose.rs`), rectangles around them (`rectangle.rs`), and all of it as what is written once sees it (`room.rs`).

mod advance;
mod collider;
mod crossing;
mod gap;
mod gjk;
mod pose;
mod rectangle;
mod room;
mod winding;

pub use advance::Moving;
pub use collider::Collider;
pub(crate) use collider::outlines;
pub(crate) use crossing::cross;
pub use gap::PlaneGap;
pub(crate) use pose::Pose;
pub(crate) use room::Plane;
pub(crate) use winding::winding;
