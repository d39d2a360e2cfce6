//! The list of formats in which results of trials go to other programs. To add one: write it in a file, and name it here.

use crate::exchange::{junit_xml, markdown};
use crate::machine::{MachineError, document_json, results_csv};
use ironspin_lab::ResultDocument;

/// A format in which results of trials are written.
#[derive(Debug)]
pub struct ResultFormat {
    /// As it is typed.
    pub name: &'static str,
    /// What it is, in a line.
    pub about: &'static str,
    write: fn(&ResultDocument) -> Result<String, MachineError>,
}

/// All formats.
pub static RESULT_FORMATS: [ResultFormat; 4] = [
    ResultFormat { name: "json", about: "One JSON document", write: |document| document_json(document) },
    ResultFormat { name: "csv", about: "One CSV row a claim and a twin", write: |document| results_csv(document) },
    ResultFormat { name: "junit", about: "JUnit XML, for build servers", write: |document| Ok(junit_xml(document)) },
    ResultFormat { name: "markdown", about: "A table in Markdown", write: |document| Ok(markdown(document)) },
];

impl ResultFormat {
    /// The results in this format, with a line end.
    ///
    /// # Errors
    /// When the writer refuses.
    pub fn write(&self, document: &ResultDocument) -> Result<String, MachineError> {
        (self.write)(document)
    }
}
