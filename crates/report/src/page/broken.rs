//! What broke, worst first.

use super::{PageTrial, Room, bound, measured};
use crate::picture::escape;
use ironspin_lab::{ClaimDocument, shell_line};
use ironspin_model::Verdict;
use std::collections::BTreeMap;

/// Most entries that are shown.
const MOST: usize = 300;

/// A claim that broke in some trials, the worst of them first named.
struct Case<'a> {
    /// How far past the bound the worst is; without end where the engine failed.
    used: f64,
    worst: usize,
    claim: Option<&'a ClaimDocument>,
    trials: Vec<usize>,
}

/// The claim that is furthest past its bound, of those that decide.
pub(super) fn worst(trials: &[PageTrial]) -> Option<(&PageTrial, &ClaimDocument)> {
    let claims = trials.iter().flat_map(|trial| trial.document.claims.iter().map(move |claim| (trial, claim)));
    let decisive = claims.filter(|(_, claim)| claim.decides() && claim.measured.is_some());
    decisive.reduce(|best, other| if other.1.used() > best.1.used() { other } else { best })
}

fn cases(trials: &[PageTrial]) -> Vec<Case<'_>> {
    let mut found: BTreeMap<[&str; 4], Case<'_>> = BTreeMap::new();
    for (number, trial) in trials.iter().enumerate() {
        let document = &trial.document;
        let broken = document.claims.iter().filter(|claim| claim.verdict == Verdict::Fail);
        // Errors are distinguished by what they say.
        let error = (document.verdict == Verdict::Error).then_some((document.reason.as_str(), "", f64::INFINITY, None));
        let claims = broken.map(|claim| ("", claim.gauge.as_str(), claim.used(), Some(claim)));
        for (reason, gauge, used, claim) in claims.chain(error) {
            let key = [document.scene.as_str(), document.engine.as_str(), reason, gauge];
            let case = found.entry(key).or_insert(Case { used, worst: number, claim, trials: Vec::new() });
            case.trials.push(number);
            if used > case.used {
                (case.used, case.worst, case.claim) = (used, number, claim);
            }
        }
    }
    let mut found: Vec<Case<'_>> = found.into_values().collect();
    for case in &mut found {
        // Several claims of one gauge in a trial are one case.
        case.trials.dedup();
    }
    found.sort_by(|a, b| b.used.total_cmp(&a.used).then(a.worst.cmp(&b.worst)));
    found
}

pub(super) fn list(trials: &[PageTrial], room: &Room) -> String {
    let cases = cases(trials);
    if cases.is_empty() {
        let nothing = if trials.is_empty() {
            "Nothing was run."
        } else {
            "Nothing: no claim fails in any trial that could be run."
        };
        return format!("<h2>What broke</h2>\n<p>{nothing}</p>\n");
    }
    let mut out = String::from(
        "<h2>What broke</h2>\n<p class=\"soft\">Worst first, by how far past its bound.</p>\n<ol class=\"broken\">\n",
    );
    for case in cases.iter().take(MOST) {
        out.push_str(&entry(trials, room, case));
    }
    out.push_str("</ol>\n");
    if cases.len() > MOST {
        out.push_str(&format!("<p>And {} more, each with its trial below.</p>\n", cases.len() - MOST));
    }
    out
}

fn entry(trials: &[PageTrial], room: &Room, case: &Case<'_>) -> String {
    let document = &trials[case.worst].document;
    let target =
        |number: usize| if room.reported[number] { format!(" href=\"#trial-{number}\"") } else { String::new() };
    let place = format!(
        "<a{}>{}</a> on <code>{}</code> {}",
        target(case.worst),
        escape(&document.scene),
        escape(&document.engine),
        escape(&conditions(trials, case.worst))
    );
    let mut out = match case.claim {
        None => format!("<li><strong>Engine error</strong> in {place}<p>{}</p>", escape(&document.reason)),
        Some(claim) => {
            let should = if claim.decides() { "" } else { " class=\"more\"" };
            let detail = if claim.detail.is_empty() { String::new() } else { format!(": {}", escape(&claim.detail)) };
            let since = claim
                .since
                .map_or_else(String::new, |since| format!(" Past its bound since {} s.", crate::number::show(since)));
            let causes = ironspin_gauge::find(&claim.gauge).map_or_else(String::new, |gauge| {
                let next = gauge.next_step;
                format!(
                    "<p class=\"soft\">Usual causes in an engine: {}. Try next: {}.</p>",
                    escape(gauge.usual_causes),
                    escape(next)
                )
            });
            format!(
                "<li{should}><strong>{}</strong> of <code>{}</code> in {place}<p>Measured <strong>{}</strong>, bound {}{detail}.{since}</p>\
                 <p class=\"soft\">Because {}.</p>{causes}",
                escape(&claim.gauge),
                escape(&claim.of),
                escape(&measured(claim)),
                escape(&bound(claim)),
                escape(&claim.because)
            )
        }
    };
    let others: Vec<String> = case
        .trials
        .iter()
        .filter(|&&number| number != case.worst)
        .take(8)
        .map(|&number| format!("<a{}>{}</a>", target(number), escape(&conditions(trials, number))))
        .collect();
    if !others.is_empty() {
        let more = case.trials.len() - 1 - others.len();
        let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
        out.push_str(&format!("<p class=\"soft\">Also {}{rest}.</p>", others.join("; ")));
    }
    let again = escape(&shell_line(&document.again));
    out.push_str(&format!("<p>Again: <code>ironspin {again}</code></p></li>\n"));
    out
}

fn conditions(trials: &[PageTrial], number: usize) -> String {
    let document = &trials[number].document;
    let unusual = document.unusual_text();
    format!("at dt {}{}{unusual}", document.dt_text, if unusual.is_empty() { "" } else { ", " })
}
