//! The scenes that come inside the program.

/// Name and text of each bundled scene, in the order in which they are best met.
const BUNDLED: [(&str, &str); 62] = [
    ("first-drop", include_str!("../../../scenes/first-drop.toml")),
    ("bearing-drop", include_str!("../../../scenes/bearing-drop.toml")),
    ("bearing-trays", include_str!("../../../scenes/bearing-trays.toml")),
    ("ingot-stack", include_str!("../../../scenes/ingot-stack.toml")),
    ("ingot-wall", include_str!("../../../scenes/ingot-wall.toml")),
    ("billet-pyramid", include_str!("../../../scenes/billet-pyramid.toml")),
    ("billet-bin", include_str!("../../../scenes/billet-bin.toml")),
    ("heavy-on-light", include_str!("../../../scenes/heavy-on-light.toml")),
    ("lift-the-pile", include_str!("../../../scenes/lift-the-pile.toml")),
    ("wagon-count", include_str!("../../../scenes/wagon-count.toml")),
    ("buffer-row", include_str!("../../../scenes/buffer-row.toml")),
    ("slow-buffers", include_str!("../../../scenes/slow-buffers.toml")),
    ("glancing-discs", include_str!("../../../scenes/glancing-discs.toml")),
    ("lively-crowd", include_str!("../../../scenes/lively-crowd.toml")),
    ("rivet-shot", include_str!("../../../scenes/rivet-shot.toml")),
    ("rivet-hung", include_str!("../../../scenes/rivet-hung.toml")),
    ("rivet-blade", include_str!("../../../scenes/rivet-blade.toml")),
    ("rivet-swarm", include_str!("../../../scenes/rivet-swarm.toml")),
    ("rivet-fence", include_str!("../../../scenes/rivet-fence.toml")),
    ("rivet-ray", include_str!("../../../scenes/rivet-ray.toml")),
    ("slag-lob", include_str!("../../../scenes/slag-lob.toml")),
    ("ladle-swing", include_str!("../../../scenes/ladle-swing.toml")),
    ("spring-hammer", include_str!("../../../scenes/spring-hammer.toml")),
    ("coupled-pairs", include_str!("../../../scenes/coupled-pairs.toml")),
    ("bellows-size", include_str!("../../../scenes/bellows-size.toml")),
    ("bladder-bounce", include_str!("../../../scenes/bladder-bounce.toml")),
    ("mooring-rope", include_str!("../../../scenes/mooring-rope.toml")),
    ("coupling-chain", include_str!("../../../scenes/coupling-chain.toml")),
    ("hammer-pad", include_str!("../../../scenes/hammer-pad.toml")),
    ("quay-joints", include_str!("../../../scenes/quay-joints.toml")),
    ("flywheel", include_str!("../../../scenes/flywheel.toml")),
    ("chute", include_str!("../../../scenes/chute.toml")),
    ("slide-court", include_str!("../../../scenes/slide-court.toml")),
    ("roller-table", include_str!("../../../scenes/roller-table.toml")),
    ("tip-test", include_str!("../../../scenes/tip-test.toml")),
    ("conveyor", include_str!("../../../scenes/conveyor.toml")),
    ("rising-platform", include_str!("../../../scenes/rising-platform.toml")),
    ("greased-floor", include_str!("../../../scenes/greased-floor.toml")),
    ("plate-seams", include_str!("../../../scenes/plate-seams.toml")),
    ("gate-layers", include_str!("../../../scenes/gate-layers.toml")),
    ("turnstile", include_str!("../../../scenes/turnstile.toml")),
    ("sorting-eyes", include_str!("../../../scenes/sorting-eyes.toml")),
    ("shape-court", include_str!("../../../scenes/shape-court.toml")),
    ("hopper-count", include_str!("../../../scenes/hopper-count.toml")),
    ("shot-sorter", include_str!("../../../scenes/shot-sorter.toml")),
    ("vent-barrier", include_str!("../../../scenes/vent-barrier.toml")),
    ("crane-forecast", include_str!("../../../scenes/crane-forecast.toml")),
    ("yard-edge", include_str!("../../../scenes/yard-edge.toml")),
    ("cleared-track", include_str!("../../../scenes/cleared-track.toml")),
    ("trapdoors", include_str!("../../../scenes/trapdoors.toml")),
    ("shape-cuts", include_str!("../../../scenes/shape-cuts.toml")),
    ("casting-split", include_str!("../../../scenes/casting-split.toml")),
    ("casting-halves", include_str!("../../../scenes/casting-halves.toml")),
    ("tight-crates", include_str!("../../../scenes/tight-crates.toml")),
    ("push-bench", include_str!("../../../scenes/push-bench.toml")),
    ("shape-orders", include_str!("../../../scenes/shape-orders.toml")),
    ("contact-thrift", include_str!("../../../scenes/contact-thrift.toml")),
    ("solid-drop", include_str!("../../../scenes/solid-drop.toml")),
    ("solid-bearings", include_str!("../../../scenes/solid-bearings.toml")),
    ("solid-tower", include_str!("../../../scenes/solid-tower.toml")),
    ("solid-wall", include_str!("../../../scenes/solid-wall.toml")),
    ("solid-tumble", include_str!("../../../scenes/solid-tumble.toml")),
];

/// The names of all bundled scenes.
pub fn names() -> impl Iterator<Item = &'static str> + Clone {
    BUNDLED.iter().map(|(name, _)| *name)
}

/// The text of a bundled scene.
pub fn find(name: &str) -> Option<&'static str> {
    BUNDLED.iter().find(|(known, _)| *known == name).map(|(_, text)| *text)
}
