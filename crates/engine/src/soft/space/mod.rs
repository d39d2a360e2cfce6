//! What soft bodies of space touch: skins of triangles.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Corners` | one of the two that touch | `side.rs` |
//! | | where nodes touch rigid bodies, and rigid bodies the skin between its nodes | `rigid.rs` |
//! | | where soft bodies touch each other and themselves | `among.rs` |
//! | | what impulses do; what pins do to rigid bodies | `press.rs`, `carry.rs` |
//! | `SpaceSofts` | a sub-step, in order; rays | `room.rs`, `rays.rs` |
//! | | points and triangles; what lies inside of a skin | `triangle.rs` |

mod among;
mod carry;
mod press;
mod rays;
mod rigid;
mod room;
mod side;
mod triangle;

pub(crate) use room::SpaceSofts;
