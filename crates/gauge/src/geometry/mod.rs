//! Geometry of the gauges: outlines, gaps, paths and what is inside. Independent of any engine's.
//!
//! Gaps are found by support functions (`gjk.rs`), first touches between two frames by conservative advancement
//! (`advance.rs`), inside and outside of a closed chain by its winding number (`winding.rs`). What all gauges of a trial see of
//! its two last frames is placed and searched once (`sight.rs`, `placement.rs`, `nearness.rs`); between what a gap lies is told from
//! the one known last and from how far both bodies have gone (`bounds.rs`).

mod advance;
mod bounds;
mod crossing;
mod gap;
mod gjk;
mod nearness;
mod outline;
mod placement;
mod shapes;
mod sight;
mod winding;

pub use advance::Moving;
pub(crate) use crossing::cross;
pub use gap::Gap;
pub use outline::Outline;
pub(crate) use shapes::{Membership, Shapes, velocity_at};
pub use sight::Sight;
pub(crate) use sight::When;
pub(crate) use winding::winding;
