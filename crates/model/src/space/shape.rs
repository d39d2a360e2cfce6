//! Shapes of space. There are none yet.

/// Geometry of a part in space. It has no value yet, so that every `match` on a [`Shape`](crate::Shape) names its place already.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SpaceShape {}
