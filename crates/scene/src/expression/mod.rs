//! Evaluation of expressions, within limits, with the same bits on every machine.
//!
//! Every number is an f64, trigonometry comes from `libm`, and a division by zero is a mistake, not an infinity.
//!
//! | file | duty |
//! |---|---|
//! | `parse/` | from the text to a tree, with the place of what is wrong |
//! | `tree.rs` | the tree and its value |
//! | `functions.rs` | the functions by name |
//! | `units.rs` | units behind numbers |
//! | `reference.rs` | what is said of bodies by their names |
//! | `own.rs` | what expressions over states may speak of |
//! | `compiling.rs`, `compiled.rs` | such an expression, looked up once and worked out for many moments |
//! | `remarks.rs` | what is probably meant otherwise |

mod compiled;
mod compiling;
mod functions;
mod own;
mod parse;
mod reference;
mod remarks;
#[cfg(test)]
mod tests;
mod tree;
mod units;

pub(crate) use compiled::Compiled;
pub(crate) use own::{Cast, Own, Partner};
pub(crate) use units::is_unit;

use crate::budget::{Budget, Cost};
use crate::diagnostic::Diagnostic;
use crate::names::Names;
use crate::number::{Number, NumberText};
use functions::function_names;
use parse::{ParseError, Parsed};
use remarks::Remark;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::rc::Rc;
pub(crate) use tree::Member;
use tree::{Failure, Scope};

/// Longest expression, bytes.
const LENGTH_LIMIT: usize = 4_096;

/// Most bytes of expressions that are kept parsed.
const PARSED_LIMIT: usize = 4_000_000;

/// An expression that was read.
struct Expression {
    parsed: Parsed,
    /// How many operations it has at most, those of gathering over lists left out.
    operations: usize,
    /// How often it gathers over something.
    gatherings: usize,
    /// Its value, once it is known and cannot change.
    value: Cell<Option<f64>>,
}

/// Works out numbers; keeps what it has parsed.
pub(crate) struct Evaluator {
    parsed: RefCell<BTreeMap<String, Rc<Expression>>>,
    parsed_bytes: Cell<usize>,
    used: RefCell<BTreeSet<String>>,
    /// Parameters that are numbers of degrees.
    in_degrees: RefCell<BTreeSet<String>>,
    /// What is probably meant otherwise, by its place.
    remarks: RefCell<BTreeMap<usize, Remark>>,
    /// Whether there may be anything to remark.
    remarkable: Cell<bool>,
    seed: u64,
    /// What its operations are taken from, where they are counted.
    budget: Option<Rc<Budget>>,
}

impl Evaluator {
    /// `seed` decides what `random(k)` gives.
    pub(crate) fn new(seed: u64) -> Self {
        Evaluator {
            parsed: RefCell::default(),
            parsed_bytes: Cell::new(0),
            used: RefCell::default(),
            in_degrees: RefCell::default(),
            remarks: RefCell::default(),
            remarkable: Cell::new(false),
            seed,
            budget: None,
        }
    }

    /// The same, for a scene that may cost so much.
    pub(crate) fn within(self, budget: &Rc<Budget>) -> Self {
        Evaluator { budget: Some(Rc::clone(budget)), ..self }
    }

    /// Whether any expression so far has used a name.
    pub(crate) fn has_used(&self, name: &str) -> bool {
        self.used.borrow().contains(name)
    }

    /// The names that an expression uses; none of one that does not parse.
    pub(crate) fn names_in(&self, text: &str) -> Vec<String> {
        self.parse(text).map_or_else(|_| Vec::new(), |expression| expression.parsed.names.clone())
    }

    /// The value of a number of the file.
    ///
    /// # Errors
    /// When the expression does not parse, uses an unknown name, divides by zero, exceeds a limit, or its value is
    /// not finite.
    pub(crate) fn value(&self, number: &Number, names: &Names) -> Result<f64, Diagnostic> {
        match number.text() {
            NumberText::Literal(value) if value.is_finite() => Ok(*value),
            NumberText::Literal(value) => {
                Err(Diagnostic::at(number.span(), format!("`{value}` is not a finite number"))
                    .label("not finite")
                    .help("write an ordinary number"))
            }
            NumberText::Expression(text) => self.evaluate_at(text, number.span(), names),
        }
    }

    /// The value of an expression that stands at a place of the file.
    pub(crate) fn evaluate_at(&self, text: &str, span: Range<usize>, names: &Names) -> Result<f64, Diagnostic> {
        match self.evaluate(text, names) {
            Ok(value) => {
                self.remark(text, &span);
                Ok(value)
            }
            Err(diagnostic) => Err(Diagnostic { span: Some(span), ..diagnostic }),
        }
    }

    /// The value of an expression given as text; the fault has no place.
    pub(crate) fn evaluate(&self, text: &str, names: &Names) -> Result<f64, Diagnostic> {
        let text = text.trim();
        let starts_a_number = text.starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '.');
        if starts_a_number
            && let Ok(value) = text.parse::<f64>()
            && value.is_finite()
        {
            return Ok(value);
        }
        let expression = self.parse(text)?;
        check_units(text, &expression.parsed, names)?;
        if let Some(value) = expression.value.get() {
            return Ok(value);
        }
        let Parsed { tree, names: used, references, .. } = &expression.parsed;
        if let Some(reference) = references.first() {
            return Err(Diagnostic::nowhere(format!("`{}` speaks of the state of a body", short(text)))
                .label(at_character("not known here", reference.at))
                .help("states are known in measures, paths, conditions and forces"));
        }
        let found: Vec<Option<(f64, bool)>> = used.iter().map(|name| names.get(name)).collect();
        let values: Vec<Option<f64>> = found.iter().map(|found| found.map(|(value, _)| value)).collect();
        let lists: Vec<_> = used.iter().map(|name| names.list(name).cloned()).collect();
        if let Some(budget) = &self.budget {
            let longest = lists.iter().flatten().map(|list| list.len()).max().unwrap_or(0);
            let operations = expression.operations + expression.gatherings * longest;
            let spent = budget.spend(Cost::Operations, operations, || 0..0);
            spent.map_err(|diagnostic| Diagnostic { span: None, ..diagnostic })?;
        }
        let scope = Scope { names: &values, lists: &lists, references: &[], members: None, seed: self.seed };
        let value = tree.value(&scope).map_err(|failure| explain(text, failure, used, names))?;
        if !value.is_finite() {
            return Err(Diagnostic::nowhere(format!("`{}` gives {value}, which is not a finite number", short(text)))
                .label("not finite"));
        }
        let is_fixed = |(found, list): (&Option<(f64, bool)>, &Option<_>)| {
            list.is_some() || found.is_some_and(|(_, is_fixed)| is_fixed)
        };
        if found.iter().zip(&lists).all(is_fixed) {
            expression.value.set(Some(value));
        }
        Ok(value)
    }

    fn parse(&self, text: &str) -> Result<Rc<Expression>, Diagnostic> {
        if let Some(known) = self.parsed.borrow().get(text) {
            return Ok(Rc::clone(known));
        }
        if text.len() > LENGTH_LIMIT {
            return Err(Diagnostic::nowhere(format!("an expression may have {LENGTH_LIMIT} characters at most"))
                .label(format!("{} characters", text.len())));
        }
        let parsed = parse::parse(text).map_err(|error| explain_form(text, error))?;
        if parsed.signed_power.is_some() || parsed.tree.is_sum_that_ends_in_degrees() {
            self.remarkable.set(true);
        }
        self.used.borrow_mut().extend(parsed.names.iter().cloned());
        let expression = Rc::new(Expression {
            operations: parsed.tree.size(),
            gatherings: parsed.tree.gatherings(),
            parsed,
            value: Cell::new(None),
        });
        let bytes = self.parsed_bytes.get() + text.len();
        if bytes <= PARSED_LIMIT {
            self.parsed_bytes.set(bytes);
            self.parsed.borrow_mut().insert(text.to_owned(), Rc::clone(&expression));
        }
        Ok(expression)
    }
}

/// A diagnostic for a text that is no expression.
fn explain_form(text: &str, error: ParseError) -> Diagnostic {
    match error {
        ParseError::Form { what, at } => Diagnostic::nowhere(format!("`{}` is no expression: {what}", short(text)))
            .label(at_character("cannot be read", at))
            .help("write a number or an expression such as \"2 * side\"; a power is 2 ^ 3"),
        ParseError::UnknownFunction { name, at } => {
            Diagnostic::nowhere(format!("`{}` calls the unknown function `{name}`", short(text)))
                .label(at_character(&format!("unknown function `{name}`"), at))
                .help_names(&name, function_names())
        }
        ParseError::WrongArguments { name, at } => {
            Diagnostic::nowhere(format!("`{}` calls `{name}` with the wrong number of arguments", short(text)))
                .label(at_character("wrong arguments", at))
        }
        ParseError::WrongKind { operator, wanted, at } => {
            let other = if wanted.contains("number") { "a truth value" } else { "a number" };
            Diagnostic::nowhere(format!("`{}`: `{operator}` takes {wanted}, and finds {other}", short(text)))
                .label(at_character(&format!("expected {wanted}"), at))
                .help("a comparison such as a < b is a truth value; make a number of it by if a < b { 1 } else { 0 }")
        }
    }
}

/// Units behind numbers must be no names of the scene: `2 m` would be two metres, and may be meant for `2 * m`.
fn check_units(text: &str, parsed: &Parsed, names: &Names) -> Result<(), Diagnostic> {
    let both = parsed.units.iter().find(|unit| names.has(unit) || names.list(unit).is_some());
    both.map_or(Ok(()), |unit| {
        Err(Diagnostic::nowhere(format!("`{}`: `{unit}` is a unit there, and a name of this scene", short(text)))
            .label("which of both?")
            .help(format!("write 2 * {unit} for the product, or give what is called so another name")))
    })
}

/// A diagnostic for an expression that has no value.
fn explain(text: &str, failure: Failure, used: &[String], names: &Names) -> Diagnostic {
    match failure {
        Failure::UnknownName { index, at } => {
            let name = &used[index];
            let diagnostic = Diagnostic::nowhere(format!("`{}` uses the unknown name `{name}`", short(text)))
                .label(at_character(&format!("unknown name `{name}`"), at));
            if is_unit(name) {
                return diagnostic.help(unit_help(name));
            }
            diagnostic.help_names(name, names.names())
        }
        Failure::ByZero { remainder, at } => {
            let what = if remainder { "remainder by zero" } else { "division by zero" };
            Diagnostic::nowhere(format!("`{}`: {what}", short(text))).label(at_character(what, at))
        }
        Failure::NotAList { index, at } => {
            Diagnostic::nowhere(format!("`{}`: `{}` is a number and no list", short(text), used[index]))
                .label(at_character("not a list", at))
                .help("a list is given by `values = [...]`")
        }
        Failure::IsAList { index, at } => {
            let name = &used[index];
            Diagnostic::nowhere(format!("`{}`: `{name}` is a list, and a number is expected", short(text)))
                .label(at_character("a list", at))
                .help(format!("write {name}[0] for its first item, or sum({name}), count({name}), ..."))
        }
        Failure::NoItem { index, asked, length, at } => {
            let name = &used[index];
            Diagnostic::nowhere(format!("`{}`: `{name}` has no item {asked}", short(text)))
                .label(at_character(&format!("{length} items, from 0"), at))
        }
        Failure::NoBodies { at } => {
            Diagnostic::nowhere(format!("`{}` gathers over bodies, and none are measured here", short(text)))
                .label(at_character("over what?", at))
                .help("give it the name of a list; sums over bodies are made in measures")
        }
    }
}

/// What helps where a unit stands for a name.
fn unit_help(unit: &str) -> String {
    format!("a unit stands behind a number, as in 5 {unit}; units are not divided by each other")
}

/// An expression as messages show it: its beginning, when it is long.
fn short(text: &str) -> String {
    const MOST: usize = 60;
    if text.chars().count() <= MOST {
        text.to_owned()
    } else {
        format!("{}...", text.chars().take(MOST).collect::<String>())
    }
}

fn at_character(what: &str, at: usize) -> String {
    format!("{what}, at character {at} of the expression")
}
