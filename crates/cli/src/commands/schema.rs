//! `schema`: the form of a file, for editors and validators.

use crate::args::{SchemaOf, SchemaOptions};
use crate::complaint::{Complaint, ExitStatus};
use crate::output;

pub(crate) fn run(options: &SchemaOptions) -> Result<ExitStatus, Complaint> {
    let SchemaOf::Scene = options.format;
    output::print(&format!("{}\n", serde_json::to_string_pretty(&ironspin_scene::json_schema())?))?;
    Ok(ExitStatus::Holds)
}
