//! Shapes and parts, and the mass they give a body.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{Amount, BodyTable, PartTable, Placed, ShapeTable};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{
    Body, DMat3, DVec2, DVec3, Dimension, Inertia, Material, Part, PlaneShape, Shape, SolidProperties, body_mass,
    solid_body_mass, turn,
};
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
            let what = match part.shape {
                Shape::Space(_) => "a half-space",
                Shape::Plane(_) if part.shape.is_endless() => "a half-plane",
                Shape::Plane(_) => "a polyline",
            };
            return Err(Diagnostic::at(place, format!("{what} has no finite mass"))
                .label("only static")
                .help("add kind = \"static\""));
        }
        let density = |part: &Part| materials[part.material].density;
        let natural = match self.dimension {
            Dimension::Plane => body_mass(&body.parts, density).map(|plane| SolidProperties {
                mass: plane.mass,
                centre: plane.centre.extend(0.0),
                inertia: Inertia::planar(plane.inertia),
            }),
            Dimension::Space => solid_body_mass(&body.parts, density),
        };
        let mass = table.mass.as_ref().map(|mass| self.positive(mass, "a mass", names)).transpose()?;
        let inertia = table.inertia.as_ref().map(|inertia| self.inertia(inertia, names)).transpose()?;
        let (mass, inertia) = match (natural, mass, inertia) {
            (_, Some(mass), Some(inertia)) => (mass, inertia),
            // A given mass is spread over the shape as the density would have been.
            (Some(natural), mass, inertia) => {
                let mass = mass.unwrap_or(natural.mass);
                let spread = Inertia(natural.inertia.0 * (mass / natural.mass));
                (mass, inertia.unwrap_or(spread))
            }
            (None, ..) => {
                return Err(Diagnostic::at(place, "a body of sensors only has no mass of its own")
                    .label("weighs nothing")
                    .help("give it `mass` and `inertia`, or make it static or kinematic"));
            }
        };
        (body.mass, body.inertia) = (mass, inertia);
        let moments = match self.dimension {
            Dimension::Plane => vec![inertia.zz()],
            Dimension::Space => vec![inertia.0.x_axis.x, inertia.0.y_axis.y, inertia.zz()],
        };
        if !(mass.is_normal() && moments.iter().all(|moment| moment.is_normal()) && body.mass < SANE_LIMIT) {
            return Err(Diagnostic::at(
                place,
                format!("body `{}` gets a mass of {} kg, which cannot be computed with", body.name, body.mass),
            ));
        }
        let centre = natural.map_or(DVec3::ZERO, |natural| natural.centre);
        if centre != DVec3::ZERO && table.about_centre != Some(true) {
            for part in &mut body.parts {
                part.pose.position -= centre;
            }
            match self.dimension {
                Dimension::Plane => {
                    let (sin, cos) = (libm::sin(body.pose.angle), libm::cos(body.pose.angle));
                    body.pose.position.x += cos * centre.x - sin * centre.y;
                    body.pose.position.y += sin * centre.x + cos * centre.y;
                }
                Dimension::Space => body.pose.position += turn::turned(body.pose.rotation, centre),
            }
        }
        Ok(())
    }

    /// A moment in the plane; in space three moments about the body's own axes, or the six numbers of a matrix.
    fn inertia(&self, amount: &Amount, names: &Names) -> Result<Inertia, Diagnostic> {
        let list = match (self.dimension, amount) {
            (Dimension::Plane, Amount::One(moment)) => {
                return self.positive(moment, "an inertia", names).map(Inertia::planar);
            }
            (Dimension::Space, Amount::List(list)) => list,
            (Dimension::Plane, Amount::List(list)) => {
                return Err(Diagnostic::at(list.span(), "an inertia in the plane is one number, about z")
                    .label("expected one number"));
            }
            (Dimension::Space, Amount::One(moment)) => {
                return Err(Diagnostic::at(
                    moment.span(),
                    "an inertia in space has three numbers, or six of its matrix",
                )
                .label("expected [Ixx, Iyy, Izz] or [Ixx, Iyy, Izz, Ixy, Ixz, Iyz]")
                .help("about the centre of mass, along the body's own axes"));
            }
        };
        let values = list.get_ref().iter().map(|n| self.evaluator.value(n, names)).collect::<Result<Vec<_>, _>>()?;
        let matrix = match values[..] {
            [xx, yy, zz] => DMat3::from_diagonal(DVec3::new(xx, yy, zz)),
            [xx, yy, zz, xy, xz, yz] => {
                DMat3::from_cols(DVec3::new(xx, xy, xz), DVec3::new(xy, yy, yz), DVec3::new(xz, yz, zz))
            }
            _ => {
                return Err(Diagnostic::at(
                    list.span(),
                    format!("an inertia in space has three or six numbers, and here are {}", values.len()),
                )
                .label("expected [Ixx, Iyy, Izz] or [Ixx, Iyy, Izz, Ixy, Ixz, Iyz]"));
            }
        };
        let (x, y) = (matrix.x_axis, matrix.y_axis);
        // Sylvester's criterion, and of a body that there can be no moment is above the sum of the two others.
        let positive = x.x > 0.0 && x.x * y.y - x.y * x.y > 0.0 && matrix.determinant() > 0.0;
        let [xx, yy, zz] = [values[0], values[1], values[2]];
        let slack = 1e-9 * (xx + yy + zz);
        if positive && xx <= yy + zz + slack && yy <= xx + zz + slack && zz <= xx + yy + slack {
            return Ok(Inertia(matrix));
        }
        Err(Diagnostic::at(list.span(), "no body has this inertia")
            .label(if positive { "one moment is above the sum of the two others" } else { "not positive" })
            .help("about the centre of mass, along the body's own axes; Ixy is the entry of the matrix"))
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
