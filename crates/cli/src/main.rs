//! Flag definitions and glue: arguments in, text and exit statuses out. Nothing is computed here.
//!
//! | file | content |
//! |---|---|
//! | `args.rs` | what may be typed |
//! | `commands/` | one file a command |
//! | `complaint.rs` | errors told to the user, with their place; exit statuses |
//! | `output.rs` | standard output, colours, width of the terminal |
//! | `progress.rs` | what is shown while trials run |

mod args;
mod commands;
mod complaint;
mod output;
mod progress;

use args::{Arguments, Command};
use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let outcome = match &arguments.command {
        Command::Demo(options) => commands::demo::run(options, arguments.quiet),
        Command::Run(options) => commands::run::run(options, arguments.quiet),
        Command::Judge(options) => commands::judge::run(options, arguments.quiet),
        Command::Scenes(options) => commands::scenes::run(options),
        Command::Schema(options) => commands::schema::run(options),
        Command::Engines => commands::engines::run(),
        Command::Explain(options) => commands::explain::run(options),
    };
    match outcome {
        Ok(status) => status.into(),
        Err(complaint) => complaint.tell().into(),
    }
}
