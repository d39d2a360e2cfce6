//! What belongs to space alone: its shapes, and their mass.

mod mass;
mod shape;

pub use mass::{SolidProperties, solid_body_mass, solid_mass};
pub use shape::SpaceShape;
