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
    output::print(&out)?;
    Ok(ExitStatus::Holds)
}
