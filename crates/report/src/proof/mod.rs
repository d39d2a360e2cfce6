//! A proof for people: faults and who notices them, as lines, as Markdown and as a page.

mod markdown;
mod page;

pub use markdown::proof_markdown;
pub use page::proof_page;

use crate::number::show;
use crate::probe::folded;
use ironspin_engine::FaultEntry;
use ironspin_lab::{Capture, FaultProof, FaultVerdict, KnownFailure, ProofDepth, ProofDocument};

/// Of so many faults everything is shown.
const FEW: usize = 5;

/// The word of a fault's verdict, in capitals where something is wrong.
fn word(verdict: FaultVerdict) -> &'static str {
    match verdict {
        FaultVerdict::Caught => "caught",
        FaultVerdict::Weak => "WEAK",
        FaultVerdict::Elsewhere => "OTHER",
        FaultVerdict::Missed => "MISSED",
    }
}

/// The catalogue: each fault with what is wrong, how it comes about and who should notice.
pub fn fault_list(faults: &[&FaultEntry], width: usize) -> String {
    let mut out = String::new();
    for fault in faults {
        out.push_str(&format!("{}\n", fault.name));
        out.push_str(&folded(fault.wrong, "    ", width));
        out.push_str(&folded(&format!("How it comes about: {}", fault.cause), "    ", width));
        if let Some(size) = fault.size {
            out.push_str(&folded(&format!("Size: {} ({})", show(size.stated), size.meaning), "    ", width));
        }
        let who = |notice: &ironspin_engine::Notice| {
            format!("{} by {}{}", notice.scene, notice.claim, spaced(&notice.under.replace("RATE", "60")))
        };
        let noticed: Vec<String> = fault.noticed.iter().map(who).collect();
        out.push_str(&folded(&format!("Noticed in {}", noticed.join(", ")), "    ", width));
    }
    out.push_str(&format!("{} faults\n", faults.len()));
    out
}

fn spaced(under: &str) -> String {
    if under.is_empty() { String::new() } else { format!(" ({under})") }
}

/// What a proof comes to, in sentences.
fn summary(proof: &ProofDocument) -> Vec<String> {
    let all = proof.faults.len();
    let mut reported = vec![format!("{} of {all} faults caught", proof.count(FaultVerdict::Caught))];
    for (verdict, what) in [
        (FaultVerdict::Weak, "caught at some steps or seeds only"),
        (FaultVerdict::Elsewhere, "caught by other claims only"),
        (FaultVerdict::Missed, "missed"),
    ] {
        if proof.count(verdict) > 0 {
            reported.push(format!("{} {what}", proof.count(verdict)));
        }
    }
    let sized = || proof.faults.iter().filter_map(|fault| fault.size.as_ref());
    if sized().next().is_some() {
        let tenth = sized().filter(|size| size.tenth).count();
        reported.push(format!("{tenth} of {} that have a size also at a tenth of it", sized().count()));
    }
    let alarms = match proof.alarms.len() {
        0 => "no false alarm".to_owned(),
        1 => "1 false alarm".to_owned(),
        many => format!("{many} false alarms"),
    };
    reported.push(format!("{alarms} in {} trials of the sound engine", proof.sound_trials));
    reported
}

/// What the sound engine was put through, in a sentence.
fn put_through(proof: &ProofDocument) -> String {
    let settings = proof.sound_settings.iter().map(|setting| match setting.as_str() {
        "" => "as it is",
        other => other,
    });
    format!(
        "{} claims held in {} trials and twins; {} more could not be judged (a setting that lacks what a scene needs, a step too long for what is to be measured). \
         Settings: {}. Steps: {}. Length units: {}.",
        proof.sound_held,
        proof.sound_trials,
        proof.sound_unsupported,
        settings.collect::<Vec<_>>().join("; "),
        proof.sound_steps.join(", "),
        proof.sound_units.join(", ")
    )
}

fn smallest(fault: &FaultProof) -> String {
    fault
        .size
        .as_ref()
        .map_or_else(String::new, |size| format!("{}{}", if size.open { "below " } else { "" }, show(size.smallest)))
}

/// The first claim that notices a fault, of those its entry names.
fn foremost(fault: &FaultProof) -> String {
    let named = fault.named.iter().find(|notice| !notice.at.is_empty());
    named.map_or_else(String::new, |notice| format!("{} in {}{}", notice.claim, notice.scene, spaced(&notice.under)))
}

/// A line a fault, then false alarms, what the sound engine does not promise, and claims that no fault breaks.
pub fn proof_text(proof: &ProofDocument, width: usize) -> String {
    let mut out = folded(&summary(proof).join("; "), "", width);
    let longest = proof.faults.iter().map(|fault| fault.name.len()).max().unwrap_or(0);
    if longest > 0 {
        out.push_str(&format!(
            "\n{:6}  {:longest$}  {:>5}  {:12}  first of its entry\n",
            "", "fault", "by", "smallest"
        ));
    }
    for fault in &proof.faults {
        let line = format!(
            "{:6}  {:longest$}  {:>5}  {:12}  {}",
            word(fault.verdict),
            fault.name,
            fault.caught_by.len(),
            smallest(fault),
            if fault.reason.is_empty() { foremost(fault) } else { fault.reason.clone() }
        );
        out.push_str(line.trim_end());
        out.push('\n');
        if proof.faults.len() <= FEW {
            out.push_str(&captures(fault, width));
        }
    }
    if !proof.alarms.is_empty() {
        out.push_str("\nFALSE ALARMS on the sound engine\n");
        for alarm in &proof.alarms {
            let of = if alarm.of.is_empty() { String::new() } else { format!(" of {}", alarm.of) };
            let text = format!(
                "{} at {} on {}: {}{of} measured {}",
                alarm.scene, alarm.conditions, alarm.engine, alarm.claim, alarm.measured
            );
            out.push_str(&folded(&text, "  ", width));
        }
    }
    if !proof.excused.is_empty() {
        out.push_str("\nNot promised by the sound engine, and left out of this\n");
        for excused in &proof.excused {
            out.push_str(&folded(&known_failure(excused), "  ", width));
        }
    }
    let unproven: Vec<String> =
        proof.unproven().map(|claim| format!("{} {} of {}", claim.scene, claim.claim, claim.of)).collect();
    if proof.depth == ProofDepth::Whole && !unproven.is_empty() {
        out.push_str(&format!(
            "\nUnproven: {} of {} claims are broken by no fault\n",
            unproven.len(),
            proof.claims.len()
        ));
        for claim in unproven {
            out.push_str(&format!("  {claim}\n"));
        }
    }
    out
}

/// All claims that notice a fault, those of its entry marked, and the command that shows it.
fn captures(fault: &FaultProof, width: usize) -> String {
    let reported = |capture: &Capture| {
        format!("{}{} in {}", if fault.names(capture) { "*" } else { "" }, capture.claim, capture.scene)
    };
    let all: Vec<String> = fault.caught_by.iter().map(reported).collect();
    let mut out = folded(&format!("{} {}", fault.wrong, fault.cause), "        ", width);
    if !all.is_empty() {
        out.push_str(&folded(&format!("noticed by (* named): {}", all.join(", ")), "        ", width));
    }
    out.push_str(&format!("        again: {}\n", fault.command));
    out
}

/// What is not promised, in a sentence.
fn known_failure(excused: &KnownFailure) -> String {
    let setting = if excused.setting.is_empty() { "by default" } else { &excused.setting };
    let claims = if excused.claims.is_empty() { "all claims".to_owned() } else { excused.claims.join(", ") };
    let steps = if excused.steps.is_empty() { String::new() } else { format!(" at {}", excused.steps.join(", ")) };
    let out_of_date = if excused.failures == 0 { " (OUT OF DATE: nothing fails)" } else { "" };
    format!("{} {setting}{steps}: {claims}; {}{out_of_date}", excused.scene, excused.because)
}
