//! Selectors: which bodies a claim or an action is about.

use ironspin_model::{Body, NODE};

/// What selects the nodes of a skin.
const SKIN: &str = ".skin";

/// Ids of the bodies that the terms of a selector name, in the order of the ids: `*` all, `ingot` or `ingot[*]` every body of that
/// name, `ingot[3]` one, `ingot[0..3]` a span without its end, `ring` all nodes of a soft body, `ring.node[3]` one of them, several joined by
/// commas in a file. Empty when nothing matches.
pub(crate) fn select(terms: &[&str], bodies: &[Body]) -> Vec<usize> {
    (0..bodies.len()).filter(|&id| terms.iter().any(|term| matches(term, &bodies[id].name))).collect()
}

/// Whether a term of a selector names a body.
pub(crate) fn matches(term: &str, name: &str) -> bool {
    if term == "*" {
        return true;
    }
    let ((wanted, wanted_node), (own, own_node)) = (around_node(term), around_node(name));
    indexed_matches(wanted, own)
        && match (wanted_node, own_node) {
            (None, _) => true,
            (Some(_), None) => false,
            (Some(wanted), Some(own)) => indices_match(&indices(wanted), &indices(own)),
        }
}

/// Whether a term such as `node[*][2]` names the node behind a label.
pub(crate) fn node_matches(term: &str, label: &str) -> bool {
    term.strip_prefix(&NODE[1..]).is_some_and(|wanted| indices_match(&indices(wanted), &indices(label)))
}

/// A term for the skin of a soft body, without that word.
pub(crate) fn of_skin(term: &str) -> Option<&str> {
    term.strip_suffix(SKIN)
}

/// Whether a term speaks of nodes and not of a soft body as a whole.
pub(crate) fn speaks_of_nodes(term: &str) -> bool {
    around_node(term).1.is_some() || of_skin(term).is_some()
}

/// `ring[2].node[3]` to `("ring[2]", Some("[3]"))`.
pub(crate) fn around_node(name: &str) -> (&str, Option<&str>) {
    match name.split_once(NODE) {
        Some((soft, label)) if label.is_empty() || label.starts_with('[') => (soft, Some(label)),
        _ => (name, None),
    }
}

/// Whether the name behind a term, with its indices, is that of a body.
pub(crate) fn indexed_matches(term: &str, name: &str) -> bool {
    let base = |text: &str| text.split_once('[').map_or(text.len(), |(base, _)| base.len());
    // Most names are others, and need not be taken apart.
    term[..base(term)] == name[..base(name)] && indices_match(&indices(term), &indices(name))
}

fn indices_match(patterns: &[&str], indices: &[&str]) -> bool {
    patterns.len() <= indices.len()
        && patterns.iter().zip(indices).all(|(pattern, index)| index_matches(pattern, index))
}

/// `[3][1]` to `["3", "1"]`.
fn indices(label: &str) -> Vec<&str> {
    split(label).1
}

/// `ingot[3][1]` to `("ingot", ["3", "1"])`; of a node that of its soft body.
pub(crate) fn split(name: &str) -> (&str, Vec<&str>) {
    let (name, _) = around_node(name);
    let mut pieces = name.split('[');
    let base = pieces.next().unwrap_or(name);
    (base, pieces.map(|piece| piece.trim_end_matches(']')).collect())
}

fn index_matches(pattern: &str, index: &str) -> bool {
    if pattern == "*" {
        return true;
    }
    let Ok(index) = index.parse::<usize>() else { return false };
    match pattern.split_once("..") {
        Some((from, to)) => {
            let from = if from.is_empty() { Some(0) } else { from.parse().ok() };
            let to = if to.is_empty() { Some(usize::MAX) } else { to.parse().ok() };
            matches!((from, to), (Some(from), Some(to)) if (from..to).contains(&index))
        }
        None => pattern.parse() == Ok(index),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn terms_reach_bodies_soft_bodies_and_nodes() {
        for (term, name, expected) in [
            ("*", "ring.node[3]", true),
            ("ring", "ring.node[3]", true),
            ("ring.node", "ring.node[3]", true),
            ("ring.node[3]", "ring.node[3]", true),
            ("ring.node[2]", "ring.node[3]", false),
            ("ring.node[0..4]", "ring.node[3]", true),
            ("ring", "ringer", false),
            ("ring.node[3]", "ring", false),
            ("ring[1]", "ring[1].node[3]", true),
            ("ring.node[3]", "ring[1].node[3]", true),
            ("ring[2].node[3]", "ring[1].node[3]", false),
            ("sheet.node[*][0]", "sheet.node[4][0]", true),
            ("sheet.node[*][0]", "sheet.node[4][1]", false),
            ("ingot[3]", "ingot[3][1]", true),
        ] {
            assert_eq!(matches(term, name), expected, "{term} {name}");
        }
        assert!(
            node_matches("node[*][2]", "[4][2]")
                && !node_matches("node[3]", "[4][2]")
                && !node_matches("[4]", "[4][2]")
        );
        assert!(speaks_of_nodes("a.node[1]") && speaks_of_nodes("a.skin") && !speaks_of_nodes("a[1]"));
    }
}
