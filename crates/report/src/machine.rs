//! What a program reads: JSON and CSV.

use crate::cells::csv_text;
use crate::json;
use crate::twins::{twin_bound, twin_found};
use ironspin_lab::{ResultDocument, TrialDocument, TrialRecord, TwinDocument};
use ironspin_model::Timestep;
use serde::Serialize;
use std::borrow::Cow;
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
    let mut out = Vec::new();
    json::write(&mut out, document)?;
    Ok(String::from_utf8_lossy(&out).into_owned())
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
    Ok(json::write(out, document)?)
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

const COLUMNS: [&str; 17] = [
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
    "claim",
];

fn number(value: Option<f64>) -> String {
    value.map_or_else(String::new, |value| value.to_string())
}

fn trial_rows<W: Write>(writer: &mut csv::Writer<W>, trial: &TrialDocument) -> Result<(), csv::Error> {
    let (dt, unusual) = (trial.dt.to_string(), trial.unusual_text());
    let first = csv_text(trial.retried.as_deref().unwrap_or_default());
    let mut row = |name: &str, tail: [Cow<'_, str>; 10]| {
        let name = csv_text(name);
        let head = [csv_text(&trial.scene), csv_text(&trial.engine), Cow::Borrowed(&dt), csv_text(&unusual)];
        let verdict = Cow::Borrowed(trial.verdict.word());
        let cells = head.iter().chain([&verdict]).chain(&tail).chain([&first, &name]);
        writer.write_record(cells.map(AsRef::as_ref).map(str::as_bytes))
    };
    if trial.claims.is_empty() {
        let mut tail: [Cow<'_, str>; 10] = Default::default();
        tail[8] = csv_text(&trial.reason);
        row("", tail)?;
    }
    for claim in &trial.claims {
        // All digits: a table is for people, and this for programs.
        let bound = claim.bound.relation(|value| value.to_string());
        row(
            &claim.name,
            [
                csv_text(&claim.gauge),
                csv_text(&claim.of),
                number(claim.measured).into(),
                csv_text(&claim.unit),
                number(claim.dimensionless).into(),
                csv_text(&bound),
                claim.verdict.word().into(),
                format!("{:?}", claim.severity).to_lowercase().into(),
                csv_text(&claim.detail),
                csv_text(&claim.because),
            ],
        )?;
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
            csv_text(&twin.scene).as_ref(),
            &csv_text(&twin.engine),
            &dt,
            &csv_text(&twin.conditions),
            twin.verdict.word(),
            &name,
            "*",
            &apart,
            "m",
            "",
            &csv_text(&twin_bound(twin)),
            twin.verdict.word(),
            "must",
            &csv_text(&twin_found(twin)),
            &csv_text(&twin.change),
            "",
            "",
        ])?;
    }
    written(writer)
}

/// What a writer into memory has written.
pub(crate) fn written(writer: csv::Writer<Vec<u8>>) -> Result<String, MachineError> {
    let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
