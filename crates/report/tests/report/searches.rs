//! Edges, series, comparisons and histories as text, from figures that are made up.

use crate::drawings::texts;
use ironspin_lab::{Change, ChangeKind, Collapse, Comparison, Edge, EdgeRecord, Figure, SeriesRecord, Tried};
use ironspin_model::Verdict;
use ironspin_report::{collapse_text, comparison_text, edge_text, history_text, series_plot, series_text, worst_of};

fn tried(value: f64, broken: usize) -> Tried {
    Tried { value, broken, of: 3, detail: String::new() }
}

fn edge(before: f64, behind: f64, breaks: bool) -> Edge {
    Edge { before, behind, breaks, against: Vec::new(), detail: "rivet[2] is through".to_owned() }
}

fn search(tried: Vec<Tried>, edges: Vec<Edge>) -> EdgeRecord {
    EdgeRecord {
        scene: "rivet-shot".to_owned(),
        engine: "builtin:swept=off".to_owned(),
        conditions: "dt 1/60".to_owned(),
        axis: "speed".to_owned(),
        until: "tunnel.count".to_owned(),
        resolution: 0.01,
        whole: false,
        tried,
        edges,
    }
}

#[test]
fn one_edge_is_told_between_the_values_on_both_its_sides() {
    let found = search(vec![tried(10.0, 0), tried(11.25, 1), tried(12.5, 3)], vec![edge(10.0, 11.25, true)]);
    let text = edge_text(std::slice::from_ref(&found));
    for part in [
        "rivet-shot: speed raised until tunnel.count breaks (dt 1/60)\n",
        "builtin:swept=off  holds up to 10, and not at 11.25 (to 1 %)\n",
        "starts to break between speed = 10 and 11.25\n     rivet[2] is through\n",
        "3 values tried with 3 seeds: .+x\n",
    ] {
        assert!(text.contains(part), "`{part}` not in\n{text}");
    }
    // Whole numbers are known exactly.
    assert!(edge_text(&[EdgeRecord { whole: true, ..found }]).contains("and not at 11.25\n"));
    let back = search(vec![tried(1.0, 3), tried(2.0, 0)], vec![edge(1.0, 2.0, false)]);
    let text = edge_text(&[back]);
    assert!(text.contains("breaks up to 1, and not at 2") && text.contains("holds again between"), "{text}");
}

#[test]
fn no_edge_says_whether_all_held_or_all_broke() {
    let holds = edge_text(&[search(vec![tried(1.0, 0), tried(123_456.75, 0)], Vec::new())]);
    assert!(holds.contains("holds everywhere it was tried from 1 to 123457"), "{holds}");
    let breaks = edge_text(&[search(vec![tried(1.0, 1), tried(2.0, 3)], Vec::new())]);
    assert!(breaks.contains("  breaks everywhere\n"), "{breaks}");
    assert_eq!(edge_text(&[]), "");
}

#[test]
fn several_edges_are_not_told_as_one() {
    let edges = vec![edge(1.0, 2.0, true), edge(3.0, 4.0, false), edge(5.0, 6.0, true)];
    let text = edge_text(&[search(vec![tried(1.0, 0), tried(6.0, 3)], edges)]);
    assert!(text.contains("starts to break at 2 (to 1 %); 2 more edges; breaks from 6 on; not monotone"), "{text}");
    let near = Edge { against: (1..=8).map(f64::from).collect(), ..edge(1.0, 2.0, true) };
    let text = edge_text(&[search(vec![tried(1.0, 0)], vec![near])]);
    assert!(text.contains("otherwise near by at 1, 2, 3, 4, 5, 6: there are more edges than these"), "{text}");
    assert!(text.contains("not monotone"), "{text}");
}

#[test]
fn an_edge_keeps_six_digits_whatever_its_size() {
    for (value, shown) in
        [(0.001_234_567, "0.00123457"), (12_345.678, "12345.7"), (2e-7, "2.00000e-7"), (3e8, "3.00000e8"), (0.0, "0")]
    {
        let text = edge_text(&[search(vec![tried(value, 0)], vec![edge(value, 2.0 * value + 1.0, true)])]);
        assert!(text.contains(&format!("holds up to {shown}, ")), "{shown} not in\n{text}");
    }
}

fn series() -> SeriesRecord {
    SeriesRecord {
        scene: "lob".to_owned(),
        engine: "builtin".to_owned(),
        over: "dt".to_owned(),
        gauge: "value.x".to_owned(),
        unit: "m".to_owned(),
        points: vec![(0.01, Some(1e-4)), (0.02, Some(4e-4)), (0.04, None)],
        exponent: Some(2.0),
        margin: Some(0.01),
        claim: "order at least 1.9".to_owned(),
        verdict: Verdict::Fail,
        reason: "1.5 +- 0.01".to_owned(),
        because: "the parabola is of second order".to_owned(),
    }
}

#[test]
fn a_series_shows_its_points_its_power_and_its_claim() {
    let text = series_text(&[series()]);
    for part in [
        "FAIL lob on builtin, value.x over dt: value.x ~ dt^2.000 +- 0.010\n",
        "       dt = 0.01         1e-4 m\n",
        "       dt = 0.04         not measured\n",
        "claim: order at least 1.9: 1.5 +- 0.01\n     because the parabola is of second order\n",
    ] {
        assert!(text.contains(part), "`{part}` not in\n{text}");
    }
    let silent = SeriesRecord { claim: String::new(), exponent: None, margin: None, ..series() };
    let text = series_text(std::slice::from_ref(&silent));
    assert!(text.starts_with("     lob on builtin, value.x over dt\n") && !text.contains("claim"), "{text}");
    let open = SeriesRecord { margin: Some(f64::INFINITY), ..series() };
    assert!(series_text(&[open]).contains("value.x ~ dt^2.000\n"));
    // What claims nothing decides nothing.
    assert_eq!(worst_of(std::slice::from_ref(&silent)), None);
    let held = SeriesRecord { verdict: Verdict::Pass, ..series() };
    assert_eq!(worst_of(&[held.clone(), silent]), Some(Verdict::Pass));
    assert_eq!(worst_of(&[held, series()]), Some(Verdict::Fail));
}

#[test]
fn a_series_is_drawn_with_its_line_and_without_what_has_no_logarithm() {
    let found = texts(&series_plot(&series()).unwrap());
    for part in ["lob: value.x over dt", "dt ^ 2.000", "value.x, m"] {
        assert!(found.iter().any(|text| text.contains(part)), "{part}: {found:?}");
    }
    let nothing = SeriesRecord { points: vec![(0.01, Some(0.0)), (0.02, Some(-1.0)), (0.04, None)], ..series() };
    assert!(!series_plot(&nothing).unwrap().is_empty());
}

#[test]
fn a_comparison_counts_and_names_what_changed() {
    let change = |kind, what: &str, base, new| Change {
        kind,
        trial: "lob at dt 1/60 on builtin".to_owned(),
        what: what.to_owned(),
        base,
        new,
        unit: "m".to_owned(),
    };
    let found = Comparison {
        compared: 9,
        same: 6,
        changes: vec![
            change(ChangeKind::NewlyFails, "value.x of ball", Some(1.0), Some(2.5)),
            change(ChangeKind::Gone, "value.y of ball", Some(1.0), None),
            change(ChangeKind::New, "the trial", None, None),
        ],
    };
    let text = comparison_text(&found);
    assert!(text.starts_with("9 figures compared, 6 the same, 3 changed\n"), "{text}");
    assert!(text.contains("newly fails   lob at dt 1/60 on builtin, value.x of ball: 1 m -> 2.5 m\n"), "{text}");
    assert!(text.contains("value.y of ball: 1 m -> -\n") && text.contains(", the trial\n"), "{text}");
    assert!(found.is_worse());
    let better = Comparison { changes: vec![change(ChangeKind::Better, "x", None, None)], ..found };
    assert!(!better.is_worse());
}

fn figure(entry: i64, gauge: &str, measured: Option<f64>) -> Figure {
    Figure {
        claim: String::new(),
        entry,
        name: (entry == 2).then(|| "before the storm".to_owned()),
        written: "2026-01-02 03:04:05".to_owned(),
        tool: "0.1.0".to_owned(),
        engine: "builtin".to_owned(),
        dt: "1/60".to_owned(),
        conditions: "units 2".to_owned(),
        gauge: gauge.to_owned(),
        of: "ball".to_owned(),
        measured,
        unit: "m".to_owned(),
        verdict: "pass".to_owned(),
    }
}

#[test]
fn a_history_is_a_block_a_gauge_with_a_line_of_its_values() {
    let figures = [
        figure(1, "value.x", Some(1.0)),
        figure(2, "value.x", None),
        figure(3, "value.x", Some(3.0)),
        figure(3, "value.y", Some(5.0)),
    ];
    let text = history_text(&figures);
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(lines[0], "value.x of ball at dt 1/60, units 2 on builtin  ▁ █");
    assert_eq!(lines.len(), 6, "a head for each of two gauges, and a line for each figure:\n{text}");
    assert!(lines[2].ends_with("-  before the storm"), "{text}");
    assert_eq!(lines[4], "value.y of ball at dt 1/60, units 2 on builtin  ▁");
    let bare =
        Figure { of: String::new(), dt: String::new(), conditions: String::new(), ..figure(1, "step", Some(1.0)) };
    assert!(history_text(&[bare]).starts_with("step on builtin  ▁\n"));
}

#[test]
fn a_collapse_is_told_by_its_pairs() {
    let found = Collapse {
        scene: "lob".to_owned(),
        engine: "builtin".to_owned(),
        pairs: 4,
        same_verdict: 3,
        apart: Some((0.25, "value.x".to_owned())),
    };
    let text = collapse_text(&[found]);
    assert!(
        text.contains(
            "lob on builtin: 3 of 4 pairs have the same verdict, dimensionless values apart by 0.25 at most (value.x)"
        ),
        "{text}"
    );
    assert_eq!(collapse_text(&[]), "");
}
