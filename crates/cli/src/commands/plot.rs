//! `plot`: a gauge over a condition or parameter, from results on disk.

use crate::args::PlotOptions;
use crate::complaint::{Complaint, ExitStatus};
use crate::output;
use ironspin_lab::TrialDocument;
use ironspin_report::{ResultPlot, result_plot};

pub(crate) fn run(options: &PlotOptions, quiet: bool) -> Result<ExitStatus, Complaint> {
    let wrong = |why: String| Complaint::Kept { why };
    if options.out.extension().is_none_or(|ending| ending != "svg") {
        return Err(wrong(format!("`{}`: a plot ends with .svg", options.out.display())));
    }
    let mut trials: Vec<TrialDocument> = Vec::new();
    for folder in &options.folders {
        trials.extend(super::report::read(folder)?.into_iter().map(|trial| trial.document));
    }
    let plot = ResultPlot {
        gauge: options.y.clone(),
        over: options.over.clone(),
        logarithmic: [options.log.contains('x'), options.log.contains('y')],
    };
    let drawn = result_plot(&trials, &plot).map_err(|error| wrong(error.to_string()))?;
    std::fs::write(&options.out, drawn)
        .map_err(|cause| Complaint::File { path: options.out.display().to_string(), cause })?;
    if !quiet {
        output::note(&format!("plot in {}", options.out.display()));
    }
    Ok(ExitStatus::Holds)
}
