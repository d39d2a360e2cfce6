//! Shapes and parts, and the mass they give a body.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{BodyTable, PartTable, Placed, ShapeTable};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{DVec2, DVec3, Dimension, Material, Part, PlaneShape, Shape};
use std::ops::Range;

/// Largest coordinate, size or mass that is taken for meant; beyond it squares and products lose their digits.
pub(super) const SANE_LIMIT: f64 = 1e15;
/// Most corners of a polygon.
const CORNER_LIMIT: usize = 32;
/// Most parts of a body.
const PART_LIMIT: usize = 1_000;
/// Most points of a polyline.
const POINT_LIMIT: usize = 100_000;

impl Resolver {
    /// The parts of a body: its one shape, or its list.
    pub(super) fn parts(
        &self,
        table: &BodyTable,
        materials: &[Material],
        names: &Names,
    ) -> Result<Vec<Part>, Diagnostic> {
        let place = table.name.as_ref().map_or(0..0, Placed::span);
        let all_sensors = table.sensor.unwrap_or(false);
        if let Some(cells) = &table.cells {
            if table.shape.is_some() || table.parts.is_some() {
                return Err(
                    Diagnostic::at(cells.span(), "a body has `cells`, or a `shape` or `parts`").label("has both")
                );
            }
            let material = self.material_of(table.material.as_ref(), &place, materials)?;
            // Of its shape only the sensor and the material count.
            let like = Part { sensor: all_sensors, ..Part::solid(Shape::Plane(PlaneShape::Disc(1.0)), material) };
            let parts = self.cell_parts(table, cells, &like, names)?;
            if parts.len() > PART_LIMIT {
                let many =
                    format!("the cells make {} boxes, and a body may have {PART_LIMIT} parts at most", parts.len());
                return Err(Diagnostic::at(cells.span(), many).label("too ragged"));
            }
            return Ok(parts);
        }
        match (&table.shape, &table.parts) {
            (Some(_), Some(_)) => {
                Err(Diagnostic::at(place, "a body has either a `shape` or `parts`").label("has both"))
            }
            (None, None) => Err(Diagnostic::at(place, "a body needs a shape").label("`shape` is missing here").help(
                match self.dimension {
                    Dimension::Plane => "add shape = { disc = 0.5 } or shape = { box = [1, 1] }",
                    Dimension::Space => "add shape = { sphere = 0.5 } or shape = { box = [1, 1, 1] }",
                },
            )),
            (Some(shape), None) => {
                let material = self.material_of(table.material.as_ref(), &place, materials)?;
                let shape = self.shape(shape.get_ref(), shape.span(), names)?;
                Ok(vec![Part { sensor: all_sensors, ..Part::solid(shape, material) }])
            }
            (None, Some(parts)) if parts.is_empty() => {
                Err(Diagnostic::at(place, "a body needs one part at least").label("`parts` is empty"))
            }
            (None, Some(parts)) => {
                if parts.len() > PART_LIMIT {
                    let many = format!("a body may have {PART_LIMIT} parts at most, and this has {}", parts.len());
                    return Err(Diagnostic::at(place, many).label("too many parts"));
                }
                self.budget.spend(Cost::Parts, parts.len(), || place)?;
                parts.iter().map(|part| self.part(part, table, all_sensors, materials, names)).collect()
            }
        }
    }

    fn part(
        &self,
        part: &PartTable,
        table: &BodyTable,
        all_sensors: bool,
        materials: &[Material],
        names: &Names,
    ) -> Result<Part, Diagnostic> {
        let material =
            self.material_of(part.material.as_ref().or(table.material.as_ref()), &part.shape.span(), materials)?;
        Ok(Part {
            shape: self.shape(part.shape.get_ref(), part.shape.span(), names)?,
            pose: self.pose(
                self.optional_vector(part.at.as_ref(), names)?,
                part.angle.as_ref(),
                part.turn.as_ref(),
                u64::MAX,
                names,
            )?,
            material,
            sensor: part.sensor || all_sensors,
        })
    }

    fn material_of(
        &self,
        name: Option<&Placed<String>>,
        place: &Range<usize>,
        materials: &[Material],
    ) -> Result<usize, Diagnostic> {
        match name {
            Some(name) => self.material(name, materials),
            None => Err(Diagnostic::at(place.clone(), "a body needs a material")
                .label("`material` is missing here")
                .help_names("", materials.iter().map(|m| m.name.as_str()))),
        }
    }

    /// A shape, of the dimension of the scene.
    fn shape(&self, table: &ShapeTable, span: Range<usize>, names: &Names) -> Result<Shape, Diagnostic> {
        match self.dimension {
            Dimension::Plane => self.plane_shape(table, span, names).map(Shape::from),
            Dimension::Space => self.space_shape(table, span, names).map(Shape::from),
        }
    }

    /// A normal of unit length; what is one already keeps its bits.
    pub(super) fn normal(
        &self,
        normal: &[Number],
        span: Range<usize>,
        names: &Names,
        of: &str,
        floor: &str,
    ) -> Result<DVec3, Diagnostic> {
        let normal = self.vector(normal, span.clone(), names)?;
        // One whose length is beyond all numbers, or below, has a direction all the same.
        let length = normal.length();
        let (normal, length) = match length.is_finite() && length > f64::MIN_POSITIVE {
            true => (normal, length),
            false => {
                let scaled = normal / normal.abs().max_element();
                (scaled, scaled.length())
            }
        };
        if !(length > 0.0) {
            return Err(Diagnostic::at(span, format!("the normal of a {of} cannot be zero"))
                .help(format!("{floor} is a floor")));
        }
        Ok(if (length - 1.0).abs() < 1e-15 { normal } else { normal / length })
    }

    fn plane_shape(&self, table: &ShapeTable, span: Range<usize>, names: &Names) -> Result<PlaneShape, Diagnostic> {
        let foreign = |word: &str, near: &str| {
            Diagnostic::at(span.clone(), format!("`{word}` is a shape of space, and this scene is of the plane"))
                .label("no shape of the plane")
                .help(format!("did you mean `{near}`? Scenes of space have space = 3"))
        };
        match table {
            ShapeTable::Sphere(_) => Err(foreign("sphere", "disc")),
            ShapeTable::Cylinder(_) => Err(foreign("cylinder", "box")),
            ShapeTable::Hull(_) => Err(foreign("hull", "polygon")),
            ShapeTable::Mesh(_) => Err(foreign("mesh", "polyline")),
            ShapeTable::HalfSpace(_) => Err(foreign("half_space", "half_plane")),
            ShapeTable::Disc(radius) => Ok(PlaneShape::Disc(self.size(radius, "a radius", names)?)),
            ShapeTable::Box(sizes) => {
                let [width, height] = sizes.as_slice() else {
                    return Err(Diagnostic::at(
                        span,
                        format!("a box has a width and a height, and here are {} numbers", sizes.len()),
                    )
                    .label("expected [width, height]"));
                };
                Ok(PlaneShape::Box(DVec2::new(
                    self.size(width, "a width", names)?,
                    self.size(height, "a height", names)?,
                )))
            }
            ShapeTable::Capsule(sizes) => {
                let [length, radius] = self.length_and_radius(sizes, "capsule", span, names)?;
                Ok(PlaneShape::Capsule { length, radius })
            }
            ShapeTable::Polygon(corners) => {
                let corners = self.points(corners, &span, CORNER_LIMIT, "a polygon", "corners", names)?;
                let corners: Vec<DVec2> = corners.into_iter().map(DVec3::truncate).collect();
                check_polygon(&corners, span)?;
                Ok(PlaneShape::Polygon(corners))
            }
            ShapeTable::Polyline(points) => {
                let points = self.points(points, &span, POINT_LIMIT, "a polyline", "points", names)?;
                let points: Vec<DVec2> = points.into_iter().map(DVec3::truncate).collect();
                if points.len() < 2 {
                    return Err(Diagnostic::at(span, "a polyline needs two points at least"));
                }
                if let Some(k) = points.windows(2).position(|ends| ends[0] == ends[1]) {
                    return Err(Diagnostic::at(span, format!("points {k} and {} of the polyline are the same", k + 1))
                        .label("doubled point"));
                }
                Ok(PlaneShape::Polyline(points))
            }
            ShapeTable::HalfPlane(normal) => {
                Ok(PlaneShape::HalfPlane(self.normal(normal, span, names, "half-plane", "[0, 1]")?.truncate()))
            }
        }
    }

    pub(super) fn points(
        &self,
        lists: &[Vec<Number>],
        span: &Range<usize>,
        most: usize,
        what: &str,
        of: &str,
        names: &Names,
    ) -> Result<Vec<DVec3>, Diagnostic> {
        if lists.len() > most {
            return Err(Diagnostic::at(
                span.clone(),
                format!("{what} may have {most} {of} at most, and this has {}", lists.len()),
            ));
        }
        self.budget.spend(Cost::Points, lists.len(), || span.clone())?;
        lists.iter().map(|list| self.vector(list, span.clone(), names)).collect()
    }

    pub(super) fn length_and_radius(
        &self,
        sizes: &[Number],
        of: &str,
        span: Range<usize>,
        names: &Names,
    ) -> Result<[f64; 2], Diagnostic> {
        let [length, radius] = sizes else {
            return Err(Diagnostic::at(
                span,
                format!("a {of} has a length and a radius, and here are {} numbers", sizes.len()),
            )
            .label("expected [length, radius]"));
        };
        Ok([self.size(length, "a length", names)?, self.size(radius, "a radius", names)?])
    }

    pub(super) fn size(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Diagnostic> {
        let size = self.positive(number, what, names)?;
        if size > SANE_LIMIT {
            return Err(Diagnostic::at(number.span(), format!("{what} of {size} m is beyond {SANE_LIMIT:e} m"))
                .label("too large"));
        }
        Ok(size)
    }
}

/// A polygon must be convex, without doubled or needless corners, and wind once.
fn check_polygon(corners: &[DVec2], span: Range<usize>) -> Result<(), Diagnostic> {
    let count = corners.len();
    if count < 3 {
        return Err(Diagnostic::at(span, format!("a polygon needs three corners at least, and this has {count}")));
    }
    for i in 0..count {
        let j = (i + 1) % count;
        if corners[i] == corners[j] {
            return Err(Diagnostic::at(span, format!("corners {i} and {j} of the polygon are the same"))
                .label("doubled corner"));
        }
    }
    let turn = |i: usize| {
        let (p, q, r) = (corners[i], corners[(i + 1) % count], corners[(i + 2) % count]);
        (q - p).perp_dot(r - q)
    };
    let doubled: f64 = (1..count - 1).map(|i| (corners[i] - corners[0]).perp_dot(corners[i + 1] - corners[0])).sum();
    if doubled == 0.0 {
        return Err(Diagnostic::at(span, "the corners of the polygon lie on a line").label("has no area"));
    }
    if let Some(i) = (0..count).find(|&i| turn(i) == 0.0) {
        return Err(Diagnostic::at(
            span,
            format!("corner {} of the polygon lies between its neighbours", (i + 1) % count),
        )
        .label("needless corner")
        .help("leave it out"));
    }
    let once = (1..count - 1).all(|i| (corners[i] - corners[0]).perp_dot(corners[i + 1] - corners[0]) * doubled > 0.0);
    if let Some(i) = (0..count).find(|&i| turn(i) * doubled < 0.0) {
        return Err(Diagnostic::at(
            span,
            format!("the polygon is not convex: it turns inwards at corner {}", (i + 1) % count),
        )
        .label("not convex")
        .help("split it into convex `parts`"));
    }
    if !once {
        return Err(Diagnostic::at(span, "the polygon crosses itself").label("not convex"));
    }
    Ok(())
}
