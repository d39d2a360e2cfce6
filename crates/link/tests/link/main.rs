//! An engine served over the protocol, asked line by line as a stranger would.

mod conversation;
mod requests;
mod slips;
