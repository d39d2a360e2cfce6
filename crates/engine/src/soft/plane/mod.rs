//! What soft bodies of the plane touch: skins of segments.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Ends` | where nodes and skin touch rigid bodies | `touch.rs` |
//! | | where soft bodies touch each other and themselves | `among.rs` |
//! | | what impulses do | `press.rs` |
//! | `PlaneSofts` | a sub-step, in order; rays | `room.rs`, `rays.rs` |
//! | | points and segments | `segment.rs` |

mod among;
mod press;
mod rays;
mod room;
mod segment;
mod touch;

pub(crate) use room::PlaneSofts;
