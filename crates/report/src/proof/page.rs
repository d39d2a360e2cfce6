//! A proof as one self-contained page: what it comes to, the matrix of faults and claims, each fault, the sound engine.

use super::{known_failure, put_through, smallest, spaced, summary, word};
use crate::number::show;
use crate::page::whole;
use ironspin_lab::{Capture, FaultProof, FaultVerdict, ProofDepth, ProofDocument};
use maud::{Markup, html};

/// One self-contained page.
pub fn proof_page(proof: &ProofDocument) -> String {
    let body = html! {
        header {
            p.kind { "Iron Spin proof" }
            h1 { (headline(proof)) }
            p { (summary(proof).join("; ")) }
            p.soft {
                "Engine " code { (proof.engine) } ", " (proof.trials)
                " trials. A claim notices a fault when it fails with the fault and holds without it under the same conditions."
            }
        }
        (matrix(proof))
        h2 { "Faults" }
        @for (number, fault) in proof.faults.iter().enumerate() { (one_fault(number, fault)) }
        (sound(proof))
        (claims(proof))
    };
    whole("Proof", concat!(include_str!("../page/page.css"), include_str!("proof.css")), &body, None)
}

/// What a manager reads.
fn headline(proof: &ProofDocument) -> String {
    let (all, caught) = (proof.faults.len(), proof.count(FaultVerdict::Caught));
    let alarms = proof.alarms.len();
    match (all - caught, alarms) {
        (0, 0) => format!("All {all} broken engines are caught, and the sound one is left alone"),
        (0, _) => format!("All {all} broken engines are caught, and the sound one is accused {alarms} times"),
        (left, 0) => format!("{left} of {all} broken engines are not caught as they should be"),
        (left, _) => format!(
            "{left} of {all} broken engines are not caught as they should be, and the sound one is accused {alarms} times"
        ),
    }
}

fn class(verdict: FaultVerdict) -> &'static str {
    match verdict {
        FaultVerdict::Caught => "pass",
        FaultVerdict::Weak | FaultVerdict::Elsewhere => "error",
        FaultVerdict::Missed => "fail",
    }
}

/// Fault by scene; each cell counts the claims that notice, and names them when it is pointed at.
fn matrix(proof: &ProofDocument) -> Markup {
    let scenes = proof.scenes();
    html! {
        h2 { "Who notices what" }
        p.soft {
            "How many claims of a scene notice a fault; boxed where the entry of the fault names one of them."
        }
        div.wide {
            table.matrix {
                thead { tr { th {} @for scene in &scenes { th { span { (scene) } } } } }
                tbody {
                    @for (number, fault) in proof.faults.iter().enumerate() {
                        tr {
                            th { a href={ "#fault-" (number) } { (fault.name) } }
                            @for scene in &scenes { (cell(fault, scene)) }
                        }
                    }
                }
            }
        }
    }
}

fn cell(fault: &FaultProof, scene: &str) -> Markup {
    let seen: Vec<&Capture> = fault.caught_by.iter().filter(|capture| capture.scene == scene).collect();
    if seen.is_empty() {
        return html! { td {} };
    }
    let class = if seen.iter().any(|capture| fault.names(capture)) { "named" } else { "seen" };
    let reported: Vec<&str> = seen.iter().map(|capture| capture.claim.as_str()).collect();
    html! { td class=(class) title={ (fault.name) " in " (scene) ": " (reported.join(", ")) } { (seen.len()) } }
}

fn one_fault(number: usize, fault: &FaultProof) -> Markup {
    let first = fault.named.iter().find(|notice| !notice.at.is_empty());
    let first = first.map_or_else(|| fault.reason.clone(), |notice| format!("{} in {}", notice.claim, notice.scene));
    let small = smallest(fault);
    html! {
        details id={ "fault-" (number) } open[fault.verdict != FaultVerdict::Caught] {
            summary {
                span class={ "mark " (class(fault.verdict)) } { (word(fault.verdict)) } " " b { (fault.name) } " "
                span.soft { (first) @if !small.is_empty() { ", down to " (small) } }
            }
            div {
                p { (fault.wrong) }
                p.soft { "How it comes about: " (fault.cause) }
                @if !fault.reason.is_empty() { p { b { (fault.reason) } } }
                @if let Some(size) = &fault.size {
                    p {
                        "Size " (show(size.stated)) " (" (size.meaning) "); a tenth of it is "
                        @if !size.tenth { "not " } "caught; smallest caught " (small) "."
                    }
                }
                table {
                    thead { tr { th { "should be noticed by" } th { "is, at" } th { "is not, at" } } }
                    tbody {
                        @for notice in &fault.named {
                            tr {
                                td { (notice.claim) " in " (notice.scene) (spaced(&notice.under)) }
                                td { (notice.at.join("; ")) }
                                td { (notice.not_at.join("; ")) }
                            }
                        }
                    }
                }
                p { "Again: " code { (fault.command) } }
            }
        }
    }
}

fn sound(proof: &ProofDocument) -> Markup {
    html! {
        h2 { "The sound engine" }
        p { (put_through(proof)) }
        @if proof.alarms.is_empty() {
            p { "No false alarm." }
        } @else {
            ol.broken {
                @for alarm in &proof.alarms {
                    li {
                        b { (alarm.scene) } " at " (alarm.conditions) " on " code { (alarm.engine) } ": " (alarm.claim)
                        " of " (alarm.of) " measured " (alarm.measured)
                    }
                }
            }
        }
        @if !proof.excused.is_empty() {
            details {
                summary { "What it does not promise under some settings" }
                div { ul { @for excused in &proof.excused { li { (known_failure(excused)) } } } }
            }
        }
    }
}

fn claims(proof: &ProofDocument) -> Markup {
    let unproven = if proof.depth != ProofDepth::Whole { 0 } else { proof.unproven().count() };
    let reported = match unproven {
        0 if proof.depth != ProofDepth::Whole => {
            "Only the whole proof, in which every fault runs on every scene, tells which claims notice none.".to_owned()
        }
        0 => "Every claim is broken by at least one fault.".to_owned(),
        some => format!("{some} claims are broken by no fault: they are unproven."),
    };
    html! {
        h2 { "Claims" }
        p { (reported) }
        details {
            summary { "All " (proof.claims.len()) " claims with the faults that break them" }
            div.wide {
                table {
                    thead { tr { th { "scene" } th { "claim" } th { "of" } th { "faults" } th {} } }
                    tbody {
                        @for claim in &proof.claims {
                            tr {
                                td { (claim.scene) }
                                td { (claim.claim) }
                                td { (claim.of) }
                                td.number { (claim.broken_by.len()) }
                                td { (claim.broken_by.join(", ")) }
                            }
                        }
                    }
                }
            }
        }
    }
}
