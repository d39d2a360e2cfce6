//! Bodies: loops, shapes, places, masses.

use super::{BODY_LIMIT, Resolver};
use crate::expression::Names;
use crate::fault::Fault;
use crate::file::{BodyTable, KindWord, Ordered, ShapeTable};
use crate::number::Number;
use crate::resolve::parameters::is_identifier;
use ironspin_model::{Body, BodyKind, DVec2, DVec3, Material, Part, Shape, shape_mass};
use std::ops::Range;

/// Largest coordinate, size or mass that is taken for meant; beyond it squares and products lose their digits.
const SANE_LIMIT: f64 = 1e15;

impl Resolver {
    pub(super) fn bodies(&self, tables: &[BodyTable], materials: &[Material]) -> Result<Vec<Body>, Fault> {
        let mut bodies = Vec::new();
        for (number, table) in tables.iter().enumerate() {
            let name = table.name.get_ref();
            if !name.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_') || name.is_empty() {
                return Err(Fault::at(table.name.span(), format!("`{name}` is no name for a body"))
                    .help("use letters, digits, - and _; indices come from `repeat`"));
            }
            if tables[..number].iter().any(|other| other.name.get_ref() == name) {
                return Err(Fault::at(table.name.span(), format!("two [[body]] tables are called `{name}`"))
                    .label("second of this name"));
            }
            self.repeat(&table.repeat, &self.names, name.clone(), &mut |names, full_name| {
                if bodies.len() >= BODY_LIMIT {
                    return Err(Fault::at(
                        table.name.span(),
                        format!("the scene asks for more than {BODY_LIMIT} bodies"),
                    )
                    .label("too many"));
                }
                bodies.push(self.body(table, materials, names, full_name)?);
                Ok(())
            })?;
        }
        Ok(bodies)
    }

    /// Runs nested loops, outermost first, adding each counter to the names and to the body's name.
    fn repeat(
        &self,
        loops: &Ordered<Number>,
        names: &Names,
        name: String,
        each: &mut dyn FnMut(&Names, String) -> Result<(), Fault>,
    ) -> Result<(), Fault> {
        self.repeat_from(&loops.0, names, name, each)
    }

    fn repeat_from(
        &self,
        loops: &[(toml::Spanned<String>, Number)],
        names: &Names,
        name: String,
        each: &mut dyn FnMut(&Names, String) -> Result<(), Fault>,
    ) -> Result<(), Fault> {
        let Some(((counter, count), inner)) = loops.split_first() else {
            return each(names, name);
        };
        if !is_identifier(counter.get_ref()) || names.has(counter.get_ref()) {
            return Err(Fault::at(counter.span(), format!("a loop counter cannot be called `{}`", counter.get_ref()))
                .label("taken, or not a name")
                .help("use another name, such as i, j, row or column"));
        }
        let times = self.evaluator.value(count, names)?;
        if times < 0.0 || times.fract() != 0.0 {
            return Err(Fault::at(count.span(), format!("a loop cannot run {times} times"))
                .label("expected a whole number from 0"));
        }
        if times > BODY_LIMIT as f64 {
            return Err(Fault::at(count.span(), format!("the scene asks for more than {BODY_LIMIT} bodies"))
                .label(format!("is {times}")));
        }
        for turn in 0..times as usize {
            self.repeat_from(inner, &names.with(counter.get_ref(), turn as f64), format!("{name}[{turn}]"), each)?;
        }
        Ok(())
    }

    fn body(&self, table: &BodyTable, materials: &[Material], names: &Names, name: String) -> Result<Body, Fault> {
        let material = materials.iter().position(|m| m.name == *table.material.get_ref()).ok_or_else(|| {
            let found = table.material.get_ref();
            Fault::at(table.material.span(), format!("there is no material called `{found}`"))
                .label("unknown material")
                .help_names(found, materials.iter().map(|m| m.name.as_str()))
        })?;
        let optional = |number: &Option<Number>, default: f64| {
            number.as_ref().map_or(Ok(default), |number| self.evaluator.value(number, names))
        };
        let shape = self.shape(table.shape.get_ref(), table.shape.span(), names)?;
        let velocity = table.velocity.as_ref().map_or(Ok(DVec3::ZERO), |v| self.spanned_pair(v, names))?;
        let mut body = Body {
            kind: match table.kind {
                KindWord::Static => BodyKind::Static,
                KindWord::Dynamic => BodyKind::Dynamic,
            },
            position: self.spanned_pair(&table.at, names)?,
            angle: optional(&table.angle, 0.0)?,
            velocity,
            spin: optional(&table.spin, 0.0)?,
            gravity_factor: optional(&table.gravity_factor, 1.0)?,
            fixed_turn: table.fixed_turn,
            swept: table.swept,
            parts: vec![Part::solid(shape, material)],
            ..Body::plain(name)
        };
        if body.position.abs().max_element() > SANE_LIMIT {
            return Err(
                Fault::at(table.at.span(), format!("a body cannot start beyond {SANE_LIMIT:e} m")).label("too far out")
            );
        }
        if body.kind == BodyKind::Dynamic {
            self.give_mass(&mut body, table, materials[material].density, names)?;
        } else if body.velocity != DVec3::ZERO || body.spin != 0.0 {
            let span = table.velocity.as_ref().map_or(table.name.span(), toml::Spanned::span);
            return Err(
                Fault::at(span, "a static body cannot have a velocity").help("leave it out, or make the body dynamic")
            );
        }
        Ok(body)
    }

    fn give_mass(&self, body: &mut Body, table: &BodyTable, density: f64, names: &Names) -> Result<(), Fault> {
        let Some(natural) = shape_mass(&body.parts[0].shape, density) else {
            return Err(Fault::at(table.shape.span(), "a half-plane has no finite mass")
                .label("only static")
                .help("add kind = \"static\""));
        };
        body.mass = match &table.mass {
            None => natural.mass,
            Some(mass) => self.positive(mass, "a mass", names)?,
        };
        // A given mass is spread over the shape as the density would have been.
        body.inertia = natural.inertia * (body.mass / natural.mass);
        if !(body.mass.is_normal() && body.inertia.is_normal() && body.mass < SANE_LIMIT) {
            return Err(Fault::at(
                table.shape.span(),
                format!("body `{}` gets a mass of {} kg, which cannot be computed with", body.name, body.mass),
            ));
        }
        Ok(())
    }

    fn shape(&self, table: &ShapeTable, span: Range<usize>, names: &Names) -> Result<Shape, Fault> {
        match table {
            ShapeTable::Disc(radius) => Ok(Shape::Disc(self.size(radius, "a radius", names)?)),
            ShapeTable::Box(sizes) => {
                let [width, height] = sizes.as_slice() else {
                    return Err(Fault::at(
                        span,
                        format!("a box has a width and a height, and here are {} numbers", sizes.len()),
                    )
                    .label("expected [width, height]"));
                };
                Ok(Shape::Box(DVec2::new(self.size(width, "a width", names)?, self.size(height, "a height", names)?)))
            }
            ShapeTable::HalfPlane(normal) => {
                let normal = self.pair(normal, span.clone(), names)?.truncate();
                let length = normal.length();
                if length == 0.0 {
                    return Err(Fault::at(span, "the normal of a half-plane cannot be zero").help("[0, 1] is a floor"));
                }
                Ok(Shape::HalfPlane(normal / length))
            }
        }
    }

    fn size(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Fault> {
        let size = self.positive(number, what, names)?;
        if size > SANE_LIMIT {
            return Err(
                Fault::at(number.span(), format!("{what} of {size} m is beyond {SANE_LIMIT:e} m")).label("too large")
            );
        }
        Ok(size)
    }
}
