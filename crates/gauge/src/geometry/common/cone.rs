//! Directions in which contacts may push.

use ironspin_model::DVec3;
use std::fmt::Debug;

/// Everything that pushes along cones about some normals add up to.
pub(crate) trait Cone: Clone + Debug + Default {
    /// One cone by itself, worked out once.
    type One: Copy + Debug;

    /// Forgets all directions.
    fn clear(&mut self);
    /// Adds all directions within `half` (rad) of a unit normal.
    fn add(&mut self, normal: DVec3, half: f64);
    /// How far a vector lies outside.
    fn outside(&self, vector: DVec3) -> f64;
    /// All directions within `half` (rad) of a unit normal.
    fn one(normal: DVec3, half: f64) -> Self::One;
    /// Whether a vector lies in a cone.
    fn holds(one: &Self::One, vector: DVec3) -> bool;
}
