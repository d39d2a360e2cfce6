//! Mass, centre and inertia of bodies.

use super::Resolver;
use super::parts::SANE_LIMIT;
use crate::diagnostic::Diagnostic;
use crate::file::{Amount, BodyTable, Placed};
use crate::names::Names;
use ironspin_model::{
    Body, DMat3, DVec3, Dimension, Inertia, Material, Part, Shape, SolidProperties, SpaceShape, body_mass,
    solid_body_mass, turn,
};
use std::ops::Range;

impl Resolver {
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
        may_have_mass(body, &place)?;
        let density = |part: &Part| materials[part.material].density;
        let natural = match self.dimension {
            Dimension::Plane => body_mass(&body.parts, density).map(|plane| SolidProperties {
                mass: plane.mass,
                centre: plane.centre.extend(0.0),
                inertia: Inertia::planar(plane.inertia),
            }),
            Dimension::Space => match (&table.mass_from, body.parts.first()) {
                (Some(surface), Some(part)) => Some(self.mass_from(surface, &materials[part.material], names)?),
                _ => solid_body_mass(&body.parts, density),
            },
        };
        if let (Some(surface), Dimension::Plane) = (&table.mass_from, self.dimension) {
            return Err(Diagnostic::at(surface.span(), "`mass_from` is for bodies of space")
                .label("this scene is of the plane"));
        }
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
}

/// Whether all solid parts of a body can weigh something.
fn may_have_mass(body: &Body, place: &Range<usize>) -> Result<(), Diagnostic> {
    let only_static = body.parts.iter().find(|part| part.shape.static_only() && !part.sensor);
    if let Some(part) = only_static {
        let what = match part.shape {
            Shape::Space(_) => "a half-space",
            Shape::Plane(_) if part.shape.is_endless() => "a half-plane",
            Shape::Plane(_) => "a polyline",
        };
        let help = match part.shape {
            Shape::Space(SpaceShape::Mesh(_)) => {
                "add kind = \"static\", or give the body a `hull` and `mass_from` the mesh"
            }
            _ => "add kind = \"static\"",
        };
        let what = match part.shape {
            Shape::Space(SpaceShape::Mesh(_)) => "a mesh is a surface, which has no mass".to_owned(),
            _ => format!("{what} has no finite mass"),
        };
        return Err(Diagnostic::at(place.clone(), what).label("only static").help(help));
    }
    Ok(())
}
