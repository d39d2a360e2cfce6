//! The functions of expressions, all from one portable library.

/// A function of numbers.
#[derive(Clone, Copy)]
pub(super) enum Function {
    One(fn(f64) -> f64),
    Two(fn(f64, f64) -> f64),
    Three(fn(f64, f64, f64) -> f64),
    /// A number from 0 to below 1 that its argument and the seed decide.
    Random,
}

impl Function {
    /// How many arguments it takes.
    pub(super) fn arguments(self) -> usize {
        match self {
            Function::One(_) | Function::Random => 1,
            Function::Two(_) => 2,
            Function::Three(_) => 3,
        }
    }
}

/// All functions, by the names of the language.
const FUNCTIONS: [(&str, Function); 29] = [
    ("sin", Function::One(libm::sin)),
    ("cos", Function::One(libm::cos)),
    ("tan", Function::One(libm::tan)),
    ("asin", Function::One(libm::asin)),
    ("acos", Function::One(libm::acos)),
    ("atan", Function::One(libm::atan)),
    ("sinh", Function::One(libm::sinh)),
    ("cosh", Function::One(libm::cosh)),
    ("tanh", Function::One(libm::tanh)),
    ("exp", Function::One(libm::exp)),
    ("ln", Function::One(libm::log)),
    ("log10", Function::One(libm::log10)),
    ("log2", Function::One(libm::log2)),
    ("sqrt", Function::One(libm::sqrt)),
    ("cbrt", Function::One(libm::cbrt)),
    ("abs", Function::One(libm::fabs)),
    ("floor", Function::One(libm::floor)),
    ("ceil", Function::One(libm::ceil)),
    ("round", Function::One(libm::round)),
    ("trunc", Function::One(libm::trunc)),
    ("fract", Function::One(|x| x - libm::floor(x))),
    ("sign", Function::One(sign)),
    ("atan2", Function::Two(libm::atan2)),
    ("min", Function::Two(f64::min)),
    ("max", Function::Two(f64::max)),
    ("hypot", Function::Two(libm::hypot)),
    ("pow", Function::Two(libm::pow)),
    ("clamp", Function::Three(|x, low, high| x.max(low).min(high))),
    ("random", Function::Random),
];

fn sign(x: f64) -> f64 {
    if x > 0.0 {
        1.0
    } else if x < 0.0 {
        -1.0
    } else {
        0.0
    }
}

/// A function by its name.
pub(super) fn function(name: &str) -> Option<Function> {
    FUNCTIONS.iter().find(|known| known.0 == name).map(|known| known.1)
}

/// The names of all functions.
pub(super) fn function_names() -> impl Iterator<Item = &'static str> + Clone {
    FUNCTIONS.iter().map(|known| known.0)
}
