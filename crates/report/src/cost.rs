//! Costs for people.

use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SHEET};
use crate::cells::csv_text;
use crate::engine_key::{EngineKey, letter};
use crate::look::BOUND;
use crate::look::SERIES;
use crate::machine::{MachineError, written};
use crate::number::show;
use ironspin_lab::{CostDocument, CostRecord};

fn milliseconds(seconds: f64) -> String {
    format!("{:.4}", 1e3 * seconds)
}

/// One row a value and engine, then how the cost grows, what fits in a frame, and what no other setting beats.
pub fn cost_table(document: &CostDocument) -> String {
    let mut rows: Vec<Vec<String>> = vec![
        [
            document.axis.as_str(),
            "engine",
            "bodies",
            "points",
            "median",
            "p95",
            "p99",
            "largest",
            "a body",
            "a point",
            "memory",
            "rounds",
        ]
        .map(str::to_owned)
        .to_vec(),
        ["", "", "", "", "ms", "ms", "ms", "ms", "ns", "ns", "KB", "+-"].map(str::to_owned).to_vec(),
    ];
    let engines: Vec<&str> = document.trends.iter().map(|trend| trend.engine.as_str()).collect();
    let letter = |engine: &str| letter(engines.iter().position(|known| *known == engine).unwrap_or(0));
    for cost in &document.costs {
        rows.push(row(cost, letter(&cost.engine)));
    }
    let mut out = String::new();
    for engine in &engines {
        out.push_str(&format!("engine {}  {engine}\n", letter(engine)));
    }
    out.push('\n');
    out.push_str(&aligned(&rows));
    out.push('\n');
    for trend in &document.trends {
        let growth = match (trend.exponent, trend.margin) {
            (Some(exponent), Some(margin)) if margin.is_finite() => {
                format!("grows as bodies^{exponent:.2} +- {margin:.2} (95 %)")
            }
            _ => "too few counts for a power".to_owned(),
        };
        let budget = match (trend.within_budget, trend.all_within) {
            (Some(value), true) => format!("all up to {} = {} keep", document.axis, show(value)),
            (Some(value), false) => format!("up to {} = {} keeps", document.axis, show(value.floor())),
            (None, _) => "nothing that was tried keeps".to_owned(),
        };
        out.push_str(&format!(
            "{}: {growth}; {budget} {} ms in 95 of 100 steps\n",
            letter(&trend.engine),
            show(1e3 * document.budget)
        ));
    }
    out.push_str(&tradeoff(document, &letter));
    for cost in document.costs.iter().filter(|cost| !cost.reason.is_empty()) {
        out.push_str(&format!(
            "{} at {} = {}: {}\n",
            letter(&cost.engine),
            document.axis,
            show(cost.value),
            cost.reason
        ));
    }
    for cost in document.costs.iter().filter(|cost| !cost.forecasts.is_empty()) {
        let reported: Vec<String> = cost
            .forecasts
            .iter()
            .map(|[horizon, took]| format!("{} s ahead {} ms", show(*horizon), milliseconds(*took)))
            .collect();
        out.push_str(&format!("forecasts on {}: {}\n", letter(&cost.engine), reported.join(", ")));
    }
    out
}

fn row(cost: &CostRecord, letter: String) -> Vec<String> {
    if !cost.reason.is_empty() {
        return vec![show(cost.value), letter, cost.bodies.to_string(), "none".to_owned()];
    }
    let spread = if cost.median > 0.0 { 50.0 * (cost.rounds[1] - cost.rounds[0]) / cost.median } else { 0.0 };
    vec![
        show(cost.value),
        letter,
        cost.bodies.to_string(),
        format!("{:.0}", cost.contacts),
        milliseconds(cost.median),
        milliseconds(cost.p95),
        milliseconds(cost.p99),
        milliseconds(cost.largest),
        format!("{:.0}", 1e9 * cost.median / cost.bodies.max(1) as f64),
        if cost.contacts >= 0.5 { format!("{:.0}", 1e9 * cost.median / cost.contacts) } else { "-".to_owned() },
        cost.memory.map_or_else(|| "-".to_owned(), |memory| (memory / 1024).to_string()),
        format!("{spread:.0} %"),
    ]
}

fn tradeoff(document: &CostDocument, letter: &dyn Fn(&str) -> String) -> String {
    let mut reported: Vec<&CostRecord> = document.costs.iter().filter(|cost| cost.error.is_some()).collect();
    if reported.is_empty() {
        return String::new();
    }
    reported.sort_by(|a, b| a.value.total_cmp(&b.value).then(a.median.total_cmp(&b.median)));
    let mut out = String::from("\nerror (share of its bound) against cost; * nobody is both cheaper and better\n");
    for cost in reported {
        let sign = if cost.unbeaten { '*' } else { ' ' };
        out.push_str(&format!(
            "  {sign} {} = {:6} {}  {} ms  {}\n",
            document.axis,
            show(cost.value),
            letter(&cost.engine),
            milliseconds(cost.median),
            cost.error.map_or_else(String::new, show)
        ));
    }
    out
}

fn aligned(rows: &[Vec<String>]) -> String {
    let columns = rows.iter().map(Vec::len).max().unwrap_or(0);
    let width = |column: usize| rows.iter().filter_map(|row| row.get(column)).map(String::len).max().unwrap_or(0);
    let widths: Vec<usize> = (0..columns).map(width).collect();
    let line = |row: &Vec<String>| {
        let cells: Vec<String> = row.iter().zip(&widths).map(|(cell, width)| format!("{cell:>width$}")).collect();
        format!("{}\n", cells.join("  ").trim_end())
    };
    rows.iter().map(line).collect()
}

/// One row a value and engine.
///
/// # Errors
/// When the writer refuses.
pub fn cost_csv(document: &CostDocument) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record([
        document.axis.as_str(),
        "scene",
        "engine",
        "bodies",
        "contacts",
        "steps",
        "median",
        "p95",
        "p99",
        "largest",
        "memory",
        "error",
    ])?;
    for cost in &document.costs {
        writer.write_record([
            cost.value.to_string(),
            csv_text(&cost.scene).into_owned(),
            csv_text(&cost.engine).into_owned(),
            cost.bodies.to_string(),
            cost.contacts.to_string(),
            cost.steps.to_string(),
            cost.median.to_string(),
            cost.p95.to_string(),
            cost.p99.to_string(),
            cost.largest.to_string(),
            cost.memory.map_or_else(String::new, |memory| memory.to_string()),
            cost.error.map_or_else(String::new, |error| error.to_string()),
        ])?;
    }
    written(writer)
}

/// Cost over the number of bodies, one line an engine, with the budget, on logarithmic axes, as SVG.
///
/// # Errors
/// When it cannot be drawn.
pub fn cost_plot(document: &CostDocument) -> Result<String, PlotError> {
    let of = |engine: &str| -> Vec<(f64, f64)> {
        let own = document.costs.iter().filter(|cost| cost.engine == engine && cost.median > 0.0);
        own.map(|cost| (cost.bodies as f64, 1e3 * cost.median)).collect()
    };
    let key = EngineKey::of(document.trends.iter().map(|trend| trend.engine.as_str()));
    let mut lines: Vec<Line> = Vec::new();
    for (index, trend) in document.trends.iter().enumerate() {
        let (name, colour) = (key.name(&trend.engine), SERIES[index % SERIES.len()]);
        lines.push(Line { name, colour, points: of(&trend.engine), mark: Mark::LineAndDots });
    }
    let across = lines.iter().flat_map(|line| &line.points).map(|point| point.0);
    let (low, high) = across.fold((f64::INFINITY, 0.0_f64), |(low, high), x| (low.min(x), high.max(x)));
    if low < high {
        let budget = 1e3 * document.budget;
        let points = vec![(low, budget), (high, budget)];
        let name = format!("budget {} ms", show(budget));
        lines.push(Line { name, colour: BOUND, points, mark: Mark::Dashes });
    }
    let scene = document.costs.first().map_or("", |cost| cost.scene.as_str());
    let figure = Figure {
        title: format!("{scene}: median time of a step over the number of bodies"),
        across: Axis { name: "bodies".to_owned(), logarithmic: true },
        up: Axis { name: "time of a step, ms".to_owned(), logarithmic: true },
        lines,
        notes: key.notes(),
        size: SHEET,
    };
    figure.svg()
}

/// The error of each setting (share of its bound) over its cost, on logarithmic axes; a line joins those that nothing beats in both. Nothing
/// where no errors were asked for.
///
/// # Errors
/// When it cannot be drawn.
pub fn tradeoff_plot(document: &CostDocument) -> Result<Option<String>, PlotError> {
    let place = |cost: &CostRecord| Some((1e3 * cost.median, cost.error.filter(|error| *error > 0.0)?));
    let key = EngineKey::of(document.trends.iter().map(|trend| trend.engine.as_str()));
    let mut lines = Vec::new();
    let mut best: Vec<(f64, f64)> = document.costs.iter().filter(|cost| cost.unbeaten).filter_map(place).collect();
    best.sort_by(|a, b| a.0.total_cmp(&b.0));
    lines.push(Line { name: String::new(), colour: BOUND, points: best, mark: Mark::Dashes });
    for (index, trend) in document.trends.iter().enumerate() {
        let own = document.costs.iter().filter(|cost| cost.engine == trend.engine);
        let points: Vec<(f64, f64)> = own.filter_map(place).collect();
        let (name, colour) = (key.name(&trend.engine), SERIES[index % SERIES.len()]);
        // Alone it needs no letter.
        let mark = if document.trends.len() > 1 { Mark::NamedDots } else { Mark::Dots };
        lines.push(Line { name, colour, points, mark });
    }
    if lines.iter().all(|line| line.points.is_empty()) {
        return Ok(None);
    }
    let scene = document.costs.first().map_or("", |cost| cost.scene.as_str());
    let figure = Figure {
        title: format!("{scene}: error over cost"),
        across: Axis { name: "median time of a step, ms".to_owned(), logarithmic: true },
        up: Axis { name: "share of the bound used".to_owned(), logarithmic: true },
        lines,
        notes: key.notes(),
        size: SHEET,
    };
    figure.svg().map(Some)
}
