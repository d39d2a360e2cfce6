//! `explain`: what a gauge measures, what a twin shows, what a verdict means.

use crate::args::ExplainOptions;
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use ironspin_gauge::{GAUGES, entry_text, find, handbook};
use ironspin_lab::TwinKind;

pub(crate) fn run(options: &ExplainOptions) -> Result<ExitStatus, Diagnostic> {
    let text = match &options.gauge {
        None => handbook(),
        Some(name) => match (verdict_text(name), find(name)) {
            (Some(text), _) => text.to_owned(),
            (None, Some(gauge)) => entry_text(gauge),
            (None, None) => match TwinKind::of(name.trim_start_matches("twin.")) {
                Some(kind) => twin_text(kind),
                None => return Err(unknown(name)),
            },
        },
    };
    output::print(&text)?;
    Ok(ExitStatus::Holds)
}

/// What an exact change shows, what usually breaks it, and what to do next.
fn twin_text(kind: TwinKind) -> String {
    let entry = kind.entry();
    let agreement = if kind.is_exact() {
        "to the last bit"
    } else {
        "to the tolerance that the scene promises, and what roundings of the engine's own numbers come to at that place"
    };
    format!(
        "## twin.{} (also: {0})\n\n{} Both trials must agree {agreement}.\n\n\
         - **Usual causes**: {}.\n\
         - **What to try next**: {}. `ironspin twin SCENE --engine ENGINE --by {0}` runs it alone.\n",
        kind.word(),
        entry.change,
        entry.usual_causes,
        entry.next_step
    )
}

/// What a verdict means, what usually brings it about, and what to do next.
fn verdict_text(word: &str) -> Option<&'static str> {
    Some(match word.to_ascii_lowercase().as_str() {
        "pass" => {
            "## pass\n\nEvery claim that must hold holds. A claim that only should hold may still be broken; the list below the table names it.\n\n\
             - **What to try next**: other steps and sizes (`ironspin sweep`), and whether the trial agrees with itself (`ironspin twin`).\n"
        }
        "fail" => {
            "## FAIL\n\nA claim that must hold does not: its measured value is past its bound. The first one broken decides, in the order in which the scene makes its claims; the others stand below the table.\n\n\
             - **Usual causes**: those of the gauge; `ironspin explain GAUGE` lists them.\n\
             - **What to try next**: the command behind `again`, with `--out DIR` for the replay; then half the step.\n"
        }
        "none" | "unsupported" => {
            "## none (unsupported)\n\nThe trial was not judged: the engine does not list a feature or shape that the scene needs, or a gauge cannot measure such a scene. It counts neither for nor against the engine.\n\n\
             - **Usual causes**: an adapter that does not list in `hello` what the engine has; a scene beyond the engine.\n\
             - **What to try next**: `ironspin engines probe ENGINE` shows what it lists.\n"
        }
        "n.k." | "unknown" => {
            "## n.k. (not known)\n\nNeither the states nor the notices of the engine let anybody tell whether the claim holds: it counts neither for nor against the engine. A trial of which no claim is known to hold does not pass.\n\n\
             - **Usual causes**: contact rows that may be sums of several impacts of a step, of which the engine does not say how many they stand for.\n\
             - **What to try next**: the ninth number of a contact, if the adapter is yours; a smaller step, at which impacts fall into steps of their own.\n"
        }
        "err!" | "error" => {
            "## ERR! (engine error)\n\nThe engine crashed, hung, or answered what no sound engine answers. Its last words stand in the reason. The trial is lost, and no other.\n\n\
             - **Usual causes**: a broken line or wrong count of numbers from an adapter; a step that takes longer than its limit; a world that the engine cannot take.\n\
             - **What to try next**: `ironspin engines probe ENGINE`; the command behind `again`; `--limits step=60` where it is only slow.\n"
        }
        _ => return None,
    })
}

fn unknown(name: &str) -> Diagnostic {
    let twins = || TwinKind::all().into_iter().map(TwinKind::word);
    let names = || GAUGES.iter().map(|gauge| gauge.name).chain(twins());
    let help = ironspin_model::nearest(name, names()).map_or_else(
        || format!("gauges and twins: {}", names().collect::<Vec<_>>().join(", ")),
        |near| format!("did you mean `{near}`?"),
    );
    Diagnostic::UnknownGauge { found: name.to_owned(), help }
}
