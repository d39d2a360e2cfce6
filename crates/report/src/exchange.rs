//! What other programs of the trade read: JUnit XML for build servers, Markdown for notes and reviews.

use crate::cells::markdown_text;
use crate::look::mark;
use crate::map::document_summary;
use crate::number::measured_and_bound;
use crate::twins::{twin_bound, twin_conditions, twin_found};
use ironspin_lab::{ClaimDocument, ResultDocument, Summary, TrialDocument, TwinDocument, shell_line};
use ironspin_model::{Severity, Verdict, shown, shown_in_line};
use quick_xml::events::{BytesDecl, BytesText, Event};
use quick_xml::writer::{ElementWriter, Writer};
use std::collections::BTreeMap;

/// A text without the characters that XML cannot hold; the writer takes care of markup.
fn plain(text: &str) -> String {
    shown(text).replace(['\u{fffe}', '\u{ffff}'], "")
}

fn conditions(trial: &TrialDocument) -> String {
    let unusual = trial.unusual_text();
    format!("dt {}{}{unusual}", trial.dt_text, if unusual.is_empty() { "" } else { ", " })
}

/// What came of a claim, and why it matters.
fn reported(claim: &ClaimDocument) -> (String, String) {
    let (measured, bound) = measured_and_bound(claim.measured, &claim.bound, &claim.unit, "nothing");
    let detail = if claim.detail.is_empty() { String::new() } else { format!("{}\n", claim.detail) };
    (format!("measured {measured}, bound {bound}"), format!("{detail}because {}\n", claim.because))
}

/// The results as JUnit XML: a suite for each scene and engine, a case for each claim of each trial and for each twin. A claim that only should hold is no
/// failure there; a trial that could not be run is skipped, one whose engine failed an error.
pub fn junit_xml(document: &ResultDocument) -> String {
    let mut suites: BTreeMap<(&str, &str), Vec<Case>> = BTreeMap::new();
    for trial in &document.trials {
        suites.entry((&trial.scene, &trial.engine)).or_default().extend(cases(trial));
    }
    for twin in &document.twins {
        suites.entry((&twin.scene, &twin.engine)).or_default().push(twin_case(twin));
    }
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 2);
    // Writing to a list of bytes cannot fail.
    let _ = writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)));
    let all = counts(suites.values().flatten());
    let whole = with_counts(writer.create_element("testsuites").with_attribute(("name", "Iron Spin")), &all);
    let _ = whole.write_inner_content(|writer| {
        for ((scene, engine), cases) in &suites {
            let name = plain(&format!("{scene} on {engine}"));
            let suite = writer.create_element("testsuite").with_attribute(("name", name.as_str()));
            with_counts(suite, &counts(cases))
                .write_inner_content(|writer| cases.iter().try_for_each(|case| case.write(writer)))?;
        }
        Ok(())
    });
    let text = String::from_utf8(writer.into_inner()).unwrap_or_default();
    format!("{text}\n")
}

/// How many cases there are, and how many of them failed, could not be judged because of the engine, and were skipped.
fn counts<'a>(cases: impl IntoIterator<Item = &'a Case>) -> [(&'static str, String); 4] {
    let mut counts = [0; 4];
    for case in cases {
        counts[0] += 1;
        match case.outcome {
            Outcome::Failure { .. } => counts[1] += 1,
            Outcome::Error { .. } => counts[2] += 1,
            Outcome::Skipped { .. } => counts[3] += 1,
            Outcome::Success | Outcome::Note(_) => {}
        }
    }
    let mut counts = counts.map(|count: usize| count.to_string()).into_iter();
    ["tests", "failures", "errors", "skipped"].map(|name| (name, counts.next().unwrap_or_default()))
}

fn with_counts<'a, W>(element: ElementWriter<'a, W>, counts: &[(&'static str, String); 4]) -> ElementWriter<'a, W> {
    counts.iter().fold(element, |element, (name, count)| element.with_attribute((*name, count.as_str())))
}

/// One test case.
struct Case {
    class: String,
    name: String,
    outcome: Outcome,
}

/// How a case turned out; texts are free of what XML cannot hold.
enum Outcome {
    Success,
    /// What only should have held.
    Note(String),
    Failure {
        message: String,
        text: String,
    },
    Error {
        message: String,
        text: String,
    },
    Skipped {
        message: String,
        text: String,
    },
}

impl Case {
    fn write(&self, writer: &mut Writer<Vec<u8>>) -> std::io::Result<()> {
        let attributes = [("classname", self.class.as_str()), ("name", self.name.as_str())];
        let case = writer.create_element("testcase").with_attributes(attributes);
        let (tag, message, text) = match &self.outcome {
            Outcome::Success => return case.write_empty().map(drop),
            Outcome::Note(text) => ("system-out", None, text),
            Outcome::Failure { message, text } => ("failure", Some(message), text),
            Outcome::Error { message, text } => ("error", Some(message), text),
            Outcome::Skipped { message, text } => ("skipped", Some(message), text),
        };
        case.write_inner_content(|writer| {
            let inner = writer.create_element(tag);
            let inner = match message {
                Some(message) => inner.with_attribute(("message", message.as_str())),
                None => inner,
            };
            if text.is_empty() { inner.write_empty() } else { inner.write_text_content(BytesText::new(text)) }.map(drop)
        })
        .map(drop)
    }
}

/// The cases of a trial: one for each claim, or one for the trial where nothing was judged.
fn cases(trial: &TrialDocument) -> Vec<Case> {
    let (class, at) = (plain(&format!("{}.{}", trial.scene, trial.engine)), conditions(trial));
    let again = format!("again: ironspin {}\n", shell_line(&trial.again));
    if trial.claims.is_empty() {
        let (message, text) = (plain(&trial.reason), plain(&again));
        let outcome = match trial.verdict {
            Verdict::Error => Outcome::Error { message, text },
            Verdict::Pass | Verdict::Fail | Verdict::Unsupported | Verdict::Unknown => {
                Outcome::Skipped { message, text }
            }
        };
        return vec![Case { class, name: plain(&format!("runs at {at}")), outcome }];
    }
    let case = |claim: &ClaimDocument| {
        let (message, why) = reported(claim);
        let outcome = match (claim.verdict, claim.severity) {
            (Verdict::Pass, _) => Outcome::Success,
            (Verdict::Unsupported | Verdict::Unknown, _) => {
                Outcome::Skipped { message: plain(&claim.detail), text: String::new() }
            }
            (Verdict::Fail | Verdict::Error, Severity::Must) => {
                Outcome::Failure { message: plain(&message), text: plain(&format!("{why}{again}")) }
            }
            (Verdict::Fail | Verdict::Error, Severity::Should) => {
                Outcome::Note(plain(&format!("should hold: {message}\n{why}")))
            }
        };
        Case { class: class.clone(), name: plain(&format!("{} of {} at {at}", claim.title(), claim.of)), outcome }
    };
    trial.claims.iter().map(case).collect()
}

fn twin_case(twin: &TwinDocument) -> Case {
    let message = plain(&format!("{}, wanted {}", twin_found(twin), twin_bound(twin)));
    let text = plain(&twin.change);
    Case {
        class: plain(&format!("{}.{}", twin.scene, twin.engine)),
        name: plain(&format!("twin {} at {}", twin.by, twin_conditions(twin))),
        outcome: match twin.verdict {
            Verdict::Pass => Outcome::Success,
            Verdict::Fail => Outcome::Failure { message, text },
            Verdict::Error => Outcome::Error { message, text },
            Verdict::Unsupported | Verdict::Unknown => Outcome::Skipped { message, text },
        },
    }
}

/// The results as a table in Markdown, with what broke below it, and the twins.
pub fn markdown(document: &ResultDocument) -> String {
    let trials = &document.trials;
    let summary = Summary::count(trials.iter());
    let mut out = format!("**{}**\n\n", document_summary(&summary));
    out.push_str("| | scene | engine | conditions | decided by | measured | bound | where and why |\n|---|---|---|---|---|---:|---|---|\n");
    for trial in trials {
        let claim = trial.deciding();
        let (measured, bound) = claim
            .map_or_else(Default::default, |claim| measured_and_bound(claim.measured, &claim.bound, &claim.unit, "-"));
        let (title, why) =
            claim.map_or((String::new(), trial.reason.as_str()), |claim| (claim.title(), claim.detail.as_str()));
        let row =
            [mark(trial.verdict), &trial.scene, &trial.engine, &conditions(trial), &title, &measured, &bound, why];
        out.push_str(&format!("| {} |\n", row.map(markdown_text).join(" | ")));
    }
    let broken: Vec<&TrialDocument> =
        trials.iter().filter(|trial| matches!(trial.verdict, Verdict::Fail | Verdict::Error)).collect();
    if !broken.is_empty() {
        out.push_str("\nAgain:\n\n```sh\n");
        for trial in broken {
            // No text ends the block.
            out.push_str(&format!(
                "ironspin {}\n",
                shown_in_line(&shell_line(&trial.again), usize::MAX).replace("```", "` ` `")
            ));
        }
        out.push_str("```\n");
    }
    if !document.twins.is_empty() {
        out.push_str(
            "\n| | scene | engine | conditions | twin | wanted | what came of it |\n|---|---|---|---|---|---|---|\n",
        );
    }
    for twin in &document.twins {
        let at = twin_conditions(twin);
        let row = [mark(twin.verdict), &twin.scene, &twin.engine, &at, &twin.by, &twin_bound(twin), &twin_found(twin)];
        out.push_str(&format!("| {} |\n", row.map(markdown_text).join(" | ")));
    }
    out
}
