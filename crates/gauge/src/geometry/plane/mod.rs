//! Colliders of the plane: gaps by support functions (`gjk.rs`), where ways and rays meet outlines (`crossing.rs`, `ray.rs`), inside and outside of a
//! closed chain by its winding number (`winding.rs`), cones of pushes (`cone.rs`); where bodies stand and how far they can have gone (`pose.rs`), rectangles around them (`rectangle.rs`), and all of it as what is written once sees it (`room.rs`).

#[cfg(test)]
mod advance;
mod collider;
mod cone;
mod crossing;
mod gap;
mod gjk;
mod pose;
mod ray;
mod rectangle;
mod room;
mod winding;

pub use collider::Collider;
pub use gap::PlaneGap;
pub(crate) use room::Plane;
pub(crate) use winding::winding;
