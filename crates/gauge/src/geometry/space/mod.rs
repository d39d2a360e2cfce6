//! Colliders of space: gaps by support functions, apart (`distance.rs`) and in each other (`depth.rs`), where ways and rays go
//! through outlines (`solid.rs`), cones of pushes (`cone.rs`), where bodies stand and how far they can
//! have gone (`pose.rs`), boxes around them (`cuboid.rs`), and all of it as what is written once for every dimension sees it (`room.rs`).

mod collider;
mod cone;
mod cuboid;
mod depth;
mod difference;
mod distance;
mod gap;
mod pose;
mod room;
mod round_depth;
mod solid;

pub use collider::SpaceCollider;
pub(crate) use room::Space;
