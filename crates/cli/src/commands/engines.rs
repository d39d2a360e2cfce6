//! `engines`: what can be tested.

use crate::complaint::{Complaint, ExitStatus};
use crate::output;
use std::fmt::Write;

pub(crate) fn run() -> Result<ExitStatus, Complaint> {
    let mut out = String::from("builtin  the engine in this program: planar rigid bodies\n\n");
    for option in ironspin_link::builtin_settings() {
        // Writing to a string cannot fail.
        let _ = writeln!(out, "  builtin:{}={}\n      {}", option.name, option.default, option.about);
    }
    out.push_str("\nDefaults are shown. Several settings are joined by commas: builtin:swept=all,iterations=8\n");
    out.push_str("\ncmd:PROGRAM ARGS   a program that answers the engine protocol (docs/engine-protocol.md); options after ` :: `\n");
    out.push_str("trace:FILE         a recorded trace in the place of an engine\n");
    output::print(&out)?;
    Ok(ExitStatus::Holds)
}

/// `serve-engine`: the built-in engine at the other end of the protocol.
pub(crate) fn serve() -> Result<ExitStatus, Complaint> {
    let mut output = std::io::BufWriter::with_capacity(1 << 18, std::io::stdout().lock());
    ironspin_link::serve(&ironspin_link::start_builtin, &mut std::io::stdin().lock(), &mut output)?;
    Ok(ExitStatus::Holds)
}
