//! Errors told to the user, with their place; exit statuses.

use ironspin_lab::{FolderError, PlanError};
use ironspin_model::EngineError;
use ironspin_report::{MachineError, PlotError};
use ironspin_scene::SceneError;
use miette::{GraphicalReportHandler, GraphicalTheme, LabeledSpan, NamedSource};
use std::process::ExitCode;

/// How the program ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ExitStatus {
    /// All claims hold, or there was nothing to judge.
    Holds = 0,
    /// A claim fails.
    Fails = 1,
    /// Arguments, scene or trace are wrong.
    BadInput = 2,
    /// An engine failed.
    EngineFailed = 3,
}

impl From<ExitStatus> for ExitCode {
    fn from(status: ExitStatus) -> Self {
        ExitCode::from(status as u8)
    }
}

/// Something the user must be told, after which the program ends.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Complaint {
    #[error(transparent)]
    Scene(#[from] SceneError),
    #[error(transparent)]
    Engine(#[from] EngineError),
    #[error(transparent)]
    Folder(#[from] FolderError),
    #[error(transparent)]
    Machine(#[from] MachineError),
    #[error(transparent)]
    Plot(#[from] PlotError),
    #[error("cannot describe the run: {0}")]
    Manifest(#[from] serde_json::Error),
    #[error("cannot write to standard output: {0}")]
    Output(#[from] std::io::Error),
    #[error("there is no gauge called `{found}`")]
    UnknownGauge { found: String, help: String },
}

impl From<PlanError> for Complaint {
    fn from(error: PlanError) -> Self {
        match error {
            PlanError::Scene(error) => Complaint::Scene(error),
            PlanError::Engine(error) => Complaint::Engine(error),
        }
    }
}

impl Complaint {
    fn help(&self) -> Option<String> {
        match self {
            Complaint::Scene(error) => error.help.clone(),
            Complaint::Engine(EngineError::UnknownEngine { .. }) => {
                Some("`ironspin engines` lists the engines and their settings".to_owned())
            }
            Complaint::Folder(FolderError::NotOurs(_)) => {
                Some("name another folder, or empty this one; only an older report is replaced".to_owned())
            }
            Complaint::UnknownGauge { help, .. } => Some(help.clone()),
            _ => None,
        }
    }

    /// Prints the complaint to standard error and gives the status to end with.
    pub(crate) fn tell(&self) -> ExitStatus {
        if let Complaint::Output(error) = self
            && error.kind() == std::io::ErrorKind::BrokenPipe
        {
            // The reader has seen enough.
            return ExitStatus::Holds;
        }
        let mut diagnostic = miette::MietteDiagnostic::new(self.to_string());
        diagnostic.help = self.help();
        let mut source = None;
        if let Complaint::Scene(SceneError { label, place: Some(place), .. }) = self {
            let end = place.span.end.min(place.text.len());
            let start = place.span.start.min(end);
            diagnostic = diagnostic.with_label(LabeledSpan::new(Some(label.clone()), start, end - start));
            source = Some(NamedSource::new(&place.file, place.text.to_string()));
        }
        let report = miette::Report::new(diagnostic);
        let report = match source {
            Some(source) => report.with_source_code(source),
            None => report,
        };
        let theme = if crate::output::colour(&std::io::stderr()) {
            GraphicalTheme::unicode()
        } else {
            GraphicalTheme::unicode_nocolor()
        };
        let handler = GraphicalReportHandler::new_themed(theme).with_width(100).with_context_lines(1);
        let mut text = String::new();
        if handler.render_report(&mut text, report.as_ref()).is_err() {
            text = self.to_string();
        }
        crate::output::note(text.trim_end());
        ExitStatus::BadInput
    }
}
