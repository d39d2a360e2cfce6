//! What a program reads: JSON and CSV.

use crate::number::show;
use ironspin_lab::{ResultDocument, TrialRecord};

/// Why results cannot be written as JSON or CSV.
#[derive(Debug, thiserror::Error)]
pub enum MachineError {
    /// From the JSON writer.
    #[error("cannot write JSON: {0}")]
    Json(#[from] serde_json::Error),
    /// From the CSV writer.
    #[error("cannot write CSV: {0}")]
    Csv(#[from] csv::Error),
}

/// The results as one JSON document with a line end; `timing` says whether durations are in it.
///
/// # Errors
/// When the writer refuses.
pub fn result_json(records: &[TrialRecord], timing: bool) -> Result<String, MachineError> {
    let mut text = serde_json::to_string_pretty(&ResultDocument::of(records, timing))?;
    text.push('\n');
    Ok(text)
}

/// One row a claim; a trial whose engine failed has one row without a claim. Numbers have all their digits.
///
/// # Errors
/// When the writer refuses.
pub fn trials_csv(records: &[TrialRecord]) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record([
        "scene",
        "engine",
        "dt",
        "trial_verdict",
        "gauge",
        "of",
        "measured",
        "unit",
        "bound",
        "verdict",
        "severity",
        "detail",
        "because",
    ])?;
    for record in records {
        let dt = record.plan.conditions.dt.seconds.to_string();
        let head = [record.scene(), record.engine(), &dt, record.verdict.word()];
        if record.claims.is_empty() {
            writer.write_record(head.iter().copied().chain(["", "", "", "", "", "", "", &record.reason, ""]))?;
        }
        for claim in &record.claims {
            let measured = claim.measured.map_or_else(String::new, |value| value.to_string());
            let severity = format!("{:?}", claim.claim.severity).to_lowercase();
            let tail = [
                claim.gauge.name,
                &claim.claim.of_text,
                &measured,
                claim.gauge.unit,
                &claim.claim.bound.relation(show),
                claim.verdict.word(),
                &severity,
                &claim.detail,
                &claim.claim.because,
            ];
            writer.write_record(head.iter().copied().chain(tail))?;
        }
    }
    let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
