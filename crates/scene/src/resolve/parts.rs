//! Shapes and parts, and the mass they give a body.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{BodyTable, PartTable, Placed, ShapeTable};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{Body, DVec2, Inertia, Material, Part, PlaneShape, Pose, body_mass};
use std::ops::Range;

/// Largest coordinate, size or mass that is taken for meant; beyond it squares and products lose their digits.
pub(super) const SANE_LIMIT: f64 = 1e15;
/// Most corners of a polygon.
const CORNER_LIMIT: usize = 32;
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
        match (&table.shape, &table.parts) {
            (Some(_), Some(_)) => {
                Err(Diagnostic::at(place, "a body has either a `shape` or `parts`").label("has both"))
            }
            (None, None) => Err(Diagnostic::at(place, "a body needs a shape")
                .label("`shape` is missing here")
                .help("add shape = { disc = 0.5 } or shape = { box = [1, 1] }")),
            (Some(shape), None) => {
                let material = self.material_of(table.material.as_ref(), &place, materials)?;
                let shape = self.shape(shape.get_ref(), shape.span(), names)?;
                Ok(vec![Part { sensor: all_sensors, ..Part::solid(shape, material) }])
            }
            (None, Some(parts)) if parts.is_empty() => {
                Err(Diagnostic::at(place, "a body needs one part at least").label("`parts` is empty"))
            }
            (None, Some(parts)) => {
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
            shape: self.shape(part.shape.get_ref(), part.shape.span(), names)?.into(),
            pose: Pose::planar(
                self.optional_vector(part.at.as_ref(), names)?,
                self.optional(part.angle.as_ref(), 0.0, names)?,
            ),
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

    /// Mass, centre and inertia of a dynamic body from its parts, or as they are given; the body is moved so that its position is its
    /// centre of mass.
    pub(super) fn give_mass(
        &self,
        body: &mut Body,
        table: &BodyTable,
        materials: &[Material],
        names: &Names,
    ) -> Result<(), Diagnostic> {
        let place = table.shape.as_ref().map_or_else(|| table.name.as_ref().map_or(0..0, Placed::span), Placed::span);
        let only_static = body.parts.iter().find(|part| part.shape.static_only() && !part.sensor);
        if let Some(part) = only_static {
            let what =
                if matches!(part.shape.planar(), PlaneShape::HalfPlane(_)) { "a half-plane" } else { "a polyline" };
            return Err(Diagnostic::at(place, format!("{what} has no finite mass"))
                .label("only static")
                .help("add kind = \"static\""));
        }
        let natural = body_mass(&body.parts, |part| materials[part.material].density);
        let mass = table.mass.as_ref().map(|mass| self.positive(mass, "a mass", names)).transpose()?;
        let inertia = table.inertia.as_ref().map(|i| self.positive(i, "an inertia", names)).transpose()?;
        let (mass, moment) = match (natural, mass, inertia) {
            (_, Some(mass), Some(inertia)) => (mass, inertia),
            // A given mass is spread over the shape as the density would have been.
            (Some(natural), mass, inertia) => {
                let mass = mass.unwrap_or(natural.mass);
                (mass, inertia.unwrap_or(natural.inertia * (mass / natural.mass)))
            }
            (None, ..) => {
                return Err(Diagnostic::at(place, "a body of sensors only has no mass of its own")
                    .label("weighs nothing")
                    .help("give it `mass` and `inertia`, or make it static or kinematic"));
            }
        };
        (body.mass, body.inertia) = (mass, Inertia::planar(moment));
        if !(mass.is_normal() && moment.is_normal() && body.mass < SANE_LIMIT) {
            return Err(Diagnostic::at(
                place,
                format!("body `{}` gets a mass of {} kg, which cannot be computed with", body.name, body.mass),
            ));
        }
        let centre = natural.map_or(DVec2::ZERO, |natural| natural.centre);
        if centre != DVec2::ZERO && table.about_centre != Some(true) {
            for part in &mut body.parts {
                part.pose.position -= centre.extend(0.0);
            }
            let (sin, cos) = (libm::sin(body.pose.angle), libm::cos(body.pose.angle));
            body.pose.position.x += cos * centre.x - sin * centre.y;
            body.pose.position.y += sin * centre.x + cos * centre.y;
        }
        Ok(())
    }

    fn shape(&self, table: &ShapeTable, span: Range<usize>, names: &Names) -> Result<PlaneShape, Diagnostic> {
        match table {
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
                let [length, radius] = sizes.as_slice() else {
                    return Err(Diagnostic::at(
                        span,
                        format!("a capsule has a length and a radius, and here are {} numbers", sizes.len()),
                    )
                    .label("expected [length, radius]"));
                };
                Ok(PlaneShape::Capsule {
                    length: self.size(length, "a length", names)?,
                    radius: self.size(radius, "a radius", names)?,
                })
            }
            ShapeTable::Polygon(corners) => {
                let corners = self.points(corners, &span, CORNER_LIMIT, "a polygon", "corners", names)?;
                check_polygon(&corners, span)?;
                Ok(PlaneShape::Polygon(corners))
            }
            ShapeTable::Polyline(points) => {
                let points = self.points(points, &span, POINT_LIMIT, "a polyline", "points", names)?;
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
                let normal = self.vector(normal, span.clone(), names)?.truncate();
                let length = normal.length();
                if length == 0.0 {
                    return Err(
                        Diagnostic::at(span, "the normal of a half-plane cannot be zero").help("[0, 1] is a floor")
                    );
                }
                // What is a unit vector already keeps its bits.
                Ok(PlaneShape::HalfPlane(if (length - 1.0).abs() < 1e-15 { normal } else { normal / length }))
            }
        }
    }

    fn points(
        &self,
        lists: &[Vec<Number>],
        span: &Range<usize>,
        most: usize,
        what: &str,
        of: &str,
        names: &Names,
    ) -> Result<Vec<DVec2>, Diagnostic> {
        if lists.len() > most {
            return Err(Diagnostic::at(
                span.clone(),
                format!("{what} may have {most} {of} at most, and this has {}", lists.len()),
            ));
        }
        lists.iter().map(|list| Ok(self.vector(list, span.clone(), names)?.truncate())).collect()
    }

    fn size(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Diagnostic> {
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
