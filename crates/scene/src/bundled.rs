//! The scenes that come inside the program.

/// Name and text of each bundled scene, in the order in which they are best met.
const BUNDLED: [(&str, &str); 13] = [
    ("bearing-drop", include_str!("../../../scenes/bearing-drop.toml")),
    ("ingot-stack", include_str!("../../../scenes/ingot-stack.toml")),
    ("wagon-count", include_str!("../../../scenes/wagon-count.toml")),
    ("rivet-shot", include_str!("../../../scenes/rivet-shot.toml")),
    ("chute", include_str!("../../../scenes/chute.toml")),
    ("roller-table", include_str!("../../../scenes/roller-table.toml")),
    ("buffer-row", include_str!("../../../scenes/buffer-row.toml")),
    ("flywheel", include_str!("../../../scenes/flywheel.toml")),
    ("billet-pyramid", include_str!("../../../scenes/billet-pyramid.toml")),
    ("heavy-on-light", include_str!("../../../scenes/heavy-on-light.toml")),
    ("conveyor", include_str!("../../../scenes/conveyor.toml")),
    ("gate-layers", include_str!("../../../scenes/gate-layers.toml")),
    ("casting-split", include_str!("../../../scenes/casting-split.toml")),
];

/// The names of all bundled scenes.
pub fn names() -> impl Iterator<Item = &'static str> + Clone {
    BUNDLED.iter().map(|(name, _)| *name)
}

/// The text of a bundled scene.
pub fn find(name: &str) -> Option<&'static str> {
    BUNDLED.iter().find(|(known, _)| *known == name).map(|(_, text)| *text)
}
