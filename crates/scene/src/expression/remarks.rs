//! Expressions that can be worked out and are probably meant otherwise.

use super::Evaluator;
use super::short;
use crate::diagnostic::Diagnostic;
use std::ops::Range;

/// What is to be said of an expression, with its kind as `allow` names it.
#[derive(Clone, Debug)]
pub(super) struct Remark {
    kind: &'static str,
    what: Diagnostic,
}

impl Evaluator {
    /// Notes a parameter that is a number of degrees.
    pub(crate) fn note_degrees(&self, name: &str) {
        self.in_degrees.borrow_mut().insert(name.to_owned());
        self.remarkable.set(true);
    }

    /// Whether an expression is a number of degrees, turned to radians.
    pub(crate) fn converts_degrees(&self, text: &str) -> bool {
        self.parse(text).is_ok_and(|expression| expression.parsed.tree.is_in_degrees())
    }

    /// Notes what is to be said of an expression that stands at a place: once for each.
    pub(crate) fn remark(&self, text: &str, span: &Range<usize>) {
        if !self.remarkable.get() || self.remarks.borrow().contains_key(&span.start) {
            return;
        }
        let kept = self.parsed.borrow().get(text.trim()).cloned();
        let Some(expression) = kept else { return };
        let parsed = &expression.parsed;
        let note = |kind: &'static str, message: String, label: &str, help: &str| {
            let what = Diagnostic::at(span.clone(), message).label(label).help(help);
            self.remarks.borrow_mut().entry(span.start).or_insert(Remark { kind, what });
        };
        if let Some(at) = parsed.signed_power {
            note(
                "sign-of-power",
                format!("`{}`: the sign counts for the whole power, as in -2^2 = -4", short(text)),
                &format!("at character {at} of the expression; it was once taken for that of the base"),
                "write (-a)^2 or -(a^2)",
            );
        }
        if text.trim_end().ends_with("deg") && parsed.tree.is_sum_that_ends_in_degrees() {
            note(
                "unit-of-sum",
                format!("`{}`: only the last part is in degrees", short(text)),
                "it was once taken for the whole sum",
                "write (a + b) deg, or a + (b deg)",
            );
        }
        let degrees = self.in_degrees.borrow();
        if degrees.is_empty() || parsed.names.iter().any(|name| name == "pi" || name == "tau") {
            return;
        }
        let mut plain = Vec::new();
        parsed.tree.names_without_degrees(&mut plain);
        if let Some(name) = plain.iter().map(|&index| &parsed.names[index]).find(|name| degrees.contains(*name)) {
            note(
                "degrees",
                format!("`{}`: `{name}` is a number of degrees, and is taken as it stands", short(text)),
                "the unit of a parameter converts nothing",
                &format!("write {name} deg, or give the parameter a value such as \"30 deg\" and the unit rad"),
            );
        }
    }

    /// Notes a parameter whose unit says degrees and whose value is turned to radians already.
    pub(crate) fn remark_radians(&self, text: &str, span: &Range<usize>) {
        let what = Diagnostic::at(span.clone(), format!("`{}` is in radians, and the unit says degrees", short(text)))
            .label("`deg` in the value has turned it to radians")
            .help("give the parameter the unit rad, or a plain number of degrees");
        self.remarks.borrow_mut().entry(span.start).or_insert(Remark { kind: "degrees", what });
    }

    /// What was noted, in the order of the places.
    pub(crate) fn remarks(&self) -> Vec<(&'static str, Diagnostic)> {
        self.remarks.borrow().values().map(|remark| (remark.kind, remark.what.clone())).collect()
    }
}
