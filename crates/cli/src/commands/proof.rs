//! `proof`: engines that are broken on purpose are caught, and a sound one is left alone.

use crate::args::{ProofFormat, ProofOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_engine::{FaultEntry, faults};
use ironspin_lab::{Manifest, ProofError, ProofOrder, RunFolder, run_proof};
use ironspin_model::nearest;
use ironspin_report::{document_json, fault_list, proof_markdown, proof_page, proof_text};
use ironspin_scene::bundled;

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

pub(crate) fn run(options: &ProofOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let chosen_faults: Vec<&'static FaultEntry> =
        chosen("fault", &options.faults, faults().map(|fault| (fault.name, fault)))?;
    let scenes = chosen("bundled scene", &options.scenes, bundled::names().map(|name| (name, name.to_owned())))?;
    if options.list {
        output::print(&fault_list(&chosen_faults, usize::from(output::width())))?;
        return Ok(ExitStatus::Holds);
    }
    let order = ProofOrder {
        engine: options.engine.clone(),
        faults: chosen_faults,
        scenes,
        quick: options.quick,
        jobs: options.jobs,
        process_limits: options.process_limits(),
    };
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(0, quiet);
    let found = run_proof(&order, &stop, &|done, due, what| bar.reach(done, due, what));
    let document = match found {
        Err(ProofError::Plan(error)) => return Err(error.into()),
        Err(ProofError::Stopped { done, due }) => {
            bar.clear();
            output::note(&format!("interrupted: {done} of {due} trials are finished; nothing is written"));
            return Ok(ExitStatus::Interrupted);
        }
        Err(error) => return Err(Diagnostic::Kept { why: error.to_string() }),
        Ok(document) => document,
    };
    bar.end_as(document.trials, "trial");
    if let Some(folder) = folder {
        let manifest = Manifest::new(std::env::args().collect(), std::iter::empty(), 0.0);
        folder.write("manifest.json", document_json(&manifest)?.as_bytes())?;
        folder.write("proof.json", document_json(&document)?.as_bytes())?;
        folder.write("proof.html", proof_page(&document).as_bytes())?;
        output::note(&format!("results in {}", folder.publish()?.display()));
    }
    output::print(&match options.format {
        ProofFormat::Json => document_json(&document)?,
        ProofFormat::Markdown => proof_markdown(&document),
        ProofFormat::Table => proof_text(&document, usize::from(output::width())),
    })?;
    Ok(if document.holds() { ExitStatus::Holds } else { ExitStatus::Fails })
}
