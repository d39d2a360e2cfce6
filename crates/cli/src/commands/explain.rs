//! `explain`: what a gauge measures.

use crate::args::ExplainOptions;
use crate::complaint::{Complaint, ExitStatus};
use crate::output;
use ironspin_gauge::{GAUGES, entry_text, find, handbook};

pub(crate) fn run(options: &ExplainOptions) -> Result<ExitStatus, Complaint> {
    let text = match &options.gauge {
        None => handbook(),
        Some(name) => entry_text(find(name).ok_or_else(|| unknown(name))?),
    };
    output::print(&text)?;
    Ok(ExitStatus::Holds)
}

fn unknown(name: &str) -> Complaint {
    let names = || GAUGES.iter().map(|gauge| gauge.name);
    let help = ironspin_model::nearest(name, names()).map_or_else(
        || format!("gauges: {}", names().collect::<Vec<_>>().join(", ")),
        |near| format!("did you mean `{near}`?"),
    );
    Complaint::UnknownGauge { found: name.to_owned(), help }
}
