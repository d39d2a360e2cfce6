//! The names that expressions may use, with their values.

/// Named values an expression may use: constants, parameters, loop counters.
#[derive(Clone, Debug)]
pub(crate) struct Names {
    pub(crate) values: Vec<(String, f64)>,
    /// How many of them never change again.
    pub(crate) fixed: usize,
}

impl Names {
    /// Only the constants `pi` and `tau`.
    pub(crate) fn constants() -> Self {
        use std::f64::consts::{PI, TAU};
        Names { values: vec![("pi".to_owned(), PI), ("tau".to_owned(), TAU)], fixed: 2 }
    }

    /// Adds a name that keeps its value.
    pub(crate) fn add(&mut self, name: &str, value: f64) {
        self.values.push((name.to_owned(), value));
        self.fixed = self.values.len();
    }

    /// The same names and one more, whose value holds for the moment only.
    pub(crate) fn with(&self, name: &str, value: f64) -> Self {
        let mut more = self.clone();
        more.values.push((name.to_owned(), value));
        more
    }

    /// Gives a name of the moment another value.
    pub(crate) fn set(&mut self, name: &str, value: f64) {
        if let Some((_, known)) = self.values[self.fixed..].iter_mut().find(|(known, _)| known == name) {
            *known = value;
        }
    }

    pub(crate) fn has(&self, name: &str) -> bool {
        self.position(name).is_some()
    }

    /// All names with their values.
    pub(crate) fn list(&self) -> &[(String, f64)] {
        &self.values
    }

    pub(crate) fn position(&self, name: &str) -> Option<usize> {
        self.values.iter().position(|(known, _)| known == name)
    }

    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.values.iter().map(|(name, _)| name.as_str())
    }
}
