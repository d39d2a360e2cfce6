//! From the form of a file to worlds and claims: parameters, then world, materials, bodies, actions, claims.

mod bodies;
mod claims;
mod parameters;

use crate::expression::{Evaluator, Names};
use crate::fault::Fault;
use crate::file::{ActionTable, MaterialTable, Ordered, SceneFile, WorldTable};
use crate::number::Number;
use crate::scene::{Parameter, Settings};
use crate::select::{select, split};
use ironspin_model::{Action, Body, Bounds, Claim, DVec3, Deed, Material, World};
use std::ops::Range;
use toml::Spanned;

/// Most bodies a scene may have.
pub const BODY_LIMIT: usize = 200_000;

/// What a file resolves to.
pub(crate) struct Resolved {
    pub(crate) parameters: Vec<Parameter>,
    pub(crate) world: World,
    pub(crate) claims: Vec<Claim>,
}

/// Everything that is needed to work out a number.
struct Resolver {
    evaluator: Evaluator,
    /// Constants, parameters and `g`.
    names: Names,
}

pub(crate) fn resolve(file: &SceneFile, settings: &Settings) -> Result<Resolved, Fault> {
    if *file.space.get_ref() != 2 {
        return Err(Fault::at(file.space.span(), format!("space = {} cannot be built", file.space.get_ref()))
            .label("expected 2")
            .help("planar scenes have space = 2"));
    }
    let evaluator = Evaluator::new();
    let (parameters, names) = parameters::resolve(&file.set, settings, &evaluator)?;
    let mut resolver = Resolver { evaluator, names };
    let (gravity, duration, bounds) = resolver.world(&file.world)?;
    resolver.names.add("g", gravity.length());
    let materials = resolver.materials(&file.material)?;
    let bodies = resolver.bodies(&file.body, &materials)?;
    if bodies.is_empty() {
        return Err(Fault::nowhere("the scene has no body").help("add a [[body]] table"));
    }
    let actions = resolver.actions(&file.action, &bodies)?;
    let world = World { gravity, bounds, materials, bodies, actions, ..World::planar(duration) };
    let claims = resolver.claims(&file.claim, &world, settings.dt)?;
    Ok(Resolved { parameters, world, claims })
}

impl Resolver {
    fn value(&self, number: &Number) -> Result<f64, Fault> {
        self.evaluator.value(number, &self.names)
    }

    /// A number that must be above zero.
    fn positive(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Fault> {
        let value = self.evaluator.value(number, names)?;
        if value > 0.0 {
            Ok(value)
        } else {
            Err(Fault::at(number.span(), format!("{what} must be above zero, and this is {value}"))
                .label(format!("is {value}")))
        }
    }

    /// A number that must not be below zero.
    fn not_negative(&self, number: &Number, what: &str) -> Result<f64, Fault> {
        let value = self.value(number)?;
        if value >= 0.0 {
            Ok(value)
        } else {
            Err(Fault::at(number.span(), format!("{what} must not be negative, and this is {value}"))
                .label(format!("is {value}")))
        }
    }

    /// Two numbers as a vector in the plane.
    fn pair(&self, list: &[Number], span: Range<usize>, names: &Names) -> Result<DVec3, Fault> {
        let [x, y] = list else {
            return Err(Fault::at(span, format!("found {} numbers where [x, y] is expected", list.len()))
                .label("expected two numbers"));
        };
        Ok(DVec3::new(self.evaluator.value(x, names)?, self.evaluator.value(y, names)?, 0.0))
    }

    fn spanned_pair(&self, list: &Spanned<Vec<Number>>, names: &Names) -> Result<DVec3, Fault> {
        self.pair(list.get_ref(), list.span(), names)
    }

    fn world(&self, table: &WorldTable) -> Result<(DVec3, f64, Option<Bounds>), Fault> {
        let gravity = self.spanned_pair(&table.gravity, &self.names)?;
        let duration = self.positive(&table.duration, "the duration", &self.names)?;
        let bounds = match &table.bounds {
            None => None,
            Some(corners) => {
                let mut bounds = Bounds {
                    min: self.spanned_pair(&corners.min, &self.names)?,
                    max: self.spanned_pair(&corners.max, &self.names)?,
                };
                if !(bounds.min.x < bounds.max.x && bounds.min.y < bounds.max.y) {
                    return Err(Fault::at(
                        corners.max.span(),
                        "the upper corner of the bounds must lie above and right of the lower one",
                    ));
                }
                // A planar world stays at z = 0; the region is open along z.
                bounds.min.z = f64::NEG_INFINITY;
                bounds.max.z = f64::INFINITY;
                Some(bounds)
            }
        };
        Ok((gravity, duration, bounds))
    }

    fn materials(&self, tables: &Ordered<MaterialTable>) -> Result<Vec<Material>, Fault> {
        tables
            .0
            .iter()
            .map(|(name, table)| {
                Ok(Material {
                    name: name.get_ref().clone(),
                    density: self.positive(&table.density, "a density", &self.names)?,
                    friction: self.not_negative(&table.friction, "a friction")?,
                    restitution: self.not_negative(&table.restitution, "a restitution")?,
                })
            })
            .collect()
    }

    fn actions(&self, tables: &[ActionTable], bodies: &[Body]) -> Result<Vec<Action>, Fault> {
        let mut actions = Vec::new();
        for table in tables {
            let at_time = self.not_negative(&table.at_time, "the time of an action")?;
            for body in self.selected(&table.on, bodies)? {
                let names = self.names.with("mass", bodies[body].mass);
                let before = actions.len();
                if let Some(impulse) = &table.impulse {
                    actions.push(Action {
                        at_time,
                        body,
                        deed: Deed::Impulse { impulse: self.spanned_pair(impulse, &names)?, point: None },
                    });
                }
                if let Some(velocity) = &table.velocity {
                    actions.push(Action { at_time, body, deed: Deed::Velocity(self.spanned_pair(velocity, &names)?) });
                }
                if actions.len() == before {
                    return Err(
                        Fault::at(table.on.span(), "this action does nothing").help("give it `impulse` or `velocity`")
                    );
                }
            }
        }
        actions.sort_by(|a, b| a.at_time.total_cmp(&b.at_time));
        Ok(actions)
    }

    /// The bodies of a selector, of which there must be one at least.
    fn selected(&self, selector: &Spanned<String>, bodies: &[Body]) -> Result<Vec<usize>, Fault> {
        let text = self.with_worked_out_indices(selector)?;
        let found = select(&text, bodies);
        if !found.is_empty() {
            return Ok(found);
        }
        let mut known: Vec<&str> = bodies.iter().map(|body| split(&body.name).0).collect();
        known.dedup();
        let fault = Fault::at(selector.span(), format!("no body is called `{text}`")).label("matches nothing");
        let base = split(&text).0;
        Err(if known.contains(&base) {
            let last =
                bodies.iter().rev().find(|body| split(&body.name).0 == base).map_or("", |body| body.name.as_str());
            fault.help(format!("the last one is `{last}`; write `{base}[*]` for all"))
        } else {
            fault.help_names(base, known)
        })
    }

    /// Replaces index expressions such as `count-1` in a selector by their values.
    fn with_worked_out_indices(&self, selector: &Spanned<String>) -> Result<String, Fault> {
        let mut out = String::new();
        let mut rest = selector.get_ref().as_str();
        while let Some((head, tail)) = rest.split_once('[') {
            let (inside, after) = tail.split_once(']').ok_or_else(|| {
                Fault::at(selector.span(), format!("`{}` has no closing bracket", selector.get_ref()))
                    .help("write `ingot[*]` or `ingot[3]`")
            })?;
            let plain = inside.chars().all(|c| c.is_ascii_digit() || c == '.' || c == '*');
            let index = if plain {
                inside.to_owned()
            } else {
                let value = self
                    .evaluator
                    .evaluate(inside, &self.names)
                    .map_err(|f| Fault { span: Some(selector.span()), ..f })?;
                if value < 0.0 || value.fract() != 0.0 {
                    return Err(Fault::at(selector.span(), format!("`{inside}` gives {value}, which is no index"))
                        .label("expected a whole number from 0"));
                }
                format!("{value}")
            };
            out.push_str(&format!("{head}[{index}]"));
            rest = after;
        }
        out.push_str(rest);
        Ok(out)
    }
}
