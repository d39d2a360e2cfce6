//! The scenes that come inside the program.

/// Name and text of each bundled scene, in the order in which they are best met.
const BUNDLED: [(&str, &str); 4] = [
    ("bearing-drop", include_str!("../../../scenes/bearing-drop.toml")),
    ("ingot-stack", include_str!("../../../scenes/ingot-stack.toml")),
    ("wagon-count", include_str!("../../../scenes/wagon-count.toml")),
    ("rivet-shot", include_str!("../../../scenes/rivet-shot.toml")),
];

/// The names of all bundled scenes.
pub fn names() -> impl Iterator<Item = &'static str> + Clone {
    BUNDLED.iter().map(|(name, _)| *name)
}

/// The text of a bundled scene.
pub fn find(name: &str) -> Option<&'static str> {
    BUNDLED.iter().find(|(known, _)| *known == name).map(|(_, text)| *text)
}
