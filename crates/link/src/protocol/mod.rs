//! The engine protocol, version 1: JSON-RPC 2.0, one object a line (docs/engine-protocol.md).
//!
//! | file | content |
//! |---|---|
//! | `number.rs` | numbers, also those that are not finite |
//! | `world.rs` | worlds as JSON, and back |
//! | `message.rs` | actions, frames and everything else that is said |
//! | `lists.rs` | lists in answers, within bounds |
//! | `bytes.rs` | frames as bytes, between two processes of this program |
//! | `shared_memory.rs` | memory that the two share, so that bytes need not go through a pipe; `no_shared_memory.rs` where the system has none |
//! | `client.rs` | an engine in a process of its own behind the `Engine` trait |
//! | `child.rs`, `streams.rs` | that process: lines, time limits, last words |
//! | `remarks.rs` | what is noticed about processes beside their answers |
//! | `process_pool.rs` | processes that wait for their next trial |
//! | `serve.rs` | the other end: any engine of this process, served |

mod bytes;
mod child;
mod client;
mod lists;
mod message;
mod number;
mod process_pool;
mod remarks;
mod serve;
#[cfg(target_os = "linux")]
mod shared_memory;
#[cfg(not(target_os = "linux"))]
#[path = "no_shared_memory.rs"]
mod shared_memory;
mod softs;
mod streams;
#[cfg(test)]
mod tests;
mod vector;
mod world;

pub(crate) use child::{Process, Program};
pub(crate) use client::{Remote, answer_of};
pub(crate) use message::{Hello, described_text};
pub(crate) use number::Number;
pub(crate) use process_pool::ProcessPool;
pub(crate) use remarks::Remarks;
pub use serve::{Follower, Served, Starter, serve};
pub(crate) use shared_memory::Writing;
pub(crate) use streams::shortened;

/// The version of the protocol.
pub(crate) const VERSION: u64 = 1;
/// The engine lacks a feature.
pub(crate) const UNSUPPORTED: i64 = -32001;
/// A force that follows the state has no value.
pub(crate) const NO_FORCE: i64 = -32002;
/// A call that needs a world came before `build`.
pub(crate) const NOTHING_BUILT: i64 = -32000;
/// Parameters are wrong.
pub(crate) const BAD_PARAMETERS: i64 = -32602;
/// No such method.
pub(crate) const NO_METHOD: i64 = -32601;
/// A feature beyond those of a scene: bodies that come in later, and splits.
pub(crate) const ABSENT: &str = "absent";
