//! Figures with linear or logarithmic axes, as SVG: lines, dots, bounds.

use crate::number::show;
use crate::plot::PlotError;
use plotters::prelude::*;

/// Size of a figure, px.
const SIZE: (u32, u32) = (720, 420);

/// One axis.
pub(crate) struct Axis {
    /// What it shows, with its unit.
    pub(crate) name: String,
    /// By powers of ten.
    pub(crate) logarithmic: bool,
}

/// One line, or one row of dots.
pub(crate) struct Line {
    /// Shown beside its end; none for an empty name.
    pub(crate) name: String,
    /// Its colour.
    pub(crate) colour: (u8, u8, u8),
    /// x and y.
    pub(crate) points: Vec<(f64, f64)>,
    /// Dots at the points.
    pub(crate) dots: bool,
    /// The line itself is left out between them.
    pub(crate) bare: bool,
}

/// A figure.
pub(crate) struct Figure {
    /// Its title.
    pub(crate) title: String,
    /// Across.
    pub(crate) across: Axis,
    /// Up.
    pub(crate) up: Axis,
    /// What is drawn.
    pub(crate) lines: Vec<Line>,
}

impl Axis {
    fn place(&self, value: f64) -> f64 {
        if self.logarithmic { value.log10() } else { value }
    }

    fn label(&self, place: f64, span: f64) -> String {
        if !self.logarithmic {
            return show(if place.abs() < 1e-9 * span { 0.0 } else { place });
        }
        // Labels between the powers would be powers of no round number.
        if (place - place.round()).abs() > 1e-6 && span > 1.5 { String::new() } else { show(10_f64.powf(place)) }
    }

    /// Ends with a little air.
    fn span(&self, values: impl Iterator<Item = f64>) -> (f64, f64) {
        let (low, high) = values
            .filter(|value| value.is_finite())
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)));
        if low > high {
            return (0.0, 1.0);
        }
        let air = if high > low { 0.06 * (high - low) } else { (0.05 * low.abs()).max(0.5) };
        (low - air, high + air)
    }
}

/// Draws a figure.
///
/// # Errors
/// When the plotting library refuses.
pub(crate) fn draw(figure: &Figure) -> Result<String, PlotError> {
    let mut svg = String::new();
    fill(&mut svg, figure).map_err(|cause| PlotError { title: figure.title.clone(), cause })?;
    Ok(svg)
}

/// The corner with the fewest points, for the names of the lines.
fn emptiest(placed: &[Vec<(f64, f64)>], across: (f64, f64), up: (f64, f64)) -> SeriesLabelPosition {
    let middle = |(low, high): (f64, f64)| 0.5 * (low + high);
    let count = |right: bool, upper: bool| {
        let here = |&&(x, y): &&(f64, f64)| (x > middle(across)) == right && (y > middle(up)) == upper;
        placed.iter().flatten().filter(here).count()
    };
    let corners = [
        (count(true, false), SeriesLabelPosition::LowerRight),
        (count(true, true), SeriesLabelPosition::UpperRight),
        (count(false, true), SeriesLabelPosition::UpperLeft),
        (count(false, false), SeriesLabelPosition::LowerLeft),
    ];
    let best = corners.into_iter().reduce(|best, corner| if corner.0 < best.0 { corner } else { best });
    best.map_or(SeriesLabelPosition::LowerRight, |(_, corner)| corner)
}

fn fill(svg: &mut String, figure: &Figure) -> Result<(), String> {
    let told = |error: &dyn std::fmt::Display| error.to_string();
    let (across, up) = (&figure.across, &figure.up);
    let placed: Vec<Vec<(f64, f64)>> = figure
        .lines
        .iter()
        .map(|line| {
            let points = line.points.iter().map(|&(x, y)| (across.place(x), up.place(y)));
            points.filter(|(x, y)| x.is_finite() && y.is_finite()).collect()
        })
        .collect();
    let all = || placed.iter().flatten();
    let (left, right) = across.span(all().map(|point| point.0));
    let (low, high) = up.span(all().map(|point| point.1));
    let root = SVGBackend::with_string(svg, SIZE).into_drawing_area();
    root.fill(&WHITE).map_err(|e| told(&e))?;
    let dark = RGBColor(0x22, 0x26, 0x2a);
    let mut chart = ChartBuilder::on(&root)
        .caption(&figure.title, ("sans-serif", 16).into_font().color(&dark))
        .margin(12)
        .x_label_area_size(42)
        .y_label_area_size(76)
        .build_cartesian_2d(left..right, low..high)
        .map_err(|e| told(&e))?;
    let labels = |axis: &Axis, span: f64| if axis.logarithmic { (span.ceil() as usize + 1).clamp(3, 9) } else { 7 };
    chart
        .configure_mesh()
        .x_labels(labels(across, right - left))
        .y_labels(labels(up, high - low))
        .x_desc(&across.name)
        .y_desc(&up.name)
        .x_label_formatter(&|place| across.label(*place, right - left))
        .y_label_formatter(&|place| up.label(*place, high - low))
        .light_line_style(TRANSPARENT)
        .bold_line_style(RGBColor(0xdd, 0xd9, 0xd0))
        .axis_style(RGBColor(0x88, 0x88, 0x88))
        .label_style(("sans-serif", 13).into_font().color(&RGBColor(0x44, 0x48, 0x4c)))
        .draw()
        .map_err(|e| told(&e))?;
    let mut named = false;
    for (line, points) in figure.lines.iter().zip(&placed) {
        let colour = RGBColor(line.colour.0, line.colour.1, line.colour.2);
        if !line.bare {
            let drawn = chart
                .draw_series(LineSeries::new(points.iter().copied(), colour.stroke_width(2)))
                .map_err(|e| told(&e))?;
            if !line.name.is_empty() && !line.dots {
                named = true;
                drawn
                    .label(&line.name)
                    .legend(move |(x, y)| Rectangle::new([(x, y - 2), (x + 14, y + 2)], colour.filled()));
            }
        }
        if line.dots {
            let drawn = chart
                .draw_series(points.iter().map(|&point| Circle::new(point, 4, colour.filled())))
                .map_err(|e| told(&e))?;
            if !line.name.is_empty() {
                named = true;
                drawn.label(&line.name).legend(move |(x, y)| Circle::new((x + 7, y), 4, colour.filled()));
            }
        }
    }
    if named {
        chart
            .configure_series_labels()
            .position(emptiest(&placed, (left, right), (low, high)))
            .background_style(WHITE.mix(0.85))
            .border_style(RGBColor(0xdd, 0xd9, 0xd0))
            .label_font(("sans-serif", 13).into_font().color(&dark))
            .draw()
            .map_err(|e| told(&e))?;
    }
    root.present().map_err(|e| told(&e))
}
