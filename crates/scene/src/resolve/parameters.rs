//! Parameters: values of the file, changed by what is set from outside.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{ParameterFields, ParameterTable, Placed, WorldTable};
use crate::names::Names;
use crate::number::{Number, NumberText};
use crate::setup::{Parameter, Settings};

/// Names that expressions already use for something else.
const TAKEN: [&str; 8] = ["pi", "tau", "g", "dt", "eps", "mass", "deg", "seed"];

/// Most items of a list.
const LIST_LIMIT: usize = 10_000;

/// A number or several.
enum Given {
    One(f64),
    List(Vec<f64>),
}

impl Resolver {
    /// Parameters in the order of the file, which become names; each may use those above it, and `g` where gravity is known by then.
    pub(super) fn parameters(
        &mut self,
        tables: &[&(Placed<String>, ParameterTable)],
        settings: &Settings,
        world: &WorldTable,
    ) -> Result<Vec<Parameter>, Diagnostic> {
        let known = || tables.iter().map(|(name, _)| name.get_ref().as_str());
        for (name, _) in &settings.set {
            if !known().any(|other| other == name) {
                return Err(Diagnostic::nowhere(format!("the scene has no parameter `{name}` to set"))
                    .help_names(name, known()));
            }
        }
        self.names.add("seed", settings.seed as f64);
        let mut parameters = Vec::new();
        for (name, ParameterTable(table)) in tables.iter().copied() {
            let plain = name.get_ref();
            if TAKEN.contains(&plain.as_str()) || !is_identifier(plain) {
                return Err(Diagnostic::at(name.span(), format!("a parameter cannot be called `{plain}`"))
                    .label("taken, or not a name")
                    .help("use letters, digits and underscores, and none of pi, tau, g, dt, mass, deg, seed"));
            }
            let converted = |number: &Number| matches!(number.text(), NumberText::Expression(text) if self.evaluator.converts_degrees(text));
            if is_in_degrees(table) && !table.value.as_ref().is_some_and(converted) {
                self.evaluator.note_degrees(plain);
            }
            let set = settings.set.iter().rev().find(|(set, _)| set == plain).map(|(_, text)| text.as_str());
            parameters.push(self.parameter(name, table, set, world)?);
        }
        Ok(parameters)
    }

    fn parameter(
        &mut self,
        name: &Placed<String>,
        table: &ParameterFields,
        set: Option<&str>,
        world: &WorldTable,
    ) -> Result<Parameter, Diagnostic> {
        let plain = name.get_ref();
        let in_degrees = is_in_degrees(table);
        let span = table.value.as_ref().map_or_else(|| name.span(), Number::span);
        let of_file = match (&table.value, &table.values) {
            (Some(number), None) => Written::One(number),
            (None, Some(list)) => Written::List(list),
            _ => {
                return Err(Diagnostic::at(name.span(), format!("`{plain}` has exactly one of `value` and `values`"))
                    .label("in this parameter")
                    .help("write { value = 3, about = \"...\" }, or { values = [1, 2], about = \"...\" } for a list"));
            }
        };
        let given = match set {
            Some(text) => self.set(plain, &of_file, text, world).map_err(|diagnostic| Diagnostic {
                message: format!("cannot set `{plain}`: {}", diagnostic.message),
                span: None,
                ..diagnostic
            })?,
            None => match &of_file {
                Written::One(number) => Given::One(self.with_g(number, in_degrees, world)?),
                Written::List(list) => {
                    check_length(plain, list.get_ref().len())
                        .map_err(|d| Diagnostic { span: Some(list.span()), ..d })?;
                    Given::List(
                        list.get_ref()
                            .iter()
                            .map(|item| self.with_g(item, in_degrees, world))
                            .collect::<Result<_, _>>()?,
                    )
                }
            },
        };
        let range = match &table.range {
            None => None,
            Some([low, high]) => {
                Some([self.evaluator.value(low, &self.names)?, self.evaluator.value(high, &self.names)?])
            }
        };
        let items = match &given {
            Given::One(value) => std::slice::from_ref(value),
            Given::List(items) => items,
        };
        if let Some([low, high]) = range
            && let Some(value) = items.iter().find(|item| !(low..=high).contains(*item))
        {
            let message = format!("`{plain}` is {value}, outside its range from {low} to {high}");
            return Err(if set.is_some() {
                Diagnostic::nowhere(message)
            } else {
                Diagnostic::at(span, message).label("out of range")
            });
        }
        let parameter = Parameter {
            name: plain.clone(),
            about: table.about.clone(),
            unit: table.unit.clone(),
            value: items[0],
            values: matches!(given, Given::List(_)).then(|| items.to_vec()),
            range,
        };
        match &given {
            Given::One(value) => self.names.add(plain, *value),
            Given::List(items) => self.names.add_list(plain, items),
        }
        Ok(parameter)
    }

    /// What is set from outside: a number, or a list such as `[1, 2, 3]`.
    fn set(&self, name: &str, of_file: &Written<'_>, text: &str, world: &WorldTable) -> Result<Given, Diagnostic> {
        let inside = text.trim().strip_prefix('[').and_then(|rest| rest.strip_suffix(']'));
        match (of_file, inside) {
            (Written::One(_), None) => self.evaluate_with_g(text, world).map(Given::One),
            (Written::List(_), Some(inside)) => {
                let items: Vec<&str> = items_of(inside);
                check_length(name, items.iter().filter(|item| !item.trim().is_empty()).count())?;
                items.iter().map(|item| self.evaluate_with_g(item, world)).collect::<Result<_, _>>().map(Given::List)
            }
            (Written::One(_), Some(_)) => Err(Diagnostic::nowhere("it is one number and no list")),
            (Written::List(_), None) => Err(Diagnostic::nowhere("it is a list")
                .help(format!("write --set {name}=[1,2,3]; several lists are tried by --set {name}=[1,2],[3,4]"))),
        }
    }

    fn with_g(&self, number: &Number, in_degrees: bool, world: &WorldTable) -> Result<f64, Diagnostic> {
        match number.text() {
            NumberText::Expression(text) => {
                if in_degrees && self.evaluator.converts_degrees(text) {
                    self.evaluator.remark_radians(text, &number.span());
                }
                let names = self
                    .names_with_g(text, world)
                    .map_err(|diagnostic| Diagnostic { span: Some(number.span()), ..diagnostic })?;
                self.evaluator.evaluate_at(text, number.span(), &names)
            }
            NumberText::Literal(_) => self.evaluator.value(number, &self.names),
        }
    }

    fn evaluate_with_g(&self, text: &str, world: &WorldTable) -> Result<f64, Diagnostic> {
        self.evaluator.evaluate(text, &self.names_with_g(text, world)?)
    }

    /// The names so far, with the strength of gravity if an expression asks for it and the names so far give it.
    fn names_with_g(&self, text: &str, world: &WorldTable) -> Result<Names, Diagnostic> {
        if !self.evaluator.names_in(text.trim()).iter().any(|name| name == "g") {
            return Ok(self.names.clone());
        }
        let gravity = self.placed_vector(&world.gravity, &self.names).map_err(|diagnostic| {
            Diagnostic::nowhere(format!("`g` is not known yet: {}", diagnostic.message))
                .label("gravity uses parameters that stand further down")
        })?;
        Ok(self.names.with("g", gravity.length()))
    }
}

/// Whether a parameter is said to be a number of degrees.
fn is_in_degrees(table: &ParameterFields) -> bool {
    table.unit.as_deref().is_some_and(|unit| ["deg", "degrees", "\u{b0}"].contains(&unit))
}

/// A parameter as the file has it.
enum Written<'a> {
    One(&'a Number),
    List(&'a Placed<Vec<Number>>),
}

/// The items of a list as it is typed: commas inside brackets part nothing.
fn items_of(text: &str) -> Vec<&str> {
    let (mut depth, mut from, mut items) = (0_i32, 0, Vec::new());
    for (at, letter) in text.char_indices() {
        match letter {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            ',' if depth == 0 => {
                items.push(&text[from..at]);
                from = at + 1;
            }
            _ => {}
        }
    }
    items.push(&text[from..]);
    items
}

fn check_length(name: &str, length: usize) -> Result<(), Diagnostic> {
    match length {
        0 => Err(Diagnostic::nowhere(format!("the list `{name}` has no item")).label("empty")),
        length if length > LIST_LIMIT => {
            Err(Diagnostic::nowhere(format!("the list `{name}` has {length} items, of {LIST_LIMIT} at most"))
                .label("too long"))
        }
        _ => Ok(()),
    }
}

pub(super) fn is_identifier(name: &str) -> bool {
    let mut letters = name.chars();
    letters.next().is_some_and(|c| c.is_ascii_alphabetic() || c == '_')
        && letters.all(|c| c.is_ascii_alphanumeric() || c == '_')
}
