//! `engines`: what can be tested, the examination of one, and the processes behind foreign ones.

use crate::args::{EnginesAction, EnginesOptions, KeepOptions, ProbeFormat, ProbeOptions, ServeLibraryOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_link::{EngineSpec, Served, probe};
use ironspin_model::Verdict;
use ironspin_report::{document_json, probe_table};
use std::fmt::Write;
use std::process::ExitCode;

pub(crate) fn run(options: &EnginesOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    match &options.action {
        None => list(),
        Some(EnginesAction::Probe(options)) => probe_engine(options, quiet),
    }
}

fn list() -> Result<ExitStatus, Diagnostic> {
    let mut out = String::from("builtin  the engine in this program: rigid bodies in the plane and in space\n\n");
    for option in ironspin_link::builtin_settings() {
        // Writing to a string cannot fail.
        let _ = writeln!(out, "  builtin:{}={}\n      {}", option.name, option.default, option.about);
    }
    out.push_str("\nDefaults are shown. Several settings are joined by commas: builtin:swept=all,iterations=8\n");
    out.push_str(
        "\ncmd:PROGRAM ARGS   a program that answers the engine protocol (docs/engine-protocol.md); options after ` :: `\n",
    );
    out.push_str(
        "lib:FILE           a shared library with the C interface (include/ironspin_engine.h); options after ` :: `\n",
    );
    out.push_str("trace:FILE         a recorded trace in the place of an engine\n");
    out.push_str(
        "\nironspin engines probe ENGINE asks small questions with known answers, and says what is probably wrong.\n",
    );
    output::print(&out)?;
    Ok(ExitStatus::Holds)
}

fn probe_engine(options: &ProbeOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let spec = EngineSpec::read(&options.engine)?.on(&options.process_limits());
    let bar = progress::Bar::new(probe::questions().len(), quiet);
    let report = probe::probe(&spec, &|question| {
        bar.say(question.name);
        bar.done(Verdict::Pass);
    });
    bar.clear();
    let report = match report {
        Ok(report) => report,
        Err(
            error @ (ironspin_model::EngineError::Crashed { .. }
            | ironspin_model::EngineError::Hung { .. }
            | ironspin_model::EngineError::BadAnswer { .. }),
        ) => {
            output::note(&format!("{}: {error}", options.engine));
            return Ok(ExitStatus::EngineFailed);
        }
        Err(error) => return Err(error.into()),
    };
    output::print(&match options.format {
        ProbeFormat::Json => document_json(&report)?,
        ProbeFormat::Table => probe_table(&report, usize::from(output::width())),
    })?;
    Ok(if report.counts()[1] > 0 { ExitStatus::Fails } else { ExitStatus::Holds })
}

/// `serve-engine`: the built-in engine at the other end of the protocol.
pub(crate) fn serve() -> Result<ExitStatus, Diagnostic> {
    let mut output = std::io::BufWriter::with_capacity(1 << 18, std::io::stdout().lock());
    let served = Served { start: &ironspin_link::start_builtin, hello: None, follow: None, in_bytes: false };
    ironspin_link::serve(served, &mut std::io::stdin().lock(), &mut output)?;
    Ok(ExitStatus::Holds)
}

/// `serve-library`: a shared library in a process of its own.
pub(crate) fn serve_library(options: &ServeLibraryOptions) -> Result<ExitStatus, Diagnostic> {
    match ironspin_link::serve_library(&options.library, options.plain, options.room, &ironspin_scene::follow) {
        Ok(()) => Ok(ExitStatus::Holds),
        Err(error) => {
            // The bench shows it as the engine's last words.
            output::note(&error.to_string());
            Ok(ExitStatus::EngineFailed)
        }
    }
}

/// `keep-engine`: the process between the bench and an engine.
pub(crate) fn keep(options: &KeepOptions) -> ExitCode {
    #[cfg(unix)]
    if let [program, arguments @ ..] = &options.words[..] {
        return ironspin_link::keep(&options.process_limits().limits, options.bench, program, arguments).into();
    }
    output::note("engines are kept on Unix only");
    ExitStatus::BadInput.into()
}
