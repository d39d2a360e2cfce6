//! What failures in several scenes have in common.

use ironspin_lab::{CommonTrait, GridOrder, common_traits, plan_grid, run_trial};

fn shared(scenes: &[&str], engine: &str) -> Vec<CommonTrait> {
    let scenes = scenes.iter().map(|scene| (*scene).to_owned()).collect();
    let order = GridOrder::plain(scenes, vec![engine.to_owned()], vec!["1/60".parse().unwrap()]);
    let records: Vec<_> = plan_grid(&order).unwrap().iter().map(run_trial).collect();
    common_traits(&records)
}

#[test]
fn a_mistake_in_one_kind_of_joint_is_named_by_the_bodies_that_show_it() {
    let scenes = ["spring-hammer", "quay-joints", "coupled-pairs", "shape-orders"];
    let found = shared(&scenes, "builtin:fault=spring-too-soft");
    let [spring] = &found[..] else { panic!("{found:?}") };
    assert_eq!(spring.feature.word, "spring");
    assert!(spring.scenes == 3 && spring.failing >= 5 && spring.holding == 0 && spring.all_holding > 30, "{spring:?}");
}

#[test]
fn nothing_is_said_where_little_fails_or_where_all_bodies_are_alike() {
    assert!(shared(&["spring-hammer", "quay-joints"], "builtin").is_empty());
    // One scene proves nothing of others.
    assert!(shared(&["spring-hammer"], "builtin:fault=spring-too-soft").is_empty());
    // All balls are discs here, those that hold as well.
    let discs = shared(&["bearing-drop", "bearing-trays"], "builtin:fault=restitution-of-height");
    assert!(discs.iter().all(|found| found.feature.word != "disc"), "{discs:?}");
}
