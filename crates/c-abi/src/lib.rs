//! The C interface for engines as shared libraries, as `include/ironspin_engine.h` declares it, on the Rust side.
//!
//! | file | content |
//! |---|---|
//! | `raw.rs` | the structures of the header, field by field |
//! | `pack.rs` | worlds and actions as plain arrays: what the bench hands to a library |
//! | `unpack.rs` | plain arrays as worlds and actions: what a library in Rust makes of them |
//! | `v2/` | the same for `include/ironspin_engine_2.h`, which knows space too |

mod pack;
pub mod raw;
mod unpack;
pub mod v2;

pub use pack::{Packed, PackedAction};
pub use unpack::{action_of, world_of};

/// The version of the interface of the first header, which knows the plane alone.
pub const INTERFACE: u32 = 1;
/// Numbers of a row of something that a sensor noticed.
pub const EVENT_NUMBERS: usize = 5;

/// What a call gives back.
pub mod status {
    /// All is well.
    pub const OK: i32 = 0;
    /// The feature that the last error names is not there.
    pub const UNSUPPORTED: i32 = 1;
    /// The call needs a world.
    pub const NOTHING_BUILT: i32 = 2;
    /// What was asked for is wrong.
    pub const BAD_VALUE: i32 = 3;
    /// Anything else.
    pub const FAILED: i32 = 4;
}
