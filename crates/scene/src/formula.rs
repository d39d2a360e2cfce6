//! Arithmetic that was read once and is worked out often: the plain part of an expression as a tree of our own.
//!
//! What is not plain arithmetic, or goes wrong, is left to the script engine, which says why.

use rhai::{Expr, FnCallExpr, Stmt};

/// A function of numbers.
#[derive(Clone, Copy)]
pub(crate) enum Function {
    One(fn(f64) -> f64),
    Two(fn(f64, f64) -> f64),
}

/// A tree of arithmetic.
pub(crate) enum Formula {
    Number(f64),
    /// Place of a name in the list of the expression's names.
    Name(usize),
    Negative(Box<Formula>),
    /// One of + - * / % and the comparisons, by their sign.
    Sign(Sign, Box<[Formula; 2]>),
    Call(Function, Vec<Formula>),
    /// A number decided by the seed and a number.
    Random(u64, Box<Formula>),
}

/// What stands between two numbers.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Sign {
    Plus,
    Minus,
    Times,
    Over,
    Remainder,
}

impl Formula {
    /// Reads an expression; `None` when it is more than plain arithmetic.
    pub(crate) fn read(
        statements: &[Stmt],
        names: &[String],
        seed: u64,
        function: &dyn Fn(&str, usize) -> Option<Function>,
    ) -> Option<Formula> {
        let reader = Reader { names, seed, function };
        match statements {
            [Stmt::Expr(expression)] => reader.expression(expression),
            [Stmt::FnCall(call, _)] => reader.call(call),
            _ => None,
        }
    }

    /// The value; `None` when it would not be finite, or something is divided by zero.
    pub(crate) fn value(&self, names: &[f64]) -> Option<f64> {
        let value = match self {
            Formula::Number(value) => *value,
            Formula::Name(place) => *names.get(*place)?,
            Formula::Negative(inner) => -inner.value(names)?,
            Formula::Sign(sign, sides) => {
                let (a, b) = (sides[0].value(names)?, sides[1].value(names)?);
                match sign {
                    Sign::Plus => a + b,
                    Sign::Minus => a - b,
                    Sign::Times => a * b,
                    Sign::Over | Sign::Remainder if b == 0.0 => return None,
                    Sign::Over => a / b,
                    Sign::Remainder => libm::fmod(a, b),
                }
            }
            Formula::Call(Function::One(function), arguments) => function(arguments[0].value(names)?),
            Formula::Call(Function::Two(function), arguments) => {
                function(arguments[0].value(names)?, arguments[1].value(names)?)
            }
            Formula::Random(seed, number) => crate::random::Dice::new(*seed, number.value(names)?.to_bits()).share(),
        };
        value.is_finite().then_some(value)
    }
}

struct Reader<'a> {
    names: &'a [String],
    seed: u64,
    function: &'a dyn Fn(&str, usize) -> Option<Function>,
}

impl Reader<'_> {
    fn expression(&self, expression: &Expr) -> Option<Formula> {
        match expression {
            Expr::FloatConstant(value, _) => Some(Formula::Number(**value)),
            Expr::Variable(variable, ..) => {
                self.names.iter().position(|name| variable.1.as_str() == name).map(Formula::Name)
            }
            Expr::FnCall(call, _) => self.call(call),
            _ => None,
        }
    }

    fn call(&self, call: &FnCallExpr) -> Option<Formula> {
        let arguments: Vec<Formula> =
            call.args.iter().map(|argument| self.expression(argument)).collect::<Option<_>>()?;
        let sign = match call.name.as_str() {
            "+" => Some(Sign::Plus),
            "-" => Some(Sign::Minus),
            "*" => Some(Sign::Times),
            "/" => Some(Sign::Over),
            "%" => Some(Sign::Remainder),
            _ => None,
        };
        let count = arguments.len();
        let mut arguments = arguments.into_iter();
        match (call.name.as_str(), sign, count) {
            (_, Some(sign), 2) => Some(Formula::Sign(sign, Box::new([arguments.next()?, arguments.next()?]))),
            (_, Some(Sign::Minus), 1) => Some(Formula::Negative(Box::new(arguments.next()?))),
            ("random", None, 1) => Some(Formula::Random(self.seed, Box::new(arguments.next()?))),
            (name, None, count) => {
                (self.function)(name, count).map(|function| Formula::Call(function, arguments.collect()))
            }
            _ => None,
        }
    }
}
