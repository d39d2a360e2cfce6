//! Numbers that are worked out from the states of bodies.

use crate::BodyState;
use serde::{Serialize, Serializer};
use std::fmt;
use std::sync::Arc;

/// A moment of a trial, as measures see it.
#[derive(Clone, Copy, Debug)]
pub struct Moment<'a> {
    /// The states of all bodies, by their ids.
    pub bodies: &'a [BodyState],
    /// The body that is measured.
    pub body: usize,
    /// All bodies that are measured, for sums over them.
    pub of: &'a [usize],
    /// s.
    pub time: f64,
}

/// The function of a [`Measure`].
pub type MeasureFunction = dyn Fn(&Moment<'_>) -> f64 + Send + Sync;

/// A number worked out from the states of bodies and the time. Two are equal when their texts are.
#[derive(Clone)]
pub struct Measure {
    text: String,
    function: Arc<MeasureFunction>,
    is_whole: bool,
    is_alone: bool,
    /// Bodies that it speaks of beside those that are measured; nothing where that may be any.
    others: Option<Arc<[usize]>>,
}

impl Measure {
    /// A measure of the state of one body and the time, s, with the text it is shown by.
    pub fn new(text: impl Into<String>, function: impl Fn(&BodyState, f64) -> f64 + Send + Sync + 'static) -> Self {
        let of_one = move |moment: &Moment<'_>| {
            moment.bodies.get(moment.body).map_or(f64::NAN, |state| function(state, moment.time))
        };
        Measure { is_alone: true, ..Measure::of_moment(text, of_one).speaking_of(&[]) }
    }

    /// A measure of all bodies at a moment.
    pub fn of_moment(text: impl Into<String>, function: impl Fn(&Moment<'_>) -> f64 + Send + Sync + 'static) -> Self {
        Measure { text: text.into(), function: Arc::new(function), is_whole: false, is_alone: false, others: None }
    }

    /// The same, saying that it is one number of the whole world, whichever body is measured.
    #[must_use]
    pub fn of_the_whole(self) -> Self {
        Measure { is_whole: true, ..self }
    }

    /// The same, saying of which bodies it speaks beside those that are measured.
    #[must_use]
    pub fn speaking_of(self, others: &[usize]) -> Self {
        Measure { others: Some(others.into()), ..self }
    }

    /// The same, saying that it speaks of no body but the one that is measured, and adds nothing up over several.
    #[must_use]
    pub fn of_one_alone(self) -> Self {
        Measure { is_alone: true, ..self }
    }

    /// Whether it speaks of no body but the one that is measured.
    pub fn is_alone(&self) -> bool {
        self.is_alone
    }

    /// All bodies that it needs to know when some are measured; nothing where that may be any.
    pub fn needs(&self, of: &[usize]) -> Option<Vec<usize>> {
        let others = self.others.as_ref()?;
        let mut all: Vec<usize> = of.iter().chain(others.iter()).copied().collect();
        all.sort_unstable();
        all.dedup();
        Some(all)
    }

    /// Whether it is one number of the whole world, whichever body is measured.
    pub fn is_whole(&self) -> bool {
        self.is_whole
    }

    /// Its text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Its value at a moment; not a number where the function has none.
    pub fn at(&self, moment: &Moment<'_>) -> f64 {
        (self.function)(moment)
    }

    /// Its value for a body that is alone in the world, at a time, s.
    pub fn value(&self, state: &BodyState, time: f64) -> f64 {
        self.at(&Moment { bodies: std::slice::from_ref(state), body: 0, of: &[0], time })
    }
}

impl fmt::Debug for Measure {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "Measure({})", self.text)
    }
}

impl PartialEq for Measure {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl Serialize for Measure {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn measures_are_equal_when_their_texts_are() {
        let one = Measure::new("x + y", |state, _| state.pose.position.x + state.pose.position.y);
        let state = BodyState::planar(glam::DVec3::new(1.0, 2.0, 0.0), 0.0, glam::DVec3::ZERO, 0.0);
        assert_eq!(one.value(&state, 0.0), 3.0);
        assert_eq!(one, Measure::new("x + y", |_, _| 0.0));
        assert_ne!(one, Measure::new("y + x", |_, _| 0.0));
        assert_eq!(serde_json::to_string(&one).unwrap(), "\"x + y\"");
    }
}
