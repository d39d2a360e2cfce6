//! `completions` and `manual`: what a shell and `man` want to know, from the definitions of the arguments.

use crate::args::Arguments;
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use clap::CommandFactory;
use std::path::Path;

/// A script for a shell.
pub(crate) fn completions(shell: clap_complete::Shell) -> Result<ExitStatus, Diagnostic> {
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut Arguments::command(), "ironspin", &mut script);
    output::document(&String::from_utf8_lossy(&script))?;
    Ok(ExitStatus::Holds)
}

/// The page of the whole program, or the pages of all commands in a folder.
pub(crate) fn manual(out: Option<&Path>) -> Result<ExitStatus, Diagnostic> {
    let Some(folder) = out else {
        let mut page = Vec::new();
        clap_mangen::Man::new(Arguments::command()).render(&mut page)?;
        output::document(&String::from_utf8_lossy(&page))?;
        return Ok(ExitStatus::Holds);
    };
    let failed = |cause| Diagnostic::File { path: folder.display().to_string(), cause };
    std::fs::create_dir_all(folder).map_err(failed)?;
    clap_mangen::generate_to(Arguments::command(), folder).map_err(failed)?;
    output::note(&format!("manual pages in {}", folder.display()));
    Ok(ExitStatus::Holds)
}
