//! The examination of an engine, as a table.

use ironspin_link::probe::{Outcome, ProbeReport};

/// One line a question, with what was found and what the author probably did under each that failed; then how many of each.
pub fn probe_table(report: &ProbeReport, width: usize) -> String {
    let mut out = format!("{} {} ({})\n", report.name, report.version, report.engine);
    let list = |names: &[String]| if names.is_empty() { "nothing".to_owned() } else { names.join(", ") };
    out.push_str(&folded(&format!("shapes: {}", list(&report.shapes)), "  ", width));
    out.push_str(&folded(&format!("features: {}", list(&report.features)), "  ", width));
    out.push('\n');
    let longest = report.answers.iter().map(|answer| answer.name.chars().count()).max().unwrap_or(0);
    for answer in &report.answers {
        let (mark, rest) = match &answer.outcome {
            Outcome::Right => ("right ", String::new()),
            Outcome::Wrong { .. } => ("WRONG ", String::new()),
            Outcome::Broken { .. } => ("BROKEN", String::new()),
            Outcome::NotAsked { needs } => ("-     ", format!(" (needs {needs})")),
        };
        out.push_str(&format!("{mark}  {:longest$}  {}{rest}\n", answer.name, answer.asks));
        let indent = " ".repeat(longest + 10);
        match &answer.outcome {
            Outcome::Wrong { found, hint } => {
                out.push_str(&folded(found, &indent, width));
                out.push_str(&folded(&format!("> {hint}"), &indent, width));
            }
            Outcome::Broken { why } => out.push_str(&folded(why, &indent, width)),
            Outcome::Right | Outcome::NotAsked { .. } => {}
        }
    }
    let [right, wrong, not_asked] = report.counts();
    out.push_str(&format!(
        "\n{} questions: {right} right, {wrong} wrong, {not_asked} not asked\n",
        report.answers.len()
    ));
    out
}

/// A text in lines of a width, each with an indent.
pub(crate) fn folded(text: &str, indent: &str, width: usize) -> String {
    let room = width.saturating_sub(indent.len()).max(30);
    let mut out = String::new();
    let mut line = String::new();
    for word in text.split_whitespace() {
        if !line.is_empty() && line.chars().count() + 1 + word.chars().count() > room {
            out.push_str(&format!("{indent}{line}\n"));
            line.clear();
        }
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    out.push_str(&format!("{indent}{line}\n"));
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_link::probe::AnswerRecord;

    #[test]
    fn each_failure_says_what_was_found_and_what_was_probably_done() {
        let answer = |name, outcome| AnswerRecord { name, asks: "does something", outcome };
        let report = ProbeReport {
            engine: "cmd:./x".into(),
            name: "x".into(),
            version: "1".into(),
            features: Vec::new(),
            shapes: vec!["disc".into()],
            answers: vec![
                answer("first", Outcome::Right),
                answer("second", Outcome::Wrong { found: "57 for 1".into(), hint: "degrees".into() }),
                answer("third", Outcome::NotAsked { needs: "ray".into() }),
                answer("fourth", Outcome::Broken { why: "it crashed".into() }),
            ],
        };
        let reported = probe_table(&report, 80);
        for part in [
            "features: nothing",
            "right   first",
            "57 for 1\n",
            "> degrees",
            "(needs ray)",
            "it crashed",
            "4 questions: 1 right, 2 wrong, 1 not asked",
        ] {
            assert!(reported.contains(part), "{part} in\n{reported}");
        }
    }
}
