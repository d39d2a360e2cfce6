//! The same world in other units, of another size, far out, under other clocks.

use ironspin_lab::{GridOrder, TrialRecord, plan_grid, run_trial};
use ironspin_model::{Clock, ClockKind, Verdict};

fn order(scene: &str, step: &str) -> GridOrder {
    GridOrder::plain(vec![scene.to_owned()], vec!["builtin".to_owned()], vec![step.parse().unwrap()])
}

fn one(order: &GridOrder) -> TrialRecord {
    run_trial(&plan_grid(order).unwrap()[0])
}

/// The end of a trial to the last digit; not-a-number equals itself.
fn end(record: &TrialRecord) -> String {
    format!("{:?}", record.recording.end)
}

fn bits(record: &TrialRecord) -> Vec<Option<u64>> {
    record.claims.iter().map(|claim| claim.measured.map(f64::to_bits)).collect()
}

/// Scenes that between them have stacks, joints, springs, motors, scripted motion, splits, sensors, rays and forecasts.
const SCENES: [&str; 9] = [
    "ingot-stack",
    "ladle-swing",
    "spring-hammer",
    "turnstile",
    "rising-platform",
    "casting-split",
    "gate-layers",
    "rivet-ray",
    "crane-forecast",
];

#[test]
fn other_units_change_not_a_bit() {
    for scene in SCENES {
        let plain = one(&order(scene, "1/60"));
        for units in ["2^-10", "2^10"] {
            let reported = one(&GridOrder { units: vec![units.parse().unwrap()], ..order(scene, "1/60") });
            assert_eq!(end(&reported), end(&plain), "{scene} in units {units}");
            assert_eq!(bits(&reported), bits(&plain), "{scene} in units {units}");
        }
    }
}

#[test]
fn a_world_four_times_as_big_at_a_step_is_the_plain_one_at_half_the_step() {
    for scene in SCENES {
        let plain = one(&order(scene, "1/128"));
        let big = one(&GridOrder { sizes: vec!["4".parse().unwrap()], ..order(scene, "1/64") });
        assert_eq!(big.steps, plain.steps, "{scene}");
        assert_eq!(end(&big), end(&plain), "{scene}");
        assert_eq!(bits(&big), bits(&plain), "{scene}");
    }
}

#[test]
fn far_out_the_coarse_numbers_show_and_results_come_back_in_place() {
    let plain = one(&order("ingot-stack", "1/60"));
    let far = one(&GridOrder { origins: vec!["1e3:-2e3".parse().unwrap()], ..order("ingot-stack", "1/60") });
    assert_eq!(far.verdict, Verdict::Pass);
    for (far, plain) in far.recording.end.iter().zip(&plain.recording.end) {
        assert!(
            far.pose.position.distance(plain.pose.position) < 1e-6,
            "{} {}",
            far.pose.position,
            plain.pose.position
        );
    }
    let very_far = one(&GridOrder { origins: vec!["1e15".parse().unwrap()], ..order("slag-lob", "1/60") });
    assert_ne!(very_far.verdict, Verdict::Pass, "positions are rounded to an eighth of a metre there");
}

#[test]
fn clocks_give_the_engine_what_they_say() {
    let with = |kind, stall: Option<&str>| {
        let clock = Clock { kind, uneven: false, stall: stall.map(|stall| stall.parse().unwrap()) };
        one(&GridOrder { clocks: vec![clock], ..order("ingot-stack", "1/60") })
    };
    let fixed = with(ClockKind::Fixed, None);
    let raw = with(ClockKind::Raw(30.0), None);
    assert_eq!(raw.steps * 2, fixed.steps);
    // A bank at the rate of the steps is the fixed clock, whatever the calls are.
    let bank = with(ClockKind::Bank(60.0), None);
    assert_eq!((bank.steps, bits(&bank)), (fixed.steps, bits(&fixed)));
    let slow = with(ClockKind::Bank(7.0), Some("0.5@1.0"));
    assert_eq!(bits(&slow), bits(&fixed), "a bank loses nothing in a stall");
    let stalled = with(ClockKind::Raw(60.0), Some("0.5@1.0"));
    assert!(stalled.steps < fixed.steps);
    // Half a second of fall in one step: nothing of the path is left.
    let clock = Clock { kind: ClockKind::Raw(60.0), uneven: false, stall: Some("0.5@0.5".parse().unwrap()) };
    let dropped = one(&GridOrder { clocks: vec![clock], ..order("first-drop", "1/60") });
    assert_eq!((dropped.verdict, one(&order("first-drop", "1/60")).verdict), (Verdict::Fail, Verdict::Pass));
}

#[test]
fn a_script_laid_out_for_even_steps_is_not_run_on_uneven_ones() {
    let clock = Clock { kind: ClockKind::Raw(60.0), uneven: true, stall: None };
    let scenes: Vec<&str> = ironspin_scene::bundled::names().collect();
    let refused = scenes.iter().filter(|scene| {
        let record = one(&GridOrder { clocks: vec![clock], ..order(scene, "1/60") });
        record.verdict == Verdict::Unsupported && record.reason.contains("steps of different lengths")
    });
    assert!(refused.count() > 0, "some bundled scene has a force over a time");
}
