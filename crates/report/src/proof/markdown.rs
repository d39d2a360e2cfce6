//! A proof as Markdown: the page of the documentation that the command makes.

use super::{known_failure, put_through, smallest, spaced, summary, word};
use crate::number::show;
use ironspin_lab::{FaultProof, ProofDepth, ProofDocument};
use std::collections::BTreeMap;

/// A text that a cell of a table can hold.
fn cell(text: &str) -> String {
    text.replace('|', "\\|").replace('\n', " ")
}

/// The whole proof.
pub fn proof_markdown(proof: &ProofDocument) -> String {
    let mut out = String::from("# Proof\n\n");
    out.push_str(
        "Engines that are broken on purpose must be caught, by the claim that is meant for it, and a sound engine must not be accused. This \
         page is written by `ironspin proof --format markdown`; a claim counts as broken by a fault when it fails with the fault and holds \
         without it under the same conditions.\n\n",
    );
    out.push_str(&format!("**{}.** {} trials in all.\n\n", summary(proof).join("; "), proof.trials));
    out.push_str("## Faults\n\n");
    out.push_str(match proof.depth {
        ProofDepth::Quick => "The quick proof: `caught` means that a claim that the entry names notices it at its stated size at one step, 1/60; *smallest* stays \
         empty. *Claims* counts all of the named scenes that notice it.\n\n",
        ProofDepth::Named => "The proof of what the entries name: `caught` means that a claim that the entry names notices it at every step and seed (1/60, \
         1/240, and 1/60 with another seed). *Smallest* is the smallest size that is still caught, of those a tenth, a hundredth ... of the stated one. \
         *Claims* counts all of the named scenes that notice it.\n\n",
        ProofDepth::Whole => "`caught`: a claim that the entry names notices it at every step and seed (1/60, 1/240, and 1/60 with another seed). *Smallest* is the smallest \
         size that is still caught, of those a tenth, a hundredth ... of the stated one. *Claims* counts all that notice it.\n\n",
    });
    out.push_str("| fault | | stated size | smallest | claims | noticed by |\n|---|---|---|---|---|---|\n");
    for fault in &proof.faults {
        let stated = fault.size.as_ref().map_or_else(String::new, |size| show(size.stated));
        out.push_str(&format!(
            "| {} | {} | {stated} | {} | {} | {} |\n",
            fault.name,
            word(fault.verdict),
            smallest(fault),
            fault.caught_by.len(),
            cell(&noticed(fault))
        ));
    }
    out.push_str("\n## What each fault is\n\n");
    for fault in &proof.faults {
        let size = fault
            .size
            .as_ref()
            .map_or_else(String::new, |size| format!(" *Size*: {} ({}).", show(size.stated), size.meaning));
        out.push_str(&format!("- **{}**: {} *{}*{size} `{}`\n", fault.name, fault.wrong, fault.cause, fault.command));
    }
    out.push_str("\n## The matrix\n\nFault by scene: how many claims of a scene notice it.\n\n");
    out.push_str(&matrix(proof));
    out.push_str("\n## The sound engine\n\n");
    out.push_str(&format!("{}\n\n", put_through(proof)));
    if proof.alarms.is_empty() {
        out.push_str("No false alarm.\n");
    }
    for alarm in &proof.alarms {
        out.push_str(&format!(
            "- FALSE ALARM: {} at {} on `{}`: {} of {} measured {}\n",
            alarm.scene, alarm.conditions, alarm.engine, alarm.claim, alarm.of, alarm.measured
        ));
    }
    if !proof.excused.is_empty() {
        out.push_str("\nWhat the engine does not promise under some of these, each a true effect that the bench is right to show:\n\n");
        for excused in &proof.excused {
            out.push_str(&format!("- {} ({} failures)\n", known_failure(excused), excused.failures));
        }
    }
    out.push_str("\n## Claims\n\n");
    let unproven: Vec<_> = proof.unproven().collect();
    out.push_str(&format!(
        "{} of {} claims and kinds of twins are broken by a fault.\n",
        proof.claims.len() - unproven.len(),
        proof.claims.len()
    ));
    if proof.depth != ProofDepth::Whole {
        out.push_str(
            "Which claims notice none is told by the whole proof alone, in which every fault runs on every scene.\n",
        );
    } else if !unproven.is_empty() {
        out.push_str(" Unproven:\n\n");
        for claim in &unproven {
            out.push_str(&format!("- {} {} of {}\n", claim.scene, claim.claim, claim.of));
        }
    }
    out.push_str("\n| scene | claim | of | broken by |\n|---|---|---|---|\n");
    for claim in &proof.claims {
        let some: Vec<&str> = claim.broken_by.iter().take(4).map(String::as_str).collect();
        let more = claim.broken_by.len().saturating_sub(some.len());
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        out.push_str(&format!(
            "| {} | {} | {} | {}{more} |\n",
            claim.scene,
            claim.claim,
            cell(&claim.of),
            some.join(", ")
        ));
    }
    out
}

/// The claims that an entry names and that do notice the fault.
fn noticed(fault: &FaultProof) -> String {
    let seeing = fault.named.iter().filter(|notice| !notice.at.is_empty());
    let reported = seeing.map(|notice| {
        let not =
            if notice.not_at.is_empty() { String::new() } else { format!(", not at {}", notice.not_at.join("; ")) };
        format!("{} in {}{}{not}", notice.claim, notice.scene, spaced(&notice.under))
    });
    let reported: Vec<String> = reported.collect();
    if reported.is_empty() { fault.reason.clone() } else { reported.join(", ") }
}

/// Fault by scene.
fn matrix(proof: &ProofDocument) -> String {
    let scenes = proof.scenes();
    let mut out = String::new();
    for fault in &proof.faults {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        for capture in &fault.caught_by {
            *counts.entry(&capture.scene).or_default() += 1;
        }
        let reported = scenes.iter().filter_map(|scene| counts.get(scene).map(|count| format!("{scene} {count}")));
        out.push_str(&format!("- **{}**: {}\n", fault.name, reported.collect::<Vec<_>>().join(", ")));
    }
    out
}
