//! Shapes of space, as they are written.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{HullTable, ShapeTable};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{DVec3, Hull, HullError, SpaceShape};
use std::ops::Range;
use std::sync::Arc;

/// Most points of a hull that are looked at.
const POINT_LIMIT: usize = 100_000;

impl Resolver {
    pub(super) fn space_shape(
        &self,
        table: &ShapeTable,
        span: Range<usize>,
        names: &Names,
    ) -> Result<SpaceShape, Diagnostic> {
        match table {
            ShapeTable::Sphere(radius) => Ok(SpaceShape::Sphere(self.size(radius, "a radius", names)?)),
            ShapeTable::Box(sizes) => self.space_box(sizes, span, names),
            ShapeTable::Capsule(sizes) => {
                let [length, radius] = self.length_and_radius(sizes, "capsule", span, names)?;
                Ok(SpaceShape::Capsule { length, radius })
            }
            ShapeTable::Cylinder(sizes) => {
                let [length, radius] = self.length_and_radius(sizes, "cylinder", span, names)?;
                Ok(SpaceShape::Cylinder { length, radius })
            }
            ShapeTable::Hull(HullTable::File(table)) => self.hull_of_file(table, span, names),
            ShapeTable::Hull(HullTable::Corners(corners)) => {
                let corners = self.points(corners, &span, POINT_LIMIT, "a hull", "corners", names)?;
                hull_of(&corners, span)
            }
            ShapeTable::Mesh(table) => self.mesh(table, span, names),
            ShapeTable::HalfSpace(normal) => {
                Ok(SpaceShape::HalfSpace(self.normal(normal, span, names, "half-space", "[0, 1, 0]")?))
            }
            ShapeTable::Disc(_) => Err(of_the_plane(span, "disc", "sphere")),
            ShapeTable::HalfPlane(_) => Err(of_the_plane(span, "half_plane", "half_space")),
            ShapeTable::Polygon(_) => Err(of_the_plane(span, "polygon", "hull")),
            ShapeTable::Polyline(_) => Err(of_the_plane(span, "polyline", "mesh")),
        }
    }

    fn space_box(&self, sizes: &[Number], span: Range<usize>, names: &Names) -> Result<SpaceShape, Diagnostic> {
        let [width, height, depth] = sizes else {
            return Err(Diagnostic::at(
                span,
                format!("a box in space has a width, a height and a depth, and here are {} numbers", sizes.len()),
            )
            .label("expected [width, height, depth]"));
        };
        Ok(SpaceShape::Box(DVec3::new(
            self.size(width, "a width", names)?,
            self.size(height, "a height", names)?,
            self.size(depth, "a depth", names)?,
        )))
    }
}

/// The convex body of some corners. What lies within the others is taken for a slip of the pen.
fn hull_of(points: &[DVec3], span: Range<usize>) -> Result<SpaceShape, Diagnostic> {
    let hull = Hull::new(points).map_err(|error| hull_fault(&error, None, span.clone()))?;
    match points.iter().position(|point| !hull.corners().contains(point)) {
        Some(inside) => Err(Diagnostic::at(span, format!("corner {inside} of the hull lies within the others"))
            .label("not a corner")
            .help("leave it out; a body that is not convex is made of several `parts`")),
        None => Ok(SpaceShape::Hull(Arc::new(hull))),
    }
}

/// Why points, of a file if one is named, make no hull.
pub(super) fn hull_fault(error: &HullError, file: Option<&str>, span: Range<usize>) -> Diagnostic {
    let help = match error {
        HullError::Count { found } if *found > Hull::MOST_CORNERS => "leave corners out, or take several parts",
        HullError::Count { .. } | HullError::Flat => "a plate needs a thickness: give its upper and its lower corners",
        HullError::NotFinite { .. } => "every coordinate is a finite number",
    };
    let message = match file {
        Some(name) => format!("`{name}`: {error}"),
        None => error.to_string(),
    };
    Diagnostic::at(span, message).label("no convex body").help(help)
}

fn of_the_plane(span: Range<usize>, word: &str, near: &str) -> Diagnostic {
    Diagnostic::at(span, format!("`{word}` is a shape of the plane, and this scene is of space"))
        .label("no shape of space")
        .help(format!("did you mean `{near}`? Shapes of space are: {}", SpaceShape::WORDS.join(", ")))
}
