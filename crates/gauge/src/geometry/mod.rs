//! Geometry of the gauges: outlines, gaps and path crossings. Independent of any engine's.
//!
//! A gap is the distance of the origin from the Minkowski difference of two convex outlines, which for planar polygons
//! is a polygon that can be written down whole (de Berg et al., "Computational Geometry", section 13.3).

mod crossing;
mod gap;
mod outline;
mod shapes;

pub(crate) use crossing::cross;
pub use gap::Gap;
pub use outline::Outline;
pub(crate) use shapes::{Membership, Shapes, velocity_at};
