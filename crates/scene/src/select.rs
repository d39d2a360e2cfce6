//! Selectors: which bodies a claim or an action is about.

use ironspin_model::Body;

/// Ids of the bodies a selector names, in the order of the ids: `*` all, `ingot` or `ingot[*]` every body of that
/// name, `ingot[3]` one, `ingot[0..3]` a span without its end, several joined by commas. Empty when nothing matches.
pub(crate) fn select(selector: &str, bodies: &[Body]) -> Vec<usize> {
    let terms: Vec<(&str, Vec<&str>)> = selector.split(',').map(|term| split(term.trim())).collect();
    (0..bodies.len())
        .filter(|&id| {
            let (base, indices) = split(&bodies[id].name);
            terms.iter().any(|(wanted, patterns)| {
                (*wanted == "*" && patterns.is_empty())
                    || (*wanted == base
                        && patterns.len() <= indices.len()
                        && patterns.iter().zip(&indices).all(|(pattern, index)| index_matches(pattern, index)))
            })
        })
        .collect()
}

/// `ingot[3][1]` to `("ingot", ["3", "1"])`.
pub(crate) fn split(name: &str) -> (&str, Vec<&str>) {
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
