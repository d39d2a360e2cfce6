//! Vectors of a file: the one place that knows how many numbers they have in the plane and in space.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::Placed;
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{DVec2, DVec3, Dimension};
use std::ops::Range;

/// What `space` of a file says.
pub(super) fn dimension(space: &Placed<i64>) -> Result<Dimension, Diagnostic> {
    match space.get_ref() {
        2 => Ok(Dimension::Plane),
        other => Err(Diagnostic::at(space.span(), format!("space = {other} cannot be built"))
            .label("expected 2")
            .help("planar scenes have space = 2")),
    }
}

impl Resolver {
    /// The numbers of a list as a vector of the world; z is 0 in the plane.
    pub(super) fn vector(&self, list: &[Number], span: Range<usize>, names: &Names) -> Result<DVec3, Diagnostic> {
        let (form, words) = match self.dimension {
            Dimension::Plane => ("[x, y]", "two"),
            Dimension::Space => ("[x, y, z]", "three"),
        };
        let value = |number: &Number| self.evaluator.value(number, names);
        match (self.dimension, list) {
            (Dimension::Plane, [x, y]) => Ok(DVec3::new(value(x)?, value(y)?, 0.0)),
            (Dimension::Space, [x, y, z]) => Ok(DVec3::new(value(x)?, value(y)?, value(z)?)),
            (Dimension::Plane | Dimension::Space, _) => {
                Err(Diagnostic::at(span, format!("found {} numbers where {form} is expected", list.len()))
                    .label(format!("expected {words} numbers")))
            }
        }
    }

    pub(super) fn placed_vector(&self, list: &Placed<Vec<Number>>, names: &Names) -> Result<DVec3, Diagnostic> {
        self.vector(list.get_ref(), list.span(), names)
    }

    /// Zero where none is given.
    pub(super) fn optional_vector(
        &self,
        list: Option<&Placed<Vec<Number>>>,
        names: &Names,
    ) -> Result<DVec3, Diagnostic> {
        list.map_or(Ok(DVec3::ZERO), |list| self.placed_vector(list, names))
    }

    /// A vector of what lies in the plane whatever the world: shapes, patterns and joints of planar scenes.
    pub(super) fn planar_vector(&self, list: &Placed<Vec<Number>>, names: &Names) -> Result<DVec2, Diagnostic> {
        self.placed_vector(list, names).map(DVec3::truncate)
    }
}
