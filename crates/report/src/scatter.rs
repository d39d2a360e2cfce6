//! A gauge over a condition, a parameter or time, from results.

use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SHEET};
use crate::engine_key::EngineKey;
use crate::look::BOUND;
use crate::look::SERIES;
use crate::number::name_with_unit;
use crate::page::PageTrial;
use crate::plot::edges;
use ironspin_lab::{ClaimDocument, TrialDocument};
use ironspin_model::{Bound, nearest};
use std::collections::BTreeMap;

/// What is plotted.
#[derive(Clone, Debug)]
pub struct ResultPlot {
    /// The gauge up.
    pub gauge: String,
    /// Across: `dt`, `steps`, `bodies`, `seed`, `time`, or the name of a parameter.
    pub over: String,
    /// Logarithmic axes: across, up.
    pub logarithmic: [bool; 2],
    /// As dots (PNG), not as SVG.
    pub dots: bool,
}

/// Why results cannot be plotted.
#[derive(Debug, thiserror::Error)]
pub enum ResultPlotError {
    /// No claim is about the gauge.
    #[error("no claim of these results is about `{found}`{}", .nearest.as_ref().map_or_else(String::new, |near| format!("; did you mean `{near}`?")))]
    NoGauge {
        /// What was asked for.
        found: String,
        /// The nearest that there is.
        nearest: Option<String>,
    },
    /// There is nothing of this name to plot over.
    #[error("there is no `{found}` to plot over; there are: {}", .known.join(", "))]
    NoAxis {
        /// What was asked for.
        found: String,
        /// What there is.
        known: Vec<String>,
    },
    /// The gauge was not followed over time.
    #[error(
        "`{gauge}` has no values over time in these results: it has none before the end, or what passed was not kept"
    )]
    NoTrack {
        /// The gauge.
        gauge: String,
    },
    /// From the plotting library.
    #[error(transparent)]
    Plot(#[from] PlotError),
}

/// Where across, what was measured, and its bound.
type Measured = (f64, f64, Bound);

fn place(trial: &TrialDocument, over: &str) -> Option<f64> {
    match over {
        "dt" => Some(trial.dt),
        "steps" => Some(trial.steps as f64),
        "bodies" => Some(trial.bodies as f64),
        "seed" => Some(trial.seed as f64),
        name => trial.parameters.get(name).copied(),
    }
}

/// Draws a gauge over something, a line for each scene, engine, set of bodies and other conditions; values of several trials at one place stand
/// above each other. Bounds are drawn in grey where they are the same for a whole line.
///
/// # Errors
/// When there is nothing to plot, or the plotting library refuses.
pub fn result_plot(trials: &[PageTrial], plot: &ResultPlot) -> Result<Vec<u8>, ResultPlotError> {
    let figure = if plot.over == "time" { over_time(trials, plot)? } else { over_conditions(trials, plot)? };
    Ok(if plot.dots { figure.png()? } else { figure.svg()?.into_bytes() })
}

/// Letters for the engines of the trials that have the gauge.
fn key_of(trials: &[PageTrial], plot: &ResultPlot) -> EngineKey {
    let has = |trial: &&PageTrial| trial.document.claims.iter().any(|claim| claim.gauge == plot.gauge);
    EngineKey::of(trials.iter().filter(has).map(|trial| trial.document.engine.as_str()))
}

fn no_gauge(trials: &[PageTrial], plot: &ResultPlot) -> ResultPlotError {
    let known = trials.iter().flat_map(|trial| trial.document.claims.iter().map(|claim| claim.gauge.as_str()));
    let near = nearest(&plot.gauge, known).map(str::to_owned);
    ResultPlotError::NoGauge { found: plot.gauge.clone(), nearest: near }
}

/// A line for each trial and set of bodies, as far as the gauge was followed.
fn over_time(trials: &[PageTrial], plot: &ResultPlot) -> Result<Figure, ResultPlotError> {
    let (mut named, mut drawn, mut unit) = (Vec::new(), Vec::new(), None);
    let mut bounds: Vec<Line> = Vec::new();
    let key = key_of(trials, plot);
    for trial in trials {
        for (number, claim) in trial.document.claims.iter().enumerate().filter(|(_, claim)| claim.gauge == plot.gauge) {
            unit.get_or_insert_with(|| claim.unit.clone());
            let Some(drawing) = &trial.drawing else { continue };
            let Some(track) = drawing.tracks.get(number).filter(|track| !track.is_empty()) else { continue };
            let document = &trial.document;
            let others = document.unusual_text();
            let others = if others.is_empty() { others } else { format!(", {others}") };
            named.push(format!(
                "{}, {}, dt {}{others} on {}",
                document.scene,
                claim.of,
                document.dt_text,
                key.name(&document.engine)
            ));
            let values = track.iter().map(|value| value.unwrap_or(f64::NAN));
            drawn.push(drawing.times.iter().copied().zip(values).collect::<Vec<_>>());
            let ends = [drawing.times.first(), drawing.times.last()].map(|time| time.copied().unwrap_or(0.0));
            for edge in edges(&claim.bound).into_iter().flatten() {
                bounds.push(bound_line(ends.iter().map(|&end| (end, edge)).collect()));
            }
        }
    }
    let unit = unit.ok_or_else(|| no_gauge(trials, plot))?;
    if drawn.is_empty() {
        return Err(ResultPlotError::NoTrack { gauge: plot.gauge.clone() });
    }
    bounds.dedup_by(|a, b| a.points == b.points);
    let shared = shared_words(named.iter().map(String::as_str));
    let lines = named.iter().zip(drawn).enumerate().map(|(number, (name, points))| Line {
        name: name.strip_prefix(&shared).unwrap_or(name).to_owned(),
        colour: SERIES[number % SERIES.len()],
        points,
        mark: Mark::Line,
    });
    Ok(Figure {
        title: format!("{} over time, as measured up to then", plot.gauge),
        across: Axis { name: "time, s".to_owned(), logarithmic: plot.logarithmic[0] },
        up: Axis { name: name_with_unit(&plot.gauge, &unit), logarithmic: plot.logarithmic[1] },
        lines: bounds.into_iter().chain(lines).collect(),
        notes: key.notes(),
        size: SHEET,
    })
}

fn over_conditions(trials: &[PageTrial], plot: &ResultPlot) -> Result<Figure, ResultPlotError> {
    let mut lines: BTreeMap<(String, String), Vec<Measured>> = BTreeMap::new();
    let mut unit = None;
    let about = |claim: &&ClaimDocument| claim.gauge == plot.gauge;
    let key = key_of(trials, plot);
    for (trial, claim) in trials
        .iter()
        .map(|trial| &trial.document)
        .flat_map(|trial| trial.claims.iter().filter(about).map(move |claim| (trial, claim)))
    {
        let Some(x) = place(trial, &plot.over) else {
            let mut known: Vec<String> = ["dt", "steps", "bodies", "seed", "time"].map(str::to_owned).to_vec();
            known.extend(trial.parameters.keys().cloned());
            return Err(ResultPlotError::NoAxis { found: plot.over.clone(), known });
        };
        unit.get_or_insert_with(|| claim.unit.clone());
        let mut others = trial.unusual_but_chance();
        others.retain(|text| !text.starts_with(&format!("{}=", plot.over)));
        if plot.over != "dt" {
            others.push(format!("dt {}", trial.dt_text));
        }
        let name = format!("{}, {} on {}", trial.scene, claim.of, key.name(&trial.engine));
        let Some(measured) = claim.measured else { continue };
        lines.entry((name, others.join(", "))).or_default().push((x, measured, claim.bound));
    }
    let unit = unit.ok_or_else(|| no_gauge(trials, plot))?;
    let shared = shared_words(lines.keys().map(|(name, _)| name.as_str()));
    let mut drawn = Vec::new();
    for (number, ((name, others), mut points)) in lines.into_iter().enumerate() {
        points.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let short = name.strip_prefix(&shared).unwrap_or(&name);
        let name = if others.is_empty() { short.to_owned() } else { format!("{short}, {others}") };
        drawn.extend(bounds(&points));
        drawn.push(Line {
            name,
            colour: SERIES[number % SERIES.len()],
            points: points.iter().map(|&(x, y, _)| (x, y)).collect(),
            mark: Mark::LineAndDots,
        });
    }
    let across = if plot.over == "dt" { "dt, s".to_owned() } else { plot.over.clone() };
    let figure = Figure {
        title: format!("{} over {}", plot.gauge, plot.over),
        across: Axis { name: across, logarithmic: plot.logarithmic[0] },
        up: Axis { name: name_with_unit(&plot.gauge, &unit), logarithmic: plot.logarithmic[1] },
        lines: drawn,
        notes: key.notes(),
        size: SHEET,
    };
    Ok(figure)
}

/// The beginning that all names share, up to a comma.
fn shared_words<'a>(mut names: impl Iterator<Item = &'a str>) -> String {
    let Some(first) = names.next() else { return String::new() };
    let shared = names.fold(first.len(), |shared, name| {
        first.bytes().zip(name.bytes()).take(shared).take_while(|(a, b)| a == b).count()
    });
    first.get(..shared).and_then(|text| text.rfind(", ")).map_or(String::new(), |end| first[..end + 2].to_owned())
}

/// Lines at the bounds, from the first to the last place.
fn bounds(points: &[Measured]) -> Vec<Line> {
    let edge = |side: usize| {
        let line: Option<Vec<(f64, f64)>> =
            points.iter().map(|(x, _, bound)| edges(bound)[side].map(|edge| (*x, edge))).collect();
        line.filter(|line| !line.is_empty())
    };
    [edge(0), edge(1)].into_iter().flatten().map(bound_line).collect()
}

fn bound_line(points: Vec<(f64, f64)>) -> Line {
    Line { name: String::new(), colour: BOUND, points, mark: Mark::Dashes }
}
