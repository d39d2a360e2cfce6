//! Parameters: values of the file, changed by what is set from outside.

use crate::diagnostic::Diagnostic;
use crate::expression::Evaluator;
use crate::file::{ParameterTable, Placed};
use crate::names::Names;
use crate::setup::{Parameter, Settings};

/// Names that expressions already use for something else.
const TAKEN: [&str; 8] = ["pi", "tau", "g", "dt", "eps", "mass", "deg", "seed"];

/// Parameters in the order of the file; each may use those above it.
pub(super) fn resolve(
    tables: &[&(Placed<String>, ParameterTable)],
    settings: &Settings,
    evaluator: &Evaluator,
) -> Result<(Vec<Parameter>, Names), Diagnostic> {
    let known = || tables.iter().map(|(name, _)| name.get_ref().as_str());
    for (name, _) in &settings.set {
        if !known().any(|other| other == name) {
            return Err(
                Diagnostic::nowhere(format!("the scene has no parameter `{name}` to set")).help_names(name, known())
            );
        }
    }
    let mut names = Names::constants();
    names.add("seed", settings.seed as f64);
    let mut parameters = Vec::new();
    for (name, table) in tables.iter().copied() {
        let plain = name.get_ref();
        if TAKEN.contains(&plain.as_str()) || !is_identifier(plain) {
            return Err(Diagnostic::at(name.span(), format!("a parameter cannot be called `{plain}`"))
                .label("taken, or not a name")
                .help("use letters, digits and underscores, and none of pi, tau, g, dt, mass, deg, seed"));
        }
        let given = settings.set.iter().rev().find(|(set, _)| set == plain);
        let value = match given {
            Some((_, text)) => evaluator.evaluate(text, &names).map_err(|diagnostic| Diagnostic {
                message: format!("cannot set `{plain}`: {}", diagnostic.message),
                ..diagnostic
            })?,
            None => evaluator.value(&table.value, &names)?,
        };
        let range = match &table.range {
            None => None,
            Some([low, high]) => Some([evaluator.value(low, &names)?, evaluator.value(high, &names)?]),
        };
        if let Some([low, high]) = range
            && !(low..=high).contains(&value)
        {
            let message = format!("`{plain}` is {value}, outside its range from {low} to {high}");
            return Err(if given.is_some() {
                Diagnostic::nowhere(message)
            } else {
                Diagnostic::at(table.value.span(), message).label("out of range")
            });
        }
        names.add(plain, value);
        parameters.push(Parameter {
            name: plain.clone(),
            about: table.about.clone(),
            unit: table.unit.clone(),
            value,
            range,
        });
    }
    Ok((parameters, names))
}

pub(super) fn is_identifier(name: &str) -> bool {
    let mut letters = name.chars();
    letters.next().is_some_and(|c| c.is_ascii_alphabetic() || c == '_')
        && letters.all(|c| c.is_ascii_alphanumeric() || c == '_')
}
