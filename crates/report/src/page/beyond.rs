//! What stands on a page beside trials: twins, series, costs, and how sizes collapse.

use super::figures::replay;
use super::mark;
use crate::axes::PlotError;
use crate::axes::{Axis, Figure, Line, Mark, SMALL};
use crate::cost::{cost_plot, tradeoff_plot};
use crate::drawing::TwinDrawing;
use crate::look::SERIES;
use crate::number::show;
use crate::search::series_plot;
use crate::twins::growth_plot;
use ironspin_lab::{CostDocument, CostRecord, SeriesDocument, TrialDocument, TwinDocument, TwinsDocument};
use ironspin_model::Verdict;
use maud::{Markup, PreEscaped, html};
use std::collections::BTreeMap;

/// Most twins that are drawn, and figures of how sizes collapse.
const TWINS: usize = 24;
/// Places of bodies in the replay of a twin.
const PLACES: usize = 6_000;
const COLLAPSES: usize = 12;
/// Points of a line in a figure of how sizes collapse.
const POINTS: usize = 400;

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
        let verdicts = |verdicts: Vec<Verdict>, held: &str, not: &str| {
            let of = |verdict| verdicts.iter().filter(|other| **other == verdict).count();
            use Verdict::{Error, Fail, Pass, Unknown, Unsupported};
            let mut parts = vec![format!("{} {held}", of(Pass)), format!("{} {not}", of(Fail))];
            for (verdict, word) in [(Unknown, "not known"), (Unsupported, "unsupported"), (Error, "errors")] {
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

/// Most engines of which each is told in a sentence.
const MOST_TOLD: usize = 3;

/// What a step costs at the last value of the axis, engine by engine.
fn dearest(document: &CostDocument) -> Option<String> {
    let last = document.costs.iter().map(|cost| cost.value).fold(f64::NEG_INFINITY, f64::max);
    let reported = |cost: &CostRecord| format!("{} ms on {}", show(1e3 * cost.median), cost.engine);
    let costs: Vec<&CostRecord> =
        document.costs.iter().filter(|cost| cost.value == last && cost.reason.is_empty()).collect();
    let first = costs.first()?;
    // Of many, what is cheapest and dearest.
    let (cheap, dear) = (
        costs.iter().min_by(|a, b| a.median.total_cmp(&b.median))?,
        costs.iter().max_by(|a, b| a.median.total_cmp(&b.median))?,
    );
    let all = if costs.len() > MOST_TOLD {
        format!("from {} to {}, of {} engines", reported(cheap), reported(dear), costs.len())
    } else {
        costs.iter().map(|cost| reported(cost)).collect::<Vec<_>>().join(", ")
    };
    Some(format!("A step of {} with {} bodies takes {all}.", first.scene, first.bodies))
}

fn figure(svg: String, caption: &str) -> Markup {
    html! { figure.plot { (PreEscaped(svg)) figcaption { (caption) } } }
}

pub(super) fn sections(beyond: &Beyond) -> Result<Markup, PlotError> {
    let mut out = Vec::new();
    if let Some(document) = &beyond.twins {
        out.push(twins(document, &beyond.twin_drawings)?);
    }
    if let Some(document) = &beyond.series {
        out.push(series(document)?);
    }
    if let Some(document) = &beyond.costs {
        out.push(costs(document)?);
    }
    Ok(html! { @for section in &out { (section) } })
}

fn of_twin(twin: &TwinDocument) -> String {
    let unusual = if twin.conditions.is_empty() { String::new() } else { format!(", {}", twin.conditions) };
    format!("{} at dt {}{unusual} on {}", twin.scene, twin.dt_text, twin.engine)
}

fn twins(document: &TwinsDocument, drawings: &[Option<TwinDrawing>]) -> Result<Markup, PlotError> {
    let parted = || document.twins.iter().enumerate().filter(|(_, twin)| twin.first.is_some());
    let mut shown = Vec::new();
    for (number, twin) in parted().take(TWINS) {
        shown.push(parted_twin(number, twin, drawings.get(number).and_then(Option::as_ref))?);
    }
    let many = parted().count();
    Ok(html! {
        h2 { "Twins" }
        p.soft { "The same trial after a change that must make no difference, compared frame by frame." }
        div.wide {
            table {
                thead {
                    tr {
                        th {} th { "trial" } th { "by" } th { "wanted" } th { "furthest apart" }
                        th { "first difference" }
                    }
                }
                tbody { @for (number, twin) in document.twins.iter().enumerate() { (twin_row(number, twin)) } }
            }
        }
        @for twin in &shown { (twin) }
        @if many > TWINS { p.soft { "And " (many - TWINS) " more that differ somewhere, in twins.json." } }
    })
}

fn twin_row(number: usize, twin: &TwinDocument) -> Markup {
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
    let target = twin.first.is_some().then(|| format!("#twin-{number}"));
    html! {
        tr {
            td { a class={ "mark " (class) } href=[target] { (word) } }
            td { (of_twin(twin)) }
            td { (twin.by) }
            td.number { (wanted) }
            td.number { (apart) }
            td { (first) }
        }
    }
}

/// A twin that differs somewhere: both played back, and how far apart they are.
fn parted_twin(number: usize, twin: &TwinDocument, drawing: Option<&TwinDrawing>) -> Result<Markup, PlotError> {
    let (class, word) = mark(twin.verdict);
    let doubling = twin.growth.as_ref().and_then(|growth| growth.doubling);
    let grows = doubling.map_or_else(
        || "It does not grow by doubling: it came at once or stays what it is.".to_owned(),
        |doubling| {
            let chaos = if twin.verdict == Verdict::Unknown {
                ", from a few roundings on, as where bodies collide or topple (chaos)"
            } else {
                ""
            };
            format!("It doubles every {} s{chaos}.", show(doubling))
        },
    );
    let growth = growth_plot(twin)?;
    Ok(html! {
        details id={ "twin-" (number) } open[twin.verdict != Verdict::Pass] {
            summary {
                span class={ "mark " (class) } { (word) } " " (of_twin(twin)) " by " (twin.by) " "
                span.soft { (twin.change) }
            }
            div {
                div.figures {
                    @if let Some(drawing) = drawing {
                        (replay(&format!("twin-{number}"), &twin.scene, &format!("twin {}", twin.by), &drawing.replay.within(PLACES)))
                    }
                    @if let Some(svg) = growth {
                        div.curves { (figure(svg, &format!("Largest distance of a body from its twin. {grows}"))) }
                    }
                }
            }
        }
    })
}

fn series(document: &SeriesDocument) -> Result<Markup, PlotError> {
    let mut figures = Vec::new();
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
        let caption = format!("{} on {}. {power}{claim}{because}", record.scene, record.engine);
        figures.push(figure(series_plot(record)?, &caption));
    }
    Ok(html! {
        h2 { "Series" }
        p.soft { "How a measured value grows along an axis; the slope of the line is the power." }
        div.figures { @for figure in &figures { (figure) } }
    })
}

fn costs(document: &CostDocument) -> Result<Markup, PlotError> {
    let growth = document.trends.iter().filter_map(|trend| {
        let exponent = trend.exponent?;
        Some(format!("{} grows as bodies^{exponent:.2}", trend.engine))
    });
    let reported = growth.collect::<Vec<_>>().join("; ");
    let (plot, tradeoff) = (cost_plot(document)?, tradeoff_plot(document)?);
    Ok(html! {
        h2 { "Cost" }
        div.wide {
            table {
                thead {
                    tr {
                        th { (document.axis) } th { "engine" } th { "bodies" } th { "contact points" }
                        th { "median, ms" } th { "95 of 100 below, ms" } th { "error, share of its bound" }
                    }
                }
                tbody { @for cost in &document.costs { (cost_row(cost)) } }
            }
        }
        div.figures {
            (figure(plot, &format!("Median time of a step. {reported}")))
            @if let Some(svg) = tradeoff {
                (figure(svg, "What an error costs; the line joins what nothing else beats in both."))
            }
        }
    })
}

fn cost_row(cost: &CostRecord) -> Markup {
    html! {
        tr {
            td.number { (show(cost.value)) }
            td { code { (cost.engine) } }
            td.number { (cost.bodies) }
            @if cost.reason.is_empty() {
                td.number { (format!("{:.0}", cost.contacts)) }
                td.number { (show(1e3 * cost.median)) }
                td.number { (show(1e3 * cost.p95)) }
                td.number { (cost.error.map_or_else(|| "-".to_owned(), show)) }
            } @else {
                td colspan="4" { (cost.reason) }
            }
        }
    }
}

/// One figure for each claim whose trials were run at several sizes: values without dimension over steps without dimension, which fall on one
/// line where nothing in the engine knows how long a metre is.
pub(super) fn collapse(trials: &[&TrialDocument]) -> Result<Markup, PlotError> {
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
    let mut figures = Vec::new();
    for ((scene, engine, gauge, of), sizes) in found.into_iter().filter(|(_, sizes)| sizes.len() > 1).take(COLLAPSES) {
        let all = || sizes.values().flatten();
        let logarithmic = all().all(|(_, value)| *value > 0.0);
        let lines = sizes.iter().enumerate().map(|(number, (size, points))| {
            let mut points = points.clone();
            points.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
            points.dedup();
            // Of very many, evenly many: the smallest and the largest are among them.
            let apart = points.len().div_ceil(POINTS).max(1);
            let last = points.len().saturating_sub(1);
            let mut place = 0_usize..;
            points.retain(|_| place.next().is_some_and(|place| place % apart == 0 || place == last));
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
        figures.push(figure(drawn.svg()?, &format!("On {engine}, without dimension.")));
    }
    Ok(html! {
        @if !figures.is_empty() {
            h2 { "Sizes" }
            p.soft {
                "Values and steps without dimension: worlds of all sizes fall on one line where nothing in the engine knows how long a metre is."
            }
            div.figures { @for figure in &figures { (figure) } }
        }
    })
}
