//! What is said must be heard as it was meant.

mod bytes;
mod message;
mod world;
