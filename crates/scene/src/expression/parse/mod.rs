//! From the text of an expression to its tree: operator precedence by recursive descent, within limits.
//!
//! ```text
//! expression = or ;                 or      = and { ("||" | "or") and } ;
//! and        = denial { ("&&" | "and") denial } ;      denial = { "not" } equality ;
//! equality   = comparison { ("==" | "!=") comparison } ;
//! comparison = sum { ("<" | "<=" | ">" | ">=") sum } ;
//! sum        = product { ("+" | "-") product } ;
//! product    = signed { ("*" | "/" | "%") signed } ;
//! signed     = { "-" | "+" | "!" } power ;
//! power      = quantity [ ("^" | "**") signed ] ;
//! quantity   = primary [ unit ] ;
//! primary    = number | "true" | "false" | name | name "(" expression { "," expression } ")" | "(" expression ")"
//!            | name "[" expression "]" | body "." field | "point" place "." field
//!            | "if" expression block "else" (block | "if" ...) ;
//! body       = (name | "'" name "'") { "[" expression "]" } [ ".node" { "[" expression "]" } ] ;
//! field      = name | "point" place "." name ;      place = "(" "[" expression { "," expression } "]" ")" ;
//! block      = "{" expression "}" ;
//! ```

mod body;
mod call;

use super::reference::Reference;
use super::tree::{Kind, Operation, Tree};
use super::units::{Unit, find_unit, unit_names};
use std::ops::Range;

/// Deepest nesting of an expression.
pub(super) const DEPTH_LIMIT: usize = 48;

/// Why a text is no expression.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum ParseError {
    /// It does not have the form of one: what is wrong, and where.
    Form { what: String, at: usize },
    /// A function that is not known.
    UnknownFunction { name: String, at: usize },
    /// A function with another number of arguments, or with truths.
    WrongArguments { name: String, at: usize },
    /// A truth where a number is wanted, or a number where a truth is.
    WrongKind { operator: String, wanted: &'static str, at: usize },
}

/// A part of the text that may have a value of its own.
#[derive(Clone, Debug)]
pub(super) enum Spot {
    /// A name, by its index.
    Name(usize),
    /// An item of a list, the length of one, an index, or a part of a place.
    Part(Tree),
}

/// An expression that was read.
pub(super) struct Parsed {
    pub(super) tree: Tree,
    /// The names it uses, in the order of their first use.
    pub(super) names: Vec<String>,
    /// Bodies that it speaks of, by their numbers in the tree.
    pub(super) references: Vec<Reference>,
    /// Where names and items stand, in characters; in the order of their ends.
    pub(super) spots: Vec<(Range<usize>, Spot)>,
    /// What it is: a number or a truth.
    pub(super) kind: Kind,
    /// Where a sign stands before a power, if one does: places counted from 1.
    pub(super) signed_power: Option<usize>,
    /// Units that stand in it.
    pub(super) units: Vec<&'static str>,
}

/// Reads an expression.
///
/// # Errors
/// When the text does not have the form of one, nests too deeply, or calls an unknown function.
pub(super) fn parse(text: &str) -> Result<Parsed, ParseError> {
    let letters: Vec<char> = text.chars().collect();
    let mut parser = Parser {
        letters: &letters,
        at: 0,
        depth: 0,
        names: Vec::new(),
        references: Vec::new(),
        spots: Vec::new(),
        signed_power: None,
        units: Vec::new(),
    };
    let (tree, kind) = parser.expression()?;
    parser.skip_blanks();
    if parser.at < letters.len() {
        return Err(parser.unexpected("an operator or the end"));
    }
    let Parser { names, references, spots, signed_power, units, .. } = parser;
    Ok(Parsed { tree, names, references, spots, kind, signed_power, units })
}

struct Parser<'a> {
    letters: &'a [char],
    at: usize,
    depth: usize,
    names: Vec<String>,
    references: Vec<Reference>,
    spots: Vec<(Range<usize>, Spot)>,
    signed_power: Option<usize>,
    units: Vec<&'static str>,
}

type Part = (Tree, Kind);

/// The operators of each level, weakest first; those that begin like another stand before it.
const LEVELS: [&[(&str, Operation)]; 6] = [
    &[("||", Operation::Or), ("or", Operation::Or)],
    &[("&&", Operation::And), ("and", Operation::And)],
    &[("==", Operation::Equal), ("!=", Operation::NotEqual)],
    &[
        ("<=", Operation::LessOrEqual),
        (">=", Operation::GreaterOrEqual),
        ("<", Operation::Less),
        (">", Operation::Greater),
    ],
    &[("+", Operation::Add), ("-", Operation::Subtract)],
    &[("*", Operation::Multiply), ("/", Operation::Divide), ("%", Operation::Remainder)],
];

/// The level before which `not` stands: it denies whole comparisons.
const DENIAL: usize = 2;

/// Words that are no names.
const WORDS: [&str; 7] = ["true", "false", "if", "else", "and", "or", "not"];

fn is_word(c: char) -> bool {
    c.is_ascii_alphanumeric() || c == '_'
}

impl Parser<'_> {
    fn expression(&mut self) -> Result<Part, ParseError> {
        self.deeper(|parser| parser.level(0))
    }

    /// Runs a reader one level deeper.
    fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Result<T, ParseError>) -> Result<T, ParseError> {
        if self.depth == DEPTH_LIMIT {
            return Err(self.wrong(format!("it nests deeper than {DEPTH_LIMIT} levels")));
        }
        self.depth += 1;
        let part = read(self);
        self.depth -= 1;
        part
    }

    fn level(&mut self, level: usize) -> Result<Part, ParseError> {
        let Some(operators) = LEVELS.get(level) else { return self.signed() };
        self.skip_blanks();
        if level == DENIAL && self.is_operator("not") {
            let at = self.at + 1;
            self.at += "not".len();
            let (inner, kind) = self.deeper(|parser| parser.level(DENIAL))?;
            if kind != Kind::Truth {
                return Err(ParseError::WrongKind { operator: "not".to_owned(), wanted: "a truth value", at });
            }
            return Ok((Tree::Not(Box::new(inner)), kind));
        }
        let mut left = self.level(level + 1)?;
        loop {
            self.skip_blanks();
            let at = self.at + 1;
            let next = operators.iter().find(|(sign, _)| self.is_operator(sign));
            let Some(&(sign, operation)) = next else { return Ok(left) };
            self.at += sign.len();
            let right = self.level(level + 1)?;
            if matches!(operation, Operation::Divide | Operation::Remainder)
                && right.0.is_in_degrees()
                && self.letters.get(self.at - 1) != Some(&')')
            {
                let what = "it is open what is in degrees: write (a / b) deg or a / (b deg)".to_owned();
                return Err(ParseError::Form { what, at });
            }
            left = operation_of(operation, sign, left, right, at)?;
        }
    }

    /// Whether an operator stands next, and not a longer one, or a word, that begins with it.
    fn is_operator(&self, sign: &str) -> bool {
        self.stands(sign)
            && !(sign == "*" && self.stands("**"))
            && !(sign.starts_with(is_word) && self.letters.get(self.at + sign.len()).is_some_and(|&c| is_word(c)))
    }

    /// A sign binds weaker than a power: `-2 ^ 2` is -4.
    fn signed(&mut self) -> Result<Part, ParseError> {
        self.skip_blanks();
        let at = self.at + 1;
        let sign = match self.letters.get(self.at) {
            Some(&sign @ ('-' | '+' | '!')) => sign.to_string(),
            _ => return self.power(),
        };
        self.at += sign.len();
        self.skip_blanks();
        let bare = !self.stands("(");
        let (inner, kind) = self.deeper(Self::signed)?;
        match (sign.as_str(), kind) {
            ("-", Kind::Number) => {
                if bare && inner.is_power_that_loses_a_sign() {
                    self.signed_power.get_or_insert(at);
                }
                Ok((Tree::Negative(Box::new(inner)), kind))
            }
            ("+", Kind::Number) => Ok((inner, kind)),
            ("!", Kind::Truth) => Ok((Tree::Not(Box::new(inner)), kind)),
            _ => {
                let wanted = if sign == "-" || sign == "+" { "a number" } else { "a truth value" };
                Err(ParseError::WrongKind { operator: sign, wanted, at })
            }
        }
    }

    /// A power binds to the right.
    fn power(&mut self) -> Result<Part, ParseError> {
        let base = self.quantity()?;
        self.skip_blanks();
        let at = self.at + 1;
        let sign = match (self.stands("**"), self.stands("^")) {
            (true, _) => "**",
            (_, true) => "^",
            _ => return Ok(base),
        };
        self.at += sign.len();
        let exponent = self.deeper(Self::signed)?;
        operation_of(Operation::Power, sign, base, exponent, at)
    }

    /// A number, and the unit behind it if there is one.
    fn quantity(&mut self) -> Result<Part, ParseError> {
        let from = self.at;
        let (inner, kind) = self.primary()?;
        let Some(unit) = self.unit() else { return Ok((inner, kind)) };
        if kind != Kind::Number {
            return Err(ParseError::WrongKind { operator: unit.name.to_owned(), wanted: "a number", at: from + 1 });
        }
        Ok((Tree::Quantity { inner: Box::new(inner), unit }, kind))
    }

    /// The unit that stands next.
    fn unit(&mut self) -> Option<Unit> {
        let blanks = self.letters[self.at..].iter().take_while(|c| c.is_whitespace()).count();
        let rest = &self.letters[self.at + blanks..];
        let name: String = rest.iter().take_while(|&&c| is_word(c)).collect();
        let called = rest[name.len()..].iter().find(|c| !c.is_whitespace()) == Some(&'(');
        let unit = find_unit(&name).filter(|_| !called)?;
        self.at += blanks + name.len();
        if !self.units.contains(&unit.name) {
            self.units.push(unit.name);
        }
        Some(unit)
    }

    fn primary(&mut self) -> Result<Part, ParseError> {
        self.skip_blanks();
        match self.letters.get(self.at) {
            Some('(') => {
                self.at += 1;
                let inner = self.expression()?;
                self.expect(')')?;
                Ok(inner)
            }
            Some(c) if c.is_ascii_digit() || *c == '.' => self.number(),
            Some(c) if c.is_ascii_alphabetic() || *c == '_' => self.word(),
            Some('\'') => self.quoted(),
            Some('"') => Err(self.wrong("a text is not a number".to_owned())),
            _ => Err(self.unexpected("a number, a name or `(`")),
        }
    }

    fn number(&mut self) -> Result<Part, ParseError> {
        let from = self.at;
        if self.letters[from] == '0'
            && let Some(radix) = self.letters.get(from + 1).and_then(|letter| radix(*letter))
        {
            self.at += 2;
            let digits = self.while_letters(|c| c.is_ascii_alphanumeric() || c == '_').replace('_', "");
            let value = i64::from_str_radix(&digits, radix).map_err(|_| self.wrong_number(from))?;
            return Ok((Tree::Number(value as f64), Kind::Number));
        }
        let digit = |c: char| c.is_ascii_digit() || c == '_';
        self.while_letters(digit);
        if self.letters.get(self.at) == Some(&'.') {
            self.at += 1;
            self.while_letters(digit);
        }
        if matches!(self.letters.get(self.at), Some('e' | 'E')) {
            let signed = matches!(self.letters.get(self.at + 1), Some('+' | '-'));
            if self.letters.get(self.at + 1 + usize::from(signed)).is_some_and(char::is_ascii_digit) {
                self.at += 1 + usize::from(signed);
                self.while_letters(digit);
            }
        }
        let behind: String = self.letters[self.at..].iter().take_while(|&&c| is_word(c)).collect();
        if !behind.is_empty() && find_unit(&behind).is_none() {
            return Err(self.wrong_number(from));
        }
        let digits: String = self.letters[from..self.at].iter().filter(|&&c| c != '_').collect();
        let value = digits.parse().map_err(|_| self.wrong_number(from))?;
        Ok((Tree::Number(value), Kind::Number))
    }

    fn word(&mut self) -> Result<Part, ParseError> {
        let from = self.at;
        let at = from + 1;
        let name = self.while_letters(is_word);
        match name.as_str() {
            "true" => return Ok((Tree::Number(1.0), Kind::Truth)),
            "false" => return Ok((Tree::Number(0.0), Kind::Truth)),
            "if" => return self.choice(at),
            word if WORDS.contains(&word) => {
                let what = match word {
                    "else" => "`else` stands without an `if`".to_owned(),
                    _ => format!("`{word}` stands where a number, a name or `(` is expected"),
                };
                return Err(ParseError::Form { what, at });
            }
            _ => {}
        }
        let after = self.at;
        self.skip_blanks();
        if name == "point" && self.stands("(") {
            return self.reference(None, from);
        }
        if self.stands("(") {
            return self.call(name, at);
        }
        if self.stands("[") || self.is_dot() {
            return self.indexed(name, from);
        }
        self.at = after;
        let index = self.name_index(name);
        self.spots.push((from..after, Spot::Name(index)));
        Ok((Tree::Name { index, at }, Kind::Number))
    }

    fn name_index(&mut self, name: String) -> usize {
        self.names.iter().position(|known| *known == name).unwrap_or_else(|| {
            self.names.push(name);
            self.names.len() - 1
        })
    }

    /// What follows an `if`.
    fn choice(&mut self, at: usize) -> Result<Part, ParseError> {
        let (condition, kind) = self.expression()?;
        if kind != Kind::Truth {
            return Err(ParseError::Form { what: "the condition after `if` is not a comparison".to_owned(), at });
        }
        let (yes, kind) = self.block()?;
        self.skip_blanks();
        let at_else = self.at + 1;
        if self.while_letters(is_word) != "else" {
            self.at = at_else - 1;
            return Err(self.unexpected("`else { ... }`"));
        }
        self.skip_blanks();
        let (no, other) = if self.stands("if") { self.deeper(Self::primary)? } else { self.block()? };
        if kind != other {
            return Err(ParseError::Form { what: "`if` and `else` give different kinds of values".to_owned(), at });
        }
        Ok((Tree::Choice(Box::new([condition, yes, no])), kind))
    }

    fn block(&mut self) -> Result<Part, ParseError> {
        self.expect('{')?;
        let inner = self.expression()?;
        self.expect('}')?;
        Ok(inner)
    }

    fn skip_blanks(&mut self) {
        while self.letters.get(self.at).is_some_and(|c| c.is_whitespace()) {
            self.at += 1;
        }
    }

    fn stands(&self, sign: &str) -> bool {
        sign.chars().enumerate().all(|(index, letter)| self.letters.get(self.at + index) == Some(&letter))
    }

    fn stands_after_blanks(&self, sign: char) -> bool {
        self.letters[self.at..].iter().find(|c| !c.is_whitespace()) == Some(&sign)
    }

    fn while_letters(&mut self, belongs: impl Fn(char) -> bool) -> String {
        let from = self.at;
        while self.letters.get(self.at).is_some_and(|&c| belongs(c)) {
            self.at += 1;
        }
        self.letters[from..self.at].iter().collect()
    }

    fn expect(&mut self, sign: char) -> Result<(), ParseError> {
        self.skip_blanks();
        if self.letters.get(self.at) == Some(&sign) {
            self.at += 1;
            return Ok(());
        }
        Err(self.unexpected(&format!("`{sign}`")))
    }

    fn unexpected(&self, expected: &str) -> ParseError {
        let word: String = self.letters[self.at..].iter().take_while(|&&c| is_word(c)).collect();
        let after_a_number = self.letters[..self.at].iter().rev().find(|c| !c.is_whitespace());
        if !word.is_empty() && after_a_number.is_some_and(|&c| is_word(c) || c == ')' || c == ']') {
            let units = ironspin_model::nearest(&word, unit_names())
                .map_or_else(|| unit_names().collect::<Vec<_>>().join(", "), |near| format!("did you mean `{near}`?"));
            return self.wrong(format!("`{word}` is no unit ({units}), and no operator stands before it"));
        }
        self.wrong(match self.letters.get(self.at) {
            Some(found) => format!("found `{found}` where {expected} is expected"),
            None => format!("it ends where {expected} is expected"),
        })
    }

    fn wrong_number(&self, from: usize) -> ParseError {
        let found: String =
            self.letters[from..].iter().take_while(|c| c.is_alphanumeric() || **c == '.' || **c == '_').collect();
        ParseError::Form { what: format!("`{found}` is not a number"), at: from + 1 }
    }

    fn wrong(&self, what: String) -> ParseError {
        ParseError::Form { what, at: self.at + 1 }
    }
}

fn operation_of(operation: Operation, sign: &str, left: Part, right: Part, at: usize) -> Result<Part, ParseError> {
    use Operation::{Add, And, Divide, Equal, Multiply, NotEqual, Or, Power, Remainder, Subtract};
    let wrong = |wanted: &'static str| Err(ParseError::WrongKind { operator: sign.to_owned(), wanted, at });
    let kind = match (operation, left.1, right.1) {
        (And | Or | Equal | NotEqual, Kind::Truth, Kind::Truth) => Kind::Truth,
        (And | Or, ..) => return wrong("a comparison on both sides"),
        (Add | Subtract | Multiply | Divide | Remainder | Power, Kind::Number, Kind::Number) => Kind::Number,
        (_, Kind::Number, Kind::Number) => Kind::Truth,
        _ => return wrong("a number on both sides"),
    };
    let (left, right) = (left.0, right.0);
    if operation == Operation::Multiply {
        return Ok((Tree::product(left, right, at), kind));
    }
    Ok((Tree::Operation { operation, sides: Box::new([left, right]), at }, kind))
}

fn radix(letter: char) -> Option<u32> {
    match letter {
        'x' | 'X' => Some(16),
        'o' | 'O' => Some(8),
        'b' | 'B' => Some(2),
        _ => None,
    }
}
