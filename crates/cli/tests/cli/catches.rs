//! Bundled scenes pass on the sound engine and notice a bad setting or a fault by the claim that is meant for it.

use crate::util::Yard;

#[test]
fn every_bundled_scene_passes_on_the_sound_engine_without_a_warning() {
    let yard = Yard::new();
    let names: Vec<&str> = ironspin_scene::bundled::names().collect();
    yard.expect(0, &format!("scenes check {} --strict", names.join(" ")));
    // At 1/60 the hopper's lumps sink in by the step alone, as its header says.
    let coarse: Vec<&str> = names.iter().copied().filter(|name| *name != "hopper-count").collect();
    yard.expect(0, &format!("run {} --dt 1/60", coarse.join(" ")));
    yard.expect(0, &format!("run {} --dt 1/240", names.join(" ")));
}

/// The gauges whose claims fail, each once, in the order of the scene.
fn broken(yard: &Yard, scene: &str, engine: &str) -> Vec<String> {
    let result = yard.json(1, &format!("{scene} --engine {engine}"));
    let mut failed: Vec<String> = Vec::new();
    for claim in result["trials"][0]["claims"].as_array().unwrap() {
        let gauge = claim["gauge"].as_str().unwrap().to_owned();
        if claim["verdict"] == "fail" && !failed.contains(&gauge) {
            failed.push(gauge);
        }
    }
    failed
}

/// Each scene with a setting or fault that breaks it, and every gauge that must notice: no other may.
#[test]
fn each_scene_is_broken_by_a_bad_setting_for_the_right_reason_only() {
    const CARELESS: &str = "builtin:swept=off,warm-start=off,substeps=1,iterations=4";
    const HALF: &str = "builtin:fault=half-sizes";
    const TWICE: &str = "builtin:fault=gravity-twice";
    const WEAK: &str = "builtin:fault=force-too-weak";
    const EXPLICIT: &str = "builtin:integrator=explicit-euler";
    let yard = Yard::new();
    for (scene, engine, gauges) in [
        ("first-drop", HALF, vec!["rest.gap"]),
        ("solid-drop", HALF, vec!["value.y"]),
        ("solid-drop", TWICE, vec!["path.error"]),
        ("solid-drop", "builtin:fault=quaternion-scalar-last", vec!["value.y", "value.measure", "value.wy"]),
        ("solid-drop", "builtin:fault=spin-about-own-axes", vec!["value.measure"]),
        ("solid-drop", "builtin:fault=inertia-along-world-axes", vec!["value.wy"]),
        ("solid-bearings", "builtin:fault=restitution-of-height", vec!["rebound.speed"]),
        ("solid-tower", CARELESS, vec!["stands", "overlap.deepest", "creep.rate"]),
        ("solid-wall", CARELESS, vec!["stands", "jitter.steps", "overlap.deepest"]),
        ("solid-tumble", "builtin:fault=inertia-along-world-axes", vec!["value.wx", "value.wz", "angular.balance"]),
        ("struck-bars", "builtin:fault=inertia-diagonal-only", vec!["value.wx", "value.wz"]),
        ("shape-yard", "builtin:fault=edges-missed", vec!["tunnel.count"]),
        ("shape-yard", "builtin:fault=mesh-one-sided", vec!["overlap.share", "tunnel.count"]),
        ("square-pyramid", CARELESS, vec!["stands", "jitter.speed", "creep.rate"]),
        ("kiln-rings", CARELESS, vec!["stands", "jitter.steps", "overlap.deepest", "creep.rate"]),
        ("drum-stack", "builtin:fault=cylinder-with-round-ends", vec!["stands"]),
        ("plate-dominoes", HALF, vec!["tunnel.count"]),
        ("plank-bridge", "builtin:fault=joint-drifts", vec!["measure.largest"]),
        (
            "slanted-buffers",
            "builtin:fault=one-answers",
            vec!["value.measure", "impacts.count", "energy.drift", "momentum.balance"],
        ),
        ("ball-break", HALF, vec!["value.vx", "value.vz"]),
        ("slanted-count", "builtin:fault=slow-bounces-dropped", vec!["impacts.count", "energy.drift"]),
        ("solid-shot", "builtin:swept=off", vec!["tunnel.count"]),
        ("solid-hung", "builtin:swept=off", vec!["tunnel.count", "value.vx"]),
        ("sheet-shot", "builtin:swept=off", vec!["tunnel.count"]),
        ("solid-ray", "builtin:fault=part-not-turned", vec!["ray.error"]),
        ("solid-gates", "builtin:fault=filter-one-way", vec!["measure.largest", "value.x", "filter.breaches"]),
        ("solid-turnstile", "builtin:fault=sensor-at-the-end-of-a-step", vec!["sensor.wrong"]),
        (
            "solid-belts",
            "builtin:fault=driver-does-not-carry",
            vec!["measure.largest", "friction.isotropy", "value.measure"],
        ),
        (
            "spinning-top",
            "builtin:fault=gyroscopic-term-left-out",
            vec!["precession.rate", "measure.largest", "energy.drift"],
        ),
        ("spinning-top", "builtin:fault=quaternion-not-normalised", vec!["quaternion.norm"]),
        ("flip-plate", "builtin:fault=gyroscopic-term-left-out", vec!["time.when", "spin.balance", "precession.rate"]),
        ("slanted-flywheel", WEAK, vec!["value.measure"]),
        ("compass-slope", "builtin:fault=ball-like-a-shell", vec!["measure.largest"]),
        ("compass-court", "builtin:fault=friction-pyramid", vec!["friction.isotropy", "measure.largest"]),
        ("solid-couples", "builtin:fault=spring-too-soft", vec!["energy.drift", "period.mean"]),
        ("solid-limits", "builtin:fault=limits-of-the-wrong-sign", vec!["value.measure"]),
        ("mesh-seams", "builtin:fault=seams-catch", vec!["measure.largest"]),
        ("shot-bowl", HALF, vec!["tunnel.count", "overlap.share", "escape.count"]),
        ("cell-cut", "builtin:fault=split-loses-turning", vec!["value.vx", "value.vz"]),
        (
            "bar-sorter",
            "builtin:fault=gravity-sideways",
            vec!["spread.mean", "value.measure", "spread.deviation", "escape.count"],
        ),
        ("solid-forecast", "builtin:fault=restore-forgets-turn", vec!["forecast.error"]),
        ("solid-orders", WEAK, vec!["measure.largest"]),
        ("carried-loads", "builtin:fault=spring-too-soft", vec!["measure.largest"]),
        ("swing-cone", "builtin:fault=z-mirrored", vec!["path.error", "measure.largest"]),
        ("tip-compass", "builtin:fault=one-contact-point", vec!["stands", "creep.rate"]),
        ("bellows-size", EXPLICIT, vec!["value.x", "volume.change", "strain.largest", "growth.rate"]),
        ("bladder-bounce", TWICE, vec!["value.y", "energy.gain"]),
        ("mooring-rope", TWICE, vec!["value.x", "value.y", "strain.largest"]),
        ("coupling-chain", EXPLICIT, vec!["growth.rate", "strain.largest", "period.mean", "escape.count"]),
        (
            "hammer-pad",
            EXPLICIT,
            vec!["angular.balance", "cells.inverted", "skin.passed", "energy.gain", "growth.rate"],
        ),
        (
            "gas-globe",
            "builtin:fault=volume-of-bounding-ball",
            vec!["measure.largest", "volume.change", "strain.largest", "shape.error"],
        ),
        ("globe-drop", TWICE, vec!["energy.gain"]),
        ("felt-cube", "builtin:fault=matching-by-half", vec!["period.mean"]),
        ("stick-frame", "builtin:fault=sticks-as-springs", vec!["stick.error", "shape.error"]),
        (
            "dented-gasket",
            "builtin:fault=never-yields",
            vec!["measure.largest", "measure.smallest", "period.mean", "dent.kept"],
        ),
        ("corner-sheet", "builtin:fault=held-nodes-fall", vec!["value.z", "strain.largest"]),
        ("pad-pile", "builtin:fault=soft-misses-soft", vec!["value.y"]),
        (
            "slung-beam",
            "builtin:fault=pins-along-world",
            vec!["period.mean", "pin.error", "measure.largest", "energy.drift"],
        ),
        ("felt-tumble", "builtin:fault=goals-unturned", vec!["angular.balance", "energy.drift"]),
        ("pressed-gasket", "builtin:fault=yields-one-way", vec!["dent.kept", "measure.smallest", "period.mean"]),
        ("bladder-gap", "builtin:fault=volume-of-bounding-ball", vec!["shape.regained"]),
        ("quay-plate", "builtin:fault=net-damping-left-out", vec!["measure.largest"]),
        ("bladder-throw", "builtin:swept=off", vec!["soft.tunnel", "tunnel.count", "measure.largest"]),
        ("globe-kinds", "builtin:fault=volume-of-bounding-ball", vec!["volume.change", "volume.law"]),
        ("bladders-pressed", "builtin:fault=soft-misses-soft", vec!["skin.crossed"]),
        ("rubber-ring", "builtin:fault=volume-of-bounding-ball", vec!["skin.crossed"]),
        ("slag-comet", WEAK, vec!["time.when", "measure.largest", "value.measure", "energy.drift"]),
        ("magnet-crane", WEAK, vec!["time.when"]),
        ("solid-comet", "builtin:fault=mass-ignored", vec!["time.when", "measure.largest"]),
        ("sheet-wind", WEAK, vec!["time.when", "value.x", "way.length"]),
        ("buoy", TWICE, vec!["period.mean", "measure.largest", "energy.drift"]),
        ("spring-row", "builtin:fault=mass-ignored", vec!["period.mean"]),
        ("hop-times", "builtin:fault=restitution-of-height", vec!["time.impact", "measure.largest"]),
        ("first-drop", TWICE, vec!["fall.ratio", "ghost.speed"]),
        ("bearing-trays", "builtin:fault=restitution-of-height", vec!["rebound.speed"]),
        ("ingot-wall", HALF, vec!["stands", "jitter.steps"]),
        ("lift-the-pile", "builtin:fault=slop-of-metres", vec!["value.y", "overlap.share"]),
        ("glancing-discs", "builtin:fault=restitution-of-height", vec!["value.vx", "value.vy"]),
        ("rivet-hung", "builtin:swept=off", vec!["tunnel.count", "value.vx"]),
        ("rivet-blade", "builtin:swept=off", vec!["tunnel.count"]),
        ("rivet-swarm", "builtin:swept=off", vec!["tunnel.count"]),
        ("rivet-ray", HALF, vec!["ray.error", "value.x"]),
        ("rivet-ray", "builtin:swept=off", vec!["value.x"]),
        ("slag-lob", TWICE, vec!["path.error", "energy.drift"]),
        ("ladle-swing", TWICE, vec!["period.mean", "energy.drift"]),
        ("spring-hammer", EXPLICIT, vec!["energy.drift", "path.error", "energy.gain"]),
        ("tip-test", HALF, vec!["stands"]),
        ("rising-platform", HALF, vec!["path.error", "overlap.share"]),
        ("greased-floor", HALF, vec!["creep.rate", "jitter.steps"]),
        ("plate-seams", HALF, vec!["ghost.count", "value.vx", "path.error"]),
        ("turnstile", HALF, vec!["sensor.wrong"]),
        ("shape-court", HALF, vec!["overlap.share", "tunnel.count", "ghost.count"]),
        ("hopper-count", HALF, vec!["tunnel.count", "escape.count", "overlap.share"]),
        ("shot-sorter", "builtin:fault=gravity-per-mass", vec!["spread.deviation", "spread.kolmogorov"]),
        ("vent-barrier", "builtin:swept=off", vec!["energy.drift"]),
        ("crane-forecast", "builtin:fault=forgets-on-restore", vec!["forecast.error"]),
        ("yard-edge", TWICE, vec!["momentum.balance"]),
        ("contact-thrift", HALF, vec!["contacts.points"]),
        ("bearing-drop", "builtin:fault=restitution-of-height", vec!["rebound.speed", "rebound.height"]),
        ("ingot-stack", CARELESS, vec!["stands", "jitter.speed", "overlap.deepest", "creep.rate"]),
        ("billet-pyramid", CARELESS, vec!["jitter.speed", "creep.rate", "overlap.deepest"]),
        ("heavy-on-light", CARELESS, vec!["stands", "overlap.deepest"]),
        ("tight-crates", HALF, vec!["overlap.deepest"]),
        ("wagon-count", CARELESS, vec!["impacts.count", "escape.count"]),
        ("wagon-count", "builtin:fault=one-answers", vec!["energy.drift", "momentum.balance"]),
        (
            "buffer-row",
            "builtin:fault=one-answers",
            vec!["value.vx", "impacts.count", "energy.drift", "momentum.balance"],
        ),
        ("slow-buffers", "builtin:fault=slow-bounces-dropped", vec!["value.vx"]),
        ("buffer-row", HALF, vec!["value.vx", "impacts.count"]),
        ("rivet-shot", "builtin:swept=off", vec!["tunnel.count"]),
        ("flywheel", "builtin:fault=hidden-spin-damping", vec!["value.spin", "angular.balance", "energy.drift"]),
        ("chute", CARELESS, vec!["creep.rate"]),
        ("chute", TWICE, vec!["value.speed", "value.spin"]),
        ("roller-table", HALF, vec!["value.vx"]),
        ("conveyor", HALF, vec!["value.x", "value.y"]),
        ("conveyor", TWICE, vec!["value.x"]),
        ("gate-layers", HALF, vec!["value.x"]),
        ("gate-layers", "builtin:fault=apart-forgotten", vec!["value.x"]),
        ("casting-split", "builtin:fault=hidden-spin-damping", vec!["value.vx", "value.spin", "energy.drift"]),
        ("casting-halves", "builtin:fault=hidden-spin-damping", vec!["value.spin", "energy.drift"]),
        ("quay-joints", "builtin:fault=rod-bears-no-push", vec!["value.y"]),
        ("trapdoors", "builtin:fault=apart-forgotten", vec!["value.y"]),
        ("shape-cuts", "builtin:fault=removal-ignored", vec!["value.vx"]),
        ("shape-orders", "builtin:fault=spin-order-ignored", vec!["value.spin"]),
        ("sorting-eyes", "builtin:fault=sensor-pushes", vec!["sensor.wrong", "ghost.count", "value.x"]),
        ("rivet-fence", "builtin:swept=off", vec!["tunnel.count"]),
        ("push-bench", "builtin:fault=impulse-point-ignored", vec!["value.spin"]),
    ] {
        assert_eq!(broken(&yard, scene, engine), gauges, "{scene} on {engine}");
    }
}
