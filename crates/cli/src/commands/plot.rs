//! `plot`: a gauge over time, a condition or a parameter, from results on disk or from recorded traces.

use crate::args::PlotOptions;
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use ironspin_lab::{JudgeOrder, judge_trace, put_file};
use ironspin_report::{PageTrial, ResultPlot, missing_letters, result_plot};
use std::path::Path;

/// The trial that a recorded trace is of.
fn traced(trace: &Path, scene: &str) -> Result<PageTrial, Diagnostic> {
    let (record, notes) = judge_trace(&JudgeOrder::plain(scene, trace))?;
    notes.iter().for_each(|note| output::note(note));
    Ok(PageTrial::of(&record))
}

pub(crate) fn run(options: &PlotOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let wrong = |why: String| Diagnostic::Kept { why };
    let dots = match options.out.extension().and_then(|ending| ending.to_str()) {
        Some("svg") => false,
        Some("png") => true,
        _ => return Err(wrong(format!("`{}`: a plot ends with .svg or .png", options.out.display()))),
    };
    let mut trials = Vec::new();
    let mut any_trace = false;
    for place in &options.results {
        if place.is_file() {
            let scene = options.scene.as_deref().ok_or_else(|| {
                wrong(format!("`{}` is a file: of which scene is that trace? --scene says", place.display()))
            })?;
            trials.push(traced(place, scene)?);
            any_trace = true;
        } else {
            trials.extend(super::report::read(place)?);
        }
    }
    let plot = ResultPlot {
        gauge: options.y.clone(),
        over: options.over.clone().unwrap_or_else(|| if any_trace { "time" } else { "dt" }.to_owned()),
        logarithmic: [options.log.contains('x'), options.log.contains('y')],
        dots,
    };
    let drawn = result_plot(&trials, &plot).map_err(|error| wrong(error.to_string()))?;
    put_file(&options.out, &drawn)
        .map_err(|cause| Diagnostic::File { path: options.out.display().to_string(), cause })?;
    let named = trials.iter().flat_map(|trial| [trial.document.scene.as_str(), trial.document.engine.as_str()]);
    if let Some(note) = missing_letters(named).filter(|_| dots) {
        output::note(&note);
    }
    if !quiet {
        output::note(&format!("plot in {}", options.out.display()));
    }
    Ok(ExitStatus::Holds)
}
