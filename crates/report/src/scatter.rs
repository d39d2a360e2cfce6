//! A gauge over a condition or parameter, from results on disk.

use crate::axes::{Axis, Figure, Line, draw};
use crate::look::SERIES;
use crate::plot::PlotError;
use ironspin_lab::{ClaimDocument, TrialDocument};
use ironspin_model::{Bound, nearest};
use std::collections::BTreeMap;

/// What is plotted.
#[derive(Clone, Debug)]
pub struct ResultPlot {
    /// The gauge up.
    pub gauge: String,
    /// Across: `dt`, `steps`, `bodies`, `seed`, or the name of a parameter.
    pub over: String,
    /// Logarithmic axes: across, up.
    pub logarithmic: [bool; 2],
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
pub fn result_plot(trials: &[TrialDocument], plot: &ResultPlot) -> Result<String, ResultPlotError> {
    let mut lines: BTreeMap<(String, String), Vec<Measured>> = BTreeMap::new();
    let mut unit = None;
    let about = |claim: &&ClaimDocument| claim.gauge == plot.gauge;
    for (trial, claim) in
        trials.iter().flat_map(|trial| trial.claims.iter().filter(about).map(move |claim| (trial, claim)))
    {
        let Some(x) = place(trial, &plot.over) else {
            let mut known: Vec<String> = ["dt", "steps", "bodies", "seed"].map(str::to_owned).to_vec();
            known.extend(trial.parameters.keys().cloned());
            return Err(ResultPlotError::NoAxis { found: plot.over.clone(), known });
        };
        unit.get_or_insert_with(|| claim.unit.clone());
        let mut others = trial.unusual_but_chance();
        others.retain(|text| !text.starts_with(&format!("{}=", plot.over)));
        if plot.over != "dt" {
            others.push(format!("dt {}", trial.dt_text));
        }
        let name = format!("{} of {}, {} on {}", claim.gauge, claim.of, trial.scene, trial.engine);
        let Some(measured) = claim.measured else { continue };
        lines.entry((name, others.join(", "))).or_default().push((x, measured, claim.bound));
    }
    let Some(unit) = unit else {
        let known = trials.iter().flat_map(|trial| trial.claims.iter().map(|claim| claim.gauge.as_str()));
        let near = nearest(&plot.gauge, known).map(str::to_owned);
        return Err(ResultPlotError::NoGauge { found: plot.gauge.clone(), nearest: near });
    };
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
            dots: true,
            bare: false,
        });
    }
    let across = if plot.over == "dt" { "dt, s".to_owned() } else { plot.over.clone() };
    Ok(draw(&Figure {
        title: format!("{} over {}", plot.gauge, plot.over),
        across: Axis { name: across, logarithmic: plot.logarithmic[0] },
        up: Axis { name: format!("{}, {unit}", plot.gauge), logarithmic: plot.logarithmic[1] },
        lines: drawn,
    })?)
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
    let edge = |pick: fn(&Bound) -> [Option<f64>; 2], side: usize| {
        let line: Option<Vec<(f64, f64)>> =
            points.iter().map(|(x, _, bound)| pick(bound)[side].map(|edge| (*x, edge))).collect();
        line.filter(|line| !line.is_empty())
    };
    let edges = |bound: &Bound| match *bound {
        Bound::AtMost(most) => [None, Some(most)],
        Bound::AtLeast(least) => [Some(least), None],
        Bound::Equals { value, within } => [Some(value - within), Some(value + within)],
    };
    let line = |points| Line { name: String::new(), colour: (0x9a, 0x95, 0x8a), points, dots: false, bare: false };
    [edge(edges, 0), edge(edges, 1)].into_iter().flatten().map(line).collect()
}
