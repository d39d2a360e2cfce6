//! `schema`: the form of a file, for editors and validators.

use crate::args::{SchemaOf, SchemaOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;

pub(crate) fn run(options: &SchemaOptions) -> Result<ExitStatus, Diagnostic> {
    let text = match options.format {
        SchemaOf::Scene => serde_json::to_string_pretty(&ironspin_scene::json_schema())?,
        SchemaOf::Plan => serde_json::to_string_pretty(&ironspin_lab::plan_schema())?,
    };
    output::document(&format!("{text}\n"))?;
    Ok(ExitStatus::Holds)
}
