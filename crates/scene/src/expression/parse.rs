//! From the text of an expression to its tree: operator precedence by recursive descent, within limits.
//!
//! ```text
//! expression = or ;                 or      = and { "||" and } ;
//! and        = equality { "&&" equality } ;
//! equality   = comparison { ("==" | "!=") comparison } ;
//! comparison = sum { ("<" | "<=" | ">" | ">=") sum } ;
//! sum        = product { ("+" | "-") product } ;
//! product    = power { ("*" | "/" | "%") power } ;
//! power      = unary [ ("^" | "**") power ] ;
//! unary      = { "-" | "+" | "!" } primary ;
//! primary    = number | "true" | "false" | name | name "(" expression { "," expression } ")" | "(" expression ")"
//!            | "if" expression block "else" (block | "if" ...) ;
//! block      = "{" expression "}" ;
//! ```

use super::functions::{function, function_names};
use super::tree::{Kind, Operation, Tree};

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
}

/// An expression that was read.
pub(super) struct Parsed {
    pub(super) tree: Tree,
    /// The names it uses, in the order of their first use.
    pub(super) names: Vec<String>,
}

/// Reads an expression.
///
/// # Errors
/// When the text does not have the form of one, nests too deeply, or calls an unknown function.
pub(super) fn parse(text: &str) -> Result<Parsed, ParseError> {
    let letters: Vec<char> = text.chars().collect();
    let mut parser = Parser { letters: &letters, at: 0, depth: 0, names: Vec::new() };
    let (tree, _) = parser.expression()?;
    parser.skip_blanks();
    if parser.at < letters.len() {
        return Err(parser.unexpected("an operator or the end"));
    }
    Ok(Parsed { tree, names: parser.names })
}

struct Parser<'a> {
    letters: &'a [char],
    at: usize,
    depth: usize,
    names: Vec<String>,
}

type Part = (Tree, Kind);

/// The operators of each level, weakest first; those that begin like another stand before it.
const LEVELS: [&[(&str, Operation)]; 6] = [
    &[("||", Operation::Or)],
    &[("&&", Operation::And)],
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

impl Parser<'_> {
    fn expression(&mut self) -> Result<Part, ParseError> {
        self.deeper(|parser| parser.level(0))
    }

    /// Runs a reader one level deeper.
    fn deeper(&mut self, read: impl FnOnce(&mut Self) -> Result<Part, ParseError>) -> Result<Part, ParseError> {
        if self.depth == DEPTH_LIMIT {
            return Err(self.wrong(format!("it nests deeper than {DEPTH_LIMIT} levels")));
        }
        self.depth += 1;
        let part = read(self);
        self.depth -= 1;
        part
    }

    fn level(&mut self, level: usize) -> Result<Part, ParseError> {
        let Some(operators) = LEVELS.get(level) else { return self.power() };
        let mut left = self.level(level + 1)?;
        loop {
            self.skip_blanks();
            let at = self.at + 1;
            let next = operators.iter().find(|(sign, _)| self.is_operator(sign));
            let Some(&(sign, operation)) = next else { return Ok(left) };
            self.at += sign.len();
            let right = self.level(level + 1)?;
            left = self.operation(operation, left, right, at)?;
        }
    }

    /// Whether an operator stands next, and not a longer one that begins with it.
    fn is_operator(&self, sign: &str) -> bool {
        self.stands(sign) && !(sign == "*" && self.stands("**"))
    }

    /// A power binds to the right, and weaker than the sign before its base.
    fn power(&mut self) -> Result<Part, ParseError> {
        let base = self.unary()?;
        self.skip_blanks();
        let at = self.at + 1;
        let length = if self.stands("**") {
            2
        } else if self.stands("^") {
            1
        } else {
            return Ok(base);
        };
        self.at += length;
        let exponent = self.deeper(Self::power)?;
        self.operation(Operation::Power, base, exponent, at)
    }

    fn unary(&mut self) -> Result<Part, ParseError> {
        self.skip_blanks();
        let Some(&sign) = self.letters.get(self.at) else { return self.primary() };
        if !matches!(sign, '-' | '+' | '!') {
            return self.primary();
        }
        let at = self.at + 1;
        self.at += 1;
        let (inner, kind) = self.deeper(Self::unary)?;
        match (sign, kind) {
            ('-', Kind::Number) => Ok((Tree::Negative(Box::new(inner)), kind)),
            ('+', Kind::Number) => Ok((inner, kind)),
            ('!', Kind::Truth) => Ok((Tree::Not(Box::new(inner)), kind)),
            _ => Err(ParseError::WrongArguments { name: sign.to_string(), at }),
        }
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
            Some('"' | '\'') => Err(self.wrong("a text is not a number".to_owned())),
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
        if self.letters.get(self.at).is_some_and(|c| c.is_alphabetic() || *c == '_') {
            return Err(self.wrong_number(from));
        }
        let digits: String = self.letters[from..self.at].iter().filter(|&&c| c != '_').collect();
        let value = digits.parse().map_err(|_| self.wrong_number(from))?;
        Ok((Tree::Number(value), Kind::Number))
    }

    fn word(&mut self) -> Result<Part, ParseError> {
        let at = self.at + 1;
        let name = self.while_letters(|c| c.is_ascii_alphanumeric() || c == '_');
        match name.as_str() {
            "true" => return Ok((Tree::Number(1.0), Kind::Truth)),
            "false" => return Ok((Tree::Number(0.0), Kind::Truth)),
            "if" => return self.choice(at),
            "else" => return Err(ParseError::Form { what: "`else` stands without an `if`".to_owned(), at }),
            _ => {}
        }
        self.skip_blanks();
        if self.stands("(") {
            return self.call(name, at);
        }
        let index = self.names.iter().position(|known| *known == name).unwrap_or_else(|| {
            self.names.push(name);
            self.names.len() - 1
        });
        Ok((Tree::Name { index, at }, Kind::Number))
    }

    fn call(&mut self, name: String, at: usize) -> Result<Part, ParseError> {
        if !function_names().any(|known| known == name) {
            return Err(ParseError::UnknownFunction { name, at });
        }
        self.expect('(')?;
        let mut arguments = Vec::new();
        self.skip_blanks();
        while !self.stands(")") {
            let (argument, kind) = self.expression()?;
            if kind == Kind::Truth {
                return Err(ParseError::WrongArguments { name, at });
            }
            arguments.push(argument);
            self.skip_blanks();
            if !self.stands(")") {
                self.expect(',')?;
            }
        }
        self.expect(')')?;
        match function(&name).filter(|function| function.arguments() == arguments.len()) {
            Some(function) => Ok((Tree::Call(function, arguments), Kind::Number)),
            None => Err(ParseError::WrongArguments { name, at }),
        }
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
        if self.while_letters(|c| c.is_ascii_alphanumeric() || c == '_') != "else" {
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

    fn operation(&self, operation: Operation, left: Part, right: Part, at: usize) -> Result<Part, ParseError> {
        use Operation::{Add, And, Divide, Equal, Multiply, NotEqual, Or, Power, Remainder, Subtract};
        let kind = match (operation, left.1, right.1) {
            (And | Or | Equal | NotEqual, Kind::Truth, Kind::Truth) => Kind::Truth,
            (And | Or, ..) => return Err(ParseError::WrongArguments { name: "&& or ||".to_owned(), at }),
            (Add | Subtract | Multiply | Divide | Remainder | Power, Kind::Number, Kind::Number) => Kind::Number,
            (_, Kind::Number, Kind::Number) => Kind::Truth,
            _ => return Err(ParseError::WrongArguments { name: self.letters[at - 1].to_string(), at }),
        };
        Ok((Tree::Operation { operation, sides: Box::new([left.0, right.0]), at }, kind))
    }

    fn skip_blanks(&mut self) {
        while self.letters.get(self.at).is_some_and(|c| c.is_whitespace()) {
            self.at += 1;
        }
    }

    fn stands(&self, sign: &str) -> bool {
        sign.chars().enumerate().all(|(index, letter)| self.letters.get(self.at + index) == Some(&letter))
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

fn radix(letter: char) -> Option<u32> {
    match letter {
        'x' | 'X' => Some(16),
        'o' | 'O' => Some(8),
        'b' | 'B' => Some(2),
        _ => None,
    }
}
