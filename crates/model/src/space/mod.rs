//! What belongs to space alone: its shapes, and their mass.

mod hull;
mod mass;
mod mesh;
mod quickhull;
mod shape;

pub use hull::{Hull, HullError, HullFace};
pub use mass::{SolidProperties, solid_body_mass, solid_mass};
pub use mesh::{MeshError, TriangleMesh};
pub use shape::SpaceShape;
