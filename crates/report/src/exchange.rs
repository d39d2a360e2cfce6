//! What other programs of the trade read: JUnit XML for build servers, Markdown for notes and reviews.

use crate::look::mark;
use crate::map::document_summary;
use crate::number::{show, with_unit};
use crate::picture::escape;
use ironspin_lab::{ClaimDocument, Summary, TrialDocument, shell_line};
use ironspin_model::{Severity, Verdict};
use std::collections::BTreeMap;
use std::fmt::Write;

/// Text for XML: no markup, and none of the characters that XML cannot hold.
fn xml(text: &str) -> String {
    let held = |c: &char| matches!(c, '\t' | '\n' | '\r') || (*c >= ' ' && *c != '\u{fffe}' && *c != '\u{ffff}');
    escape(&text.chars().filter(held).collect::<String>())
}

fn conditions(trial: &TrialDocument) -> String {
    let unusual = trial.unusual_text();
    format!("dt {}{}{unusual}", trial.dt_text, if unusual.is_empty() { "" } else { ", " })
}

/// What came of a claim, and why it matters.
fn reported(claim: &ClaimDocument) -> (String, String) {
    let measured = claim.measured.map_or_else(|| "nothing".to_owned(), |value| with_unit(value, &claim.unit));
    let bound = claim.bound.relation(|value| with_unit(value, &claim.unit));
    let detail = if claim.detail.is_empty() { String::new() } else { format!("{}\n", claim.detail) };
    (format!("measured {measured}, bound {bound}"), format!("{detail}because {}\n", claim.because))
}

/// The results as JUnit XML: a suite for each scene and engine, a case for each claim of each trial. A claim that only should hold is no
/// failure there; a trial that could not be run is skipped, one whose engine failed an error.
pub fn junit_xml(trials: &[TrialDocument]) -> String {
    let mut suites: BTreeMap<(&str, &str), Vec<&TrialDocument>> = BTreeMap::new();
    for trial in trials {
        suites.entry((&trial.scene, &trial.engine)).or_default().push(trial);
    }
    let mut body = String::new();
    let mut whole = [0; 4];
    for ((scene, engine), trials) in suites {
        let mut cases = String::new();
        let mut counts = [0; 4];
        for trial in trials {
            add_cases(&mut cases, &mut counts, trial);
        }
        let [tests, failures, errors, skipped] = counts;
        // Writing to a string cannot fail.
        let _ = write!(
            body,
            "  <testsuite name=\"{} on {}\" tests=\"{tests}\" failures=\"{failures}\" errors=\"{errors}\" skipped=\"{skipped}\">\n{cases}  </testsuite>\n",
            xml(scene),
            xml(engine)
        );
        for (whole, count) in whole.iter_mut().zip(counts) {
            *whole += count;
        }
    }
    let [tests, failures, errors, skipped] = whole;
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"Iron Spin\" tests=\"{tests}\" failures=\"{failures}\" errors=\"{errors}\" skipped=\"{skipped}\">\n{body}</testsuites>\n"
    )
}

fn add_cases(out: &mut String, counts: &mut [usize; 4], trial: &TrialDocument) {
    let (class, at) = (xml(&format!("{}.{}", trial.scene, trial.engine)), conditions(trial));
    let again = format!("again: ironspin {}\n", shell_line(&trial.again));
    if trial.claims.is_empty() {
        let (tag, place) = if trial.verdict == Verdict::Error { ("error", 2) } else { ("skipped", 3) };
        counts[0] += 1;
        counts[place] += 1;
        let (name, why) = (xml(&format!("runs at {at}")), xml(&trial.reason));
        let _ = write!(
            out,
            "    <testcase classname=\"{class}\" name=\"{name}\">\n      <{tag} message=\"{why}\">{}</{tag}>\n    </testcase>\n",
            xml(&again)
        );
        return;
    }
    for claim in &trial.claims {
        let name = xml(&format!("{} of {} at {at}", claim.gauge, claim.of));
        let (message, why) = reported(claim);
        counts[0] += 1;
        let inner = match (claim.verdict, claim.severity) {
            (Verdict::Pass, _) => String::new(),
            (Verdict::Unsupported, _) => {
                counts[3] += 1;
                format!("      <skipped message=\"{}\"/>\n", xml(&claim.detail))
            }
            (_, Severity::Must) => {
                counts[1] += 1;
                let (message, text) = (xml(&message), xml(&format!("{why}{again}")));
                format!("      <failure message=\"{message}\">{text}</failure>\n")
            }
            (_, _) => format!("      <system-out>{}</system-out>\n", xml(&format!("should hold: {message}\n{why}"))),
        };
        let _ = match inner.is_empty() {
            true => writeln!(out, "    <testcase classname=\"{class}\" name=\"{name}\"/>"),
            false => write!(out, "    <testcase classname=\"{class}\" name=\"{name}\">\n{inner}    </testcase>\n"),
        };
    }
}

/// A cell of a table in Markdown.
fn cell(text: &str) -> String {
    text.replace('\\', "\\\\").replace('|', "\\|").replace('\n', " ").replace('<', "&lt;")
}

/// The results as a table in Markdown, with what broke below it.
pub fn markdown(trials: &[TrialDocument]) -> String {
    let summary = Summary::count(trials.iter().map(|trial| trial.verdict));
    let mut out = format!("**{}**\n\n", document_summary(&summary));
    out.push_str("| | scene | engine | conditions | decided by | measured | bound | where and why |\n|---|---|---|---|---|---:|---|---|\n");
    for trial in trials {
        let claim = trial.deciding();
        let measured = claim.map_or_else(String::new, |claim| {
            claim.measured.map_or_else(|| "-".to_owned(), |v| with_unit(v, &claim.unit))
        });
        let bound = claim.map_or_else(String::new, |claim| claim.bound.relation(show));
        let (gauge, why) =
            claim.map_or(("", trial.reason.as_str()), |claim| (claim.gauge.as_str(), claim.detail.as_str()));
        let row = [mark(trial.verdict), &trial.scene, &trial.engine, &conditions(trial), gauge, &measured, &bound, why];
        out.push_str(&format!("| {} |\n", row.map(cell).join(" | ")));
    }
    let broken: Vec<&TrialDocument> =
        trials.iter().filter(|trial| matches!(trial.verdict, Verdict::Fail | Verdict::Error)).collect();
    if !broken.is_empty() {
        out.push_str("\nAgain:\n\n```sh\n");
        for trial in broken {
            out.push_str(&format!("ironspin {}\n", shell_line(&trial.again)));
        }
        out.push_str("```\n");
    }
    out
}
