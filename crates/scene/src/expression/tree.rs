//! An expression that was read: a tree of operations, worked out with the same bits on every machine.

use super::functions::Function;
use crate::random::Generator;

/// What a tree gives.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    Number,
    /// The answer of a comparison: 1 or 0 where a number is wanted.
    Truth,
}

/// An operation on two numbers, or on two truths.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Operation {
    Add,
    Subtract,
    Multiply,
    Divide,
    Remainder,
    Power,
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
    And,
    Or,
}

/// A tree of operations. `at` is the place in the text, counted in characters from 1.
pub(super) enum Tree {
    Number(f64),
    /// Index in the list of the names of the expression.
    Name {
        index: usize,
        at: usize,
    },
    Negative(Box<Tree>),
    Not(Box<Tree>),
    Operation {
        operation: Operation,
        sides: Box<[Tree; 2]>,
        at: usize,
    },
    /// Condition, value where it holds, value where it does not.
    Choice(Box<[Tree; 3]>),
    Call(Function, Vec<Tree>),
}

/// Why a tree has no value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Failure {
    /// The name of this index has no value.
    UnknownName { index: usize, at: usize },
    /// Division or remainder by zero.
    ByZero { remainder: bool, at: usize },
}

impl Tree {
    /// How many operations it has at most.
    pub(super) fn size(&self) -> usize {
        1 + match self {
            Tree::Number(_) | Tree::Name { .. } => 0,
            Tree::Negative(inner) | Tree::Not(inner) => inner.size(),
            Tree::Operation { sides, .. } => sides.iter().map(Tree::size).sum(),
            Tree::Choice(parts) => parts.iter().map(Tree::size).sum(),
            Tree::Call(_, arguments) => arguments.iter().map(Tree::size).sum(),
        }
    }

    /// The value, which need not be finite, with the values of the names; truths are 1 and 0.
    ///
    /// # Errors
    /// For a name without a value where it is needed, and a division by zero.
    pub(super) fn value(&self, names: &[Option<f64>], seed: u64) -> Result<f64, Failure> {
        Ok(match self {
            Tree::Number(value) => *value,
            Tree::Name { index, at } => names[*index].ok_or(Failure::UnknownName { index: *index, at: *at })?,
            Tree::Negative(inner) => -inner.value(names, seed)?,
            Tree::Not(inner) => truth(inner.value(names, seed)? == 0.0),
            Tree::Operation { operation, sides, at } => {
                let a = sides[0].value(names, seed)?;
                match operation {
                    Operation::And if a == 0.0 => return Ok(a),
                    Operation::Or if a != 0.0 => return Ok(a),
                    _ => {}
                }
                let b = sides[1].value(names, seed)?;
                operate(*operation, a, b, *at)?
            }
            Tree::Choice(parts) => {
                let holds = parts[0].value(names, seed)? != 0.0;
                parts[if holds { 1 } else { 2 }].value(names, seed)?
            }
            Tree::Call(function, arguments) => {
                let argument = |index: usize| arguments[index].value(names, seed);
                match function {
                    Function::One(function) => function(argument(0)?),
                    Function::Two(function) => function(argument(0)?, argument(1)?),
                    Function::Three(function) => function(argument(0)?, argument(1)?, argument(2)?),
                    Function::Random => Generator::new(seed, argument(0)?.to_bits()).share(),
                }
            }
        })
    }
}

fn operate(operation: Operation, a: f64, b: f64, at: usize) -> Result<f64, Failure> {
    Ok(match operation {
        Operation::Add => a + b,
        Operation::Subtract => a - b,
        Operation::Multiply => a * b,
        Operation::Divide | Operation::Remainder if b == 0.0 => {
            return Err(Failure::ByZero { remainder: operation == Operation::Remainder, at });
        }
        Operation::Divide => a / b,
        Operation::Remainder => libm::fmod(a, b),
        Operation::Power => libm::pow(a, b),
        Operation::Equal => truth(a == b),
        Operation::NotEqual => truth(a != b),
        Operation::Less => truth(a < b),
        Operation::LessOrEqual => truth(a <= b),
        Operation::Greater => truth(a > b),
        Operation::GreaterOrEqual => truth(a >= b),
        Operation::And | Operation::Or => b,
    })
}

fn truth(holds: bool) -> f64 {
    f64::from(u8::from(holds))
}
