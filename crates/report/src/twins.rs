//! Twins for people: a table, what differs first and how it grows, a plot of the difference over time.

use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SMALL};
use crate::cells::csv_text;
use crate::look::BOUND;
use crate::look::{SERIES, mark};
use crate::machine::{MachineError, written};
use crate::number::show;
use ironspin_lab::{Demand, TwinDocument, TwinRecord, TwinsDocument};
use ironspin_model::Verdict;

fn demanded(demand: Demand) -> String {
    match demand {
        Demand::Bits => "every bit".to_owned(),
        Demand::Within(within) => format!("{} m", show(within)),
    }
}

fn found(record: &TwinRecord) -> String {
    match (&record.first, &record.worst) {
        (None, _) => "no bit differs".to_owned(),
        (Some(_), Some((apart, ..))) if apart.is_finite() => format!("{} m", show(*apart)),
        (Some(_), Some(_)) => "a body is missing".to_owned(),
        (Some(_), None) => "no place differs".to_owned(),
    }
}

/// The conditions of a twin in a line.
pub(crate) fn twin_conditions(twin: &TwinDocument) -> String {
    let unusual = if twin.conditions.is_empty() { String::new() } else { format!(", {}", twin.conditions) };
    format!("dt {}{unusual}", twin.dt_text)
}

/// What a twin must keep, as a bound.
pub(crate) fn twin_bound(twin: &TwinDocument) -> String {
    twin.within.map_or_else(|| "every bit".to_owned(), |within| format!("<= {}", show(within)))
}

/// What came of a twin, in a sentence: why it was not judged, or what differs first.
pub(crate) fn twin_found(twin: &TwinDocument) -> String {
    if !twin.reason.is_empty() {
        return twin.reason.clone();
    }
    let Some(first) = &twin.first else { return "no bit differs".to_owned() };
    let apart = match twin.apart {
        Some(0.0) => "no place differs".to_owned(),
        Some(apart) => format!("{} m apart", show(apart)),
        None => "a body is missing".to_owned(),
    };
    let body = if first.body.is_empty() { String::new() } else { format!("`{}`: ", first.body) };
    format!("{apart}; first at step {} ({} s), {body}{}", first.step, show(first.time), first.component)
}

/// One line a twin, then what differs first for each that does not agree.
pub fn twin_table(records: &[TwinRecord]) -> String {
    let mut out = String::new();
    let count = |verdict| records.iter().filter(|record| record.verdict == verdict).count();
    out.push_str(&format!(
        "{} twins: {} agree, {} do not, {}{} unsupported, {} errors\n",
        records.len(),
        count(Verdict::Pass),
        count(Verdict::Fail),
        if count(Verdict::Unknown) > 0 { format!("{} not known, ", count(Verdict::Unknown)) } else { String::new() },
        count(Verdict::Unsupported),
        count(Verdict::Error)
    ));
    let mut head = String::new();
    for record in records {
        let plan = &record.order.plan;
        let unusual = plan.conditions.unusual_text();
        let of = format!(
            "{} at dt {}{}{unusual} on {}",
            plan.setup.name,
            plan.conditions.dt.text,
            if unusual.is_empty() { "" } else { ", " },
            plan.engine.text()
        );
        if of != head {
            out.push_str(&format!("\n{of}\n"));
            head = of;
        }
        let what = if record.reason.is_empty() { found(record) } else { record.reason.clone() };
        out.push_str(&format!(
            "  {}  {:9}  wanted {:12}  {what}\n",
            mark(record.verdict),
            record.order.kind.word(),
            demanded(record.demand)
        ));
        if record.verdict == Verdict::Fail {
            out.push_str(&where_and_how(record));
        }
    }
    out
}

fn where_and_how(record: &TwinRecord) -> String {
    let mut out = format!("        {}\n", record.change);
    if let Some(first) = &record.first {
        let number = |value: Option<f64>| value.map_or_else(|| "no number".to_owned(), |value| format!("{value:?}"));
        let place = if first.body.is_empty() { String::new() } else { format!("`{}`: ", first.body) };
        out.push_str(&format!(
            "        first at step {} ({} s), {place}{} is {} and {} in the twin\n",
            first.step,
            show(first.time),
            first.component,
            number(first.plain),
            number(first.twin)
        ));
    }
    if let Some((apart, body, time)) = record.worst.as_ref().filter(|worst| worst.0.is_finite()) {
        out.push_str(&format!("        furthest apart: {} m, `{body}` at {} s\n", show(*apart), show(*time)));
    }
    if record.first.is_some() {
        out.push_str(&match record.growth.doubling {
            Some(doubling) if record.verdict == Verdict::Unknown => format!(
                "        it begins with a few roundings and doubles every {} s, as where bodies collide or topple (chaos): not known\n",
                show(doubling)
            ),
            Some(doubling) => format!("        the difference doubles every {} s\n", show(doubling)),
            None => "        the difference does not grow by doubling: it came at once or stays what it is\n".to_owned(),
        });
    }
    let plan = &record.order.plan;
    let words = ironspin_lab::shell_line(&plan.arguments()[1..]);
    out.push_str(&format!("        again: ironspin twin {words} --by {}\n", record.order.kind.word()));
    out
}

/// One row a twin.
///
/// # Errors
/// When the writer refuses.
pub fn twin_csv(document: &TwinsDocument) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record([
        "scene",
        "engine",
        "dt",
        "conditions",
        "by",
        "verdict",
        "within",
        "apart",
        "first_step",
        "first_time",
        "body",
        "component",
        "plain",
        "twin",
        "doubling",
        "change",
    ])?;
    let number = |value: Option<f64>| value.map_or_else(String::new, |value| value.to_string());
    for twin in &document.twins {
        let first = twin.first.as_ref();
        let text = |of: fn(&ironspin_lab::Difference) -> String| first.map_or_else(String::new, of);
        writer.write_record([
            csv_text(&twin.scene).into_owned(),
            csv_text(&twin.engine).into_owned(),
            twin.dt_text.clone(),
            csv_text(&twin.conditions).into_owned(),
            twin.by.clone(),
            twin.verdict.word().to_owned(),
            number(twin.within),
            number(twin.apart),
            text(|first| first.step.to_string()),
            text(|first| first.time.to_string()),
            text(|first| first.body.clone()),
            text(|first| first.component.clone()),
            number(first.and_then(|first| first.plain)),
            number(first.and_then(|first| first.twin)),
            number(twin.growth.as_ref().and_then(|growth| growth.doubling)),
            csv_text(&twin.change).into_owned(),
        ])?;
    }
    written(writer)
}

/// The distance over time on a logarithmic axis, as SVG; nothing where no place differs.
///
/// # Errors
/// When it cannot be drawn.
pub fn growth_plot(twin: &TwinDocument) -> Result<Option<String>, PlotError> {
    let Some(growth) = &twin.growth else { return Ok(None) };
    let pairs = growth.times.iter().zip(&growth.apart);
    let points: Vec<(f64, f64)> =
        pairs.filter(|(_, apart)| **apart > 0.0 && apart.is_finite()).map(|(&time, &apart)| (time, apart)).collect();
    if points.is_empty() {
        return Ok(None);
    }
    let mut lines = Vec::new();
    if let (Some(within), Some(first), Some(last)) = (twin.within, points.first(), points.last()) {
        let points = vec![(first.0, within), (last.0, within)];
        lines.push(Line { name: "allowed".to_owned(), colour: BOUND, points, mark: Mark::Dashes });
    }
    lines.push(Line { name: String::new(), colour: SERIES[0], points, mark: Mark::Line });
    let figure = Figure {
        title: format!("{} by {}: distance from the twin", twin.scene, twin.by),
        across: Axis::linear("time, s"),
        up: Axis { name: "distance, m".to_owned(), logarithmic: true },
        lines,
        notes: Vec::new(),
        size: SMALL,
    };
    figure.svg().map(Some)
}
