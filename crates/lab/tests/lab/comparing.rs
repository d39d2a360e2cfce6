//! What newly fails, newly passes, got better or worse between two results.

use crate::yard::fall;
use ironspin_lab::{
    Change, ChangeKind, CostDocument, CostRecord, Host, ResultDocument, Tool, compare_costs, compare_results,
};
use ironspin_model::Verdict;

fn kinds(changes: &[Change]) -> Vec<ChangeKind> {
    changes.iter().map(|change| change.kind).collect()
}

/// Results of the fall with the claim off by some metres.
fn results(off: &str) -> ResultDocument {
    let mut results = fall().results(&[("off", &[off])]);
    // A parameter is part of what a trial is known by; here it stands for a change of the engine.
    for trial in &mut results.trials {
        trial.set.clear();
    }
    results
}

#[test]
fn the_same_results_have_no_changes() {
    let found = compare_results(&results("0"), &results("0"));
    assert_eq!((found.compared, found.same, found.changes.len()), (2, 2, 0));
    assert!(!found.is_worse());
}

#[test]
fn what_held_and_does_not_is_named_with_both_figures() {
    let found = compare_results(&results("0"), &results("1"));
    assert_eq!(kinds(&found.changes), [ChangeKind::NewlyFails]);
    let change = &found.changes[0];
    assert_eq!((change.what.as_str(), change.unit.as_str()), ("value.y of ball", "m"));
    assert_eq!(change.base, change.new, "the same place against another bound");
    assert!(change.trial.starts_with("fall at dt 1/50 on builtin") && found.is_worse());
    let back = compare_results(&results("1"), &results("0"));
    assert_eq!((kinds(&back.changes), back.is_worse()), (vec![ChangeKind::NewlyPasses], false));
}

#[test]
fn a_failure_that_fails_by_more_is_worse_and_by_less_better() {
    assert_eq!(kinds(&compare_results(&results("1"), &results("2")).changes), [ChangeKind::Worse]);
    assert_eq!(kinds(&compare_results(&results("2"), &results("1")).changes), [ChangeKind::Better]);
}

#[test]
fn trials_of_one_side_only_are_new_or_gone_the_worst_kind_first() {
    let (base, mut new) = (results("0"), results("1"));
    let mut stranger = new.trials[0].clone();
    stranger.dt_text = "1/10".to_owned();
    new.trials.push(stranger);
    let found = compare_results(&base, &new);
    assert_eq!(kinds(&found.changes), [ChangeKind::NewlyFails, ChangeKind::New]);
    let found = compare_results(&new, &base);
    assert_eq!(kinds(&found.changes), [ChangeKind::Gone, ChangeKind::NewlyPasses]);
    assert!(!found.is_worse(), "what is gone is named first, and nothing is known to be worse");
}

#[test]
fn trials_without_claims_are_compared_by_their_verdict() {
    let mut crashed = results("0");
    crashed.trials[0].claims.clear();
    crashed.trials[0].verdict = Verdict::Error;
    let found = compare_results(&results("0"), &crashed);
    assert_eq!(
        (kinds(&found.changes), found.changes[0].what.as_str()),
        (vec![ChangeKind::NewlyFails], "pass became error")
    );
    assert_eq!(kinds(&compare_results(&crashed, &results("0")).changes), [ChangeKind::NewlyPasses]);
    assert_eq!(compare_results(&crashed, &crashed).same, 1);
}

#[test]
fn a_claim_that_was_put_in_moves_no_other() {
    let (base, mut new) = (results("0"), results("0"));
    let mut more = new.trials[0].claims[1].clone();
    more.of = "*".to_owned();
    more.gauge = "jitter.speed".to_owned();
    new.trials[0].claims.insert(0, more);
    let found = compare_results(&base, &new);
    assert_eq!((found.compared, found.same), (2, 2), "{:?}", found.changes);
}

fn costs(median: f64, rounds: [f64; 2]) -> CostDocument {
    let cost = CostRecord {
        scene: "stack".to_owned(),
        engine: "builtin".to_owned(),
        value: 10.0,
        bodies: 11,
        contacts: 4.0,
        steps: 100,
        median,
        p95: median,
        p99: median,
        largest: median,
        rounds,
        memory: None,
        forecasts: Vec::new(),
        error: None,
        unbeaten: false,
        reason: String::new(),
    };
    CostDocument {
        format: "ironspin.cost/1".to_owned(),
        tool: Tool::this(),
        host: Host::this(),
        axis: "count".to_owned(),
        budget: 1.0,
        costs: vec![cost],
        trends: Vec::new(),
    }
}

#[test]
fn a_timing_is_worse_only_beyond_a_tenth_and_beyond_its_rounds() {
    let base = costs(1.0, [0.95, 1.05]);
    for (median, rounds, kind) in [
        (1.05, [1.04, 1.06], None), // less than a tenth
        (1.3, [1.0, 1.6], None),    // the rounds overlap
        (1.3, [1.2, 1.4], Some(ChangeKind::Worse)),
        (0.7, [0.65, 0.75], Some(ChangeKind::Better)),
        (0.7, [0.4, 1.0], None),
    ] {
        let found = compare_costs(&base, &costs(median, rounds));
        assert_eq!(kinds(&found.changes), kind.into_iter().collect::<Vec<_>>(), "{median} in {rounds:?}");
        assert_eq!(found.compared, 1);
    }
    let mut silent = costs(9.0, [9.0, 9.0]);
    silent.costs[0].reason = "it hung".to_owned();
    assert_eq!(compare_costs(&base, &silent).compared, 0, "what has no figure is compared with nothing");
    let mut other = costs(9.0, [9.0, 9.0]);
    other.costs[0].value = 20.0;
    assert_eq!(compare_costs(&base, &other).compared, 0);
}
