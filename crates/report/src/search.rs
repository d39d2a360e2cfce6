//! Edges, series and comparisons for people.

use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SHEET};
use crate::engine_key::EngineKey;
use crate::look::{SERIES, mark};
use crate::number::{name_with_unit, show, with_unit};
use ironspin_lab::{Collapse, Comparison, EdgeRecord, Figure as Kept, SeriesRecord, Tried};
use ironspin_model::{Verdict, title_of};

/// Most neighbours of an edge that are named.
const NAMED: usize = 6;

/// The edges of each engine, side by side, then how each was found.
pub fn edge_text(searches: &[EdgeRecord]) -> String {
    let mut out = String::new();
    let Some(first) = searches.first() else { return out };
    out.push_str(&format!(
        "{}: {} raised until {} breaks{}\n\n",
        first.scene,
        first.axis,
        first.until,
        if first.conditions.is_empty() { String::new() } else { format!(" ({})", first.conditions) }
    ));
    let widest = searches.iter().map(|search| search.engine.chars().count()).max().unwrap_or(0);
    for search in searches {
        out.push_str(&format!("  {:widest$}  {}\n", search.engine, in_short(search)));
    }
    for search in searches {
        out.push_str(&format!("\n{}\n", search.engine));
        for edge in &search.edges {
            let way = if edge.breaks { "starts to break" } else { "holds again" };
            out.push_str(&format!(
                "  {way} between {} = {} and {}\n",
                search.axis,
                digits(edge.before),
                digits(edge.behind)
            ));
            if !edge.detail.is_empty() {
                out.push_str(&format!("     {}\n", edge.detail));
            }
            if !edge.against.is_empty() {
                let named: Vec<String> = edge.against.iter().take(NAMED).map(|value| digits(*value)).collect();
                out.push_str(&format!(
                    "     otherwise near by at {}: there are more edges than these\n",
                    named.join(", ")
                ));
            }
        }
        out.push_str(&format!("  {}\n", line_of(search)));
    }
    out
}

/// Six significant digits: an edge is known better than a figure is shown elsewhere.
fn digits(value: f64) -> String {
    if value == 0.0 || (1e-4..1e7).contains(&value.abs()) {
        let before = if value == 0.0 { 1 } else { value.abs().log10().floor() as i32 + 1 };
        let decimals = usize::try_from((6 - before).clamp(0, 9)).unwrap_or(0);
        let text = format!("{value:.decimals$}");
        return if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text };
    }
    format!("{value:.5e}")
}

fn in_short(search: &EdgeRecord) -> String {
    let known = if search.whole { String::new() } else { format!(" (to {} %)", show(100.0 * search.resolution)) };
    match search.edges.as_slice() {
        [] if search.tried.iter().all(Tried::breaks) => "breaks everywhere".to_owned(),
        [] => {
            let (from, to) = (search.tried.first(), search.tried.last());
            let ends = from
                .zip(to)
                .map_or_else(String::new, |(a, b)| format!(" from {} to {}", digits(a.value), digits(b.value)));
            format!("holds everywhere it was tried{ends}")
        }
        [edge] if search.is_clean() => {
            let way = if edge.breaks { "holds up to" } else { "breaks up to" };
            format!("{way} {}, and not at {}{known}", digits(edge.before), digits(edge.behind))
        }
        [edge, ..] => {
            let more = search.edges.len() - 1;
            let and = if more > 0 {
                format!("; {more} more edge{}", if more == 1 { "" } else { "s" })
            } else {
                String::new()
            };
            let way = if edge.breaks { "starts to break" } else { "starts to hold" };
            let last = search.edges.last().unwrap_or(edge);
            let from = if last.breaks { "breaks" } else { "holds" };
            let on = digits(last.behind);
            format!("{way} at {}{known}{and}; {from} from {on} on; not monotone", digits(edge.behind))
        }
    }
}

/// What was tried, in order: `.` held, `x` broke, `+` broke with some seeds.
fn line_of(search: &EdgeRecord) -> String {
    let sign = |tried: &Tried| match tried {
        tried if !tried.breaks() => '.',
        tried if tried.broken == tried.of => 'x',
        _ => '+',
    };
    let seeds = search.tried.iter().map(|tried| tried.of).max().unwrap_or(0);
    let signs: String = search.tried.iter().map(sign).collect();
    format!("{} values tried with {seeds} seed{}: {signs}", search.tried.len(), if seeds == 1 { "" } else { "s" })
}

/// Every series: what was measured, the power, whether the claim holds.
pub fn series_text(series: &[SeriesRecord]) -> String {
    let mut out = String::new();
    for record in series {
        let power = match (record.exponent, record.margin) {
            (Some(slope), Some(margin)) if margin.is_finite() => {
                format!(": {} ~ {}^{:.3} +- {:.3}", record.gauge, record.over, slope, margin)
            }
            (Some(slope), _) => format!(": {} ~ {}^{slope:.3}", record.gauge, record.over),
            _ => String::new(),
        };
        let verdict = if record.claim.is_empty() { "    " } else { mark(record.verdict) };
        out.push_str(&format!(
            "{verdict} {} on {}, {} over {}{power}\n",
            record.scene, record.engine, record.gauge, record.over
        ));
        for (x, y) in &record.points {
            let value = y.map_or_else(|| "not measured".to_owned(), |y| with_unit(y, &record.unit));
            out.push_str(&format!("       {} = {:<12} {value}\n", record.over, digits(*x)));
        }
        if !record.claim.is_empty() {
            out.push_str(&format!("     claim: {}: {}\n", record.claim, record.reason));
            if !record.because.is_empty() {
                out.push_str(&format!("     because {}\n", record.because));
            }
        }
    }
    out
}

/// A series with the line that was fitted, on logarithmic axes, as SVG.
///
/// # Errors
/// When it cannot be drawn.
pub fn series_plot(record: &SeriesRecord) -> Result<String, PlotError> {
    let points: Vec<(f64, f64)> =
        record.points.iter().filter_map(|&(x, y)| Some((x, y.filter(|y| *y > 0.0)?))).collect();
    let key = EngineKey::of([record.engine.as_str()]);
    let mut lines =
        vec![Line { name: key.name(&record.engine), colour: SERIES[0], points: points.clone(), mark: Mark::Dots }];
    if let (Some(slope), Some(&(x, _)), Some(&(end, _))) = (record.exponent, points.first(), points.last()) {
        let mean = points.iter().map(|p| p.1.ln() - slope * p.0.ln()).sum::<f64>() / points.len() as f64;
        let at = |x: f64| (x, (mean + slope * x.ln()).exp());
        let name = format!("{} ^ {slope:.3}", record.over);
        lines.push(Line { name, colour: SERIES[1], points: vec![at(x), at(end)], mark: Mark::Line });
    }
    let figure = Figure {
        title: format!("{}: {} over {}", record.scene, record.gauge, record.over),
        across: Axis { name: record.over.clone(), logarithmic: true },
        up: Axis { name: name_with_unit(&record.gauge, &record.unit), logarithmic: true },
        lines,
        notes: key.notes(),
        size: SHEET,
    };
    figure.svg()
}

/// How trials of different sizes collapse on the dimensionless step; empty where no two do.
pub fn collapse_text(found: &[Collapse]) -> String {
    let line = |entry: &Collapse| {
        let apart = entry.apart.as_ref().map_or_else(String::new, |(apart, gauge)| {
            format!(", dimensionless values apart by {} at most ({gauge})", show(*apart))
        });
        format!(
            "  {} on {}: {} of {} pairs have the same verdict{apart}\n",
            entry.scene, entry.engine, entry.same_verdict, entry.pairs
        )
    };
    let lines: String = found.iter().map(line).collect();
    if lines.is_empty() { lines } else { format!("collapse on the dimensionless step dt sqrt(g / L)\n{lines}\n") }
}

/// What changed between two results, the worst first.
pub fn comparison_text(found: &Comparison) -> String {
    let mut out =
        format!("{} figures compared, {} the same, {} changed\n", found.compared, found.same, found.changes.len());
    for change in &found.changes {
        let value = |value: Option<f64>| value.map_or_else(|| "-".to_owned(), |value| with_unit(value, &change.unit));
        let figures = match (change.base, change.new) {
            (None, None) => String::new(),
            (base, new) => format!(": {} -> {}", value(base), value(new)),
        };
        out.push_str(&format!("  {:12}  {}, {}{figures}\n", change.kind.words(), change.trial, change.what));
    }
    out
}

/// Figures over time, one block a gauge and setting, each with a line of blocks.
pub fn history_text(figures: &[Kept]) -> String {
    let mut out = String::new();
    let head = |figure: &Kept| {
        let and = if figure.conditions.is_empty() { "" } else { ", " };
        let of = if figure.of.is_empty() { String::new() } else { format!(" of {}", figure.of) };
        let dt = if figure.dt.is_empty() { String::new() } else { format!(" at dt {}", figure.dt) };
        let title = title_of(&figure.claim, &figure.gauge);
        format!("{title}{of}{dt}{and}{} on {}", figure.conditions, figure.engine)
    };
    for block in figures.chunk_by(|a, b| head(a) == head(b)) {
        out.push_str(&format!("{}  {}\n", head(&block[0]), sparkline(block.iter().map(|figure| figure.measured))));
        for figure in block {
            let value = figure.measured.map_or_else(|| "-".to_owned(), |value| with_unit(value, &figure.unit));
            let name = figure.name.as_deref().map_or_else(String::new, |name| format!("  {name}"));
            out.push_str(&format!(
                "  {:>4}  {}  {}  {:11}  {value}{name}\n",
                figure.entry, figure.written, figure.tool, figure.verdict
            ));
        }
    }
    out
}

/// Values as blocks of eight heights, between the smallest and the largest.
fn sparkline(values: impl Iterator<Item = Option<f64>> + Clone) -> String {
    const HEIGHTS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let finite = values.clone().flatten().filter(|value| value.is_finite());
    let (low, high) = finite.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)));
    let block = |value: Option<f64>| match value.filter(|value| value.is_finite()) {
        None => ' ',
        Some(value) if high > low => HEIGHTS[((value - low) / (high - low) * 7.0).round() as usize],
        Some(_) => HEIGHTS[0],
    };
    values.map(block).collect()
}

/// The verdict that a list of series comes to.
pub fn worst_of(series: &[SeriesRecord]) -> Option<Verdict> {
    series.iter().filter(|record| !record.claim.is_empty()).map(|record| record.verdict).max()
}
