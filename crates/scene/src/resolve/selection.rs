//! Selectors with index expressions, and groups.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{Ordered, Placed};
use crate::names::Names;
use crate::select::{indexed_matches, of_skin, select, speaks_of_nodes, split};
use ironspin_model::{Body, SoftBody};
use std::collections::BTreeSet;

/// Longest selector, also once its groups are replaced, letters.
const SELECTOR_LIMIT: usize = 1_000_000;

impl Resolver {
    /// Names for sets of bodies; a group may use those above it.
    pub(super) fn note_groups(&mut self, table: &Ordered<Placed<String>>, bodies: &[Body]) -> Result<(), Diagnostic> {
        let names: BTreeSet<&str> = bodies.iter().map(|body| split(&body.name).0).collect();
        for (name, selector) in &table.0 {
            let plain = name.get_ref();
            if names.contains(plain.as_str()) {
                return Err(Diagnostic::at(name.span(), format!("`{plain}` is the name of a body already"))
                    .label("give the group another name"));
            }
            // It must name something now, not only when it is used.
            self.selected(selector, bodies, &self.names)?;
            let text = self.with_worked_out_indices(selector, &self.names)?;
            let stands_for = self.spread(&text);
            if stands_for.len() > SELECTOR_LIMIT {
                return Err(Diagnostic::at(selector.span(), "the group stands for too long a list")
                    .label(format!("{} letters, of {SELECTOR_LIMIT}", stands_for.len())));
            }
            self.groups.insert(plain.clone(), stands_for);
        }
        Ok(())
    }

    /// Replaces names of groups by what they stand for.
    fn spread(&self, selector: &str) -> String {
        let term = |term: &str| {
            let group = self.groups.get(term.trim());
            group.map_or_else(|| term.trim().to_owned(), Clone::clone)
        };
        selector.split(',').map(term).collect::<Vec<_>>().join(", ")
    }

    /// The bodies of a selector, of which there must be one at least.
    pub(super) fn selected(
        &self,
        selector: &Placed<String>,
        bodies: &[Body],
        names: &Names,
    ) -> Result<Vec<usize>, Diagnostic> {
        let text = self.with_worked_out_indices(selector, names)?;
        if let Some(&id) = self.cast.ids.get(&text) {
            return Ok(vec![id]);
        }
        let spread = self.spread(&text);
        // A comparison costs the more the longer a term is; whole names are looked up.
        let weight: usize = self.patterns(&spread).map(|term| 1 + term.len() / 16).sum();
        self.budget.spend(Cost::Compared, bodies.len().saturating_mul(weight), || selector.span())?;
        let found = self.select(&spread, bodies);
        self.budget.spend(Cost::Named, found.len(), || selector.span())?;
        if !found.is_empty() {
            return Ok(found);
        }
        let mut known: Vec<&str> = bodies.iter().map(|body| split(&body.name).0).collect();
        known.dedup();
        known.extend(self.groups.keys().map(String::as_str));
        let diagnostic =
            Diagnostic::at(selector.span(), format!("no body is called `{text}`")).label("matches nothing");
        let base = split(&text).0;
        Err(if known.contains(&base) {
            let last =
                bodies.iter().rev().find(|body| split(&body.name).0 == base).map_or("", |body| body.name.as_str());
            let all = if speaks_of_nodes(&text) { format!("{base}.node") } else { base.to_owned() };
            diagnostic.help(format!("the last one is `{last}`; write `{all}[*]` for all"))
        } else {
            diagnostic.help_names(base, known)
        })
    }

    /// The terms of a selector that are no whole name of a body.
    fn patterns<'a>(&self, text: &'a str) -> impl Iterator<Item = &'a str> {
        text.split(',').map(str::trim).filter(|term| !self.cast.ids.contains_key(*term))
    }

    /// Ids of the bodies and nodes that a selector names, its groups replaced and its indices worked out.
    fn select(&self, text: &str, bodies: &[Body]) -> Vec<usize> {
        let patterns: Vec<&str> = self.patterns(text).collect();
        let mut found = if patterns.is_empty() { Vec::new() } else { select(&patterns, bodies) };
        found.extend(text.split(',').filter_map(|term| self.cast.ids.get(term.trim())));
        for term in text.split(',').filter_map(|term| of_skin(term.trim())) {
            for soft in self.softs.iter().filter(|soft| indexed_matches(term, &soft.name)) {
                found.extend(soft.skin_nodes().flatten().map(|node| soft.nodes.start + node));
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// What an action is done to: bodies and nodes by their ids, and soft bodies that are named as a whole by theirs.
    pub(super) fn targets(
        &self,
        selector: &Placed<String>,
        bodies: &[Body],
        names: &Names,
    ) -> Result<Vec<usize>, Diagnostic> {
        let mut found = self.selected(selector, bodies, names)?;
        if self.softs.is_empty() {
            return Ok(found);
        }
        let text = self.spread(&self.with_worked_out_indices(selector, names)?);
        let whole = |soft: &SoftBody| {
            let named = |term: &str| term == "*" || (!speaks_of_nodes(term) && indexed_matches(term, &soft.name));
            text.split(',').any(|term| named(term.trim()))
        };
        for (number, soft) in self.softs.iter().enumerate().filter(|(_, soft)| whole(soft)) {
            found.retain(|id| !soft.nodes.contains(id));
            found.push(bodies.len() + number);
        }
        Ok(found)
    }

    /// Exactly one body.
    pub(super) fn one(&self, selector: &Placed<String>, bodies: &[Body], names: &Names) -> Result<usize, Diagnostic> {
        let found = self.selected(selector, bodies, names)?;
        if let [only] = found.as_slice() {
            if self.softs.iter().any(|soft| soft.nodes.contains(only)) {
                return Err(Diagnostic::at(
                    selector.span(),
                    format!("`{}` is a node of a soft body, and joints hold rigid bodies", bodies[*only].name),
                )
                .label("not a rigid body"));
            }
            return Ok(*only);
        }
        let (first, last) = (&bodies[found[0]].name, &bodies[found[found.len() - 1]].name);
        Err(Diagnostic::at(
            selector.span(),
            format!("`{}` names {} bodies, and one is expected", selector.get_ref(), found.len()),
        )
        .label(format!("from `{first}` to `{last}`")))
    }

    /// Replaces index expressions such as `count-1` in a selector by their values.
    pub(super) fn with_worked_out_indices(
        &self,
        selector: &Placed<String>,
        names: &Names,
    ) -> Result<String, Diagnostic> {
        let mut out = String::new();
        let mut rest = selector.get_ref().as_str();
        if rest.len() > SELECTOR_LIMIT {
            return Err(Diagnostic::at(selector.span(), format!("a selector has {SELECTOR_LIMIT} letters at most"))
                .label(format!("has {}", rest.len())));
        }
        while let Some((head, tail)) = rest.split_once('[') {
            let (inside, after) = tail.split_once(']').ok_or_else(|| {
                Diagnostic::at(selector.span(), format!("`{}` has no closing bracket", selector.get_ref()))
                    .help("write `ingot[*]` or `ingot[3]`")
            })?;
            let bounds: Vec<String> = if inside.trim() == "*" {
                vec!["*".to_owned()]
            } else {
                inside.split("..").map(|bound| self.index(bound, selector, names)).collect::<Result<_, _>>()?
            };
            out.push_str(&format!("{head}[{}]", bounds.join("..")));
            rest = after;
        }
        out.push_str(rest);
        Ok(out)
    }

    /// One end of a span, or the only index; an end left out stays out.
    fn index(&self, text: &str, selector: &Placed<String>, names: &Names) -> Result<String, Diagnostic> {
        let text = text.trim();
        if text.is_empty() || text.bytes().all(|c| c.is_ascii_digit()) {
            return Ok(text.to_owned());
        }
        let value = self.evaluator.evaluate_at(text, selector.span(), names)?;
        if value < 0.0 || value.fract() != 0.0 {
            return Err(Diagnostic::at(selector.span(), format!("`{text}` gives {value}, which is no index"))
                .label("expected a whole number from 0"));
        }
        Ok(format!("{value}"))
    }
}
