//! Errors shown to the user, with their place; exit statuses.

use crate::excerpt::excerpt;
use ironspin_lab::{FarmError, FolderError, JudgeError, LedgerError, PlanError};
use ironspin_model::{EngineError, NumberError, shown};
use ironspin_report::{MachineError, PlotError};
use ironspin_scene::{SceneError, Warning};
use ironspin_trace::TraceError;
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
    /// Trials of the whole are in none of the shares.
    Incomplete = 4,
    /// Claims were asked, and none could be judged.
    NothingJudged = 5,
    /// Ctrl-C.
    Interrupted = 130,
}

impl ExitStatus {
    /// Of its number.
    pub(crate) fn of(number: u8) -> Option<ExitStatus> {
        use ExitStatus::{BadInput, EngineFailed, Fails, Holds, Incomplete, Interrupted, NothingJudged};
        [Holds, Fails, BadInput, EngineFailed, Incomplete, NothingJudged, Interrupted]
            .into_iter()
            .find(|status| *status as u8 == number)
    }
}

impl From<ExitStatus> for ExitCode {
    fn from(status: ExitStatus) -> Self {
        ExitCode::from(status as u8)
    }
}

/// Something the user must see, after which the program ends.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Diagnostic {
    #[error(transparent)]
    Scene(#[from] SceneError),
    #[error(transparent)]
    Engine(#[from] EngineError),
    #[error("{0}")]
    Grid(PlanError),
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
    #[error("cannot write `{path}`: {cause}")]
    File { path: String, cause: std::io::Error },
    #[error("`{path}` is there already")]
    AlreadyThere { path: String },
    #[error(transparent)]
    Trace(#[from] TraceError),
    #[error(transparent)]
    Step(#[from] NumberError),
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    #[error(transparent)]
    Farm(#[from] FarmError),
    #[error("{why}")]
    Kept { why: String },
    #[error("there is no gauge called `{found}`")]
    UnknownGauge { found: String, help: String },
}

impl From<PlanError> for Diagnostic {
    fn from(error: PlanError) -> Self {
        match error {
            PlanError::Scene(error) => Diagnostic::Scene(error),
            PlanError::Engine(error) => Diagnostic::Engine(error),
            other => Diagnostic::Grid(other),
        }
    }
}

impl From<JudgeError> for Diagnostic {
    fn from(error: JudgeError) -> Self {
        match error {
            JudgeError::Scene(error) => Diagnostic::Scene(error),
            JudgeError::Trace(error) => Diagnostic::Trace(error),
            JudgeError::Step(error) => Diagnostic::Step(error),
        }
    }
}

impl Diagnostic {
    fn help(&self) -> Option<String> {
        match self {
            Diagnostic::Scene(error) => error.help.clone(),
            Diagnostic::Engine(EngineError::UnknownEngine { .. }) => {
                Some("`ironspin engines` lists the engines and their settings".to_owned())
            }
            Diagnostic::Folder(FolderError::NotOurs(_)) => {
                Some("name another folder, or empty this one; only an older report is replaced".to_owned())
            }
            Diagnostic::Grid(PlanError::TooLong { .. }) => {
                Some("take a longer step or a shorter time, or raise --max-steps if it is meant".to_owned())
            }
            Diagnostic::Grid(PlanError::TooMany { .. }) => {
                Some("leave out values, or raise --max-trials if it is meant".to_owned())
            }
            Diagnostic::Ledger(LedgerError::Newer { .. }) => {
                Some("a newer program wrote it: upgrade, or keep to another file".to_owned())
            }
            Diagnostic::Ledger(LedgerError::NotOurs(_)) => Some("nothing was changed; name another file".to_owned()),
            Diagnostic::AlreadyThere { .. } => Some("nothing was changed; name another place, or remove it".to_owned()),
            Diagnostic::Farm(FarmError::Alive { .. }) => Some(
                "`ironspin farm status DIR` shows how far it is, the same command with --follow stays with it, `ironspin farm stop DIR` ends it"
                    .to_owned(),
            ),
            Diagnostic::Farm(FarmError::OtherProgram { .. }) => {
                Some("results of different builds do not belong together; name another folder".to_owned())
            }
            Diagnostic::Trace(error) => error.help().map(str::to_owned),
            Diagnostic::UnknownGauge { help, .. } => Some(help.clone()),
            _ => None,
        }
    }

    /// Prints the complaint to standard error and gives the status to end with.
    pub(crate) fn tell(&self) -> ExitStatus {
        if let Diagnostic::Output(error) = self
            && error.kind() == std::io::ErrorKind::BrokenPipe
        {
            // The reader has seen enough.
            return ExitStatus::Holds;
        }
        let mut diagnostic = miette::MietteDiagnostic::new(self.to_string());
        diagnostic.help = self.help();
        tell(diagnostic, if let Diagnostic::Scene(error) = self { Some(error) } else { None });
        ExitStatus::BadInput
    }
}

/// Shows something that looks wrong in a scene and how to silence it.
pub(crate) fn tell_warning(warning: &Warning) {
    let mut diagnostic =
        miette::MietteDiagnostic::new(warning.what.message.clone()).with_severity(miette::Severity::Warning);
    let silence = format!("if it is meant, add allow = [\"{}\"] at the top of the scene", warning.kind);
    diagnostic.help =
        Some(warning.what.help.as_ref().map_or_else(|| silence.clone(), |help| format!("{help}\n{silence}")));
    tell(diagnostic, Some(&warning.what));
}

/// Letters that are shown of a long text in a diagnostic: from its beginning, and from its end.
const SHOWN: [usize; 2] = [1_500, 300];

/// A text as it may be shown, clipped where it is very long.
fn clipped(text: &str) -> String {
    let border = |letters: usize| text.char_indices().nth(letters).map_or(text.len(), |(at, _)| at);
    let count = text.chars().count();
    let [first, last] = SHOWN;
    if count <= first + last {
        return shown(text).into_owned();
    }
    format!("{} ... {}", shown(&text[..border(first)]), shown(&text[border(count - last)..]))
}

/// Prints a diagnostic to standard error, with the piece of the scene it is about.
fn tell(mut diagnostic: miette::MietteDiagnostic, error: Option<&SceneError>) {
    diagnostic.message = clipped(&diagnostic.message);
    diagnostic.help = diagnostic.help.map(|help| clipped(&help));
    let fallback = diagnostic.to_string();
    let mut source = None;
    if let Some(SceneError { label, place: Some(place), .. }) = error {
        let (text, span) = excerpt(&place.text, &place.span);
        diagnostic = diagnostic.with_label(LabeledSpan::new(Some(clipped(label)), span.start, span.len()));
        source = Some(NamedSource::new(shown(&place.file), text));
    }
    let report = miette::Report::new(diagnostic);
    let report = match source {
        Some(source) => report.with_source_code(source),
        None => report,
    };
    let colour = crate::output::colour(&std::io::stderr());
    let theme = if colour { GraphicalTheme::unicode() } else { GraphicalTheme::unicode_nocolor() };
    let handler = GraphicalReportHandler::new_themed(theme).with_width(100).with_context_lines(1);
    let mut text = String::new();
    if handler.render_report(&mut text, report.as_ref()).is_err() {
        text = fallback;
    }
    crate::output::coloured_note(text.trim_end());
}
