//! Calls of functions, and what is gathered over bodies or lists.

use super::{ParseError, Parser, Part, Spot};
use crate::expression::functions::{Gathering, function, function_names};
use crate::expression::tree::{Kind, Tree};

impl Parser<'_> {
    pub(super) fn call(&mut self, name: String, at: usize) -> Result<Part, ParseError> {
        if !function_names().any(|known| known == name) {
            return Err(ParseError::UnknownFunction { name, at });
        }
        self.expect('(')?;
        let mut arguments = Vec::new();
        self.skip_blanks();
        while !self.stands(")") {
            let (argument, kind) = self.expression()?;
            if kind == Kind::Truth && name != "count" {
                return Err(ParseError::WrongKind { operator: name, wanted: "a number", at });
            }
            arguments.push((argument, kind));
            self.skip_blanks();
            if !self.stands(")") {
                self.expect(',')?;
            }
        }
        self.expect(')')?;
        if let Some(gathering) = Gathering::of(&name, arguments.len()) {
            return self.gathered(gathering, arguments.pop(), at);
        }
        let arguments: Vec<Tree> = arguments.into_iter().map(|(argument, _)| argument).collect();
        match function(&name).filter(|function| function.arguments() == arguments.len()) {
            Some(function) => Ok((Tree::Call(function, arguments), Kind::Number)),
            None => Err(ParseError::WrongArguments { name, at }),
        }
    }

    /// A sum, mean, count ... over bodies, or over a list where its name stands alone.
    fn gathered(
        &mut self,
        gathering: Gathering,
        argument: Option<(Tree, Kind)>,
        at: usize,
    ) -> Result<Part, ParseError> {
        let inner = match argument {
            Some((Tree::Name { index, .. }, _)) if gathering == Gathering::Count => {
                let length = Tree::Length { list: index, at };
                self.spots.push((at - 1..self.at, Spot::Part(length.clone())));
                return Ok((length, Kind::Number));
            }
            Some((_, Kind::Number)) if gathering == Gathering::Count => {
                return Err(ParseError::WrongKind {
                    operator: "count".to_owned(),
                    wanted: "a comparison, or the name of a list",
                    at,
                });
            }
            Some((inner, _)) => inner,
            None => Tree::Number(1.0),
        };
        if inner.gathers() {
            return Err(ParseError::Form { what: "a sum over bodies stands within another".to_owned(), at });
        }
        let of_a_list = matches!(inner, Tree::Name { .. });
        let gathered = Tree::Gather { gathering, inner: Box::new(inner), at };
        if of_a_list {
            self.spots.push((at - 1..self.at, Spot::Part(gathered.clone())));
        }
        Ok((gathered, Kind::Number))
    }
}
