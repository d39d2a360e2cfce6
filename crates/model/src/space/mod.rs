//! What belongs to space alone.

mod shape;

pub use shape::SpaceShape;
