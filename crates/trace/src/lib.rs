//! Recorded traces: frames as CSV or Parquet files, one row a body and frame.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Column`] | the columns, their names and units | `columns.rs` |
//! | [`Table`] | the raw rows of a file, whatever its format | `table.rs` |
//! | [`FrameReader`], [`Conventions`] | rows to frames: units, axes, missing columns, bodies by name | `read.rs` |
//! | [`Hand`], [`ScalarPlace`], [`TurnOrder`] | how a row tells a rotation of space | `turns.rs` |
//! | [`TraceWriter`] | frames to a file, whole or not at all | `write.rs` |
//! | [`TraceError`] | what is wrong with a file, and where | `diagnostic.rs` |

mod columns;
mod companions;
mod error;
mod output;
mod read;
mod table;
mod turns;
mod write;

pub use columns::{Column, column_names};
pub use error::TraceError;
pub use read::{Angles, Conventions, FrameReader, Reading, Upward};
pub use table::Table;
pub use turns::{Hand, ScalarPlace, TurnOrder};
pub use write::{Header, TraceFormat, TraceWriter};
