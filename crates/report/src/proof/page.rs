//! A proof as one self-contained page: what it comes to, the matrix of faults and claims, each fault, the sound engine.

use super::{known_failure, put_through, smallest, spaced, summary, word};
use crate::number::show;
use crate::picture::escape;
use ironspin_lab::{Capture, ClaimProof, FaultVerdict, ProofDocument};

/// One self-contained page.
pub fn proof_page(proof: &ProofDocument) -> String {
    let mut body = format!(
        "<header><p class=\"kind\">Iron Spin proof</p><h1>{}</h1><p>{}</p><p class=\"soft\">Engine <code>{}</code>, {} trials. A claim notices a \
         fault when it fails with the fault and holds without it under the same conditions.</p></header>\n",
        escape(&headline(proof)),
        escape(&summary(proof).join("; ")),
        escape(&proof.engine),
        proof.trials
    );
    body.push_str(&matrix(proof));
    body.push_str(&faults(proof));
    body.push_str(&sound(proof));
    body.push_str(&claims(proof));
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n\
         <title>Proof</title>\n<link rel=\"icon\" href=\"data:,\">\n<style>\n{}{}</style>\n</head>\n<body>\n<main>\n{body}</main>\n</body>\n</html>\n",
        include_str!("../page/page.css"),
        include_str!("proof.css")
    )
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
fn matrix(proof: &ProofDocument) -> String {
    let scenes = proof.scenes();
    let head: String = scenes.iter().map(|scene| format!("<th><span>{}</span></th>", escape(scene))).collect();
    let mut out = format!(
        "<h2>Who notices what</h2><p class=\"soft\">How many claims of a scene notice a fault; boxed where the entry of the fault names one of \
         them.</p><div class=\"wide\"><table class=\"matrix\"><thead><tr><th></th>{head}</tr></thead><tbody>"
    );
    for (number, fault) in proof.faults.iter().enumerate() {
        out.push_str(&format!("<tr><th><a href=\"#fault-{number}\">{}</a></th>", escape(&fault.name)));
        for scene in &scenes {
            let seen: Vec<&Capture> = fault.caught_by.iter().filter(|capture| capture.scene == *scene).collect();
            if seen.is_empty() {
                out.push_str("<td></td>");
                continue;
            }
            let named = seen.iter().any(|capture| fault.names(capture));
            let reported: Vec<&str> = seen.iter().map(|capture| capture.claim.as_str()).collect();
            out.push_str(&format!(
                "<td class=\"{}\" title=\"{}\">{}</td>",
                if named { "named" } else { "seen" },
                escape(&format!("{} in {scene}: {}", fault.name, reported.join(", "))),
                seen.len()
            ));
        }
        out.push_str("</tr>");
    }
    out.push_str("</tbody></table></div>\n");
    out
}

fn faults(proof: &ProofDocument) -> String {
    let mut out = String::from("<h2>Faults</h2>\n");
    for (number, fault) in proof.faults.iter().enumerate() {
        let open = if fault.verdict == FaultVerdict::Caught { "" } else { " open" };
        let first = fault.named.iter().find(|notice| !notice.at.is_empty());
        let first =
            first.map_or_else(|| fault.reason.clone(), |notice| format!("{} in {}", notice.claim, notice.scene));
        let small = smallest(fault);
        let small = if small.is_empty() { String::new() } else { format!(", down to {small}") };
        out.push_str(&format!(
            "<details id=\"fault-{number}\"{open}><summary><span class=\"mark {}\">{}</span> <b>{}</b> <span class=\"soft\">{}</span></summary><div>",
            class(fault.verdict),
            word(fault.verdict),
            escape(&fault.name),
            escape(&format!("{first}{small}"))
        ));
        out.push_str(&format!(
            "<p>{}</p><p class=\"soft\">How it comes about: {}</p>",
            escape(&fault.wrong),
            escape(&fault.cause)
        ));
        if !fault.reason.is_empty() {
            out.push_str(&format!("<p><b>{}</b></p>", escape(&fault.reason)));
        }
        if let Some(size) = &fault.size {
            out.push_str(&format!(
                "<p>Size {} ({}); a tenth of it is {}caught; smallest caught {}.</p>",
                show(size.stated),
                escape(&size.meaning),
                if size.tenth { "" } else { "not " },
                smallest(fault)
            ));
        }
        out.push_str(
            "<table><thead><tr><th>should be noticed by</th><th>is, at</th><th>is not, at</th></tr></thead><tbody>",
        );
        for notice in &fault.named {
            out.push_str(&format!(
                "<tr><td>{} in {}{}</td><td>{}</td><td>{}</td></tr>",
                escape(&notice.claim),
                escape(&notice.scene),
                escape(&spaced(&notice.under)),
                escape(&notice.at.join("; ")),
                escape(&notice.not_at.join("; "))
            ));
        }
        out.push_str(&format!(
            "</tbody></table><p>Again: <code>{}</code></p></div></details>\n",
            escape(&fault.command)
        ));
    }
    out
}

fn sound(proof: &ProofDocument) -> String {
    let mut out = format!("<h2>The sound engine</h2><p>{}</p>\n", escape(&put_through(proof)));
    if proof.alarms.is_empty() {
        out.push_str("<p>No false alarm.</p>\n");
    } else {
        out.push_str("<ol class=\"broken\">");
        for alarm in &proof.alarms {
            out.push_str(&format!(
                "<li><b>{}</b> at {} on <code>{}</code>: {} of {} measured {}</li>",
                escape(&alarm.scene),
                escape(&alarm.conditions),
                escape(&alarm.engine),
                escape(&alarm.claim),
                escape(&alarm.of),
                escape(&alarm.measured)
            ));
        }
        out.push_str("</ol>\n");
    }
    if !proof.excused.is_empty() {
        out.push_str("<details><summary>What it does not promise under some settings</summary><div><ul>");
        out.extend(proof.excused.iter().map(|excused| format!("<li>{}</li>", escape(&known_failure(excused)))));
        out.push_str("</ul></div></details>\n");
    }
    out
}

fn claims(proof: &ProofDocument) -> String {
    let row = |claim: &ClaimProof| {
        format!(
            "<tr><td>{}</td><td>{}</td><td>{}</td><td class=\"number\">{}</td><td>{}</td></tr>",
            escape(&claim.scene),
            escape(&claim.claim),
            escape(&claim.of),
            claim.broken_by.len(),
            escape(&claim.broken_by.join(", "))
        )
    };
    let unproven = if proof.quick { 0 } else { proof.unproven().count() };
    let reported = match unproven {
        0 if proof.quick => "The small proof does not look at every claim.".to_owned(),
        0 => "Every claim is broken by at least one fault.".to_owned(),
        some => format!("{some} claims are broken by no fault: they are unproven."),
    };
    format!(
        "<h2>Claims</h2><p>{reported}</p><details><summary>All {} claims with the faults that break them</summary><div class=\"wide\"><table><thead><tr><th>scene</th>\
         <th>claim</th><th>of</th><th>faults</th><th></th></tr></thead><tbody>{}</tbody></table></div></details>\n",
        proof.claims.len(),
        proof.claims.iter().map(row).collect::<String>()
    )
}
