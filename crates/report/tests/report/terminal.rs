//! What stands in a terminal beside the plain table: what is lacking, second tries, what is not known, what claims nothing.

use crate::records;
use ironspin_lab::{TrialRecord, run_trial_on};
use ironspin_model::{Bound, EngineError, Verdict};
use ironspin_report::{TableStyle, pooled_lines, summary_line, verdict_table, what_broke, what_was_reported};

const STYLE: TableStyle = TableStyle { width: 160, colour: false };

/// Trials that were not run for want of some features.
fn lacking(features: &[&str]) -> Vec<TrialRecord> {
    let plan = &records()[0].plan;
    let refusal = |feature: &&str| EngineError::Unsupported { feature: (*feature).to_owned() };
    features.iter().map(|feature| run_trial_on(plan, Err(refusal(feature)))).collect()
}

#[test]
fn three_trials_that_lack_something_are_one_line_and_two_are_rows() {
    let few = verdict_table(&lacking(&["swept", "ray"]), STYLE);
    assert_eq!(few.lines().filter(|line| line.starts_with("none") && line.contains("1/60")).count(), 2, "{few}");
    let many = lacking(&["swept", "ray", "swept"]);
    let table = verdict_table(&many, STYLE);
    assert!(
        table.ends_with("none  3 trials unsupported on A, which lacks swept (rivet-shot); ray (rivet-shot)\n"),
        "{table}"
    );
    assert_eq!(table.lines().filter(|line| line.contains("1/60")).count(), 0, "{table}");
    assert_eq!(what_broke(&many, true), "", "nothing broke, and all is said above");
    assert_eq!(summary_line(&many), "3 trials: 0 pass, 0 fail, 3 unsupported");
}

#[test]
fn a_second_try_is_told_in_the_row_and_below() {
    let mut record = records().swap_remove(0);
    record.retried = Some("it crashed".to_owned());
    let records = [record];
    assert!(verdict_table(&records, STYLE).contains("second try; "));
    let below = what_broke(&records, true);
    assert!(below.contains("pass rivet-shot at dt 1/60 on builtin\n") && below.contains("it crashed"), "{below}");
}

#[test]
fn what_is_not_known_is_counted_and_is_no_pass() {
    let mut record = records().swap_remove(0);
    record.verdict = Verdict::Unknown;
    record.claims[0].verdict = Verdict::Unknown;
    record.claims[0].measured = None;
    let records = [record];
    assert_eq!(summary_line(&records), "1 trial: 0 pass, 0 fail, 1 not known");
    let table = verdict_table(&records, STYLE);
    assert!(table.contains("n.k.") && table.contains("1/2"), "{table}");
    assert!(what_broke(&records, true).contains("not measured, bound"));
}

#[test]
fn figures_without_a_bound_are_listed_and_claim_nothing() {
    let mut record = records().swap_remove(0);
    for claim in &mut record.claims {
        claim.claim.bound = Bound::None;
    }
    record.claims[0].warnings = vec!["few steps".to_owned()];
    let records = [record];
    let table = verdict_table(&records, STYLE);
    assert!(table.contains("claims nothing; its figures stand below") && table.contains("0/0"), "{table}");
    let below = what_was_reported(&records);
    assert!(below.starts_with("\nrivet-shot at dt 1/60 on builtin: it claims nothing, and shows\n"), "{below}");
    assert!(below.contains("; note: few steps") && below.ends_with("and it is judged.\n"), "{below}");
    assert_eq!(what_was_reported(&crate::records()), "");
}

#[test]
fn what_only_should_hold_is_told_and_decides_nothing() {
    let mut record = records().swap_remove(1);
    for claim in &mut record.claims {
        claim.claim.severity = ironspin_model::Severity::Should;
    }
    record.verdict = Verdict::Pass;
    let below = what_broke(&[record], true);
    assert!(below.contains("tunnel.count (should) of rivet[*]: "), "{below}");
}

#[test]
fn several_gauges_that_broke_are_named_with_where_they_are_explained() {
    let record = records().swap_remove(1);
    let one = what_broke(std::slice::from_ref(&record), true);
    assert!(
        one.contains("\nWhat usually breaks it in an engine, and what to try next: ironspin explain tunnel.count\n"),
        "{one}"
    );
    let mut two = record;
    for claim in &mut two.claims {
        claim.verdict = Verdict::Fail;
    }
    let second = two.claims.iter().map(|claim| claim.gauge.name).find(|name| *name != "tunnel.count");
    let text = what_broke(&[two], true);
    let named = text.lines().find(|line| line.contains("explain GAUGE")).unwrap_or_else(|| panic!("{text}"));
    assert!(named.contains("(2 broke: ") && named.contains(second.unwrap()), "{named}");
}

#[test]
fn a_terminal_without_block_characters_gets_plain_ones() {
    let record = records().swap_remove(1);
    let plain = what_broke(std::slice::from_ref(&record), false);
    assert!(plain.is_ascii(), "{plain}");
    assert!(!what_broke(&[record], true).is_ascii());
}

#[test]
fn no_pooled_claims_are_no_lines() {
    assert_eq!(pooled_lines(&[]), "");
}
