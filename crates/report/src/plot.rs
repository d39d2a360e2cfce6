//! Curves over time, spectra and histograms as SVG.

use crate::axes::{Axis, Figure, Line, Mark, PlotError, SMALL};
use crate::drawing::DrawnExhibit;
use crate::look::{BOUND, SERIES};
use crate::number::name_with_unit;
use crate::polar::polar;
use crate::sparkline::range;
use ironspin_lab::Curve;
use ironspin_model::Bound;

/// A bound is drawn when it is no further from a curve than so many times its height.
const NEAR: f64 = 4.0;

/// Curves over time, for [`legend`]. A gap is left where a value is not finite.
pub(crate) fn over_time(title: &str, unit: &str, times: &[f64], curves: &[Curve]) -> Figure {
    let line = |(index, curve): (usize, &Curve)| Line {
        name: String::new(),
        colour: SERIES[index % SERIES.len()],
        points: times.iter().copied().zip(curve.values.iter().copied()).collect(),
        mark: Mark::Line,
    };
    Figure {
        title: name_with_unit(title, unit),
        across: Axis::linear("time, s"),
        up: Axis::linear(""),
        lines: curves.iter().enumerate().map(line).collect(),
        notes: Vec::new(),
        size: SMALL,
    }
}

/// The lower and the upper edge of what a bound allows.
pub(crate) fn edges(bound: &Bound) -> [Option<f64>; 2] {
    match *bound {
        Bound::AtMost(most) => [None, Some(most)],
        Bound::AtLeast(least) => [Some(least), None],
        Bound::Equals { value, within } => [Some(value - within), Some(value + within)],
        Bound::None => [None, None],
    }
}

/// A gauge over time, with its bound where that is near, and the time since when it was broken.
pub(crate) fn gauge_over_time(
    name: &str,
    unit: &str,
    times: &[f64],
    values: &[f64],
    bound: &Bound,
    since: Option<f64>,
) -> Figure {
    let curve = Curve { name: name.to_owned(), values: values.to_vec() };
    let mut figure = over_time(name, unit, times, std::slice::from_ref(&curve));
    let (low, high) = range(values);
    let near = |edge: f64| !(high > low) || (low - NEAR * (high - low)..=high + NEAR * (high - low)).contains(&edge);
    if let (Some(&first), Some(&last)) = (times.first(), times.last()) {
        for edge in edges(bound).into_iter().flatten().filter(|edge| near(*edge)) {
            let points = vec![(first, edge), (last, edge)];
            figure.lines.push(Line { name: String::new(), colour: BOUND, points, mark: Mark::Dashes });
        }
    }
    if let Some(since) = since {
        let points = vec![(since, low)];
        figure.lines.push(Line { name: String::new(), colour: SERIES[1], points, mark: Mark::Rule });
    }
    figure
}

/// A spectrum, a histogram beside its law, or answers by direction, as SVG.
///
/// # Errors
/// When the plotting library refuses.
pub(crate) fn exhibit(gauge: &str, exhibit: &DrawnExhibit) -> Result<String, PlotError> {
    let figure = match exhibit {
        DrawnExhibit::Directions { ways, axes } => return Ok(polar(gauge, ways, axes)),
        DrawnExhibit::Spectrum { of, spacing, shares } => {
            let points = shares.iter().enumerate().skip(1).filter(|(_, share)| **share > 0.0);
            let points = points.map(|(line, share)| (line as f64 * spacing, *share)).collect();
            Figure {
                title: format!("Spectrum of the shaking of {of}"),
                across: Axis::linear("frequency, Hz"),
                up: Axis { name: "share of the power".to_owned(), logarithmic: true },
                lines: vec![Line { name: String::new(), colour: SERIES[0], points, mark: Mark::Line }],
                notes: Vec::new(),
                size: SMALL,
            }
        }
        DrawnExhibit::Histogram { edges, found, expected } => {
            let middles: Vec<f64> = edges.windows(2).map(|ends| 0.5 * (ends[0] + ends[1])).collect();
            let points = |counts: &[f64]| middles.iter().copied().zip(counts.iter().copied()).collect();
            let width = edges.windows(2).map(|ends| ends[1] - ends[0]).fold(f64::INFINITY, f64::min);
            let bars = Mark::Bars(0.9 * width);
            let name = if expected.is_empty() { "" } else { "found" };
            let mut lines = vec![Line { name: name.to_owned(), colour: SERIES[0], points: points(found), mark: bars }];
            if !expected.is_empty() {
                let (name, points) = ("expected".to_owned(), points(expected));
                lines.push(Line { name, colour: SERIES[1], points, mark: Mark::LineAndDots });
            }
            Figure {
                title: format!("{gauge}: how the values spread"),
                across: Axis::linear(""),
                up: Axis::linear("values"),
                lines,
                notes: Vec::new(),
                size: SMALL,
            }
        }
    };
    figure.svg()
}
