//! Bundled scenes pass on the sound engine and notice a bad setting or a fault by the claim that is meant for it.

use crate::util::Yard;

#[test]
fn every_bundled_scene_passes_on_the_sound_engine_without_a_warning() {
    let yard = Yard::new();
    let names: Vec<&str> = ironspin_scene::bundled::names().collect();
    yard.expect(0, &format!("scenes check {} --strict", names.join(" ")));
    yard.expect(0, &format!("run {} --dt 1/60,1/240", names.join(" ")));
}

#[test]
fn bad_settings_and_faults_are_noticed_by_the_claims_meant_for_them() {
    const CARELESS: &str = "builtin:swept=off,warm-start=off,substeps=1,iterations=4";
    let yard = Yard::new();
    for (scene, engine, gauges) in [
        ("chute", CARELESS, vec!["creep.rate"]),
        ("chute", "builtin:fault=gravity-twice", vec!["value.speed", "value.spin"]),
        ("roller-table", "builtin:fault=half-sizes", vec!["value.vx", "value.spin"]),
        ("buffer-row", "builtin:fault=one-answers", vec!["value.vx", "momentum.balance", "energy.drift"]),
        ("buffer-row", "builtin:fault=half-sizes", vec!["impacts.count"]),
        ("billet-pyramid", CARELESS, vec!["stands", "creep.rate", "jitter.speed"]),
        ("heavy-on-light", CARELESS, vec!["stands"]),
        ("conveyor", "builtin:fault=half-sizes", vec!["value.y"]),
        ("conveyor", "builtin:fault=gravity-twice", vec!["value.x"]),
        ("gate-layers", "builtin:fault=half-sizes", vec!["value.x"]),
        ("casting-split", "builtin:fault=gravity-twice", vec!["energy.drift"]),
    ] {
        let result = yard.json(1, &format!("{scene} --engine {engine}"));
        let failed: Vec<&str> = result["trials"][0]["claims"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|claim| claim["verdict"] == "fail")
            .map(|claim| claim["gauge"].as_str().unwrap())
            .collect();
        assert!(gauges.iter().all(|gauge| failed.contains(gauge)), "{scene} on {engine}: {failed:?}");
    }
}
