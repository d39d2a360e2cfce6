//! `compare` and `history`; what keeps results in a ledger.

use crate::args::{CompareOptions, Format, HistoryOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use ironspin_lab::{CostDocument, Kept, Ledger, ResultDocument, Survey, SweepFolder, compare_costs, compare_results};
use ironspin_report::{comparison_csv, comparison_text, document_json, history_text};
use std::path::Path;

/// Keeps results in a ledger and says under which number.
pub(super) fn keep(file: &Path, name: Option<&str>, kept: &Kept) -> Result<(), Diagnostic> {
    let command: Vec<String> = std::env::args().collect();
    let entry = Ledger::open(file)?.keep(name, &command, kept)?;
    output::note(&format!("entry {entry} of {}", file.display()));
    Ok(())
}

/// Keeps the trials of a folder in a ledger, in one go.
pub(super) fn keep_swept(
    file: &Path,
    name: Option<&str>,
    folder: &SweepFolder,
    survey: &Survey,
) -> Result<(), Diagnostic> {
    let command: Vec<String> = std::env::args().collect();
    let entry = Ledger::open(file)?.keep_swept(name, &command, folder, survey)?;
    output::note(&format!("entry {entry} of {}", file.display()));
    Ok(())
}

/// Results or costs, from a folder, a file, or a ledger.
fn read(named: &str) -> Result<Kept, Diagnostic> {
    if let Some((file, entry)) = named.rsplit_once('#') {
        let path = Path::new(file);
        if !path.is_file() {
            return Err(Diagnostic::Kept { why: format!("there is no ledger `{file}`") });
        }
        return Ok(Ledger::open(path)?.entry(entry)?);
    }
    let path = Path::new(named);
    let file = if path.is_dir() { path.join("result.json") } else { path.to_owned() };
    if path.is_dir() && !file.is_file() && path.join("plan.json").is_file() {
        return Ok(Kept::Results(Box::new(SweepFolder::read(path)?)));
    }
    let text = ironspin_model::read_text(&file, super::report::LIMIT)
        .map_err(|cause| Diagnostic::Kept { why: format!("cannot read `{}`: {cause}", file.display()) })?;
    let wrong = |error: serde_json::Error| Diagnostic::Kept {
        why: format!("`{}` holds no results or costs: {error}", file.display()),
    };
    let form: serde_json::Value = serde_json::from_str(&text).map_err(wrong)?;
    if form["format"] == "ironspin.cost/1" {
        return Ok(Kept::Costs(Box::new(serde_json::from_str::<CostDocument>(&text).map_err(wrong)?)));
    }
    Ok(Kept::Results(Box::new(serde_json::from_str::<ResultDocument>(&text).map_err(wrong)?)))
}

pub(crate) fn compare(options: &CompareOptions) -> Result<ExitStatus, Diagnostic> {
    let wrong = |why: &str| Diagnostic::Kept { why: why.to_owned() };
    let (base, new) = match (options.results.as_slice(), &options.name, &options.ledger) {
        ([new], Some(name), Some(ledger)) => (format!("{}#{name}", ledger.display()), new),
        ([base, new], None, None) => (base.clone(), new),
        ([_], ..) => return Err(wrong("compare with what? Give BASE and NEW, or NEW with --ledger and --name")),
        _ => return Err(wrong("with --name there is one result to compare, not two")),
    };
    let found = match (read(&base)?, read(new)?) {
        (Kept::Results(base), Kept::Results(new)) => compare_results(&base, &new),
        (Kept::Costs(base), Kept::Costs(new)) => compare_costs(&base, &new),
        _ => return Err(Diagnostic::Kept { why: "results and costs do not compare with each other".to_owned() }),
    };
    output::print(&match options.format {
        Format::Json => document_json(&found)?,
        Format::Csv => comparison_csv(&found)?,
        _ => comparison_text(&found),
    })?;
    Ok(if found.is_worse() { ExitStatus::Fails } else { ExitStatus::Holds })
}

pub(crate) fn history(options: &HistoryOptions) -> Result<ExitStatus, Diagnostic> {
    if !options.ledger.is_file() {
        return Err(Diagnostic::Kept { why: format!("there is no ledger `{}`", options.ledger.display()) });
    }
    let ledger = Ledger::open(&options.ledger)?;
    let figures = ledger.history(&options.scene, options.gauge.as_deref())?;
    if figures.is_empty() {
        let known = ledger.scenes()?;
        let near = ironspin_model::nearest(&options.scene, known.iter().map(String::as_str));
        let what = options.gauge.as_ref().map_or_else(String::new, |gauge| format!(" about {gauge}"));
        let why = match near {
            Some(name) if name != options.scene => {
                format!("nothing is kept of `{}`; did you mean `{name}`?", options.scene)
            }
            _ => format!("nothing is kept of `{}`{what}; kept are: {}", options.scene, known.join(", ")),
        };
        return Err(Diagnostic::Kept { why });
    }
    output::print(&history_text(&figures))?;
    Ok(ExitStatus::Holds)
}
