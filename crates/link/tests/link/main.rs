//! An engine served over the protocol, asked line by line as a stranger would; and engines of strangers, asked by the bench.

mod conversation;
#[cfg(unix)]
mod examined;
mod names;
#[cfg(unix)]
mod remote;
mod requests;
#[cfg(unix)]
mod scripted;
mod slips;
