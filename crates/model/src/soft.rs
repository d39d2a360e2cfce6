//! Soft bodies: point masses beside the rigid bodies of a world.

use glam::DVec3;

/// A soft body. Its id follows those of the rigid bodies.
#[derive(Clone, Debug, PartialEq)]
pub struct SoftBody {
    /// Name as selectors know it.
    pub name: String,
    /// Its point masses as built.
    pub nodes: Vec<Node>,
}

/// A point mass of a soft body as built.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Node {
    /// m.
    pub position: DVec3,
    /// m/s.
    pub velocity: DVec3,
    /// kg; in the plane per metre of depth. A node of mass 0 is held.
    pub mass: f64,
}
