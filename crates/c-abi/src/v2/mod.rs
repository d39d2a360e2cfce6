//! Version 2 of the interface, as `include/ironspin_engine_2.h` declares it: worlds of the plane and of space.

mod pack;
pub mod raw;
mod softs;
mod unpack;

pub use pack::{Packed, PackedAction};
pub use unpack::{action_of, world_of};

/// The version of the interface.
pub const INTERFACE: u32 = 2;
