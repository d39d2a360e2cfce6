//! What belongs to the plane alone: its shapes, and their mass.

mod mass;
mod shape;

pub use mass::{MassProperties, body_mass, shape_mass};
pub use shape::PlaneShape;
