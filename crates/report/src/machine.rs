//! What a program reads: JSON and CSV.

use crate::number::show;
use crate::twins::{twin_bound, twin_found};
use ironspin_lab::{ResultDocument, TrialDocument, TrialRecord, TwinDocument};
use ironspin_model::Timestep;
use serde::Serialize;
use std::io::{self, Write};

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

/// A document as JSON with a line end.
///
/// # Errors
/// When the writer refuses.
pub fn document_json(document: &impl Serialize) -> Result<String, MachineError> {
    let mut text = serde_json::to_string_pretty(document)?;
    text.push('\n');
    Ok(text)
}

/// The results as one JSON document with a line end; `timing` says whether durations are in it.
///
/// # Errors
/// When the writer refuses.
pub fn result_json(records: &[TrialRecord], timing: bool) -> Result<String, MachineError> {
    document_json(&ResultDocument::of(records, timing))
}

/// The results of a folder, whose trials are read while they are written; the text of [`document_json`].
///
/// # Errors
/// When a trial is gone, or the writer refuses.
pub fn write_json(out: &mut dyn Write, document: &impl Serialize) -> Result<(), MachineError> {
    serde_json::to_writer_pretty(&mut *out, document)?;
    Ok(out.write_all(b"\n").map_err(serde_json::Error::io)?)
}

/// One row a claim of trials, which may be read while they are written; see [`results_csv`].
///
/// # Errors
/// When a trial is gone, or the writer refuses.
pub fn write_trials_csv<E: std::error::Error + Send + Sync + 'static>(
    out: &mut dyn Write,
    trials: impl Iterator<Item = Result<TrialDocument, E>>,
) -> Result<(), MachineError> {
    let mut writer = csv::Writer::from_writer(out);
    writer.write_record(COLUMNS)?;
    for trial in trials {
        trial_rows(&mut writer, &trial.map_err(|error| csv::Error::from(io::Error::other(error)))?)?;
    }
    Ok(writer.flush().map_err(csv::Error::from)?)
}

/// One row a claim of trials; see [`results_csv`].
///
/// # Errors
/// When the writer refuses.
pub fn trials_csv(trials: &[TrialDocument]) -> Result<String, MachineError> {
    csv_of(trials, &[])
}

/// One row a claim and a twin; a trial whose engine failed has one row without a claim. Numbers have all their digits.
///
/// # Errors
/// When the writer refuses.
pub fn results_csv(document: &ResultDocument) -> Result<String, MachineError> {
    csv_of(&document.trials, &document.twins)
}

const COLUMNS: [&str; 16] = [
    "scene",
    "engine",
    "dt",
    "conditions",
    "trial_verdict",
    "gauge",
    "of",
    "measured",
    "unit",
    "dimensionless",
    "bound",
    "verdict",
    "severity",
    "detail",
    "because",
    "retried",
];

fn number(value: Option<f64>) -> String {
    value.map_or_else(String::new, |value| value.to_string())
}

fn trial_rows<W: Write>(writer: &mut csv::Writer<W>, trial: &TrialDocument) -> Result<(), csv::Error> {
    let (dt, unusual) = (trial.dt.to_string(), trial.unusual_text());
    let head = [trial.scene.as_str(), &trial.engine, &dt, &unusual, trial.verdict.word()];
    let first = trial.retried.as_deref().unwrap_or_default();
    if trial.claims.is_empty() {
        let tail = ["", "", "", "", "", "", "", "", &trial.reason, "", first];
        writer.write_record(head.iter().copied().chain(tail))?;
    }
    for claim in &trial.claims {
        let severity = format!("{:?}", claim.severity).to_lowercase();
        let tail = [
            claim.gauge.as_str(),
            &claim.of,
            &number(claim.measured),
            &claim.unit,
            &number(claim.dimensionless),
            &claim.bound.relation(show),
            claim.verdict.word(),
            &severity,
            &claim.detail,
            &claim.because,
            first,
        ];
        writer.write_record(head.iter().copied().chain(tail))?;
    }
    Ok(())
}

fn csv_of(trials: &[TrialDocument], twins: &[TwinDocument]) -> Result<String, MachineError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(COLUMNS)?;
    trials.iter().try_for_each(|trial| trial_rows(&mut writer, trial))?;
    for twin in twins {
        let name = format!("twin.{}", twin.by);
        let apart = number(twin.apart);
        // In seconds, as the column has it.
        let dt = twin.dt_text.parse::<Timestep>().map_or_else(|_| twin.dt_text.clone(), |dt| dt.seconds.to_string());
        writer.write_record([
            twin.scene.as_str(),
            &twin.engine,
            &dt,
            &twin.conditions,
            twin.verdict.word(),
            &name,
            "*",
            &apart,
            "m",
            "",
            &twin_bound(twin),
            twin.verdict.word(),
            "must",
            &twin_found(twin),
            &twin.change,
            "",
        ])?;
    }
    csv_text(writer)
}

/// What a writer into memory has written.
pub(crate) fn csv_text(writer: csv::Writer<Vec<u8>>) -> Result<String, MachineError> {
    let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
