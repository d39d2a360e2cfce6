//! Edges, series and comparisons as CSV.

use crate::cells::csv_text;
use crate::machine::{MachineError, written};
use ironspin_lab::{Comparison, EdgeRecord, SeriesRecord};

fn number(value: Option<f64>) -> String {
    value.map_or_else(String::new, |value| value.to_string())
}

/// Everything that was tried in searches for edges, one line a value; `edge` says where one lies between a value and the next.
///
/// # Errors
/// When it cannot be written.
pub fn edge_csv(searches: &[EdgeRecord]) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let head = ["scene", "engine", "conditions", "axis", "until", "value", "broken", "seeds", "edge", "detail"];
    writer.write_record(head)?;
    for search in searches {
        for tried in &search.tried {
            let edge = search.edges.iter().find(|edge| edge.before == tried.value);
            let edge = edge.map_or("", |edge| if edge.breaks { "starts to break" } else { "holds again" });
            writer.write_record([
                csv_text(&search.scene).as_ref(),
                &csv_text(&search.engine),
                &csv_text(&search.conditions),
                &csv_text(&search.axis),
                &csv_text(&search.until),
                &tried.value.to_string(),
                &tried.broken.to_string(),
                &tried.of.to_string(),
                edge,
                &csv_text(&tried.detail),
            ])?;
        }
    }
    written(writer)
}

/// The points of series, one line a point.
///
/// # Errors
/// When it cannot be written.
pub fn series_csv(series: &[SeriesRecord]) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record([
        "scene", "engine", "over", "value", "gauge", "measured", "unit", "exponent", "margin", "verdict", "reason",
    ])?;
    for record in series {
        for (value, measured) in &record.points {
            writer.write_record([
                csv_text(&record.scene).as_ref(),
                &csv_text(&record.engine),
                &csv_text(&record.over),
                &value.to_string(),
                &csv_text(&record.gauge),
                &number(*measured),
                &csv_text(&record.unit),
                &number(record.exponent),
                &number(record.margin),
                record.verdict.word(),
                &csv_text(&record.reason),
            ])?;
        }
    }
    written(writer)
}

/// What has changed between two results, one line a change.
///
/// # Errors
/// When it cannot be written.
pub fn comparison_csv(found: &Comparison) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(["change", "trial", "what", "base", "new", "unit"])?;
    for change in &found.changes {
        writer.write_record([
            change.kind.words(),
            &csv_text(&change.trial),
            &csv_text(&change.what),
            &number(change.base),
            &number(change.new),
            &csv_text(&change.unit),
        ])?;
    }
    written(writer)
}
