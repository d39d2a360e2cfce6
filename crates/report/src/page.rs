//! One self-contained HTML page: no network, no script needed, opens from disk.

use crate::number::{show, with_unit};
use crate::picture::{Scenery, escape, picture};
use crate::plot::{PlotError, legend, over_time};
use crate::terminal::summary_line;
use ironspin_lab::{ClaimRecord, Curve, TrialRecord};
use ironspin_model::Verdict;

/// The page for some trials.
///
/// # Errors
/// When a plot cannot be drawn.
pub fn page(title: &str, records: &[TrialRecord]) -> Result<String, PlotError> {
    let mut body = String::new();
    body.push_str(&format!(
        "<header><p class=\"kind\">Iron Spin report</p><h1>{}</h1><p class=\"soft\">{}</p></header>\n",
        escape(&summary_line(records)),
        escape(title)
    ));
    body.push_str(&verdict_map(records));
    body.push_str(&broken(records));
    body.push_str(&trials(records)?);
    Ok(format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n\
         <title>{}</title>\n<link rel=\"icon\" href=\"data:,\">\n<style>\n{}</style>\n</head>\n<body>\n<main>\n{body}</main>\n</body>\n</html>\n",
        escape(title),
        include_str!("page.css")
    ))
}

fn mark(verdict: Verdict) -> (&'static str, &'static str) {
    let word = crate::look::mark(verdict);
    (verdict.word(), word)
}

/// Values in the order in which they first come.
fn distinct<'a>(records: &'a [TrialRecord], of: impl Fn(&'a TrialRecord) -> &'a str) -> Vec<&'a str> {
    let mut values = Vec::new();
    for record in records {
        if !values.contains(&of(record)) {
            values.push(of(record));
        }
    }
    values
}

fn dt(record: &TrialRecord) -> &str {
    &record.plan.conditions.dt.text
}

/// The scene, with everything unusual about conditions and parameters.
fn row_name(record: &TrialRecord) -> String {
    let unusual = ironspin_lab::TrialDocument::of(record, false).unusual_text();
    if unusual.is_empty() { record.scene().to_owned() } else { format!("{}: {unusual}", record.scene()) }
}

/// Scenes down, engines and steps across; each cell leads to its trial.
fn verdict_map(records: &[TrialRecord]) -> String {
    let engines = distinct(records, TrialRecord::engine);
    let steps = distinct(records, dt);
    let mut out = String::from("<h2>Verdicts</h2>\n<div class=\"wide\"><table class=\"map\"><thead><tr><th></th>");
    for engine in &engines {
        out.push_str(&format!("<th colspan=\"{}\"><code>{}</code></th>", steps.len(), escape(engine)));
    }
    out.push_str("</tr><tr><th>scene</th>");
    for _ in &engines {
        for step in &steps {
            out.push_str(&format!("<th>dt {}</th>", escape(step)));
        }
    }
    out.push_str("</tr></thead><tbody>\n");
    // Trials that differ in anything but engine and step have a row of their own.
    let mut rows: Vec<String> = Vec::new();
    let names: Vec<String> = records.iter().map(row_name).collect();
    let mut known = std::collections::BTreeSet::new();
    rows.extend(names.iter().filter(|name| known.insert((*name).clone())).cloned());
    for row in &rows {
        out.push_str(&format!("<tr><th scope=\"row\">{}</th>", escape(row)));
        for engine in &engines {
            for step in &steps {
                let found = records
                    .iter()
                    .zip(&names)
                    .position(|(r, name)| name == row && r.engine() == *engine && dt(r) == *step)
                    .map(|number| (number, mark(records[number].verdict)));
                out.push_str(&found.map_or_else(
                    || "<td></td>".to_owned(),
                    |(number, (class, word))| {
                        format!("<td><a class=\"mark {class}\" href=\"#trial-{number}\">{word}</a></td>")
                    },
                ));
            }
        }
        out.push_str("</tr>\n");
    }
    out.push_str("</tbody></table></div>\n");
    out
}

/// Broken claims, worst first.
fn broken(records: &[TrialRecord]) -> String {
    let mut failures: Vec<(f64, usize, Option<&ClaimRecord>)> = Vec::new();
    for (number, record) in records.iter().enumerate() {
        if record.verdict == Verdict::Error {
            failures.push((f64::INFINITY, number, None));
        }
        failures.extend(record.claims.iter().filter(|c| c.verdict != Verdict::Pass).map(|c| (c.used, number, Some(c))));
    }
    if failures.is_empty() {
        return "<h2>What broke</h2>\n<p>Nothing: every claim holds in every trial that was run.</p>\n".to_owned();
    }
    failures.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut out = String::from(
        "<h2>What broke</h2>\n<p class=\"soft\">Worst first, by how far past its bound.</p>\n<ol class=\"broken\">\n",
    );
    for (_, number, claim) in failures {
        let record = &records[number];
        let place = format!(
            "<a href=\"#trial-{number}\">{}</a> at dt {} on <code>{}</code>",
            escape(record.scene()),
            escape(dt(record)),
            escape(record.engine())
        );
        match claim {
            None => {
                out.push_str(&format!("<li><strong>Engine error</strong> in {place}<p>{}</p>", escape(&record.reason)));
            }
            Some(claim) => {
                let should = if claim.decides() { "" } else { " class=\"more\"" };
                out.push_str(&format!(
                    "<li{should}><strong>{}</strong> of <code>{}</code> in {place}<p>Measured <strong>{}</strong>, bound {}{}.</p>\
                     <p class=\"soft\">Because {}.</p><p class=\"soft\">Usual causes in an engine: {}.</p>",
                    claim.gauge.name,
                    escape(&claim.claim.of_text),
                    escape(&measured(claim)),
                    escape(&bound(claim)),
                    escape(&after_colon(&claim.detail)),
                    escape(&claim.claim.because),
                    escape(claim.gauge.usual_causes)
                ));
            }
        }
        out.push_str(&format!(
            "<p>Again: <code>ironspin {}</code></p></li>\n",
            escape(&ironspin_lab::shell_line(&record.plan.arguments()))
        ));
    }
    out.push_str("</ol>\n");
    out
}

fn measured(claim: &ClaimRecord) -> String {
    claim.measured.map_or_else(|| "nothing".to_owned(), |value| with_unit(value, claim.gauge.unit))
}

fn bound(claim: &ClaimRecord) -> String {
    claim.claim.bound.relation(|value| with_unit(value, claim.gauge.unit))
}

/// The detail behind a colon, if there is one.
fn after_colon(detail: &str) -> String {
    if detail.is_empty() { String::new() } else { format!(": {detail}") }
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
}

fn trials(records: &[TrialRecord]) -> Result<String, PlotError> {
    let mut out = String::from("<h2>Trials</h2>\n");
    for scene in distinct(records, TrialRecord::scene) {
        out.push_str(&format!("<h3>{}</h3>\n", escape(scene)));
        if let Some(first) = records.iter().find(|r| r.scene() == scene) {
            let set: Vec<String> =
                first.plan.setup.parameters.iter().map(|p| format!("{} = {}", p.name, show(p.value))).collect();
            out.push_str(&format!(
                "<p>{}</p><p class=\"soft\">{}</p>\n",
                escape(&first.plan.setup.about),
                escape(&set.join(", "))
            ));
        }
        for (number, record) in records.iter().enumerate().filter(|(_, r)| r.scene() == scene) {
            out.push_str(&trial(number, record)?);
        }
    }
    Ok(out)
}

fn trial(number: usize, record: &TrialRecord) -> Result<String, PlotError> {
    let (class, word) = mark(record.verdict);
    let (held, all) = record.tally();
    let open = if record.verdict == Verdict::Pass { "" } else { " open" };
    let mut out = format!(
        "<details id=\"trial-{number}\"{open}><summary><span class=\"mark {class}\">{word}</span> dt {} on <code>{}</code> \
         <span class=\"soft\">{held} of {all} claims hold, {} steps, {} bodies</span></summary><div>\n",
        escape(dt(record)),
        escape(record.engine()),
        record.steps,
        record.world().bodies.len()
    );
    if !record.reason.is_empty() {
        out.push_str(&format!("<p><strong>{}</strong></p>\n", escape(&sentence(&record.reason))));
    }
    if let Some(first) = &record.retried {
        out.push_str(&format!("<p>{}</p>\n", escape(&sentence(&crate::terminal::retried(first)))));
    }
    if !record.claims.is_empty() {
        out.push_str("<div class=\"wide\"><table><thead><tr><th></th><th>gauge</th><th>of</th><th>measured</th><th>bound</th><th>where, and why the bound</th></tr></thead><tbody>\n");
        for claim in &record.claims {
            out.push_str(&claim_row(claim));
        }
        out.push_str("</tbody></table></div>\n");
    }
    out.push_str(&figures(record)?);
    out.push_str("</div></details>\n");
    Ok(out)
}

fn claim_row(claim: &ClaimRecord) -> String {
    let (class, word) = mark(claim.verdict);
    let mut notes = if claim.detail.is_empty() { String::new() } else { format!("{}.", escape(&claim.detail)) };
    for warning in &claim.warnings {
        notes.push_str(&format!(" <em>Note: {}.</em>", escape(warning)));
    }
    format!(
        "<tr><td><span class=\"mark {class}\">{word}</span></td><td>{}</td><td>{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td>\
         <td>{notes} <span class=\"soft\">Because {}.</span></td></tr>\n",
        claim.gauge.name,
        escape(&claim.claim.of_text),
        escape(&measured(claim)),
        escape(&bound(claim)),
        escape(&claim.claim.because)
    )
}

/// Pictures of start and end, energy and position over time.
fn figures(record: &TrialRecord) -> Result<String, PlotError> {
    let recording = &record.recording;
    if recording.times.is_empty() {
        return Ok(String::new());
    }
    let view = Scenery::of(record.world(), &recording.start, &recording.end);
    let figure = |class: &str, svg: &str, caption: &str, keys: &str| {
        format!("<figure class=\"{class}\">{svg}<figcaption>{} {keys}</figcaption></figure>\n", escape(caption))
    };
    let scene = record.scene();
    let at_start = picture(record.world(), &recording.start, &view, &format!("{scene} at the start"));
    let at_end = picture(record.world(), &recording.end, &view, &format!("{scene} at the end"));
    let energy: &[Curve] =
        if recording.energy[1].values.iter().all(|v| *v == 0.0) { &recording.energy[..1] } else { &recording.energy };
    let energy_plot = over_time("Energy", "J", &recording.times, energy)?;
    let (axis, paths) =
        if range(&recording.x) > range(&recording.y) { ("x", &recording.x) } else { ("y", &recording.y) };
    let path_plot = over_time(&format!("Position along {axis}"), "m", &recording.times, paths)?;
    let some = if paths.len() == record.world().dynamic_bodies().count() { "" } else { "some of the " };
    let mut out = String::from("<div class=\"figures\">\n");
    out.push_str(&figure("scenery", &at_start, "At the start.", ""));
    out.push_str(&figure("scenery", &at_end, &format!("At the end, {} s.", show(recording.end_time)), ""));
    out.push_str(&figure(
        "plot",
        &energy_plot,
        "Energy of all moving bodies; height counts from the start.",
        &legend(energy),
    ));
    out.push_str(&figure("plot", &path_plot, &format!("Centres of {some}moving bodies along {axis}."), &legend(paths)));
    out.push_str("</div>\n");
    Ok(out)
}

/// Largest way that any of the curves covers.
fn range(curves: &[Curve]) -> f64 {
    let width = |curve: &Curve| {
        let (low, high) =
            curve.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), &v| (l.min(v), h.max(v)));
        high - low
    };
    curves.iter().map(width).fold(0.0, f64::max)
}
