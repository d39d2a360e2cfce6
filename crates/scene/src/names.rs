//! The names that expressions may use, with their values.

use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::Arc;

/// Named values an expression may use: constants and parameters, which never change again, and names of the moment such as loop counters.
/// Copies share the former.
#[derive(Clone, Debug)]
pub(crate) struct Names {
    fixed: Rc<Fixed>,
    own: Vec<(String, f64)>,
}

#[derive(Clone, Debug, Default)]
struct Fixed {
    values: Vec<(String, f64)>,
    places: BTreeMap<String, usize>,
    lists: BTreeMap<String, Arc<[f64]>>,
}

impl Names {
    /// Only the constants `pi` and `tau`.
    pub(crate) fn constants() -> Self {
        use std::f64::consts::{PI, TAU};
        let mut names = Names { fixed: Rc::default(), own: Vec::new() };
        names.add("pi", PI);
        names.add("tau", TAU);
        names
    }

    /// Adds a name that keeps its value.
    pub(crate) fn add(&mut self, name: &str, value: f64) {
        let fixed = Rc::make_mut(&mut self.fixed);
        fixed.places.entry(name.to_owned()).or_insert(fixed.values.len());
        fixed.values.push((name.to_owned(), value));
    }

    /// Adds a list that keeps its values.
    pub(crate) fn add_list(&mut self, name: &str, values: &[f64]) {
        Rc::make_mut(&mut self.fixed).lists.insert(name.to_owned(), values.into());
    }

    /// The list of a name.
    pub(crate) fn list(&self, name: &str) -> Option<&Arc<[f64]>> {
        self.fixed.lists.get(name)
    }

    /// The same names and one more, whose value holds for the moment only.
    pub(crate) fn with(&self, name: &str, value: f64) -> Self {
        let mut more = self.clone();
        more.own.push((name.to_owned(), value));
        more
    }

    /// Gives a name of the moment another value.
    pub(crate) fn set(&mut self, name: &str, value: f64) {
        if let Some((_, known)) = self.own.iter_mut().find(|(known, _)| known == name) {
            *known = value;
        }
    }

    pub(crate) fn has(&self, name: &str) -> bool {
        self.get(name).is_some()
    }

    /// The value of a name, and whether it keeps it.
    pub(crate) fn get(&self, name: &str) -> Option<(f64, bool)> {
        let fixed = self.fixed.places.get(name).map(|&place| (self.fixed.values[place].1, true));
        fixed.or_else(|| self.own.iter().find(|(known, _)| known == name).map(|&(_, value)| (value, false)))
    }

    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        let lists = self.fixed.lists.keys().map(String::as_str);
        self.fixed.values.iter().chain(&self.own).map(|(name, _)| name.as_str()).chain(lists)
    }
}
