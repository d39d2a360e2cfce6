//! Evaluation of expressions, within limits, with the same bits on every machine.
//!
//! Every number is an f64, trigonometry comes from `libm`, and a division by zero is a mistake, not an infinity.
//!
//! | file | duty |
//! |---|---|
//! | `parse.rs` | from the text to a tree, with the place of what is wrong |
//! | `tree.rs` | the tree and its value |
//! | `functions.rs` | the functions by name |

mod functions;
mod parse;
mod tree;

use crate::budget::{Budget, Cost};
use crate::diagnostic::Diagnostic;
use crate::names::Names;
use crate::number::{Number, NumberText};
use crate::state::{state_names, state_values};
use functions::function_names;
use ironspin_model::{Dimension, Measure};
use parse::ParseError;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::sync::Arc;
use tree::{Failure, Tree};

/// Longest expression, bytes.
const LENGTH_LIMIT: usize = 4_096;

/// Most bytes of expressions that are kept parsed.
const PARSED_LIMIT: usize = 4_000_000;

/// An expression that was read.
struct Expression {
    tree: Arc<Tree>,
    /// How many operations it has at most.
    operations: usize,
    /// The names it uses.
    names: Vec<String>,
    /// Its value, once it is known and cannot change.
    value: Cell<Option<f64>>,
}

/// Works out numbers; keeps what it has parsed.
pub(crate) struct Evaluator {
    parsed: RefCell<BTreeMap<String, Rc<Expression>>>,
    parsed_bytes: Cell<usize>,
    used: RefCell<BTreeSet<String>>,
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
            NumberText::Expression(text) => {
                self.evaluate(text, names).map_err(|diagnostic| Diagnostic { span: Some(number.span()), ..diagnostic })
            }
        }
    }

    /// The value of an expression given as text, `30 deg` included; the fault has no place.
    pub(crate) fn evaluate(&self, text: &str, names: &Names) -> Result<f64, Diagnostic> {
        let trimmed = text.trim();
        if let Some(degrees) = trimmed.strip_suffix("deg") {
            return Ok(self.plain(degrees, names)?.to_radians());
        }
        self.plain(trimmed, names)
    }

    fn plain(&self, text: &str, names: &Names) -> Result<f64, Diagnostic> {
        let starts_a_number = text.trim_start().starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '.');
        if starts_a_number
            && let Ok(value) = text.trim().parse::<f64>()
            && value.is_finite()
        {
            return Ok(value);
        }
        let expression = self.parse(text)?;
        if let Some(value) = expression.value.get() {
            return Ok(value);
        }
        let found: Vec<Option<(f64, bool)>> = expression.names.iter().map(|name| names.get(name)).collect();
        let values: Vec<Option<f64>> = found.iter().map(|found| found.map(|(value, _)| value)).collect();
        if let Some(budget) = &self.budget {
            let spent = budget.spend(Cost::Operations, expression.operations, || 0..0);
            spent.map_err(|diagnostic| Diagnostic { span: None, ..diagnostic })?;
        }
        let value =
            expression.tree.value(&values, self.seed).map_err(|failure| explain(text, failure, &expression, names))?;
        if !value.is_finite() {
            return Err(Diagnostic::nowhere(format!("`{}` gives {value}, which is not a finite number", short(text)))
                .label("not finite"));
        }
        if found.iter().all(|found| found.is_some_and(|(_, is_fixed)| is_fixed)) {
            expression.value.set(Some(value));
        }
        Ok(value)
    }

    /// An expression over the state of a body and the time, to be worked out for many states; `own` are the names of the state that it may
    /// use. The fault has no place.
    ///
    /// # Errors
    /// When it does not parse, or uses an unknown name or one that is a parameter too.
    pub(crate) fn measure(
        &self,
        dimension: Dimension,
        text: &str,
        names: &Names,
        own: &[&str],
    ) -> Result<Measure, Diagnostic> {
        let mut all = names.clone();
        for name in own {
            all = all.with(name, 1.0);
        }
        let parsed = self.parse(text)?;
        if let Some(unknown) = parsed.names.iter().find(|name| !all.has(name)) {
            return Err(Diagnostic::nowhere(format!("`{}` uses the unknown name `{unknown}`", short(text)))
                .label(format!("unknown name `{unknown}`"))
                .help_names(unknown, all.names()));
        }
        if let Some(both) = parsed.names.iter().find(|name| names.has(name) && own.contains(&name.as_str())) {
            return Err(Diagnostic::nowhere(format!("`{both}` is a parameter, and here the body's own"))
                .label("rename the parameter"));
        }
        // Where each name comes from: the state, or a value that is known already.
        let sources: Vec<Result<usize, f64>> = parsed
            .names
            .iter()
            .map(|name| match state_names(dimension).iter().position(|state| state == name) {
                Some(place) if own.contains(&name.as_str()) => Ok(place),
                _ => Err(names.get(name).map_or(f64::NAN, |(value, _)| value)),
            })
            .collect();
        let resolved = with_values(text, &parsed.names, &sources);
        let (seed, tree) = (self.seed, Arc::clone(&parsed.tree));
        Ok(Measure::new(resolved, move |state, time| {
            let own = state_values(dimension, state, time);
            let values: Vec<Option<f64>> =
                sources.iter().map(|source| Some(source.map_or_else(|value| value, |place| own[place]))).collect();
            tree.value(&values, seed).ok().filter(|value| value.is_finite()).unwrap_or(f64::NAN)
        }))
    }

    fn parse(&self, text: &str) -> Result<Rc<Expression>, Diagnostic> {
        if let Some(known) = self.parsed.borrow().get(text) {
            return Ok(Rc::clone(known));
        }
        if text.len() > LENGTH_LIMIT {
            return Err(Diagnostic::nowhere(format!("an expression may have {LENGTH_LIMIT} characters at most"))
                .label(format!("{} characters", text.len())));
        }
        let parse::Parsed { tree, names } = parse::parse(text).map_err(|error| explain_form(text, error))?;
        self.used.borrow_mut().extend(names.iter().cloned());
        let expression =
            Rc::new(Expression { operations: tree.size(), tree: Arc::new(tree), names, value: Cell::new(None) });
        let bytes = self.parsed_bytes.get() + text.len();
        if bytes <= PARSED_LIMIT {
            self.parsed_bytes.set(bytes);
            self.parsed.borrow_mut().insert(text.to_owned(), Rc::clone(&expression));
        }
        Ok(expression)
    }
}

/// The text of an expression with the values of all names that are known.
fn with_values(text: &str, names: &[String], sources: &[Result<usize, f64>]) -> String {
    let word = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let length = if word(first) || first == '.' {
            rest.find(|c: char| !(word(c) || c == '.')).unwrap_or(rest.len())
        } else {
            first.len_utf8()
        };
        let (token, after) = rest.split_at(length);
        let called = after.trim_start().starts_with('(');
        match names.iter().position(|name| name == token).filter(|_| !called).map(|number| sources[number]) {
            Some(Err(value)) => out.push_str(&format!("({value:?})")),
            _ => out.push_str(token),
        }
        rest = after;
    }
    out
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
            Diagnostic::nowhere(format!("`{}` calls `{name}` with the wrong number or kind of arguments", short(text)))
                .label(at_character("wrong arguments", at))
        }
    }
}

/// A diagnostic for an expression that has no value.
fn explain(text: &str, failure: Failure, expression: &Expression, names: &Names) -> Diagnostic {
    match failure {
        Failure::UnknownName { index, at } => {
            let name = &expression.names[index];
            Diagnostic::nowhere(format!("`{}` uses the unknown name `{name}`", short(text)))
                .label(at_character(&format!("unknown name `{name}`"), at))
                .help_names(name, names.names())
        }
        Failure::ByZero { remainder, at } => {
            let what = if remainder { "remainder by zero" } else { "division by zero" };
            Diagnostic::nowhere(format!("`{}`: {what}", short(text))).label(at_character(what, at))
        }
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    fn eval(text: &str) -> Result<f64, String> {
        let names = Names::constants().with("side", 0.5).with("i", 3.0);
        Evaluator::new(1)
            .evaluate(text, &names)
            .map_err(|f| format!("{} | {} | {}", f.message, f.label, f.help.unwrap_or_default()))
    }

    #[test]
    fn arithmetic_is_in_floats_with_usual_precedence() {
        for (text, expected) in [
            ("1 / 2", 0.5),
            ("2 ^ 10", 1024.0),
            ("-2 ^ 2", 4.0),
            ("side * (i + 0.5)", 1.75),
            ("7 % 4", 3.0),
            ("2 + 3 * 4", 14.0),
            ("sqrt(16)", 4.0),
            ("max(1, 2)", 2.0),
            ("30 deg", 30_f64.to_radians()),
            ("i > 2", 1.0),
            ("if i > 2 { 5 } else { 6 }", 5.0),
            ("1e-3", 0.001),
            ("clamp(7, 0, 5) + sign(-3) + fract(1.25)", 4.25),
            ("1e2 * side", 50.0),
        ] {
            assert_eq!(eval(text), Ok(expected), "{text}");
        }
    }

    #[test]
    fn a_value_is_kept_only_as_long_as_no_name_in_it_changes() {
        let evaluator = Evaluator::new(1);
        let mut names = Names::constants();
        names.add("side", 0.5);
        let mut names = names.with("i", 0.0);
        for i in 0..3 {
            names.set("i", f64::from(i));
            assert_eq!(evaluator.evaluate("side * i", &names).unwrap(), 0.5 * f64::from(i));
            assert_eq!(evaluator.evaluate("side + side", &names).unwrap(), 1.0);
        }
        assert!(evaluator.has_used("side") && evaluator.has_used("i") && !evaluator.has_used("pi"));
        assert_eq!(parse::parse("sin (a) + 1e5*b - c").map(|parsed| parsed.names).unwrap(), ["a", "b", "c"]);
    }

    #[test]
    fn random_numbers_are_decided_by_seed_and_number_for_ever() {
        let of = |seed, k: f64| Evaluator::new(seed).evaluate("random(k)", &Names::constants().with("k", k)).unwrap();
        assert_eq!(of(1, 0.0), of(1, 0.0));
        assert!(of(1, 0.0) != of(1, 1.0) && of(1, 0.0) != of(2, 0.0));
        assert_eq!(of(1, 0.0), 0.883_310_808_213_642_6);
        let mean = (0..1000).map(|k| of(7, f64::from(k))).sum::<f64>() / 1000.0;
        assert!((mean - 0.5).abs() < 0.03, "{mean}");
    }

    #[test]
    fn operators_bind_as_documented() {
        for (text, expected) in [
            ("2 ^ 3 ^ 2", 512.0),
            ("2 ^ -1", 0.5),
            ("2 ** 3", 8.0),
            ("-side ^ 2", 0.25),
            ("6 - 3 - 2", 1.0),
            ("24 / 4 / 2 * 3", 9.0),
            ("7 - -2", 9.0),
            ("2 * 3 > 5 && !(1 > 2)", 1.0),
            ("1 > 2 || 3 != 3", 0.0),
            ("(1 > 2) == (2 > 3)", 1.0),
            ("if i < 2 { 1 } else if i < 4 { 2 } else { 3 }", 2.0),
            ("1 + if i < 2 { 1 } else { 10 } * 2", 21.0),
            ("true", 1.0),
            ("1_000 + 0x10 + 0b11", 1019.0),
            ("1.5e+2 + 2E-1", 150.2),
            ("1 / exp(1000)", 0.0),
            ("false && 1 / 0 > 1", 0.0),
            ("if i > 2 { 1 } else { missing }", 1.0),
        ] {
            assert_eq!(eval(text), Ok(expected), "{text}");
        }
    }

    proptest::proptest! {
        /// Trees give what the same arithmetic written in Rust gives, bit for bit.
        #[test]
        fn trees_are_worked_out_as_written(a in -5.0..5.0_f64, b in -5.0..5.0_f64) {
            let names = Names::constants().with("a", a).with("b", b);
            for (text, expected) in [
                ("a + b * 2 - 3 / (a * a + 1)", a + b * 2.0 - 3.0 / (a * a + 1.0)),
                ("-a ^ 2 + b ^ 3", libm::pow(-a, 2.0) + libm::pow(b, 3.0)),
                ("sin(a) * max(a, b) % 1.5", libm::fmod(libm::sin(a) * a.max(b), 1.5)),
                ("atan2(a, b) - hypot(a, -b)", libm::atan2(a, b) - libm::hypot(a, -b)),
                ("(a - b) / (b - a + 0.1)", (a - b) / (b - a + 0.1)),
                ("2 ^ -1 * a - -b", libm::pow(2.0, -1.0) * a - -b),
                ("floor(a) % 3 + exp(b)", libm::fmod(libm::floor(a), 3.0) + libm::exp(b)),
                ("if a < b { a } else { b }", a.min(b)),
            ] {
                let ours = Evaluator::new(3).evaluate(text, &names).unwrap();
                proptest::prop_assert_eq!(ours.to_bits(), expected.to_bits(), "{}", text);
            }
        }

        /// Whatever stands there, it is a number or a mistake, within the stack and without a panic.
        #[test]
        fn any_text_is_a_number_or_a_mistake(text in "[-+*/%^!(){}<>=&|a-e0-9._, ifls\"é]{0,60}") {
            let _ = eval(&text);
        }
    }

    #[test]
    fn mistakes_are_named() {
        for (text, part) in [
            ("1 / 0", "division by zero"),
            ("sdie * 2", "did you mean `side`?"),
            ("sin(", "no expression"),
            ("sinn(1)", "did you mean `sin`?"),
            ("sin(1, 2)", "wrong number"),
            ("", "no expression"),
            ("sqrt(-1)", "not a finite number"),
            ("\"a\"", "not a number"),
            ("2 deg + 1", "found `d`"),
            ("1 < 2 < 3", "kind of arguments"),
            ("(1 > 2) * 3", "kind of arguments"),
            ("if i { 1 } else { 2 }", "not a comparison"),
            ("if i > 1 { 1 }", "`else { ... }` is expected"),
            ("2 * + ", "it ends where"),
            ("12ab", "`12ab` is not a number"),
            ("max(1, )", "no expression"),
        ] {
            let message = eval(text).expect_err(text);
            assert!(message.contains(part), "{text}: {message}");
        }
    }

    #[test]
    fn no_expression_runs_for_ever_or_grows_without_end() {
        for text in ["loop {}", "while true {}", "let x = 1", "fn f() { f() } f()", "eval(\"1\")"] {
            assert!(eval(text).is_err(), "{text}");
        }
        assert!(eval(&"(".repeat(3000)).is_err());
        assert!(eval(&"1+".repeat(3000)).is_err());
        assert!(eval(&"-".repeat(3000)).is_err());
        assert!(eval(&format!("2{}", "^2".repeat(1000))).is_err());
        assert_eq!(eval(&format!("1{}", "+1".repeat(2000))), Ok(2001.0));
        assert_eq!(eval(&format!("{}1{}", "(".repeat(40), ")".repeat(40))), Ok(1.0));
    }
}
