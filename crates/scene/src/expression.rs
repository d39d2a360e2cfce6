//! Evaluation of expressions, within limits, with the same bits on every machine.
//!
//! The syntax is that of rhai's expressions with every number taken as f64 and `^` as power. Arithmetic and functions
//! are our own so that trigonometry comes from `libm` and a division by zero is a mistake, not an infinity.

use crate::fault::Fault;
use crate::formula::Formula;
use crate::functions::{function, function_names, register};
use crate::names::Names;
use crate::number::{Number, NumberText};
use crate::rules::{STATE_NAMES, state_values};
use ironspin_model::Measure;
use rhai::{AST, Engine, EvalAltResult, Position, Scope};
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

/// Most operations one expression may take.
const OPERATION_LIMIT: u64 = 10_000;
/// Deepest nesting of an expression.
const DEPTH_LIMIT: usize = 48;
/// Longest expression, bytes.
const LENGTH_LIMIT: usize = 4_096;

/// Words of the script language that have no business in a number.
const BARRED: [&str; 10] = ["eval", "print", "debug", "type_of", "call", "curry", "Fn", "switch", "loop", "while"];

/// Most bytes of expressions that are kept parsed.
const PARSED_LIMIT: usize = 4_000_000;

/// An expression that was read.
struct Parsed {
    ast: AST,
    /// The same as plain arithmetic, where it is no more.
    formula: Option<Formula>,
    /// The names it uses.
    names: Vec<String>,
    /// Its value, once it is known and cannot change.
    value: Cell<Option<f64>>,
}

/// Works out numbers; keeps what it has parsed.
pub(crate) struct Evaluator {
    engine: Engine,
    parsed: RefCell<BTreeMap<String, Rc<Parsed>>>,
    parsed_bytes: Cell<usize>,
    used: RefCell<BTreeSet<String>>,
    seed: u64,
}

impl Evaluator {
    /// `seed` decides what `random(k)` gives.
    pub(crate) fn new(seed: u64) -> Self {
        let mut engine = Engine::new_raw();
        engine.set_fast_operators(false);
        engine.set_max_operations(OPERATION_LIMIT);
        engine.set_max_expr_depths(DEPTH_LIMIT, DEPTH_LIMIT);
        engine.set_max_string_size(64);
        engine.set_max_array_size(1);
        engine.set_strict_variables(false);
        for word in BARRED {
            engine.disable_symbol(word);
        }
        all_numbers_are_floats(&mut engine);
        register(&mut engine, seed);
        Evaluator { engine, parsed: RefCell::default(), parsed_bytes: Cell::new(0), used: RefCell::default(), seed }
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
    pub(crate) fn value(&self, number: &Number, names: &Names) -> Result<f64, Fault> {
        match number.text() {
            NumberText::Literal(value) if value.is_finite() => Ok(*value),
            NumberText::Literal(value) => Err(Fault::at(number.span(), format!("`{value}` is not a finite number"))
                .label("not finite")
                .help("write an ordinary number")),
            NumberText::Expression(text) => {
                self.evaluate(text, names).map_err(|fault| Fault { span: Some(number.span()), ..fault })
            }
        }
    }

    /// The value of an expression given as text, `30 deg` included; the fault has no place.
    pub(crate) fn evaluate(&self, text: &str, names: &Names) -> Result<f64, Fault> {
        let trimmed = text.trim();
        if let Some(degrees) = trimmed.strip_suffix("deg") {
            return Ok(self.plain(degrees, names)?.to_radians());
        }
        self.plain(trimmed, names)
    }

    fn plain(&self, text: &str, names: &Names) -> Result<f64, Fault> {
        let starts_a_number = text.trim_start().starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '.');
        if starts_a_number
            && let Ok(value) = text.trim().parse::<f64>()
            && value.is_finite()
        {
            return Ok(value);
        }
        let parsed = self.parse(text)?;
        if let Some(value) = parsed.value.get() {
            return Ok(value);
        }
        let places: SmallPlaces = parsed.names.iter().map(|name| names.position(name)).collect();
        let changes = places.iter().any(|place| place.is_none_or(|place| place >= names.fixed));
        if let Some(formula) = &parsed.formula
            && places.iter().all(Option::is_some)
        {
            let values: Vec<f64> = places.iter().flatten().map(|&place| names.values[place].1).collect();
            if let Some(value) = formula.value(&values) {
                if !changes {
                    parsed.value.set(Some(value));
                }
                return Ok(value);
            }
        }
        let mut scope = Scope::new();
        for (name, place) in parsed.names.iter().zip(&places) {
            if let Some(place) = place {
                scope.push_constant(name.as_str(), names.values[*place].1);
            }
        }
        let value = self.engine.eval_ast_with_scope::<rhai::Dynamic>(&mut scope, &parsed.ast);
        let value = value.map_err(|error| explain(text, &error, names))?;
        let number = value.as_float().or_else(|kind| {
            if kind == "bool" { Ok(f64::from(u8::from(value.as_bool().unwrap_or(false)))) } else { Err(kind) }
        });
        match number {
            Ok(value) if value.is_finite() => {
                if !changes {
                    parsed.value.set(Some(value));
                }
                Ok(value)
            }
            Ok(value) => Err(Fault::nowhere(format!("`{}` gives {value}, which is not a finite number", short(text)))
                .label("not finite")),
            Err(kind) => {
                Err(Fault::nowhere(format!("`{}` gives {kind}, not a number", short(text))).label("not a number"))
            }
        }
    }

    /// An expression over the state of a body and the time, to be worked out for many states; `own` are the names of the state that it may
    /// use. The fault has no place.
    ///
    /// # Errors
    /// When it does not parse, uses an unknown name, or is more than plain arithmetic.
    pub(crate) fn measure(&self, text: &str, names: &Names, own: &[&str]) -> Result<Measure, Fault> {
        let mut all = names.clone();
        for name in own {
            all = all.with(name, 1.0);
        }
        let parsed = self.parse(text)?;
        if let Some(unknown) = parsed.names.iter().find(|name| !all.has(name)) {
            return Err(Fault::nowhere(format!("`{}` uses the unknown name `{unknown}`", short(text)))
                .label(format!("unknown name `{unknown}`"))
                .help_names(unknown, all.names()));
        }
        if let Some(both) = parsed.names.iter().find(|name| names.has(name) && own.contains(&name.as_str())) {
            return Err(Fault::nowhere(format!("`{both}` is a parameter, and here the body's own"))
                .label("rename the parameter"));
        }
        let formula = Formula::read(parsed.ast.statements(), &parsed.names, self.seed, &function);
        let Some(formula) = formula else {
            // The script engine may know better what is wrong.
            self.evaluate(text, &all)?;
            return Err(Fault::nowhere(format!("`{}` is more than plain arithmetic", short(text)))
                .label("not plain arithmetic")
                .help("use numbers, names, + - * / ^ % and functions"));
        };
        // Where each name comes from: the state, or a value that is known already.
        let sources: Vec<Result<usize, f64>> = parsed
            .names
            .iter()
            .map(|name| match STATE_NAMES.iter().position(|state| state == name) {
                Some(place) if own.contains(&name.as_str()) => Ok(place),
                _ => Err(names.position(name).map_or(f64::NAN, |place| names.values[place].1)),
            })
            .collect();
        let resolved = with_values(text, &parsed.names, &sources);
        Ok(Measure::new(resolved, move |state, time| {
            let own = state_values(state, time);
            let values: Vec<f64> =
                sources.iter().map(|source| source.map_or_else(|value| value, |place| own[place])).collect();
            formula.value(&values).unwrap_or(f64::NAN)
        }))
    }

    fn parse(&self, text: &str) -> Result<Rc<Parsed>, Fault> {
        if let Some(parsed) = self.parsed.borrow().get(text) {
            return Ok(Rc::clone(parsed));
        }
        if text.len() > LENGTH_LIMIT {
            return Err(Fault::nowhere(format!("an expression may have {LENGTH_LIMIT} characters at most"))
                .label(format!("{} characters", text.len())));
        }
        let ast = self.engine.compile_expression(text).map_err(|error| {
            Fault::nowhere(format!(
                "`{}` is no expression: {}",
                short(text),
                lower_first(&error.err_type().to_string())
            ))
            .label(at_column("cannot be read", error.position()))
            .help("write a number or an expression such as \"2 * side\"; a power is 2 ^ 3")
        })?;
        let names = names_in(text);
        self.used.borrow_mut().extend(names.iter().cloned());
        let formula = Formula::read(ast.statements(), &names, self.seed, &function);
        let parsed = Rc::new(Parsed { ast, formula, names, value: Cell::new(None) });
        let bytes = self.parsed_bytes.get() + text.len();
        if bytes <= PARSED_LIMIT {
            self.parsed_bytes.set(bytes);
            self.parsed.borrow_mut().insert(text.to_owned(), Rc::clone(&parsed));
        }
        Ok(parsed)
    }
}

/// Places of the names of an expression.
type SmallPlaces = Vec<Option<usize>>;

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

/// The names that an expression uses, without those it calls.
fn names_in(text: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let bytes = text.as_bytes();
    let word = |b: u8| b.is_ascii_alphanumeric() || b == b'_';
    let mut at = 0;
    while at < bytes.len() {
        if !word(bytes[at]) {
            at += 1;
            continue;
        }
        let from = at;
        let digit = bytes[at].is_ascii_digit();
        while at < bytes.len() && (word(bytes[at]) || (digit && bytes[at] == b'.')) {
            at += 1;
        }
        let called = text[at..].trim_start().starts_with('(');
        let name = &text[from..at];
        if !digit && !called && !["if", "else", "true", "false"].contains(&name) && !names.iter().any(|n| n == name) {
            names.push(name.to_owned());
        }
    }
    names
}

#[allow(deprecated)] // not deprecated, only volatile; the version is pinned and tests below cover it
fn all_numbers_are_floats(engine: &mut Engine) {
    use rhai::Token;
    engine.on_parse_token(|token, _, _| match token {
        Token::IntegerConstant(value) => {
            Token::FloatConstant(Box::new(((value as f64).into(), value.to_string().into())))
        }
        Token::XOr => Token::PowerOf,
        other => other,
    });
}

/// A fault for what went wrong in evaluation, in the words of the scene language.
fn explain(text: &str, error: &EvalAltResult, names: &Names) -> Fault {
    match error {
        EvalAltResult::ErrorVariableNotFound(name, position) => {
            Fault::nowhere(format!("`{}` uses the unknown name `{name}`", short(text)))
                .label(at_column(&format!("unknown name `{name}`"), *position))
                .help_names(name, names.names())
        }
        EvalAltResult::ErrorFunctionNotFound(signature, position) => {
            let name = signature.split([' ', '(']).next().unwrap_or(signature);
            let known = function_names();
            if known.clone().any(|other| other == name) {
                Fault::nowhere(format!("`{}` calls `{name}` with the wrong number or kind of arguments", short(text)))
                    .label(at_column("wrong arguments", *position))
            } else {
                Fault::nowhere(format!("`{}` calls the unknown function `{name}`", short(text)))
                    .label(at_column(&format!("unknown function `{name}`"), *position))
                    .help_names(name, known)
            }
        }
        EvalAltResult::ErrorRuntime(what, position) => {
            Fault::nowhere(format!("`{}`: {what}", short(text))).label(at_column(&what.to_string(), *position))
        }
        EvalAltResult::ErrorTooManyOperations(_) => {
            Fault::nowhere(format!("`{}` takes more than {OPERATION_LIMIT} operations", short(text))).label("too long")
        }
        other => Fault::nowhere(format!("`{}`: {}", short(text), lower_first(&other.to_string()))),
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

fn at_column(what: &str, position: Position) -> String {
    position
        .position()
        .map_or_else(|| what.to_owned(), |column| format!("{what}, at character {column} of the expression"))
}

fn lower_first(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_lowercase().chain(letters).collect())
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
        assert_eq!(names_in("sin (a) + 1e5*b - c.d"), ["a", "b", "c", "d"]);
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

    proptest::proptest! {
        /// Our own arithmetic gives what the script engine gives, bit for bit.
        #[test]
        fn formulas_are_what_the_script_says(a in -5.0..5.0_f64, b in -5.0..5.0_f64, pick in 0..8_usize) {
            let text = [
                "a + b * 2 - 3 / (a * a + 1)", "-a ^ 2 + b ^ 3", "sin(a) * max(a, b) % 1.5", "random(a) + random(b * 2)",
                "atan2(a, b) - hypot(a, -b)", "(a - b) / (b - a + 0.1)", "2 ^ -1 * a - -b", "floor(a) % 3 + exp(b)",
            ][pick];
            let evaluator = Evaluator::new(3);
            let names = Names::constants().with("a", a).with("b", b);
            let mut parsed = Rc::try_unwrap(evaluator.parse(text).unwrap()).unwrap_or_else(|shared| Parsed {
                ast: shared.ast.clone(), formula: None, names: shared.names.clone(), value: Cell::new(None),
            });
            proptest::prop_assert!(evaluator.parse(text).unwrap().formula.is_some());
            let ours = evaluator.evaluate(text, &names).unwrap();
            parsed.formula = None;
            evaluator.parsed.borrow_mut().insert(text.to_owned(), Rc::new(parsed));
            proptest::prop_assert_eq!(ours.to_bits(), evaluator.evaluate(text, &names).unwrap().to_bits());
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
    }
}
