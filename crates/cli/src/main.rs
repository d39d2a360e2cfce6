//! Flag definitions and glue: arguments in, text and exit statuses out. Nothing is computed here.
//!
//! | file | content |
//! |---|---|
//! | `args.rs` | what may be typed |
//! | `commands/` | one file a command |
//! | `diagnostic.rs` | errors shown to the user, with their place; exit statuses |
//! | `excerpt.rs` | the piece of a source that a complaint is about |
//! | `output.rs` | standard output, colours, width of the terminal |
//! | `progress.rs` | what is shown while trials run |

mod args;
mod commands;
mod diagnostic;
mod excerpt;
mod output;
mod progress;

use args::{Arguments, Command};
use clap::Parser;
use diagnostic::ExitStatus;
use std::process::ExitCode;
use std::sync::{Arc, Mutex, PoisonError};

fn main() -> ExitCode {
    // What is caught on the way is told by whoever caught it; what nobody caught is told here.
    let last = Arc::new(Mutex::new(String::new()));
    let told = Arc::clone(&last);
    std::panic::set_hook(Box::new(move |panic| {
        *told.lock().unwrap_or_else(PoisonError::into_inner) = panic.to_string();
    }));
    std::panic::catch_unwind(run).unwrap_or_else(|_| {
        let last = last.lock().unwrap_or_else(PoisonError::into_inner);
        output::note(&format!("internal error, which should not happen whatever was given: {last}"));
        ExitStatus::BadInput.into()
    })
}

/// Does what was asked; the status to end with.
fn run() -> ExitCode {
    let arguments = Arguments::parse();
    if let Some(seconds) = arguments.timeout {
        progress::end_after(seconds);
    }
    let outcome = match &arguments.command {
        Command::Demo(options) => commands::demo::run(options, arguments.quiet),
        Command::Run(options) => commands::run::run(options, arguments.quiet),
        Command::Sweep(options) => commands::sweep::run(options, arguments.quiet),
        Command::Merge(options) => commands::sweep::merge(options, arguments.quiet),
        Command::Farm(options) => commands::farm::run(options, arguments.quiet),
        Command::Twin(options) => commands::twin::run(options, arguments.quiet),
        Command::Edge(options) => commands::search::edge(options, arguments.quiet),
        Command::Series(options) => commands::search::series(options, arguments.quiet),
        Command::Cost(options) => commands::search::cost(options, arguments.quiet),
        Command::Proof(options) => commands::proof::run(options, arguments.quiet),
        Command::Compare(options) => commands::ledger::compare(options),
        Command::History(options) => commands::ledger::history(options),
        Command::Weigh(options) => commands::search::weigh_here(options),
        Command::Frames(options) => commands::twin::frames(options),
        Command::Judge(options) => commands::judge::run(options, arguments.quiet),
        Command::Report(options) => commands::report::run(options, arguments.quiet),
        Command::Plot(options) => commands::plot::run(options, arguments.quiet),
        Command::Film(options) => commands::film::run(options, arguments.quiet),
        Command::Scenes(options) => commands::scenes::run(options),
        Command::Schema(options) => commands::schema::run(options),
        Command::ServeEngine => commands::engines::serve(),
        Command::ServeLibrary(options) => commands::engines::serve_library(options),
        Command::KeepEngine(options) => return commands::engines::keep(options),
        Command::Engines(options) => commands::engines::run(options, arguments.quiet),
        Command::Completions { shell } => commands::manual::completions(*shell),
        Command::Manual { out } => commands::manual::manual(out.as_deref()),
        Command::Explain(options) => commands::explain::run(options),
    };
    match outcome {
        Ok(ExitStatus::NothingJudged) if arguments.accept_unjudged => ExitStatus::Holds.into(),
        Ok(ExitStatus::NothingJudged) => {
            output::note("no claim could be judged; --accept-unjudged ends with 0 all the same");
            ExitStatus::NothingJudged.into()
        }
        Ok(status) => status.into(),
        Err(diagnostic) => diagnostic.tell().into(),
    }
}
