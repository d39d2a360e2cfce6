//! `report`: the page of a folder of results, made again; and what folders of results hold for it.

use crate::args::ReportOptions;
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use ironspin_lab::{
    Manifest, ResultDocument, RunFolder, Survey, SweepFolder, TrialPlan, TwinRecord, TwinsDocument, manifest_of,
    plain_folder, put_file,
};
use ironspin_model::{Verdict, read_text};
use ironspin_report::{
    A_PAGE, Beyond, Drawing, PAGED, PageTrial, TwinDrawing, document_json, page, page_among, page_of_many,
};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::path::Path;

/// Of more trials than this, what those that passed are drawn from is not kept.
pub(super) const DRAWN: usize = 60;

/// Largest document of a folder of results, bytes.
pub(super) const LIMIT: u64 = 4 << 30;

/// `drawings.json`: what the trials of `result.json` are drawn from, in the same order.
#[derive(Serialize, Deserialize)]
struct Drawings<T> {
    format: String,
    drawings: Vec<T>,
}

const FORMAT: &str = "ironspin.drawings/1";

/// The drawings of some trials as a file.
pub(super) fn drawings(trials: &[PageTrial]) -> Result<Vec<u8>, Diagnostic> {
    let kept = |trial: &PageTrial| trials.len() <= DRAWN || trial.document.verdict != Verdict::Pass;
    let drawings: Vec<Option<&Drawing>> =
        trials.iter().map(|trial| trial.drawing.as_ref().filter(|_| kept(trial))).collect();
    Ok(serde_json::to_vec(&Drawings { format: FORMAT.to_owned(), drawings })?)
}

/// Puts what stands beside trials into a folder of results.
pub(super) fn keep_beyond(folder: &RunFolder, beyond: &Beyond) -> Result<(), Diagnostic> {
    if let Some(twins) = &beyond.twins {
        folder.write("twins.json", document_json(twins)?.as_bytes())?;
        let drawings = Drawings { format: FORMAT.to_owned(), drawings: beyond.twin_drawings.iter().collect() };
        folder.write("twin-drawings.json", &serde_json::to_vec(&drawings)?)?;
    }
    if let Some(series) = &beyond.series {
        folder.write("series.json", document_json(series)?.as_bytes())?;
    }
    if let Some(costs) = &beyond.costs {
        folder.write("cost.json", document_json(costs)?.as_bytes())?;
    }
    Ok(())
}

/// Twins that have just been run.
pub(super) fn of_twins(records: &[TwinRecord]) -> Beyond {
    Beyond {
        twins: Some(TwinsDocument::of(records)),
        twin_drawings: records.iter().map(TwinDrawing::of).collect(),
        ..Beyond::default()
    }
}

/// A document of a folder; nothing where there is none of that name.
fn document<T: DeserializeOwned>(folder: &Path, name: &str) -> Result<Option<T>, Diagnostic> {
    let path = folder.join(name);
    let Ok(text) = read_text(&path, LIMIT) else { return Ok(None) };
    let read = serde_json::from_str(&text);
    read.map(Some).map_err(|error| Diagnostic::Kept { why: format!("`{}` cannot be read: {error}", path.display()) })
}

/// What stands beside trials in a folder of results.
fn beyond(folder: &Path) -> Result<Beyond, Diagnostic> {
    let drawings: Option<Drawings<Option<TwinDrawing>>> = document(folder, "twin-drawings.json").ok().flatten();
    Ok(Beyond {
        twins: document(folder, "twins.json")?,
        twin_drawings: drawings.filter(|known| known.format == FORMAT).map_or_else(Vec::new, |known| known.drawings),
        series: document(folder, "series.json")?,
        costs: document(folder, "cost.json")?,
    })
}

/// A folder of results without trials, with its page.
pub(super) fn publish_beyond(
    folder: RunFolder,
    title: &str,
    beyond: &Beyond,
    plans: &[TrialPlan],
) -> Result<(), Diagnostic> {
    let manifest = Manifest::new(std::env::args().collect(), plans.iter(), 0.0);
    folder.write("manifest.json", document_json(&manifest)?.as_bytes())?;
    keep_beyond(&folder, beyond)?;
    folder.write("report.html", page(title, &[], &[], beyond)?.as_bytes())?;
    let place = folder.publish()?;
    output::note(&format!("results in {}", place.display()));
    Ok(())
}

/// Some trials of a folder of a sweep with what they are drawn from.
fn page_trials(folder: &SweepFolder, keys: &[String]) -> Vec<PageTrial> {
    let drawn = |key: &String| {
        // A drawing that cannot be read is none.
        let drawing = folder.drawing(key).and_then(|bytes| serde_json::from_slice(&bytes).ok());
        Some(PageTrial { document: folder.trial(key)?, drawing })
    };
    keys.iter().filter_map(drawn).collect()
}

/// Makes the page of a folder of a sweep; of very many trials several pages, read and written one after the other, beside a first one.
pub(super) fn leave_pages(
    folder: &SweepFolder,
    survey: &Survey,
    place: &Path,
    (title, notes): (&str, &[String]),
    beyond: &Beyond,
) -> Result<(), Diagnostic> {
    if survey.keys.len() <= PAGED {
        return write_page(place, &page(title, notes, &page_trials(folder, &survey.keys), beyond)?);
    }
    let name = format!("{}-pages", place.file_stem().map_or("report".into(), |stem| stem.to_string_lossy()));
    let pages = place.with_file_name(&name);
    plain_folder(&pages).map_err(|cause| Diagnostic::File { path: pages.display().to_string(), cause })?;
    let mut links = Vec::new();
    for (number, keys) in (1..).zip(survey.keys.chunks(A_PAGE)) {
        let file = format!("{number:04}.html");
        let count = survey.keys.len().div_ceil(A_PAGE);
        let title = format!("{title}, page {number} of {count}");
        let mut others =
            vec![("All trials", format!("../{}", place.file_name().unwrap_or_default().to_string_lossy()))];
        others.extend((number > 1).then(|| ("Page before", format!("{:04}.html", number - 1))));
        others.extend((number < count).then(|| ("Next page", format!("{:04}.html", number + 1))));
        let trials = page_trials(folder, keys);
        write_page(&pages.join(&file), &page_among(&title, notes, &others, &trials, &Beyond::default())?)?;
        links.push(format!("{name}/{file}"));
    }
    remove_pages_after(&pages, links.len());
    write_page(place, &page_of_many(title, notes, &survey.trials, &links, beyond)?)
}

/// Removes what an earlier, larger report has left.
fn remove_pages_after(pages: &Path, count: usize) {
    for entry in pages.read_dir().into_iter().flatten().flatten() {
        let number = entry.file_name().to_str().and_then(|name| name.strip_suffix(".html")?.parse::<usize>().ok());
        if number.is_some_and(|number| number > count) {
            // A page that nothing leads to does no harm.
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// Writes a page whole or not at all.
fn write_page(place: &Path, html: &str) -> Result<(), Diagnostic> {
    let fault = |cause| Diagnostic::File { path: place.display().to_string(), cause };
    put_file(place, html.as_bytes()).map_err(fault)
}

/// The trials that a folder of results holds.
pub(super) fn read(folder: &Path) -> Result<Vec<PageTrial>, Diagnostic> {
    if folder.join("plan.json").is_file() {
        let folder = SweepFolder::open(folder)?;
        return Ok(page_trials(&folder, &folder.survey()?.keys));
    }
    let why = || Diagnostic::Kept { why: format!("`{}` is no folder of results", folder.display()) };
    let text = read_text(&folder.join("result.json"), LIMIT).map_err(|_| why())?;
    let results: ResultDocument = serde_json::from_str(&text).map_err(|_| why())?;
    let text = read_text(&folder.join("drawings.json"), LIMIT).unwrap_or_default();
    let known: Option<Drawings<Option<Drawing>>> = serde_json::from_str(&text).ok();
    let mut drawings = known.filter(|known| known.format == FORMAT).map(|known| known.drawings).unwrap_or_default();
    drawings.resize(results.trials.len(), None);
    Ok(results.trials.into_iter().zip(drawings).map(|(document, drawing)| PageTrial { document, drawing }).collect())
}

/// What made the folder, in a line.
fn made_by(folder: &Path) -> Option<String> {
    let manifest = manifest_of(folder)?;
    let (tool, host) = (&manifest.tool, &manifest.host);
    let command = ironspin_lab::shell_line(manifest.command.get(1..).unwrap_or_default());
    Some(format!(
        "Made by: ironspin {command}, version {}, on {} {} with {} processors.",
        tool.version, host.os, host.arch, host.cores
    ))
}

pub(crate) fn run(options: &ReportOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let beyond = beyond(&options.folder)?;
    let mut notes: Vec<String> = made_by(&options.folder).into_iter().collect();
    let title = options.title.clone().unwrap_or_else(|| format!("Results in {}", options.folder.display()));
    let place = options.out.clone().unwrap_or_else(|| options.folder.join("report.html"));
    if options.folder.join("plan.json").is_file() {
        let folder = SweepFolder::open(&options.folder)?;
        let survey = folder.survey()?;
        notes.extend(super::sweep::missing_note(&survey));
        leave_pages(&folder, &survey, &place, (&title, &notes), &beyond)?;
    } else {
        let trials = match read(&options.folder) {
            // A folder of twins, series or costs has no trials.
            Err(_) if !beyond.is_empty() && !options.folder.join("result.json").exists() => Vec::new(),
            trials => trials?,
        };
        write_page(&place, &page(&title, &notes, &trials, &beyond)?)?;
    }
    if !quiet {
        output::note(&format!("report in {}", place.display()));
    }
    Ok(ExitStatus::Holds)
}
