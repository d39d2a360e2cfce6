//! `proof`: engines that are broken on purpose are caught, and a sound one is left alone.

use super::farm::Sending;
use crate::args::{Arguments, Command, ProofFormat, ProofOptions, ResultsAs};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use clap::Parser;
use ironspin_engine::faults;
use ironspin_lab::{
    FarmKind, Manifest, ProofDocument, ProofError, ProofOrder, RunFolder, Shard, SweepFolder, Where, Work,
    conclude_proof, keep_outcomes, plan_proof, run_proof,
};
use ironspin_model::nearest;
use ironspin_report::{document_json, fault_list, proof_markdown, proof_page, proof_text};
use ironspin_scene::bundled;
use std::path::Path;
use std::sync::atomic::Ordering;

/// The things of some names, or all of them.
fn chosen<T>(
    what: &str,
    names: &[String],
    all: impl Iterator<Item = (&'static str, T)> + Clone,
) -> Result<Vec<T>, Diagnostic> {
    if names.is_empty() {
        return Ok(all.map(|(_, thing)| thing).collect());
    }
    let one = |name: &String| {
        all.clone().find(|(known, _)| known == name).map(|(_, thing)| thing).ok_or_else(|| {
            let known = all.clone().map(|(known, _)| known);
            let hint = nearest(name, known).map_or_else(String::new, |near| format!("; did you mean `{near}`?"));
            Diagnostic::Kept { why: format!("there is no {what} called `{name}`{hint}") }
        })
    };
    names.iter().map(one).collect()
}

/// What is to be proved.
fn order(options: &ProofOptions) -> Result<ProofOrder, Diagnostic> {
    Ok(ProofOrder {
        engine: options.engine.clone(),
        faults: chosen("fault", &options.faults, faults().map(|fault| (fault.name, fault)))?,
        scenes: chosen("bundled scene", &options.scenes, bundled::names().map(|name| (name, name.to_owned())))?,
        depth: options.depth(),
        jobs: options.jobs,
        process_limits: options.process_limits(),
    })
}

impl From<ProofError> for Diagnostic {
    fn from(error: ProofError) -> Self {
        match error {
            ProofError::Plan(error) => error.into(),
            ProofError::Folder(error) => error.into(),
            other => Diagnostic::Kept { why: other.to_string() },
        }
    }
}

fn reported(document: &ProofDocument, format: ProofFormat) -> Result<String, Diagnostic> {
    Ok(match format {
        ProofFormat::Json => document_json(document)?,
        ProofFormat::Markdown => proof_markdown(document),
        ProofFormat::Table => proof_text(document, usize::from(output::width())),
    })
}

fn status(document: &ProofDocument) -> ExitStatus {
    if document.holds() { ExitStatus::Holds } else { ExitStatus::Fails }
}

pub(crate) fn run(options: &ProofOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let order = order(options)?;
    if options.list {
        output::print(&fault_list(&order.faults, usize::from(output::width())))?;
        return Ok(ExitStatus::Holds);
    }
    if let Some(place) = options.farm.place(None)? {
        return send(options, &order, place, quiet);
    }
    if let (Some(shard), Some(out)) = (options.shard, &options.out) {
        return share(options, &order, shard, out, quiet);
    }
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(0, quiet);
    let found = stop.during(|| run_proof(&order, &stop, &|done, due, what| bar.reach(done, due, what)));
    let document = match found {
        Err(ProofError::Stopped { done, due }) => {
            bar.clear();
            output::note(&format!("interrupted: {done} of {due} trials are finished; nothing is written"));
            return Ok(ExitStatus::Interrupted);
        }
        found => found?,
    };
    bar.end_as(document.trials, "trial");
    if let Some(folder) = folder {
        let manifest = Manifest::new(std::env::args().collect(), std::iter::empty(), 0.0);
        folder.write("manifest.json", document_json(&manifest)?.as_bytes())?;
        folder.write("proof.json", document_json(&document)?.as_bytes())?;
        folder.write("proof.html", proof_page(&document).as_bytes())?;
        output::note(&format!("results in {}", folder.publish()?.display()));
    }
    output::print(&reported(&document, options.format)?)?;
    Ok(status(&document))
}

/// Hands the trials over to where they are to be run.
fn send(
    options: &ProofOptions,
    order: &ProofOrder,
    place: (Where, Option<usize>),
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    let Some(out) = &options.out else {
        return Err(Diagnostic::Kept {
            why: "--on needs --out: a folder that all who work on the proof see".to_owned(),
        });
    };
    let show = |folder: &SweepFolder| {
        let text = std::fs::read_to_string(folder.place().join("proof.json")).unwrap_or_default();
        match serde_json::from_str(&text) {
            Ok(document) => Ok(output::print(&reported(&document, options.format)?)?),
            // Nothing was concluded when trials are missing; the failed shares were told.
            Err(_) => Ok(()),
        }
    };
    let work = plan_proof(order)?;
    let sending = Sending {
        out,
        work: &work,
        kind: FarmKind::Proof,
        proof: options.words(),
        options: Vec::new(),
        join: Vec::new(),
        show: &show,
    };
    super::farm::send(&options.farm, place, sending, quiet)
}

/// Runs one share.
fn share(
    options: &ProofOptions,
    order: &ProofOrder,
    shard: Shard,
    out: &Path,
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    let work = plan_proof(order)?;
    let folder = SweepFolder::prepare_proof(out, options.words(), &work, Some(shard))?;
    let manifest = Manifest::new(std::env::args().collect(), work.iter().map(Work::plan), 0.0).with_program();
    folder.put("manifest.json", document_json(&manifest)?.as_bytes())?;
    let own: Vec<Work> = work.into_iter().filter(|work| shard.has(work.plan())).collect();
    let (stop, bar) = (progress::stop_flag(), progress::Bar::new(own.len(), quiet));
    let program = order.process_limits.program.as_deref();
    let run =
        keep_outcomes(&folder, &own, (options.jobs, program), &stop, &|done, due, what| bar.reach(done, due, what))?;
    bar.end(run);
    if stop.load(Ordering::Relaxed) {
        output::note("interrupted; the same command goes on from here");
        return Ok(ExitStatus::Interrupted);
    }
    super::sweep::tell_share(shard, own.len(), run, None, (out, ResultsAs::Table))?;
    Ok(ExitStatus::Holds)
}

/// Concludes from the outcomes in a folder, and writes the proof there.
pub(super) fn join(folder: &SweepFolder, manifest: &Manifest) -> Result<ExitStatus, Diagnostic> {
    let words = SweepFolder::proof_words(folder.place())?;
    let wrong = || Diagnostic::Kept { why: format!("`{}` is the plan of no proof", folder.place().display()) };
    let arguments = Arguments::try_parse_from(["ironspin".to_owned()].iter().chain(&words)).map_err(|_| wrong())?;
    let Command::Proof(options) = &arguments.command else { return Err(wrong()) };
    let document = match conclude_proof(&order(options)?, folder) {
        Err(error @ ProofError::Missing { .. }) => {
            output::note(&error.to_string());
            return Ok(ExitStatus::Incomplete);
        }
        found => found?,
    };
    folder.put("manifest.json", document_json(manifest)?.as_bytes())?;
    folder.put("proof.json", document_json(&document)?.as_bytes())?;
    folder.put("proof.html", proof_page(&document).as_bytes())?;
    output::print(&reported(&document, ProofFormat::Table)?)?;
    output::note(&format!("results in {}", folder.place().display()));
    Ok(status(&document))
}
