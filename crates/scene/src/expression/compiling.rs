//! How the names and bodies of an expression over states are looked up.

use super::compiled::{Compiled, is_time};
use super::functions::function_names;
use super::own::{Cast, INERTIA, MASS, Own, Source};
use super::parse::{Parsed, Spot};
use super::reference::{BodyText, Field, Reference, Target, Who, point_fields};
use super::tree::{Kind, Scope, Tree};
use super::{Evaluator, check_units, explain, is_unit, short};
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::names::Names;
use ironspin_model::DVec3;
use std::sync::Arc;

/// Operations that looking up a part of an expression is worth.
const LOOKED_UP: usize = 8;

/// The word for the partner in expressions.
const BY: &str = "by";

impl Evaluator {
    /// An expression to be worked out for many moments. The fault has no place.
    ///
    /// # Errors
    /// When it does not parse, speaks of an unknown name or body, or uses a name that is both a parameter's and the body's own.
    pub(crate) fn compile(&self, text: &str, names: &Names, own: Own, cast: &Cast) -> Result<Compiled, Diagnostic> {
        let expression = self.parse(text)?;
        let parsed = &expression.parsed;
        check_units(text, parsed, names)?;
        if let Some(budget) = &self.budget {
            let longest = parsed.names.iter().filter_map(|name| names.list(name)).map(|list| list.len()).max();
            let operations = LOOKED_UP * expression.operations + expression.gatherings * longest.unwrap_or(0);
            let spent = budget.spend(Cost::Operations, operations, || 0..0);
            spent.map_err(|diagnostic| Diagnostic { span: None, ..diagnostic })?;
        }
        let own_names = own.names(cast.dimension);
        let place_of = |name: &str| own_names.iter().find(|(known, _)| *known == name).map(|(_, place)| *place);
        let mut sources = Vec::with_capacity(parsed.names.len());
        for name in &parsed.names {
            let known = names.has(name) || names.list(name).is_some();
            sources.push(match place_of(name) {
                // A parameter may be called so: the state of a body has no such name.
                Some(INERTIA) if known => Source::Known(names.get(name).map(|(value, _)| value)),
                Some(_) if known => {
                    return Err(Diagnostic::nowhere(format!("`{name}` is a parameter, and here the body's own"))
                        .label("rename the parameter"));
                }
                Some(place) => Source::Own(place),
                None if known => Source::Known(names.get(name).map(|(value, _)| value)),
                None => {
                    let all = names.names().chain(own_names.iter().map(|(name, _)| *name));
                    let unknown = Diagnostic::nowhere(format!("`{}` uses the unknown name `{name}`", short(text)))
                        .label(first_place(parsed, name, sources.len()));
                    return Err(match name.as_str() {
                        "dx" | "dy" | "dz" | "r" if own == Own::State => {
                            unknown.help("the way from a partner is known to a force with one: add a line by = \"...\"")
                        }
                        unit if is_unit(unit) => unknown.help(super::unit_help(unit)),
                        _ => unknown.help_names(name, all),
                    });
                }
            });
        }
        let lists: Vec<_> = parsed.names.iter().map(|name| names.list(name).cloned()).collect();
        let compiling = Compiling { evaluator: self, own, text, names, cast, parsed, sources: &sources, lists: &lists };
        let targets = parsed.references.iter().map(|r| compiling.target(r)).collect::<Result<Vec<_>, _>>()?;
        compiling.check_items()?;
        let mut outside = Vec::new();
        parsed.tree.outside_of_sums(&mut outside);
        let is_whole = outside.iter().all(|part| match part {
            Tree::Name { index, .. } => {
                !matches!(sources[*index], Source::Own(place) if !is_time(cast.dimension, place))
            }
            Tree::Reference(number) => matches!(targets[*number].who, Who::Id(_)),
            _ => true,
        });
        Ok(Compiled {
            text: compiling.with_values(),
            gathers: parsed.tree.gathers(),
            tree: Arc::new(parsed.tree.clone()),
            is_truth: parsed.kind == Kind::Truth,
            is_whole: is_whole && own != Own::Time,
            targets,
            lists,
            sources,
            traits: Arc::clone(&cast.traits),
            dimension: cast.dimension,
            seed: self.seed,
        })
    }
}

/// Where a name that is not known stands first.
fn first_place(parsed: &Parsed, name: &str, index: usize) -> String {
    let here = |spot: &Spot| matches!(spot, Spot::Name(number) if *number == index);
    let at = parsed.spots.iter().filter(|(_, spot)| here(spot)).map(|(range, _)| range.start + 1).min();
    let unknown = format!("unknown name `{name}`");
    at.map_or_else(|| unknown.clone(), |at| super::at_character(&unknown, at))
}

/// What is needed while the names of an expression are looked up.
struct Compiling<'a> {
    evaluator: &'a Evaluator,
    own: Own,
    text: &'a str,
    names: &'a Names,
    cast: &'a Cast,
    parsed: &'a Parsed,
    sources: &'a [Source],
    lists: &'a [Option<Arc<[f64]>>],
}

impl Compiling<'_> {
    /// The value of a part that speaks of no state.
    fn fixed(&self, tree: &Tree) -> Result<f64, Diagnostic> {
        let names: Vec<Option<f64>> =
            self.sources.iter().map(|source| if let Source::Known(value) = source { *value } else { None }).collect();
        let scope =
            Scope { names: &names, lists: self.lists, references: &[], members: None, seed: self.evaluator.seed };
        tree.value(&scope).map_err(|failure| explain(self.text, failure, &self.parsed.names, self.names))
    }

    /// Whether a part speaks of a state.
    fn depends(&self, tree: &Tree) -> bool {
        let mut parts = Vec::new();
        tree.outside_of_sums(&mut parts);
        let own = |index: usize| matches!(self.sources[index], Source::Own(_));
        parts.iter().any(|part| match part {
            Tree::Name { index, .. } => own(*index),
            Tree::Reference(_) => true,
            Tree::Gather { inner, .. } => !matches!(**inner, Tree::Name { index, .. } if self.lists[index].is_some()),
            _ => false,
        })
    }

    /// Items of lists must not change with the state: the resolved form of a scene has no lists.
    fn check_items(&self) -> Result<(), Diagnostic> {
        let mut items = self.parsed.spots.iter().filter_map(|(range, spot)| match spot {
            Spot::Part(Tree::Item { index, .. }) if self.depends(index) => Some(range),
            _ => None,
        });
        items.next().map_or(Ok(()), |range| {
            Err(Diagnostic::nowhere(format!("`{}`: the number of an item changes with the state", short(self.text)))
                .label(format!("at character {} of the expression", range.start + 1))
                .help("items of lists are told by counters and parameters"))
        })
    }

    fn target(&self, reference: &Reference) -> Result<Target, Diagnostic> {
        let who = match &reference.body {
            None => Who::Own,
            Some(body) if self.own == Own::Pair && body.base == BY && body.indices.is_empty() => Who::Partner,
            Some(body) => Who::Id(self.body(body, reference.at)?),
        };
        let field = &reference.field;
        let unknown = |known: Vec<&str>| {
            Diagnostic::nowhere(format!("`{}`: a body has no `{field}`", short(self.text)))
                .label(format!("unknown field `{field}`, at character {} of the expression", reference.at))
                .help_names(field, known)
        };
        if let Some(parts) = &reference.point {
            let due = usize::from(self.cast.dimension.number());
            if parts.len() != due {
                return Err(Diagnostic::nowhere(format!(
                    "`{}`: found {} numbers where {due} are expected for a point",
                    short(self.text),
                    parts.len()
                ))
                .label(format!("at character {} of the expression", reference.at)));
            }
            let mut local = DVec3::ZERO;
            for (axis, part) in parts.iter().enumerate() {
                if self.depends(part) {
                    return Err(Diagnostic::nowhere(format!(
                        "`{}`: the point changes with the state",
                        short(self.text)
                    ))
                    .label(format!("at character {} of the expression", reference.at))
                    .help("a point is fixed in the body's own frame"));
                }
                local[axis] = self.fixed(part)?;
            }
            let known = point_fields(self.cast.dimension);
            let Some((_, part)) = known.clone().find(|(name, _)| name == field) else {
                return Err(unknown(known.map(|(name, _)| name).collect()));
            };
            return Ok(Target { who, field: Field::Point(local, part) });
        }
        let own = Own::State.names(self.cast.dimension);
        let known: Vec<&str> = own.iter().map(|(name, _)| *name).filter(|name| *name != "t").chain(["point"]).collect();
        let place = own.iter().find(|(name, _)| name == field && *name != "t").map(|(_, place)| *place);
        let field = match (place, who) {
            (Some(place @ (MASS | INERTIA)), Who::Id(body)) => Field::Known(self.cast.traits[body][place - MASS]),
            (Some(place), _) => Field::State(place),
            (None, _) => return Err(unknown(known)),
        };
        Ok(Target { who, field })
    }

    fn body(&self, body: &BodyText, at: usize) -> Result<usize, Diagnostic> {
        let mut name = body.base.clone();
        let indices = |name: &mut String, trees: &[Tree]| -> Result<(), Diagnostic> {
            for tree in trees {
                let index = self.fixed(tree)?;
                if index < 0.0 || index.fract() != 0.0 {
                    return Err(Diagnostic::nowhere(format!("`{}`: {index} is no index", short(self.text)))
                        .label("expected a whole number from 0"));
                }
                name.push_str(&format!("[{index}]"));
            }
            Ok(())
        };
        indices(&mut name, &body.indices)?;
        if let Some(node) = &body.node {
            name.push_str(ironspin_model::NODE);
            indices(&mut name, node)?;
        }
        if let Some(&id) = self.cast.ids.get(&name) {
            return Ok(id);
        }
        let diagnostic =
            Diagnostic::nowhere(format!("`{}` speaks of `{name}`, and no body is called so", short(self.text)))
                .label(format!("unknown body, at character {at} of the expression"));
        let of_that_name = |known: &&String| crate::select::split(known).0 == crate::select::split(&name).0;
        let mut bases: Vec<&str> = self.cast.ids.keys().map(|known| crate::select::split(known).0).collect();
        bases.dedup();
        Err(match self.cast.ids.keys().rfind(of_that_name) {
            Some(other) => diagnostic.help(format!("there is `{other}`; one body is asked for")),
            None if function_names().any(|known| known == name) => diagnostic.help("a function is called with ( )"),
            None => diagnostic.help_names(&body.base, bases),
        })
    }

    /// The text with values for everything that is known and has no place in a resolved scene.
    fn with_values(&self) -> String {
        let letters: Vec<char> = self.text.chars().collect();
        let mut spots: Vec<_> = self.parsed.spots.iter().collect();
        // The outer before what stands in it.
        spots.sort_by_key(|(range, _)| (range.start, std::cmp::Reverse(range.end)));
        let (mut out, mut done) = (String::with_capacity(letters.len()), 0);
        for (range, spot) in spots {
            if range.start < done {
                continue;
            }
            let value = match spot {
                Spot::Name(index) => match self.sources[*index] {
                    Source::Known(Some(value)) => format!("({value:?})"),
                    _ => continue,
                },
                Spot::Part(tree) if self.depends(tree) => continue,
                Spot::Part(tree) => match (self.fixed(tree), tree) {
                    (Ok(value), Tree::Item { .. } | Tree::Length { .. } | Tree::Gather { .. }) => {
                        format!("({value:?})")
                    }
                    (Ok(value), _) => format!("{value:?}").trim_end_matches(".0").to_owned(),
                    // It is not reached, or it has no value.
                    (Err(_), Tree::Item { .. }) => "(1 / 0)".to_owned(),
                    (Err(_), _) => continue,
                },
            };
            out.extend(&letters[done..range.start]);
            out.push_str(&value);
            done = range.end;
        }
        out.extend(&letters[done..]);
        out
    }
}
