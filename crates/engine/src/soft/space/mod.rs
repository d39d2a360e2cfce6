//! What soft bodies of space touch: skins of triangles.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Corners` | one of the two that touch | `side.rs` |
//! | | where nodes touch rigid bodies, and rigid bodies the skin between its nodes | `rigid.rs` |
//! | | where soft bodies touch each other and themselves | `among.rs` |
//! | | what impulses do | `press.rs` |
//! | `SpaceSofts` | a sub-step, in order; rays | `room.rs`, `rays.rs` |
//! | | points and triangles; what lies inside of a skin | `triangle.rs` |

mod among;
mod press;
mod rays;
mod rigid;
mod room;
mod side;
mod triangle;

pub(crate) use room::SpaceSofts;
