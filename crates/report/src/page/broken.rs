//! What broke, worst first.

use super::{bound, measured};
use ironspin_lab::{ClaimDocument, TrialDocument, shell_line};
use ironspin_model::Verdict;
use maud::{Markup, html};
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
pub(super) fn worst<'a>(trials: &[&'a TrialDocument]) -> Option<(&'a TrialDocument, &'a ClaimDocument)> {
    let claims = trials.iter().flat_map(|&trial| trial.claims.iter().map(move |claim| (trial, claim)));
    let decisive = claims.filter(|(_, claim)| claim.decides() && claim.measured.is_some());
    decisive.reduce(|best, other| if other.1.used() > best.1.used() { other } else { best })
}

fn cases<'a>(trials: &[&'a TrialDocument]) -> Vec<Case<'a>> {
    let mut found: BTreeMap<[&str; 4], Case<'_>> = BTreeMap::new();
    for (number, &document) in trials.iter().enumerate() {
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

/// Where the trial of a number is shown, if it is.
pub(super) type Link<'a> = dyn Fn(usize) -> Option<String> + 'a;

pub(super) fn list(trials: &[&TrialDocument], link: &Link<'_>) -> Markup {
    let cases = cases(trials);
    html! {
        h2 { "What broke" }
        @if cases.is_empty() {
            p {
                @if trials.is_empty() { "Nothing was run." }
                @else { "Nothing: no claim fails in any trial that could be run." }
            }
        } @else {
            p.soft { "Worst first, by how far past its bound." }
            ol.broken { @for case in cases.iter().take(MOST) { (entry(trials, link, case)) } }
            @if cases.len() > MOST { p { "And " (cases.len() - MOST) " more, each with its trial below." } }
        }
    }
}

fn entry(trials: &[&TrialDocument], link: &Link<'_>, case: &Case<'_>) -> Markup {
    let document = trials[case.worst];
    let place = html! {
        " in " a href=[link(case.worst)] { (document.scene) } " on " code { (document.engine) } " "
        (conditions(trials, case.worst))
    };
    let others: Vec<usize> = case.trials.iter().copied().filter(|&number| number != case.worst).take(8).collect();
    let more = case.trials.len() - 1 - others.len();
    html! {
        li.more[case.claim.is_some_and(|claim| !claim.decides())] {
            @match case.claim {
                None => { strong { "Engine error" } (place) p { (document.reason) } }
                Some(claim) => (broken_claim(claim, &place)),
            }
            @if !others.is_empty() {
                p.soft {
                    "Also "
                    @for (place, &number) in others.iter().enumerate() {
                        @if place > 0 { "; " }
                        a href=[link(number)] { (conditions(trials, number)) }
                    }
                    @if more > 0 { " and " (more) " more" }
                    "."
                }
            }
            p { "Again: " code { "ironspin " (shell_line(&document.again)) } }
        }
    }
}

fn broken_claim(claim: &ClaimDocument, place: &Markup) -> Markup {
    html! {
        strong { (claim.title()) } " of " code { (claim.of) } (place)
        p {
            "Measured " strong { (measured(claim)) } ", bound " (bound(claim))
            @if !claim.detail.is_empty() { ": " (claim.detail) }
            "."
            @if let Some(since) = claim.since { " Past its bound since " (crate::number::show(since)) " s." }
        }
        p.soft { "Because " (claim.because) "." }
        @if let Some(gauge) = ironspin_gauge::find(&claim.gauge) {
            p.soft { "Usual causes in an engine: " (gauge.usual_causes) ". Try next: " (gauge.next_step) "." }
        }
    }
}

fn conditions(trials: &[&TrialDocument], number: usize) -> String {
    let document = trials[number];
    let unusual = document.unusual_text();
    format!("at dt {}{}{unusual}", document.dt_text, if unusual.is_empty() { "" } else { ", " })
}
