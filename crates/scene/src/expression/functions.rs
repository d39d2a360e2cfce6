//! The functions of expressions, all from one portable library.

/// A function of numbers.
#[derive(Clone, Copy, Debug)]
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

/// What is made of many values: those of an expression for each of the bodies that are measured, or those of a list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Gathering {
    Sum,
    Mean,
    Smallest,
    Largest,
    /// How many there are, or for how many a condition holds.
    Count,
}

/// The names under which [`Gathering`]s are asked for, and that are no functions of numbers besides.
const GATHERINGS: [&str; 3] = ["sum", "mean", "count"];

impl Gathering {
    /// The gathering of a name with so many arguments: `min` and `max` of one are those over bodies or a list.
    pub(super) fn of(name: &str, arguments: usize) -> Option<Gathering> {
        match (name, arguments) {
            ("sum", 1) => Some(Gathering::Sum),
            ("mean", 1) => Some(Gathering::Mean),
            ("min", 1) => Some(Gathering::Smallest),
            ("max", 1) => Some(Gathering::Largest),
            ("count", 0 | 1) => Some(Gathering::Count),
            _ => None,
        }
    }

    /// What it makes of some values; not a number where there are none to make it of.
    pub(super) fn gather(self, values: impl Iterator<Item = f64>) -> f64 {
        let mut count = 0.0;
        let (mut sum, mut least, mut most) = (0.0, f64::INFINITY, f64::NEG_INFINITY);
        for value in values {
            if value.is_nan() {
                return f64::NAN;
            }
            count += 1.0;
            sum += value;
            least = least.min(value);
            most = most.max(value);
        }
        match self {
            Gathering::Sum | Gathering::Count => sum,
            _ if count == 0.0 => f64::NAN,
            Gathering::Mean => sum / count,
            Gathering::Smallest => least,
            Gathering::Largest => most,
        }
    }
}

/// A function by its name.
pub(super) fn function(name: &str) -> Option<Function> {
    FUNCTIONS.iter().find(|known| known.0 == name).map(|known| known.1)
}

/// The names of all functions.
pub(super) fn function_names() -> impl Iterator<Item = &'static str> + Clone {
    FUNCTIONS.iter().map(|known| known.0).chain(GATHERINGS)
}
