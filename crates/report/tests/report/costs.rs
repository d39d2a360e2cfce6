//! Costs as tables, rows and curves, from figures that are made up.

use crate::drawings::texts;
use ironspin_lab::{CostDocument, CostRecord, CostTrend, Host, Tool};
use ironspin_report::{cost_csv, cost_plot, cost_table, tradeoff_plot};

/// A step of so many milliseconds with so many bodies.
fn cost(engine: &str, bodies: usize, milliseconds: f64) -> CostRecord {
    let median = 1e-3 * milliseconds;
    CostRecord {
        scene: "ingot-stack".to_owned(),
        engine: engine.to_owned(),
        value: bodies as f64,
        bodies,
        contacts: 2.0 * bodies as f64,
        steps: 600,
        median,
        p95: 1.5 * median,
        p99: 2.0 * median,
        largest: 4.0 * median,
        rounds: [0.9 * median, 1.1 * median],
        memory: Some(512 * 1024),
        forecasts: Vec::new(),
        error: None,
        unbeaten: false,
        reason: String::new(),
    }
}

fn trend(engine: &str, exponent: Option<f64>, within_budget: Option<f64>, all_within: bool) -> CostTrend {
    let margin = exponent.map(|_| 0.02);
    CostTrend { engine: engine.to_owned(), exponent, margin, within_budget, all_within }
}

fn document() -> CostDocument {
    CostDocument {
        format: "ironspin.cost/1".to_owned(),
        tool: Tool::this(),
        host: Host { os: "quay".to_owned(), arch: "crane".to_owned(), cores: 2 },
        axis: "count".to_owned(),
        budget: 4e-3,
        costs: vec![
            cost("builtin", 10, 0.1),
            cost("builtin", 100, 1.0),
            cost("cmd:./winch", 10, 0.4),
            CostRecord { reason: "it hung".to_owned(), ..cost("cmd:./winch", 100, 0.0) },
        ],
        trends: vec![trend("builtin", Some(1.0), Some(100.0), true), trend("cmd:./winch", None, Some(55.7), false)],
    }
}

/// The cells of the row of a value and engine.
fn row<'a>(table: &'a str, value: &str, engine: &str) -> Vec<&'a str> {
    let cells = table.lines().map(|line| line.split_whitespace().collect::<Vec<_>>());
    let mut rows = cells.filter(|cells| cells.len() > 3 && cells[..2] == [value, engine]);
    rows.next().unwrap_or_else(|| panic!("no row of {value} {engine} in\n{table}"))
}

#[test]
fn a_row_has_times_in_milliseconds_and_shares_in_nanoseconds() {
    let table = cost_table(&document());
    assert!(table.starts_with("engine A  builtin\nengine B  cmd:./winch\n"), "{table}");
    // 0.1 ms for 10 bodies and 20 contact points; a tenth up and down between rounds.
    let due = ["10", "A", "10", "20", "0.1000", "0.1500", "0.2000", "0.4000", "10000", "5000", "512", "10", "%"];
    assert_eq!(row(&table, "10", "A"), due, "{table}");
    assert_eq!(row(&table, "100", "B"), ["100", "B", "100", "none"]);
}

#[test]
fn what_could_not_be_measured_says_why() {
    let table = cost_table(&document());
    assert!(table.contains("B at count = 100: it hung\n"), "{table}");
    let mut silent = document();
    silent.costs[0].contacts = 0.0;
    silent.costs[0].memory = None;
    let cells = cost_table(&silent);
    let cells = row(&cells, "10", "A");
    assert_eq!(
        (cells[9], cells[10]),
        ("-", "-"),
        "nothing per point where there is none, no memory where none is reported"
    );
}

#[test]
fn growth_and_budget_are_told_in_words() {
    let table = cost_table(&document());
    assert!(
        table.contains("A: grows as bodies^1.00 +- 0.02 (95 %); all up to count = 100 keep 4 ms in 95 of 100 steps\n"),
        "{table}"
    );
    // Whole counts only: 55.7 bodies are 55.
    assert!(table.contains("B: too few counts for a power; up to count = 55 keeps 4 ms"), "{table}");
    let mut dear = document();
    dear.trends[0].within_budget = None;
    assert!(cost_table(&dear).contains("nothing that was tried keeps 4 ms"));
    // A power without an interval is none.
    dear.trends[0].margin = Some(f64::INFINITY);
    assert!(cost_table(&dear).contains("A: too few counts for a power"));
}

#[test]
fn errors_stand_beside_their_costs_with_those_that_nothing_beats_marked() {
    assert!(!cost_table(&document()).contains("error (share"));
    let mut traded = document();
    (traded.costs[0].error, traded.costs[0].unbeaten) = (Some(0.5), true);
    traded.costs[2].error = Some(0.75);
    let table = cost_table(&traded);
    let below: Vec<&str> = table.lines().skip_while(|line| !line.starts_with("error (share")).skip(1).take(2).collect();
    assert_eq!(below[0].split_whitespace().collect::<Vec<_>>(), ["*", "count", "=", "10", "A", "0.1000", "ms", "0.5"]);
    assert_eq!(below[1].split_whitespace().collect::<Vec<_>>(), ["count", "=", "10", "B", "0.4000", "ms", "0.75"]);
}

#[test]
fn forecasts_are_told_by_horizon() {
    let mut asked = document();
    asked.costs[1].forecasts = vec![[0.5, 2e-3], [2.0, 8e-3]];
    assert!(cost_table(&asked).contains("forecasts on A: 0.5 s ahead 2.0000 ms, 2 s ahead 8.0000 ms\n"));
}

#[test]
fn every_row_of_the_csv_has_all_its_digits() {
    let mut document = document();
    document.costs[0].median = 0.1 + 0.2;
    document.costs[0].error = Some(1.0 / 3.0);
    let text = cost_csv(&document).unwrap();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let head = reader.headers().unwrap().clone();
    assert_eq!((&head[0], head.len()), ("count", 12));
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), 4);
    let at = |name: &str| head.iter().position(|known| known == name).unwrap();
    assert_eq!(rows[0][at("median")].parse::<f64>().unwrap().to_bits(), (0.1_f64 + 0.2).to_bits());
    assert_eq!(rows[0][at("error")].parse::<f64>().unwrap(), 1.0 / 3.0);
    assert_eq!((&rows[1][at("error")], &rows[1][at("memory")]), ("", "524288"));
}

#[test]
fn a_cost_plot_names_its_engines_and_its_budget() {
    let found = texts(&cost_plot(&document()).unwrap());
    for part in ["ingot-stack: median time of a step", "budget 4 ms", "engine A: builtin", "engine B: cmd:./winch"] {
        assert!(found.iter().any(|text| text.contains(part)), "{part}: {found:?}");
    }
    // No errors, no trade-off.
    assert_eq!(tradeoff_plot(&document()).unwrap(), None);
    let mut traded = document();
    traded.costs[0].error = Some(0.5);
    let found = texts(&tradeoff_plot(&traded).unwrap().unwrap());
    assert!(found.iter().any(|text| text.contains("error over cost")), "{found:?}");
    // An error of nothing has no place on a logarithmic axis.
    traded.costs[0].error = Some(0.0);
    assert_eq!(tradeoff_plot(&traded).unwrap(), None);
}
