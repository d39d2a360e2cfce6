//! What stands on a page beside trials: twins, series, costs, and how sizes collapse.

use super::figures::replay;
use super::mark;
use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SMALL};
use crate::cost::{cost_plot, tradeoff_plot};
use crate::drawing::TwinDrawing;
use crate::look::SERIES;
use crate::number::show;
use crate::picture::escape;
use crate::search::series_plot;
use crate::twins::growth_plot;
use ironspin_lab::{CostDocument, CostRecord, SeriesDocument, TrialDocument, TwinDocument, TwinsDocument};
use std::collections::BTreeMap;

/// Most twins that are drawn, and figures of how sizes collapse.
const TWINS: usize = 24;
/// Places of bodies in the replay of a twin.
const PLACES: usize = 6_000;
const COLLAPSES: usize = 12;

/// Results other than trials.
#[derive(Clone, Debug, Default)]
pub struct Beyond {
    /// Twins.
    pub twins: Option<TwinsDocument>,
    /// What they are drawn from, in the same order.
    pub twin_drawings: Vec<Option<TwinDrawing>>,
    /// Series.
    pub series: Option<SeriesDocument>,
    /// Costs.
    pub costs: Option<CostDocument>,
}

impl Beyond {
    /// Whether there is nothing.
    pub fn is_empty(&self) -> bool {
        self.twins.is_none() && self.series.is_none() && self.costs.is_none()
    }

    /// What a person reads first, a sentence for each kind.
    pub(super) fn in_a_sentence(&self) -> Vec<String> {
        let mut reported = Vec::new();
        let count = |all: usize, one: &str, many: &str| format!("{all} {}", if all == 1 { one } else { many });
        let verdicts = |verdicts: Vec<ironspin_model::Verdict>, held: &str, not: &str| {
            let of = |verdict| verdicts.iter().filter(|other| **other == verdict).count();
            use ironspin_model::Verdict::{Error, Fail, Pass, Unsupported};
            let mut parts = vec![format!("{} {held}", of(Pass)), format!("{} {not}", of(Fail))];
            for (verdict, word) in [(Unsupported, "unsupported"), (Error, "errors")] {
                parts.extend((of(verdict) > 0).then(|| format!("{} {word}", of(verdict))));
            }
            parts.join(", ")
        };
        if let Some(twins) = &self.twins {
            let all = twins.twins.iter().map(|twin| twin.verdict).collect::<Vec<_>>();
            let many = count(all.len(), "twin", "twins");
            reported.push(format!("{many}: {}.", verdicts(all, "agree", "do not")));
        }
        if let Some(series) = &self.series {
            reported.push(format!("{}.", count(series.series.len(), "series", "series")));
        }
        if let Some(costs) = &self.costs {
            reported.extend(dearest(costs));
        }
        reported
    }
}

/// What a step costs at the last value of the axis, engine by engine.
fn dearest(document: &CostDocument) -> Option<String> {
    let last = document.costs.iter().map(|cost| cost.value).fold(f64::NEG_INFINITY, f64::max);
    let reported = |cost: &CostRecord| format!("{} ms on {}", show(1e3 * cost.median), cost.engine);
    let costs: Vec<&CostRecord> =
        document.costs.iter().filter(|cost| cost.value == last && cost.reason.is_empty()).collect();
    let first = costs.first()?;
    let all = costs.iter().map(|cost| reported(cost)).collect::<Vec<_>>().join(", ");
    Some(format!("A step of {} with {} bodies takes {all}.", first.scene, first.bodies))
}

fn figure(svg: &str, caption: &str) -> String {
    format!("<figure class=\"plot\">{svg}<figcaption>{}</figcaption></figure>\n", escape(caption))
}

pub(super) fn sections(beyond: &Beyond) -> Result<String, PlotError> {
    let mut out = String::new();
    if let Some(document) = &beyond.twins {
        out.push_str(&twins(document, &beyond.twin_drawings)?);
    }
    if let Some(document) = &beyond.series {
        out.push_str(&series(document)?);
    }
    if let Some(document) = &beyond.costs {
        out.push_str(&costs(document)?);
    }
    Ok(out)
}

fn of_twin(twin: &TwinDocument) -> String {
    let unusual = if twin.conditions.is_empty() { String::new() } else { format!(", {}", twin.conditions) };
    format!("{} at dt {}{unusual} on {}", twin.scene, twin.dt_text, twin.engine)
}

fn twins(document: &TwinsDocument, drawings: &[Option<TwinDrawing>]) -> Result<String, PlotError> {
    let mut out = String::from(
        "<h2>Twins</h2>\n<p class=\"soft\">The same trial after a change that must make no difference, compared frame by frame.</p>\n\
         <div class=\"wide\"><table><thead><tr><th></th><th>trial</th><th>by</th><th>wanted</th><th>furthest apart</th><th>first difference</th></tr></thead><tbody>\n",
    );
    for (number, twin) in document.twins.iter().enumerate() {
        let (class, word) = mark(twin.verdict);
        let wanted = twin.within.map_or_else(|| "every bit".to_owned(), |within| format!("{} m", show(within)));
        let apart = match (&twin.first, twin.apart) {
            (None, _) if twin.reason.is_empty() => "no bit differs".to_owned(),
            (None, _) => twin.reason.clone(),
            (Some(_), Some(apart)) => format!("{} m", show(apart)),
            (Some(_), None) => "a body is missing".to_owned(),
        };
        let first = twin.first.as_ref().map_or_else(String::new, |first| {
            format!("{} of {}, step {} ({} s)", first.component, first.body, first.step, show(first.time))
        });
        let target = if twin.first.is_some() { format!(" href=\"#twin-{number}\"") } else { String::new() };
        out.push_str(&format!(
            "<tr><td><a class=\"mark {class}\"{target}>{word}</a></td><td>{}</td><td>{}</td><td class=\"number\">{wanted}</td><td class=\"number\">{}</td><td>{}</td></tr>\n",
            escape(&of_twin(twin)),
            escape(&twin.by),
            escape(&apart),
            escape(&first)
        ));
    }
    out.push_str("</tbody></table></div>\n");
    let parted = document.twins.iter().enumerate().filter(|(_, twin)| twin.first.is_some());
    for (number, twin) in parted.clone().take(TWINS) {
        let (class, word) = mark(twin.verdict);
        let doubling = twin.growth.as_ref().and_then(|growth| growth.doubling);
        let grows = doubling.map_or_else(
            || "It does not grow by doubling: it came at once or stays what it is.".to_owned(),
            |doubling| {
                format!(
                    "It doubles every {} s, as what starts as rounding does where bodies collide or topple.",
                    show(doubling)
                )
            },
        );
        let open = if twin.verdict == ironspin_model::Verdict::Pass { "" } else { " open" };
        out.push_str(&format!(
            "<details id=\"twin-{number}\"{open}><summary><span class=\"mark {class}\">{word}</span> {} by {} <span class=\"soft\">{}</span></summary><div>\n<div class=\"figures\">\n",
            escape(&of_twin(twin)),
            escape(&twin.by),
            escape(&twin.change)
        ));
        if let Some(drawing) = drawings.get(number).and_then(Option::as_ref) {
            out.push_str(&replay(&format!("twin-{number}"), &twin.scene, &drawing.replay.within(PLACES)));
        }
        if let Some(svg) = growth_plot(twin)? {
            out.push_str(&format!(
                "<div class=\"curves\">{}</div>\n",
                figure(&svg, &format!("Largest distance of a body from its twin. {grows}"))
            ));
        }
        out.push_str("</div>\n</div></details>\n");
    }
    let many = parted.count();
    if many > TWINS {
        out.push_str(&format!(
            "<p class=\"soft\">And {} more that differ somewhere, in twins.json.</p>\n",
            many - TWINS
        ));
    }
    Ok(out)
}

fn series(document: &SeriesDocument) -> Result<String, PlotError> {
    let mut out = String::from(
        "<h2>Series</h2>\n<p class=\"soft\">How a measured value grows along an axis; the slope of the line is the power.</p>\n<div class=\"figures\">\n",
    );
    for record in &document.series {
        let (_, word) = mark(record.verdict);
        let power = match (record.exponent, record.margin) {
            (Some(exponent), Some(margin)) => format!("Power {exponent:.2} +- {margin:.2}."),
            (Some(exponent), None) => format!("Power {exponent:.2}."),
            _ => "No power.".to_owned(),
        };
        let claim = if record.claim.is_empty() {
            String::new()
        } else {
            format!(" {word}: {}. {}", record.claim, record.reason)
        };
        let because = if record.because.is_empty() { String::new() } else { format!(" Because {}.", record.because) };
        out.push_str(&figure(
            &series_plot(record)?,
            &format!("{} on {}. {power}{claim}{because}", record.scene, record.engine),
        ));
    }
    out.push_str("</div>\n");
    Ok(out)
}

fn costs(document: &CostDocument) -> Result<String, PlotError> {
    let mut out = String::from("<h2>Cost</h2>\n<div class=\"wide\"><table><thead><tr><th>");
    out.push_str(&format!(
        "{}</th><th>engine</th><th>bodies</th><th>contact points</th><th>median, ms</th><th>95 of 100 below, ms</th><th>error, share of its bound</th></tr></thead><tbody>\n",
        escape(&document.axis)
    ));
    for cost in &document.costs {
        let numbers = match cost.reason.is_empty() {
            true => [
                format!("{:.0}", cost.contacts),
                show(1e3 * cost.median),
                show(1e3 * cost.p95),
                cost.error.map_or_else(|| "-".to_owned(), show),
            ]
            .map(|text| format!("<td class=\"number\">{text}</td>"))
            .concat(),
            false => format!("<td colspan=\"4\">{}</td>", escape(&cost.reason)),
        };
        out.push_str(&format!(
            "<tr><td class=\"number\">{}</td><td><code>{}</code></td><td class=\"number\">{}</td>{numbers}</tr>\n",
            show(cost.value),
            escape(&cost.engine),
            cost.bodies
        ));
    }
    out.push_str("</tbody></table></div>\n<div class=\"figures\">\n");
    let growth = document.trends.iter().filter_map(|trend| {
        let exponent = trend.exponent?;
        Some(format!("{} grows as bodies^{exponent:.2}", trend.engine))
    });
    let reported = growth.collect::<Vec<_>>().join("; ");
    out.push_str(&figure(&cost_plot(document)?, &format!("Median time of a step. {reported}")));
    if let Some(svg) = tradeoff_plot(document)? {
        out.push_str(&figure(&svg, "What an error costs; the line joins what nothing else beats in both."));
    }
    out.push_str("</div>\n");
    Ok(out)
}

/// One figure for each claim whose trials were run at several sizes: values without dimension over steps without dimension, which fall on one
/// line where nothing in the engine knows how long a metre is.
pub(super) fn collapse(trials: &[&TrialDocument]) -> Result<String, PlotError> {
    type Key<'a> = (&'a str, &'a str, &'a str, &'a str);
    let mut found: BTreeMap<Key<'_>, BTreeMap<String, Vec<(f64, f64)>>> = BTreeMap::new();
    for trial in trials {
        let Some(step) = trial.dimensionless_dt else { continue };
        let size = trial.conditions.get("size").map_or("1", String::as_str);
        for claim in &trial.claims {
            let Some(value) = claim.dimensionless else { continue };
            let key = (trial.scene.as_str(), trial.engine.as_str(), claim.gauge.as_str(), claim.of.as_str());
            found.entry(key).or_default().entry(size.to_owned()).or_default().push((step, value));
        }
    }
    let mut out = String::new();
    for ((scene, engine, gauge, of), sizes) in found.into_iter().filter(|(_, sizes)| sizes.len() > 1).take(COLLAPSES) {
        let all = || sizes.values().flatten();
        let logarithmic = all().all(|(_, value)| *value > 0.0);
        let lines = sizes.iter().enumerate().map(|(number, (size, points))| {
            let mut points = points.clone();
            points.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
            let colour = SERIES[number % SERIES.len()];
            Line { name: format!("size {size}"), colour, points, mark: Mark::LineAndDots }
        });
        let drawn = Figure {
            title: format!("{scene}: {gauge} of {of}"),
            across: Axis { name: "dt sqrt(g / L)".to_owned(), logarithmic: true },
            up: Axis { name: String::new(), logarithmic },
            lines: lines.collect(),
            notes: Vec::new(),
            size: SMALL,
        };
        out.push_str(&figure(&drawn.svg()?, &format!("On {engine}, without dimension.")));
    }
    if out.is_empty() {
        return Ok(out);
    }
    Ok(format!(
        "<h2>Sizes</h2>\n<p class=\"soft\">Values and steps without dimension: worlds of all sizes fall on one line where nothing in the engine knows how long a metre is.</p>\n<div class=\"figures\">\n{out}</div>\n"
    ))
}
