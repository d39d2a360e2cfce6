//! Results as other programs read them, read back by parsers that have nothing to do with what wrote them.

use crate::records;
use ironspin_lab::{ResultDocument, TrialDocument};
use ironspin_model::{Severity, Verdict};
use ironspin_report::{RESULT_FORMATS, broken_claims, document_summary, verdict_map};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::collections::BTreeMap;

fn document() -> ResultDocument {
    ResultDocument::of(&records(), false)
}

fn written(name: &str, document: &ResultDocument) -> String {
    RESULT_FORMATS.iter().find(|format| format.name == name).expect("a format").write(document).unwrap()
}

fn attributes(element: &BytesStart<'_>) -> BTreeMap<String, String> {
    let pairs = element.attributes().map(Result::unwrap);
    pairs
        .map(|pair| {
            let name = String::from_utf8(pair.key.as_ref().to_vec()).unwrap();
            (name, pair.unescape_value().unwrap().into_owned())
        })
        .collect()
}

/// The elements of an XML document: how deep, name, attributes, in order.
fn elements(text: &str) -> Vec<(usize, String, BTreeMap<String, String>)> {
    let (mut reader, mut depth, mut found) = (Reader::from_str(text), 0, Vec::new());
    let name = |element: &BytesStart<'_>| String::from_utf8(element.name().as_ref().to_vec()).unwrap();
    loop {
        match reader.read_event().unwrap() {
            Event::Start(element) => {
                found.push((depth, name(&element), attributes(&element)));
                depth += 1;
            }
            Event::Empty(element) => found.push((depth, name(&element), attributes(&element))),
            Event::End(_) => depth -= 1,
            Event::Eof => break,
            _ => {}
        }
    }
    assert_eq!(depth, 0);
    found
}

#[test]
fn every_format_is_named_once_and_writes_every_trial_the_same_every_time() {
    let document = document();
    let mut names: Vec<&str> = RESULT_FORMATS.iter().map(|format| format.name).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), RESULT_FORMATS.len());
    for format in &RESULT_FORMATS {
        let text = format.write(&document).unwrap();
        assert!(text.ends_with('\n') && !format.about.is_empty(), "{}", format.name);
        assert!(text.matches("rivet-shot").count() >= document.trials.len(), "{}: {text}", format.name);
        assert_eq!(text, format.write(&self::document()).unwrap(), "{}", format.name);
    }
}

#[test]
fn junit_counts_what_it_holds() {
    let found = elements(&written("junit", &document()));
    let count = |of: &[(usize, String, BTreeMap<String, String>)], name: &str| {
        of.iter().filter(|(_, found, _)| found == name).count().to_string()
    };
    assert_eq!((found[0].0, found[0].1.as_str()), (0, "testsuites"));
    let suites: Vec<usize> = (0..found.len()).filter(|&at| found[at].1 == "testsuite").collect();
    assert_eq!(suites.len(), 2, "one for each engine");
    let ends = suites[1..].iter().copied().chain([found.len()]);
    let parts = suites.iter().zip(ends).map(|(&from, to)| &found[from..to]);
    for part in parts.chain([&found[..]]) {
        let said = &part[0].2;
        assert_eq!(said["tests"], count(part, "testcase"));
        assert_eq!(said["failures"], count(part, "failure"));
        assert_eq!(said["errors"], count(part, "error"));
        assert_eq!(said["skipped"], count(part, "skipped"));
    }
    let (said, failed) = (&found[0].2, document());
    let failed = failed
        .trials
        .iter()
        .flat_map(|trial| &trial.claims)
        .filter(|claim| claim.verdict == Verdict::Fail && claim.severity == Severity::Must);
    assert_eq!((said["failures"].as_str(), said["errors"].as_str(), said["skipped"].as_str()), ("1", "1", "1"));
    assert_eq!(failed.count(), 1);
    let error = found.iter().find(|(_, name, _)| name == "error").unwrap();
    assert!(error.2["message"].contains("<b>\"boom\"</b> & more"), "{:?}", error.2);
}

#[test]
fn junit_holds_no_character_that_xml_cannot_hold() {
    let mut document = document();
    document.trials[3].reason = "bell \u{7} and \u{fffe}, not \u{1b}[31mred; ]]> & <x>".to_owned();
    let text = written("junit", &document);
    let error = elements(&text).into_iter().find(|(_, name, _)| name == "error").unwrap();
    assert_eq!(error.2["message"], "bell \\u{7} and , not \\u{1b}[31mred; ]]> & <x>");
    assert!(!text.contains('\u{7}') && !text.contains('\u{1b}'));
}

#[test]
fn what_only_should_hold_is_no_failure_for_a_build_server() {
    let mut document = document();
    for claim in document.trials.iter_mut().flat_map(|trial| &mut trial.claims) {
        claim.severity = Severity::Should;
    }
    let found = elements(&written("junit", &document));
    assert_eq!(found[0].2["failures"], "0");
    assert_eq!(found.iter().filter(|(_, name, _)| name == "system-out").count(), 1);
}

#[test]
fn markdown_rows_have_as_many_cells_as_the_head_whatever_stands_in_them() {
    let mut document = document();
    document.trials[3].reason = "a | b\n<script> \\".to_owned();
    let text = written("markdown", &document);
    let cells = |line: &str| {
        let mut count = 0;
        let mut escaped = false;
        for c in line.chars() {
            count += usize::from(c == '|' && !escaped);
            escaped = c == '\\' && !escaped;
        }
        count
    };
    let rows: Vec<&str> = text.lines().filter(|line| line.starts_with('|')).collect();
    assert_eq!(rows.len(), 2 + document.trials.len());
    assert!(rows.iter().all(|row| cells(row) == 9), "{text}");
    assert!(!text.contains("<script>"));
    assert_eq!(text.matches("\nironspin run rivet-shot").count(), 2, "one for what failed, one for what broke");
}

/// A trial at another step and seed, with another verdict.
fn copy(of: &TrialDocument, (dt, text): (f64, &str), seed: u64, verdict: Verdict) -> TrialDocument {
    let mut copy = of.clone();
    (copy.dt, copy.dt_text, copy.seed, copy.verdict) = (dt, text.to_owned(), seed, verdict);
    copy
}

#[test]
fn a_map_has_the_longest_step_first_and_counts_seeds() {
    let first = &document().trials[0];
    let (long, short) = ((1.0 / 30.0, "1/30"), (1.0 / 240.0, "1/240"));
    let trials = [
        copy(first, short, 1, Verdict::Pass),
        copy(first, long, 1, Verdict::Fail),
        copy(first, long, 2, Verdict::Pass),
        copy(first, long, 3, Verdict::Fail),
    ];
    let map = verdict_map(&trials);
    let lines: Vec<&str> = map.lines().collect();
    assert_eq!(lines[0], "rivet-shot on builtin");
    assert_eq!(lines[1].split_whitespace().collect::<Vec<_>>(), ["dt", "1/30", "1/240"]);
    assert_eq!(lines[2].split_whitespace().collect::<Vec<_>>(), ["plain", "FAIL", "2/3", "pass"]);
    assert_eq!(verdict_map(&[]), "");
}

#[test]
fn broken_claims_name_the_most_frequent_first_and_how_to_see_the_worst_again() {
    let document = document();
    let text = broken_claims(&document.trials);
    assert!(text.contains("tunnel.count") && text.contains("because"), "{text}");
    assert!(text.contains("ironspin run rivet-shot --dt 1/60 --engine builtin:swept=off"), "{text}");
    assert_eq!(broken_claims(&document.trials[..1]), "");
    assert_eq!(document_summary(&document.summary), "4 trials: 1 pass, 1 fail, 1 unsupported, 1 engine error");
}
