//! The nearest known name to a misspelt one.

/// The known name nearest to `found`, if any is near enough to have been meant: at most a third of its letters off
/// (Damerau-Levenshtein distance), or one being the start of the other.
pub fn nearest<'a>(found: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let plain = found.to_lowercase();
    known
        .into_iter()
        .map(|name| {
            let other = name.to_lowercase();
            let off = strsim::damerau_levenshtein(&plain, &other);
            let prefix = plain.len() >= 3 && (other.starts_with(&plain) || plain.starts_with(&other));
            (if prefix { off.min(1) } else { off }, name)
        })
        .filter(|(off, name)| *off <= (name.chars().count().max(3)) / 3)
        .min_by_key(|(off, _)| *off)
        .map(|(_, name)| name)
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn a_slip_finds_the_word_and_noise_finds_none() {
        let known = ["density", "friction", "restitution"];
        assert_eq!(nearest("frictoin", known), Some("friction"));
        assert_eq!(nearest("Density", known), Some("density"));
        assert_eq!(nearest("rest", known), Some("restitution"));
        assert_eq!(nearest("colour", known), None);
        assert_eq!(nearest("x", []), None);
    }
}
