//! What soft bodies of the plane touch: skins of segments.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Ends` | where nodes and skin touch rigid bodies | `touch.rs` |
//! | | where soft bodies touch each other and themselves | `among.rs` |
//! | | what impulses do; what pins do to rigid bodies | `press.rs`, `carry.rs` |
//! | `PlaneSofts` | a sub-step, in order; rays | `room.rs`, `rays.rs` |
//! | | points and segments | `segment.rs` |

mod among;
mod carry;
mod press;
mod rays;
mod room;
mod segment;
mod touch;

pub(crate) use room::PlaneSofts;
