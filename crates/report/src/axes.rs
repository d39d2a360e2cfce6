//! Figures with linear or logarithmic axes, as SVG or as dots: lines, dots, bars, bounds.

use crate::dots::Dots;
use crate::lettering::shortened_among;
use crate::look::BOUND;
use crate::number::show;
use ironspin_model::shown;
use plotters::coord::Shift;
use plotters::coord::ranged1d::{DefaultFormatting, KeyPointHint, Ranged};
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use std::ops::Range;

/// Size of a figure for itself, and of one among others, px.
pub(crate) const SHEET: (u32, u32) = (720, 420);
pub(crate) const SMALL: (u32, u32) = (532, 260);
/// Names of lines stand below the figure, where they cover nothing: so many at most, in rows so high, px.
const ROWS: usize = 12;
const ROW: i32 = 16;
const INK: RGBColor = RGBColor(0x22, 0x26, 0x2a);
const LABELS: RGBColor = RGBColor(0x44, 0x48, 0x4c);
const GRID: RGBColor = RGBColor(0xdd, 0xd9, 0xd0);

/// Why a plot cannot be drawn.
#[derive(Debug, thiserror::Error)]
#[error("cannot draw the plot `{title}`: {cause}")]
pub struct PlotError {
    pub(crate) title: String,
    pub(crate) cause: String,
}

/// One axis.
#[derive(Clone, Debug)]
pub(crate) struct Axis {
    /// What it shows, with its unit.
    pub(crate) name: String,
    /// By powers of ten.
    pub(crate) logarithmic: bool,
}

/// How points are drawn.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Mark {
    /// Joined, with gaps where there is no number.
    Line,
    /// One by one.
    Dots,
    /// One by one, each with the name beside it; then it stands nowhere else.
    NamedDots,
    /// Both.
    LineAndDots,
    /// Upright bars from 0, so wide.
    Bars(f64),
    /// A thin dashed line, in the colour [`BOUND`].
    Dashes,
    /// A thin upright line through each, over the whole height.
    Rule,
}

/// One line, or one row of dots.
#[derive(Clone, Debug)]
pub(crate) struct Line {
    /// Shown below the figure; an empty name is not.
    pub(crate) name: String,
    /// Its colour.
    pub(crate) colour: (u8, u8, u8),
    /// x and y.
    pub(crate) points: Vec<(f64, f64)>,
    /// How they are drawn.
    pub(crate) mark: Mark,
}

/// A figure.
#[derive(Clone, Debug)]
pub(crate) struct Figure {
    /// Its title.
    pub(crate) title: String,
    /// Across.
    pub(crate) across: Axis,
    /// Up.
    pub(crate) up: Axis,
    /// What is drawn.
    pub(crate) lines: Vec<Line>,
    /// What explains the names, a row each: which engine a letter stands for.
    pub(crate) notes: Vec<String>,
    /// px.
    pub(crate) size: (u32, u32),
}

impl Figure {
    /// As SVG.
    ///
    /// # Errors
    /// When the plotting library refuses.
    pub(crate) fn svg(&self) -> Result<String, PlotError> {
        let mut svg = String::new();
        self.fill(&SVGBackend::with_string(&mut svg, self.whole()).into_drawing_area())?;
        // The plotting library would draw every dash by itself.
        let (r, g, b) = BOUND;
        let stroke = format!("stroke=\"#{r:02X}{g:02X}{b:02X}\"");
        let svg = svg.replace(&stroke, &format!("{stroke} stroke-dasharray=\"6 4\""));
        // Names of lines come from scenes and engines, and XML has no word for control characters.
        Ok(shown(&svg).into_owned())
    }

    /// As PNG.
    ///
    /// # Errors
    /// When the plotting library refuses.
    pub(crate) fn png(&self) -> Result<Vec<u8>, PlotError> {
        let mut png = Vec::new();
        let dots = Dots::new(self.whole(), &mut png).ok_or_else(|| self.fault("an image of no size".to_owned()))?;
        self.fill(&dots.into_drawing_area())?;
        Ok(png)
    }

    /// The lines whose name stands below.
    fn named(&self) -> impl Iterator<Item = &Line> {
        self.lines.iter().filter(|line| !line.name.is_empty() && line.mark != Mark::NamedDots)
    }

    /// Height of the names and notes below the axes, px.
    fn below(&self) -> u32 {
        match self.named().count().min(ROWS + 1) + self.notes.len() {
            0 => 0,
            rows => ROW as u32 * rows as u32 + 8,
        }
    }

    fn whole(&self) -> (u32, u32) {
        (self.size.0, self.size.1 + self.below())
    }

    fn fault(&self, cause: String) -> PlotError {
        PlotError { title: self.title.clone(), cause }
    }

    fn fill<DB: DrawingBackend>(&self, root: &DrawingArea<DB, Shift>) -> Result<(), PlotError> {
        fill(root, self).map_err(|error| self.fault(error.to_string()))
    }
}

impl Axis {
    pub(crate) fn linear(name: impl Into<String>) -> Axis {
        Axis { name: name.into(), logarithmic: false }
    }

    fn place(&self, value: f64) -> f64 {
        if self.logarithmic { value.log10() } else { value }
    }

    fn label(&self, place: f64, span: f64) -> String {
        if self.logarithmic {
            return show(10_f64.powf(place));
        }
        // Takes the rounding noise off.
        let place = if place.abs() < 1e-9 * span { 0.0 } else { place };
        // Four digits do not distinguish marks that stand close together far from 0.
        let decimals = -(0.1 * span).log10().floor();
        match place.abs() > 1e3 * span && (1.0..15.0).contains(&decimals) {
            true => format!("{place:.0$}", decimals as usize),
            false => show(place),
        }
    }

    /// Ends with a little air; what is flat but for rounding gets a span of its own, for noise drawn large would look like motion.
    fn span(&self, values: impl Iterator<Item = f64>) -> (f64, f64) {
        let (low, high) = values
            .filter(|value| value.is_finite())
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)));
        if low > high {
            return (0.0, 1.0);
        }
        let size = low.abs().max(high.abs());
        let air = match (self.logarithmic, high - low > 1e-9 * size) {
            (_, true) => 0.05 * (high - low),
            (true, false) => 0.5,
            (false, false) => (0.05 * size).max(1e-12),
        };
        (low - air, high + air)
    }
}

/// Places along an axis, with marks at round values.
struct Places {
    range: Range<f64>,
    logarithmic: bool,
}

impl Ranged for Places {
    type FormatOption = DefaultFormatting;
    type ValueType = f64;

    fn map(&self, value: &f64, limit: (i32, i32)) -> i32 {
        RangedCoordf64::from(self.range.clone()).map(value, limit)
    }

    fn key_points<Hint: KeyPointHint>(&self, hint: Hint) -> Vec<f64> {
        if !self.logarithmic {
            return RangedCoordf64::from(self.range.clone()).key_points(hint);
        }
        powers(&self.range, hint.max_num_points())
    }

    fn range(&self) -> Range<f64> {
        self.range.clone()
    }
}

/// Logarithms of round values: powers of ten, every so many of them where there are many, with twos and fives between where there are few.
fn powers(range: &Range<f64>, most: usize) -> Vec<f64> {
    let (first, last) = (range.start.floor() as i32, range.end.ceil() as i32);
    let within = |places: Vec<f64>| places.into_iter().filter(|place| range.contains(place)).collect::<Vec<_>>();
    let tens = |every: usize| within((first..=last).step_by(every).map(f64::from).collect());
    let between = |digits: &[f64]| {
        let places = (first..=last).flat_map(|power| digits.iter().map(move |digit| f64::from(power) + digit.log10()));
        within(places.collect())
    };
    let digits: Vec<f64> = (2..100).map(|tenth| f64::from(tenth) / 2.0).filter(|digit| *digit < 10.0).collect();
    let finer = [tens(1), between(&[1.0, 3.0]), between(&[1.0, 2.0, 5.0]), between(&digits)];
    let coarser = [5, 4, 3, 2].map(tens);
    let fits = |places: &&Vec<f64>| places.len() <= most.max(2);
    let best = coarser.iter().chain(&finer).filter(fits).max_by_key(|places| places.len());
    best.cloned().unwrap_or_else(|| vec![f64::from(first)])
}

/// Stretches of points with numbers.
fn pieces(points: &[(f64, f64)]) -> impl Iterator<Item = &[(f64, f64)]> + Clone {
    points.split(|(x, y)| !x.is_finite() || !y.is_finite()).filter(|piece| !piece.is_empty())
}

/// Lines with their names below a figure, then the notes.
fn names_below<DB: DrawingBackend>(
    area: &DrawingArea<DB, Shift>,
    figure: &Figure,
) -> Result<(), DrawingAreaErrorKind<DB::ErrorType>> {
    let room = figure.size.0 - 60;
    let font = ("sans-serif", 12).into_font().color(&LABELS);
    let fits = |text: &str| area.estimate_text_size(text, &font).is_ok_and(|(wide, _)| wide <= room);
    let names: Vec<String> = figure.named().map(|line| line.name.clone()).collect();
    let mut y = 4;
    for (line, name) in figure.named().zip(shortened_among(&names, &fits)).take(ROWS) {
        let colour = RGBColor(line.colour.0, line.colour.1, line.colour.2);
        let key = [(24, y + 4), (42, y + 8)];
        match line.mark {
            Mark::Dashes => area.draw(&PathElement::new([(24, y + 6), (42, y + 6)], colour.stroke_width(1)))?,
            Mark::Dots | Mark::NamedDots => area.draw(&Circle::new((33, y + 6), 4, colour.filled()))?,
            Mark::Bars(_) => area.draw(&Rectangle::new([(24, y), (42, y + 10)], colour.mix(0.55).filled()))?,
            Mark::Line | Mark::LineAndDots | Mark::Rule => area.draw(&Rectangle::new(key, colour.filled()))?,
        }
        area.draw(&Text::new(name, (50, y), font.clone()))?;
        y += ROW;
    }
    if names.len() > ROWS {
        area.draw(&Text::new(format!("and {} more", names.len() - ROWS), (50, y), font.clone()))?;
        y += ROW;
    }
    for note in shortened_among(&figure.notes, &fits) {
        area.draw(&Text::new(note, (24, y), font.clone()))?;
        y += ROW;
    }
    Ok(())
}

fn fill<DB: DrawingBackend>(
    root: &DrawingArea<DB, Shift>,
    figure: &Figure,
) -> Result<(), DrawingAreaErrorKind<DB::ErrorType>> {
    let (across, up) = (&figure.across, &figure.up);
    let placed: Vec<Vec<(f64, f64)>> = figure
        .lines
        .iter()
        .map(|line| line.points.iter().map(|&(x, y)| (across.place(x), up.place(y))).collect())
        .collect();
    let all = || placed.iter().flatten();
    let bars = figure.lines.iter().any(|line| matches!(line.mark, Mark::Bars(_)));
    let (left, right) = across.span(all().map(|point| point.0));
    let (low, high) = up.span(all().map(|point| point.1).chain(bars.then_some(0.0)));
    let (wide, tall) = (right - left, high - low);
    root.fill(&WHITE)?;
    let below = figure.below() > 0;
    let (over, under) = root.split_vertically(figure.size.1 as i32);
    let small = figure.size.0 < SHEET.0;
    let text = if small { 12 } else { 13 };
    let longest =
        [low, high].map(|place| up.label(place, tall).len()).into_iter().max().unwrap_or(4).clamp(5, 11) as u32;
    let beside = (8 * longest).min(90) + if up.name.is_empty() { 0 } else { 22 };
    let mut chart = ChartBuilder::on(&over)
        .caption(&figure.title, ("sans-serif", if small { 15 } else { 16 }).into_font().color(&INK))
        .margin(if small { 8 } else { 12 })
        .x_label_area_size(if small { 32 } else { 42 })
        .y_label_area_size(beside)
        .build_cartesian_2d(
            Places { range: left..right, logarithmic: across.logarithmic },
            Places { range: low..high, logarithmic: up.logarithmic },
        )?;
    chart
        .configure_mesh()
        .x_labels(if small { 6 } else { 8 })
        .y_labels(if small { 5 } else { 8 })
        .x_desc(&across.name)
        .y_desc(&up.name)
        .x_label_formatter(&|place| across.label(*place, wide))
        .y_label_formatter(&|place| up.label(*place, tall))
        .light_line_style(TRANSPARENT)
        .bold_line_style(GRID)
        .axis_style(RGBColor(0x88, 0x88, 0x88))
        .label_style(("sans-serif", text).into_font().color(&LABELS))
        .draw()?;
    for (line, points) in figure.lines.iter().zip(&placed) {
        let colour = RGBColor(line.colour.0, line.colour.1, line.colour.2);
        let finite = || pieces(points).flatten().copied();
        match line.mark {
            Mark::Line | Mark::LineAndDots => {
                for piece in pieces(points) {
                    chart.draw_series(LineSeries::new(piece.iter().copied(), colour.stroke_width(2)))?;
                }
            }
            Mark::Dashes => {
                let bound = RGBColor(BOUND.0, BOUND.1, BOUND.2).stroke_width(1);
                chart.draw_series(LineSeries::new(finite(), bound))?;
            }
            Mark::Rule => {
                let upright = |(x, _)| PathElement::new([(x, low), (x, high)], colour.stroke_width(1));
                chart.draw_series(finite().map(upright))?;
            }
            Mark::Bars(width) => {
                let bar =
                    |(x, y)| Rectangle::new([(x - 0.5 * width, 0.0), (x + 0.5 * width, y)], colour.mix(0.55).filled());
                chart.draw_series(finite().map(bar))?;
            }
            Mark::NamedDots => {
                let font = ("sans-serif", 12).into_font().color(&colour);
                let name = |point| EmptyElement::at(point) + Text::new(line.name.clone(), (6, -14), font.clone());
                chart.draw_series(finite().map(name))?;
            }
            Mark::Dots => {}
        }
        if matches!(line.mark, Mark::Dots | Mark::NamedDots | Mark::LineAndDots) {
            chart.draw_series(finite().map(|point| Circle::new(point, 4, colour.filled())))?;
        }
    }
    if below {
        names_below(&under, figure)?;
    }
    root.present()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn logarithmic_axes_have_round_labels_however_narrow_they_are() {
        let labels = |low: f64, high: f64| {
            let places = powers(&(low.log10()..high.log10()), 8);
            places.iter().map(|place| show(10_f64.powf(*place))).collect::<Vec<_>>().join(" ")
        };
        assert_eq!(labels(0.9, 1.1e3), "1 3 10 30 100 300 1000");
        assert_eq!(labels(4.0, 70.0), "5 10 20 50");
        assert_eq!(labels(1.05, 3.3), "1.5 2 2.5 3");
        assert_eq!(labels(1e-13, 2e3), "1e-13 1e-10 1e-7 1e-4 0.1 100");
    }

    #[test]
    fn marks_that_stand_close_together_are_told_apart() {
        let axis = Axis::linear("");
        assert_eq!(
            (axis.label(0.99334, 1e-4), axis.label(0.99336, 1e-4)),
            ("0.99334".to_owned(), "0.99336".to_owned())
        );
        assert_eq!(
            (axis.label(2.5, 5.0), axis.label(1e-17, 1.0), axis.label(5e8, 1e7)),
            ("2.5".into(), "0".into(), "500000000".into())
        );
    }

    #[test]
    fn lines_break_where_there_is_no_number() {
        let points = [(0.0, 1.0), (1.0, f64::NAN), (2.0, 1.0), (3.0, 2.0), (f64::INFINITY, 1.0)];
        assert_eq!(pieces(&points).map(<[_]>::len).collect::<Vec<_>>(), [1, 2]);
    }
}
