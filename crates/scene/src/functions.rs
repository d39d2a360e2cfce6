//! The functions and operators of expressions.

use crate::formula::Function;
use crate::random::Dice;
use rhai::{Engine, EvalAltResult};

type NamedFunction = (&'static str, fn(f64) -> f64);
type FunctionOfTwo = (&'static str, fn(f64, f64) -> f64);

/// The functions of one argument, by the names of the language.
const FUNCTIONS: [NamedFunction; 21] = [
    ("sin", libm::sin),
    ("cos", libm::cos),
    ("tan", libm::tan),
    ("asin", libm::asin),
    ("acos", libm::acos),
    ("atan", libm::atan),
    ("sinh", libm::sinh),
    ("cosh", libm::cosh),
    ("tanh", libm::tanh),
    ("exp", libm::exp),
    ("ln", libm::log),
    ("log10", libm::log10),
    ("abs", libm::fabs),
    ("floor", libm::floor),
    ("ceil", libm::ceil),
    ("round", libm::round),
    ("trunc", libm::trunc),
    ("fract", |x| x - libm::floor(x)),
    ("sign", |x| {
        if x > 0.0 {
            1.0
        } else if x < 0.0 {
            -1.0
        } else {
            0.0
        }
    }),
    ("log2", libm::log2),
    ("cbrt", libm::cbrt),
];

/// The functions of two arguments.
const FUNCTIONS_OF_TWO: [FunctionOfTwo; 5] =
    [("atan2", libm::atan2), ("min", f64::min), ("max", f64::max), ("hypot", libm::hypot), ("pow", libm::pow)];

/// A function by its name and number of arguments; the power is one.
pub(crate) fn function(name: &str, arguments: usize) -> Option<Function> {
    match arguments {
        1 if name == "sqrt" => Some(Function::One(libm::sqrt)),
        1 => FUNCTIONS.iter().find(|known| known.0 == name).map(|known| Function::One(known.1)),
        2 if name == "**" => Some(Function::Two(libm::pow)),
        2 => FUNCTIONS_OF_TWO.iter().find(|known| known.0 == name).map(|known| Function::Two(known.1)),
        _ => None,
    }
}

/// The names of all functions.
pub(crate) fn function_names() -> impl Iterator<Item = &'static str> + Clone {
    FUNCTIONS.iter().map(|f| f.0).chain(FUNCTIONS_OF_TWO.iter().map(|f| f.0)).chain(["sqrt", "clamp", "random"])
}

/// Gives a script engine our arithmetic; `seed` decides what `random(k)` gives.
pub(crate) fn register(engine: &mut Engine, seed: u64) {
    engine.register_fn("random", move |k: f64| Dice::new(seed, k.to_bits()).share());
    type Fallible = Result<f64, Box<EvalAltResult>>;
    let by_zero = |word: &str| -> Box<EvalAltResult> { format!("{word} by zero").into() };
    engine
        .register_fn("+", |a: f64, b: f64| a + b)
        .register_fn("-", |a: f64, b: f64| a - b)
        .register_fn("*", |a: f64, b: f64| a * b)
        .register_fn("/", move |a: f64, b: f64| -> Fallible {
            if b == 0.0 { Err(by_zero("division")) } else { Ok(a / b) }
        })
        .register_fn("%", move |a: f64, b: f64| -> Fallible {
            if b == 0.0 { Err(by_zero("remainder")) } else { Ok(libm::fmod(a, b)) }
        })
        .register_fn("**", libm::pow)
        .register_fn("-", |a: f64| -a)
        .register_fn("+", |a: f64| a)
        .register_fn("!", |a: bool| !a)
        .register_fn("==", |a: f64, b: f64| a == b)
        .register_fn("!=", |a: f64, b: f64| a != b)
        .register_fn("<", |a: f64, b: f64| a < b)
        .register_fn("<=", |a: f64, b: f64| a <= b)
        .register_fn(">", |a: f64, b: f64| a > b)
        .register_fn(">=", |a: f64, b: f64| a >= b)
        .register_fn("sqrt", libm::sqrt)
        .register_fn("clamp", |x: f64, low: f64, high: f64| x.max(low).min(high));
    for (name, function) in FUNCTIONS {
        engine.register_fn(name, function);
    }
    for (name, function) in FUNCTIONS_OF_TWO {
        engine.register_fn(name, function);
    }
}
