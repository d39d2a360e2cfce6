//! What stands behind a name: items of lists, fields of bodies and of points of theirs.

use super::{ParseError, Parser, Part, Spot, is_word};
use crate::expression::reference::{BodyText, Reference};
use crate::expression::tree::{Kind, Tree};
use std::ops::Range;

impl Parser<'_> {
    /// Whether a dot that leads to a field stands next.
    pub(super) fn is_dot(&self) -> bool {
        self.stands(".") && self.letters.get(self.at + 1).is_some_and(|c| c.is_ascii_alphabetic())
    }

    /// `'late-ball'.x`: a name that is none of an expression, in quotes.
    pub(super) fn quoted(&mut self) -> Result<Part, ParseError> {
        let from = self.at;
        self.at += 1;
        let name = self.while_letters(|c| c != '\'' && c != '"');
        self.expect('\'')?;
        self.skip_blanks();
        if name.is_empty() || !(self.stands("[") || self.is_dot()) {
            return Err(ParseError::Form {
                what: "a text is not a number; of a body say what of it, as in 'late-ball'.x".to_owned(),
                at: from + 1,
            });
        }
        self.indexed(name, from)
    }

    /// What stands behind a name with brackets or a dot: an item of a list, or a field of a body.
    pub(super) fn indexed(&mut self, base: String, from: usize) -> Result<Part, ParseError> {
        let indices = self.indices()?;
        if !self.is_dot() {
            let count = indices.len();
            let Ok([(index, _)]) = <[(Tree, Range<usize>); 1]>::try_from(indices) else {
                let what = format!(
                    "`{base}` has {count} indices; an item of a list has one, and of a body a field is asked for: {base}[0].x"
                );
                return Err(ParseError::Form { what, at: from + 1 });
            };
            let list = self.name_index(base);
            let item = Tree::Item { list, index: Box::new(index), at: from + 1 };
            self.spots.push((from..self.at, Spot::Part(item.clone())));
            return Ok((item, Kind::Number));
        }
        let mut body = BodyText { base, indices: Vec::new(), node: None };
        body.indices = self.noted(indices);
        if self.stands(".node") && !self.letters.get(self.at + 5).is_some_and(|&c| is_word(c)) {
            self.at += 5;
            let indices = self.indices()?;
            body.node = Some(self.noted(indices));
            if !self.is_dot() {
                return Err(self.unexpected("what of the node, as in ring.node[3].x"));
            }
        }
        self.at += 1;
        self.reference(Some(body), from)
    }

    /// Trees of indices whose places are kept.
    fn noted(&mut self, indices: Vec<(Tree, Range<usize>)>) -> Vec<Tree> {
        let note = |(tree, range): (Tree, Range<usize>)| {
            self.spots.push((range, Spot::Part(tree.clone())));
            tree
        };
        indices.into_iter().map(note).collect()
    }

    fn indices(&mut self) -> Result<Vec<(Tree, Range<usize>)>, ParseError> {
        let mut indices = Vec::new();
        while self.stands_after_blanks('[') {
            self.skip_blanks();
            self.at += 1;
            self.skip_blanks();
            if self.stands("*") {
                return Err(self.wrong(
                    "one body is asked for; sums over several are made by sum(...) over those that `of` names"
                        .to_owned(),
                ));
            }
            let from = self.at;
            let spots = self.spots.len();
            let (index, kind) = self.expression()?;
            // What stands inside is told as a whole.
            self.spots.truncate(spots);
            if kind != Kind::Number {
                return Err(ParseError::WrongKind { operator: "[ ]".to_owned(), wanted: "a number", at: from + 1 });
            }
            indices.push((index, from..self.at));
            self.expect(']')?;
        }
        Ok(indices)
    }

    /// The field of a body, or of the body that is measured itself. For a body the field stands next, otherwise `(` of a point.
    pub(super) fn reference(&mut self, body: Option<BodyText>, from: usize) -> Result<Part, ParseError> {
        let mut field = if body.is_some() { self.while_letters(is_word) } else { "point".to_owned() };
        let mut point = None;
        if field == "point" {
            self.expect('(')?;
            self.skip_blanks();
            if !self.stands("[") {
                return Err(self.unexpected("a place in the body's own frame, as in point([0.5, 0]).y"));
            }
            let mut place = Vec::new();
            loop {
                self.at += 1;
                self.skip_blanks();
                let (start, spots) = (self.at, self.spots.len());
                let (part, kind) = self.expression()?;
                self.spots.truncate(spots);
                if kind != Kind::Number {
                    return Err(ParseError::WrongKind {
                        operator: "point".to_owned(),
                        wanted: "a number",
                        at: start + 1,
                    });
                }
                self.spots.push((start..self.at, Spot::Part(part.clone())));
                place.push(part);
                self.skip_blanks();
                if !self.stands(",") {
                    break;
                }
            }
            self.expect(']')?;
            self.expect(')')?;
            if !self.is_dot() {
                return Err(self.unexpected("what of the point, as in point([0.5, 0]).y"));
            }
            self.at += 1;
            field = self.while_letters(is_word);
            point = Some(place);
        }
        let number = self.references.len();
        self.references.push(Reference { body, point, field, at: from + 1 });
        Ok((Tree::Reference(number), Kind::Number))
    }
}
