//! What is said must be heard as it was meant.

mod message;
mod world;
