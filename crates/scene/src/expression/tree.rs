//! An expression that was read: a tree of operations, worked out with the same bits on every machine.

use super::functions::{Function, Gathering};
use super::units::Unit;
use crate::random::Generator;
use std::sync::Arc;

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
#[derive(Clone, Debug)]
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
    /// A number with its unit.
    Quantity {
        inner: Box<Tree>,
        unit: Unit,
    },
    /// An item of a list, whose name has this index in the list of the names of the expression.
    Item {
        list: usize,
        index: Box<Tree>,
        at: usize,
    },
    /// How many items a list has.
    Length {
        list: usize,
        at: usize,
    },
    /// A number of the state of a body, by its number among the references of the expression.
    Reference(usize),
    /// Something over all bodies that are measured; or over the items of a list, where its name stands alone.
    Gather {
        gathering: Gathering,
        inner: Box<Tree>,
        at: usize,
    },
}

/// What the names of an expression stand for while it is worked out.
pub(super) struct Scope<'a> {
    /// Values of the names.
    pub(super) names: &'a [Option<f64>],
    /// Those that are lists.
    pub(super) lists: &'a [Option<Arc<[f64]>>],
    /// Values of the references.
    pub(super) references: &'a [f64],
    /// The bodies that are measured; none outside measures.
    pub(super) members: Option<&'a dyn Members>,
    pub(super) seed: u64,
}

/// Values of the names and references of an expression for one of the bodies that are measured.
#[derive(Clone, Debug, Default)]
pub(crate) struct Member {
    pub(super) names: Vec<Option<f64>>,
    pub(super) references: Vec<f64>,
}

/// The bodies that something is gathered over, one after the other.
pub(super) trait Members {
    /// How many there are.
    fn count(&self) -> usize;

    /// The values of one of them; false for one that is not there.
    fn fill(&self, number: usize, member: &mut Member) -> bool;
}

/// Why a tree has no value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Failure {
    /// The name of this index has no value.
    UnknownName {
        index: usize,
        at: usize,
    },
    /// Division or remainder by zero.
    ByZero {
        remainder: bool,
        at: usize,
    },
    /// A list is no number, and a number no list.
    NotAList {
        index: usize,
        at: usize,
    },
    IsAList {
        index: usize,
        at: usize,
    },
    /// A list has no such item.
    NoItem {
        index: usize,
        asked: f64,
        length: usize,
        at: usize,
    },
    /// Several bodies are spoken of where none is measured.
    NoBodies {
        at: usize,
    },
}

impl Tree {
    /// A product. Degrees behind the last factor are those of the whole product, which is the same number and rounded as ever.
    pub(super) fn product(left: Tree, right: Tree, at: usize) -> Tree {
        let multiply =
            |left, right| Tree::Operation { operation: Operation::Multiply, sides: Box::new([left, right]), at };
        match right {
            Tree::Quantity { inner, unit } if unit.is_degrees() => {
                Tree::Quantity { inner: Box::new(multiply(left, *inner)), unit }
            }
            right => multiply(left, right),
        }
    }

    /// Its parts.
    fn parts(&self) -> Vec<&Tree> {
        match self {
            Tree::Number(_) | Tree::Name { .. } | Tree::Length { .. } | Tree::Reference(_) => Vec::new(),
            Tree::Negative(inner) | Tree::Not(inner) => vec![inner],
            Tree::Quantity { inner, .. } | Tree::Gather { inner, .. } => vec![inner],
            Tree::Item { index, .. } => vec![index],
            Tree::Operation { sides, .. } => sides.iter().collect(),
            Tree::Choice(parts) => parts.iter().collect(),
            Tree::Call(_, arguments) => arguments.iter().collect(),
        }
    }

    /// How many operations it has at most.
    pub(super) fn size(&self) -> usize {
        1 + self.parts().into_iter().map(Tree::size).sum::<usize>()
    }

    /// Whether anything in it is gathered over bodies or a list.
    pub(super) fn gathers(&self) -> bool {
        self.gatherings() > 0
    }

    /// How often something in it is gathered.
    pub(super) fn gatherings(&self) -> usize {
        let inside: usize = self.parts().into_iter().map(Tree::gatherings).sum();
        inside + usize::from(matches!(self, Tree::Gather { .. }))
    }

    /// All parts but those that are gathered over bodies.
    pub(super) fn outside_of_sums<'a>(&'a self, found: &mut Vec<&'a Tree>) {
        found.push(self);
        if !matches!(self, Tree::Gather { .. }) {
            self.parts().into_iter().for_each(|part| part.outside_of_sums(found));
        }
    }

    /// Whether it is a number of degrees.
    pub(super) fn is_in_degrees(&self) -> bool {
        matches!(self, Tree::Quantity { unit, .. } if unit.is_degrees())
    }

    /// Whether a sign before it was once taken for that of the base of a power, with another value: unless the exponent is odd.
    pub(super) fn is_power_that_loses_a_sign(&self) -> bool {
        let Tree::Operation { operation: Operation::Power, sides, .. } = self else { return false };
        !matches!(sides[1], Tree::Number(exponent) if exponent % 2.0 == 1.0)
    }

    /// Whether it is a sum whose last part alone is in degrees.
    pub(super) fn is_sum_that_ends_in_degrees(&self) -> bool {
        let Tree::Operation { operation: Operation::Add | Operation::Subtract, sides, .. } = self else { return false };
        sides[1].is_in_degrees() && !sides[0].speaks_of_degrees()
    }

    fn speaks_of_degrees(&self) -> bool {
        self.is_in_degrees() || self.parts().into_iter().any(Tree::speaks_of_degrees)
    }

    /// The names that are used without degrees behind them, other than in comparisons.
    pub(super) fn names_without_degrees(&self, found: &mut Vec<usize>) {
        use Operation::{Equal, Greater, GreaterOrEqual, Less, LessOrEqual, NotEqual};
        match self {
            Tree::Name { index, .. } => found.push(*index),
            Tree::Quantity { unit, .. } if unit.is_degrees() => {}
            Tree::Operation { operation: Equal | NotEqual | Less | LessOrEqual | Greater | GreaterOrEqual, .. } => {}
            _ => self.parts().into_iter().for_each(|part| part.names_without_degrees(found)),
        }
    }

    /// The value, which need not be finite, with the values of the names; truths are 1 and 0.
    ///
    /// # Errors
    /// For a name without a value where it is needed, a division by zero, what is no list or has no such item.
    pub(super) fn value(&self, scope: &Scope<'_>) -> Result<f64, Failure> {
        Ok(match self {
            Tree::Number(value) => *value,
            Tree::Name { index, at } => match scope.names[*index] {
                Some(value) => value,
                None if scope.lists[*index].is_some() => return Err(Failure::IsAList { index: *index, at: *at }),
                None => return Err(Failure::UnknownName { index: *index, at: *at }),
            },
            Tree::Negative(inner) => -inner.value(scope)?,
            Tree::Not(inner) => truth(inner.value(scope)? == 0.0),
            Tree::Operation { operation, sides, at } => {
                let a = sides[0].value(scope)?;
                match operation {
                    Operation::And if a == 0.0 => return Ok(a),
                    Operation::Or if a != 0.0 => return Ok(a),
                    _ => {}
                }
                let b = sides[1].value(scope)?;
                operate(*operation, a, b, *at)?
            }
            Tree::Choice(parts) => {
                let holds = parts[0].value(scope)? != 0.0;
                parts[if holds { 1 } else { 2 }].value(scope)?
            }
            Tree::Call(function, arguments) => {
                let argument = |index: usize| arguments[index].value(scope);
                match function {
                    Function::One(function) => function(argument(0)?),
                    Function::Two(function) => function(argument(0)?, argument(1)?),
                    Function::Three(function) => function(argument(0)?, argument(1)?, argument(2)?),
                    Function::Random => Generator::new(scope.seed, argument(0)?.to_bits()).share(),
                }
            }
            Tree::Quantity { inner, unit } => unit.in_si(inner.value(scope)?),
            Tree::Item { list, index, at } => {
                let items = list_of(scope, *list, *at)?;
                let asked = index.value(scope)?;
                let item = if asked >= 0.0 && asked.fract() == 0.0 { items.get(asked as usize) } else { None };
                *item.ok_or(Failure::NoItem { index: *list, asked, length: items.len(), at: *at })?
            }
            Tree::Length { list, at } => list_of(scope, *list, *at)?.len() as f64,
            Tree::Reference(number) => scope.references.get(*number).copied().unwrap_or(f64::NAN),
            Tree::Gather { gathering, inner, at } => gather(*gathering, inner, *at, scope)?,
        })
    }
}

fn list_of<'a>(scope: &Scope<'a>, index: usize, at: usize) -> Result<&'a [f64], Failure> {
    match (&scope.lists[index], scope.names[index]) {
        (Some(items), _) => Ok(items),
        (None, Some(_)) => Err(Failure::NotAList { index, at }),
        (None, None) => Err(Failure::UnknownName { index, at }),
    }
}

fn gather(gathering: Gathering, inner: &Tree, at: usize, scope: &Scope<'_>) -> Result<f64, Failure> {
    if let Tree::Name { index, .. } = inner
        && let Some(items) = &scope.lists[*index]
    {
        return Ok(gathering.gather(items.iter().copied()));
    }
    let members = scope.members.ok_or(Failure::NoBodies { at })?;
    let (mut member, mut failure) = (Member::default(), None);
    let values = (0..members.count()).filter_map(|number| {
        if failure.is_some() || !members.fill(number, &mut member) {
            return None;
        }
        let Member { names, references } = &member;
        let value = inner.value(&Scope { names, references, members: None, ..*scope });
        value.map_err(|fault| failure = Some(fault)).ok()
    });
    let gathered = gathering.gather(values);
    failure.map_or(Ok(gathered), Err)
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
