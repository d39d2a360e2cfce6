//! Curves over time as SVG.

use crate::look::{SERIES, css};
use crate::number::show;
use crate::picture::escape;
use ironspin_lab::Curve;
use plotters::prelude::*;

/// Why a plot cannot be drawn.
#[derive(Debug, thiserror::Error)]
#[error("cannot draw the plot `{title}`: {cause}")]
pub struct PlotError {
    pub(crate) title: String,
    pub(crate) cause: String,
}

/// Size of a plot, px.
const SIZE: (u32, u32) = (532, 260);

/// Smallest and largest finite value of some curves, with a little air; a curve that is flat but for rounding
/// gets a span of its own.
fn span<'a>(values: impl Iterator<Item = &'a f64>) -> (f64, f64) {
    let (low, high) = values
        .filter(|v| v.is_finite())
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), &v| (low.min(v), high.max(v)));
    if low > high {
        return (0.0, 1.0);
    }
    let size = low.abs().max(high.abs());
    // Rounding noise drawn large would look like motion.
    let flat = high - low <= 1e-9 * size;
    let air = if flat { (0.05 * size).max(1e-12) } else { 0.05 * (high - low) };
    (low - air, high + air)
}

/// Names of curves with their colours, as HTML; empty for a single curve.
pub(crate) fn legend(curves: &[Curve]) -> String {
    if curves.len() < 2 {
        return String::new();
    }
    let entry = |(index, curve): (usize, &Curve)| {
        format!("<span class=\"key\"><i style=\"background:{}\"></i>{}</span>", css(index), escape(&curve.name))
    };
    curves.iter().enumerate().map(entry).collect()
}

/// Draws curves over time. A gap is left where a value is not finite.
///
/// # Errors
/// When the plotting library refuses.
pub(crate) fn over_time(title: &str, unit: &str, times: &[f64], curves: &[Curve]) -> Result<String, PlotError> {
    let mut svg = String::new();
    draw(&mut svg, title, unit, times, curves).map_err(|cause| PlotError { title: title.to_owned(), cause })?;
    Ok(svg)
}

fn draw(svg: &mut String, title: &str, unit: &str, times: &[f64], curves: &[Curve]) -> Result<(), String> {
    let told = |error: &dyn std::fmt::Display| error.to_string();
    let root = SVGBackend::with_string(svg, SIZE).into_drawing_area();
    let (low, high) = span(curves.iter().flat_map(|curve| &curve.values));
    let end = times.last().copied().filter(|time| *time > 0.0).unwrap_or(1.0);
    let label_width = 8 * [low, high].map(|v| show(v).len()).into_iter().max().unwrap_or(4).max(5) as u32;
    let mut chart = ChartBuilder::on(&root)
        .caption(format!("{title}, {unit}"), ("sans-serif", 15).into_font().color(&RGBColor(0x22, 0x26, 0x2a)))
        .margin(8)
        .x_label_area_size(30)
        .y_label_area_size(label_width.min(90))
        .build_cartesian_2d(0.0..end, low..high)
        .map_err(|e| told(&e))?;
    chart
        .configure_mesh()
        .x_labels(6)
        .y_labels(5)
        .x_desc("time, s")
        .x_label_formatter(&|v| show(*v))
        .y_label_formatter(&|v| show(round_to(*v, high - low)))
        .light_line_style(TRANSPARENT)
        .bold_line_style(RGBColor(0xdd, 0xd9, 0xd0))
        .axis_style(RGBColor(0x88, 0x88, 0x88))
        .label_style(("sans-serif", 12).into_font().color(&RGBColor(0x44, 0x48, 0x4c)))
        .draw()
        .map_err(|e| told(&e))?;
    for (index, curve) in curves.iter().enumerate() {
        let (r, g, b) = SERIES[index % SERIES.len()];
        for piece in finite_pieces(times, &curve.values) {
            chart.draw_series(LineSeries::new(piece, RGBColor(r, g, b).stroke_width(2))).map_err(|e| told(&e))?;
        }
    }
    root.present().map_err(|e| told(&e))
}

/// Takes the rounding noise off a label of an axis.
fn round_to(value: f64, span: f64) -> f64 {
    if value.abs() < 1e-9 * span { 0.0 } else { value }
}

/// The stretches of a curve in which all values are finite.
fn finite_pieces(times: &[f64], values: &[f64]) -> Vec<Vec<(f64, f64)>> {
    let mut pieces = vec![Vec::new()];
    for (&time, &value) in times.iter().zip(values) {
        if value.is_finite() {
            if let Some(piece) = pieces.last_mut() {
                piece.push((time, value));
            }
        } else if pieces.last().is_some_and(|piece| !piece.is_empty()) {
            pieces.push(Vec::new());
        }
    }
    pieces
}
